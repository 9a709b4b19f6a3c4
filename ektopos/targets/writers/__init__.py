"""What a package is written as, one module a container."""
