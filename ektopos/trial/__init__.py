"""The trial: import a package as an engine would, and compare what arrived with what was meant.

`engine/` is the stand-in engine. `compare` goes through materials and slots, `judge` measures each
input, `both` and `causes` explain, `report` says it. Names are imported from their modules, so that
the engine loads nothing of the others.
"""
