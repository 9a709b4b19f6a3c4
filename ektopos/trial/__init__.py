"""The trial: import a package as an engine would, and compare what arrived with what was made.

`engine/` is the stand-in engine. `compare` goes through materials and slots, `judge` measures each
input, `diagnosis` explains, `report` says it. Names are imported from their modules, so that
the engine loads nothing of the others.
"""
