"""The stand-in engine: reads a package's bytes and the target's profile, and nothing else.

It shares no code with those who wrote the package: other libraries read the files, and decoding,
resampling and the tables of inputs are its own, so that one mistake cannot hide on both sides.
`importer` is the way in, `arrival` what it gives.
"""
