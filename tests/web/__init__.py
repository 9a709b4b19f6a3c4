"""The interface's own tests, run and reported with all others."""
