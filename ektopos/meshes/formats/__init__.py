"""Readers of mesh files, one a format, and the GLB that meshes leave in."""
