"""The one Django app: projects with their revisions, content-addressed files, jobs, packages."""
