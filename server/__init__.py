"""The web application: Django stores documents and files, serves them and runs jobs. The job's
rules are in `ektopos`."""
