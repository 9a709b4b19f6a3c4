"""Materials that come with a mesh: read from the file that brings them, listed where they cannot be
kept exactly, and made into a project."""

from ektopos.adopt.beside import pictures_named_by, stated_beside
from ektopos.adopt.carried import Carried, CarriedMap, NotTaken, map_entries, says_something
from ektopos.adopt.files import carried_by, carried_whole
from ektopos.adopt.project import Adopted, adopt_meshes

__all__ = [
    "Adopted",
    "Carried",
    "CarriedMap",
    "NotTaken",
    "adopt_meshes",
    "carried_by",
    "carried_whole",
    "map_entries",
    "pictures_named_by",
    "says_something",
    "stated_beside",
]
