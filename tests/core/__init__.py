"""The core on its own: no server, no browser."""
