"""Makes the sample project *Hollin Ridge Observatory*: a small made-up mountain observatory, from
fixed seeds.

`textures` paints, `shapes` models, and each prop has a module of its own that uses both. `make`
puts them together. Its files are as messy as real ones on purpose.
"""
