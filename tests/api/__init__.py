"""The server over HTTP."""
