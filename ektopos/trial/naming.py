"""What arrived, under the names that the project has for it: meshes and slots of packages that were
made elsewhere are found by their files and by what they bind, for nothing in them need be called as
it is here."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from ektopos.document import Document
from ektopos.export.plan import safe_names
from ektopos.trial.engine.package import Imported, ImportedTriangles
from ektopos.trial.engine.scene import joined
from ektopos.trial.expected import ExpectedMesh
from ektopos.trial.matching import places_of


def as_named_here(
    imported: Imported, document: Document, meshes: Mapping[str, ExpectedMesh]
) -> Imported:
    """The package with the project's names for meshes and slots, as far as they can be told."""
    renamed = _meshes(imported, list(document.meshes))
    slots, drawn = dict(renamed.slots), dict(renamed.drawn)
    for name, whole in meshes.items():
        if name in slots:
            assigned = document.meshes[name].slots
            slots[name] = dict(slots[name])
            _by_material(name, assigned, whole, slots[name], drawn, renamed)
    return replace(renamed, slots=slots, drawn=drawn)


def _meshes(imported: Imported, meshes: list[str]) -> Imported:
    """Meshes by the files that hold them, where they are called otherwise."""
    stems = safe_names(meshes)
    slots, drawn, scenes = dict(imported.slots), dict(imported.drawn), dict(imported.scenes)
    for mesh in meshes:
        if mesh in slots:
            continue
        files = [f for f in imported.containers if Path(f).stem in (stems[mesh], mesh)]
        holding = [file for file, held in imported.containers.items() if held]
        if not files and len(meshes) == len(holding) == 1:
            files = holding
        parts: dict[str, list[ImportedTriangles]] = {}
        for held in (name for file in files for name in imported.containers[file]):
            slots[mesh] = imported.slots[held] | slots.get(mesh, {})
            for (owner, slot), triangles in imported.drawn.items():
                if owner == held:
                    parts.setdefault(slot, []).append(triangles)
            if held in imported.scenes:
                scenes[mesh] = imported.scenes[held]
        drawn |= {(mesh, slot): joined(several) for slot, several in parts.items()}
    return replace(imported, slots=slots, drawn=drawn, scenes=scenes)


def _by_material(
    mesh: str,
    worn: Mapping[str, str | None],
    whole: ExpectedMesh,
    slots: dict[str, str | None],
    drawn: dict[tuple[str, str], ImportedTriangles],
    imported: Imported,
) -> None:
    """Slots that did not arrive under their names, by the material that they wear; several that
    wear one share its triangles out by where they are."""
    numbers = np.unique(whole.mesh.triangle_slot)
    filled = [whole.mesh.slots[number] for number in numbers]
    missing = [slot for slot in filled if slot not in slots and worn.get(slot) is not None]
    for material in dict.fromkeys(worn[slot] for slot in missing):
        keys = [
            key
            for key, arrived in slots.items()
            if key not in filled
            and arrived in imported.materials
            and imported.materials[arrived].name == material
        ]
        parts = [drawn[mesh, key] for key in keys if (mesh, key) in drawn]
        if not parts:
            continue
        arrived = slots[keys[0]]
        sharing = [slot for slot in missing if worn[slot] == material]
        shares = _shared_out(joined(parts), [whole.triangles(slot) for slot in sharing])
        for key in keys:
            slots.pop(key)
            drawn.pop((mesh, key), None)
        for slot, share in zip(sharing, shares, strict=True):
            slots[slot] = arrived
            drawn[mesh, slot] = share


def _shared_out(
    arrived: ImportedTriangles, expected: list[ImportedTriangles]
) -> list[ImportedTriangles]:
    """Triangles by which of several slots they lie nearest to; all of them, for one."""
    if len(expected) == 1:
        return [arrived]
    # Imported here, because it takes longer than most commands do.
    from scipy.spatial import cKDTree

    size = float(np.ptp(arrived.positions.reshape(-1, 3), axis=0).max(initial=0.0)) or 1.0
    wanted = [places_of(slot.positions, size) for slot in expected]
    owner = np.repeat(np.arange(len(expected)), [len(places) for places in wanted])
    nearest = cKDTree(np.concatenate(wanted)).query(places_of(arrived.positions, size))[1]
    return [_some(arrived, owner[nearest] == number) for number in range(len(expected))]


def _some(
    triangles: ImportedTriangles, those: np.ndarray[tuple[int], np.dtype[np.bool_]]
) -> ImportedTriangles:
    def part(values: Any) -> Any:
        return None if values is None else values[those]

    return ImportedTriangles(
        triangles.positions[those],
        part(triangles.normals),
        {number: uvs[those] for number, uvs in triangles.uvs.items()},
        part(triangles.colours),
        part(triangles.tangents),
        part(triangles.influences),
    )
