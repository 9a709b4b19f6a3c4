"""What every other folder of the core stands on: errors, types, vectors, names, hashing, strict
JSON and the layers of a USD file. Nothing in here knows of maps, materials or meshes."""
