"""Work that goes on without a person: folders that are watched, packages that are delivered, and
the client with which a program asks a server."""
