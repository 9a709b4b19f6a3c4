"""Meshes as arrays: read, slots, UV measures, faults, recipes.

A mesh here is triangles with world positions, glTF-convention UVs (v down) and a slot per triangle.
Which material a slot wears is the document's affair; how a mesh is packed for an engine is
`ektopos.export`.
"""

from ektopos.meshes.faults import Fault, find_faults
from ektopos.meshes.formats.glb import build_gltf, pack_glb
from ektopos.meshes.measure import measure_mesh
from ektopos.meshes.mesh import Mesh, Node
from ektopos.meshes.read import MESH_SUFFIXES, OTHER_MESH_SUFFIXES, companion_files, read_mesh
from ektopos.meshes.recipe import apply_recipe, carried, faces_of, groups_of, with_own_vertices
from ektopos.meshes.slots import (
    SlotFacts,
    SlotTriangles,
    measured_triangles,
    slot_facts,
    triangle_measures,
)

__all__ = [
    "MESH_SUFFIXES",
    "OTHER_MESH_SUFFIXES",
    "Fault",
    "Mesh",
    "Node",
    "SlotFacts",
    "SlotTriangles",
    "apply_recipe",
    "build_gltf",
    "carried",
    "companion_files",
    "faces_of",
    "find_faults",
    "groups_of",
    "measure_mesh",
    "measured_triangles",
    "pack_glb",
    "read_mesh",
    "slot_facts",
    "triangle_measures",
    "with_own_vertices",
]
