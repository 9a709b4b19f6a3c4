"""The command line: one module a command, and the helper process that has the core loaded."""
