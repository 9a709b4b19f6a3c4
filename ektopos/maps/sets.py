"""Map sets: maps that belong together."""

from __future__ import annotations

from pathlib import PurePosixPath

from ektopos.document import Document
from ektopos.maps.names import read_names, role_ending, set_name
from ektopos.names import free_name


def sets_of(document: Document) -> dict[str, list[str]]:
    """Every set's maps by name, in the document's order. A map without a set of its own is placed
    by its file name."""
    unplaced = [name for name, entry in document.maps.items() if entry.set is None]
    files = [document.maps[name].file for name in unplaced]
    read = read_names(files, document.naming)
    placed = {name: set_name(file, r) for name, file, r in zip(unplaced, files, read, strict=True)}
    found: dict[str, list[str]] = {}
    for name, entry in document.maps.items():
        found.setdefault(entry.set or placed[name], []).append(name)
    return found


def maps_of_set(document: Document, set_name: str) -> list[str]:
    """Names of the maps in one set; empty if there is no such set."""
    return sets_of(document).get(set_name, [])


def ending_of(document: Document, name: str) -> str:
    """The end of a map's file name that a naming rule would go by: what follows its set's name, or,
    where nothing of it was understood, the name of another set. Empty if there is no such end.
    """
    sets = sets_of(document)
    own = next(set_ for set_, names in sets.items() if name in names)
    stem = PurePosixPath(document.maps[name].file).stem
    endings = [role_ending(stem, set_) for set_ in (own, *sets)]
    if endings[0]:
        return endings[0]
    return min((ending for ending in endings if ending), key=len, default="")


def map_name(file: str, taken: set[str]) -> str:
    """A name for a new map: its file's stem, with a number behind it if that is taken."""
    return free_name(PurePosixPath(file).stem, taken)
