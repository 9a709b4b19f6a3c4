"""What mesh files say of maps that lie beside them, or anywhere."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from pathlib import Path

from ektopos.base.errors import DAMAGE, EktoposError
from ektopos.document import MapEntry
from ektopos.material_import.carried import map_entries
from ektopos.material_import.files import carried_by
from ektopos.meshes.read import files_beside


def stated_beside(meshes: Iterable[Path]) -> dict[Path, MapEntry]:
    """What glTF, OBJ with MTL, and USD files say of the pictures that they refer to, by the
    pictures' resolved paths; the first that speaks of one is heard. A mesh that cannot be read says
    nothing."""
    stated: dict[Path, MapEntry] = {}
    for path in meshes:
        find = files_beside(path)
        try:
            carried = carried_by(path, find, path.name, str)
        except (EktoposError, OSError, *DAMAGE):
            continue
        files = {one.name: one.part or one.name for one in carried.maps}
        entries = map_entries(carried, files, path.stem)
        for one in carried.maps:
            place = find(one.part) if one.part else None
            if place is not None:
                stated.setdefault(place.resolve(), entries[one.entry])
    return stated


def pictures_named_by(mesh: Path) -> dict[str, set[str]]:
    """What a mesh file says that its materials wear: SHA-256 of the pictures, by the materials'
    names. A file that cannot be read says nothing."""
    named: dict[str, set[str]] = {}
    try:
        for one in carried_by(mesh, files_beside(mesh), mesh.name, str).maps:
            content = hashlib.sha256(one.content).hexdigest()
            for material in one.materials:
                named.setdefault(material, set()).add(content)
    except (EktoposError, OSError, *DAMAGE):
        return {}
    return named
