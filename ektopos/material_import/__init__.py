"""Materials that come with a mesh: read from the file that brings them, listed where they cannot be
kept exactly, and made into a project."""

from ektopos.material_import.carried import (
    Carried,
    CarriedMap,
    NotTaken,
    map_entries,
    says_something,
)
from ektopos.material_import.files import carried_by, carried_whole
from ektopos.material_import.project import ImportedProject, adopt_meshes
from ektopos.material_import.textures_beside import pictures_named_by, stated_beside

__all__ = [
    "Carried",
    "CarriedMap",
    "ImportedProject",
    "NotTaken",
    "adopt_meshes",
    "carried_by",
    "carried_whole",
    "map_entries",
    "pictures_named_by",
    "says_something",
    "stated_beside",
]
