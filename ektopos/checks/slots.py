"""Slots and mesh faults."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ektopos.checks.registry import Examined, Finding, Severity, check
from ektopos.maps.sets import tile_of
from ektopos.meshes import find_faults
from ektopos.meshes.slots import tiles_of

_SEVERITY: dict[str, Severity] = {
    "reversed-faces": "error",
    "coincident-faces": "error",
    "missing-uvs": "warning",
    "unnormalised-normals": "warning",
    "vertex-colours": "warning",
    "missing-normals": "note",
    "open-edges": "note",
}


@check
def bare_slots(examined: Examined) -> Iterator[Finding]:
    """Slots with triangles and without a material."""
    for name, mesh in examined.meshes.items():
        assigned = examined.project.document.meshes[name].slots
        for number, slot in enumerate(mesh.slots):
            if assigned.get(slot) is None and (mesh.triangle_slot == number).any():
                yield Finding(
                    code="slot-without-material",
                    severity="warning",
                    subject=f"mesh {name} · {slot}",
                    message="No material is assigned to the slot.",
                    why="It arrives in the engine's default material.",
                    evidence=slot,
                    fix="Choose a material for it.",
                )


@check
def mesh_faults(examined: Examined) -> Iterator[Finding]:
    """Everything `find_faults` finds; a single-sided opening is what makes open edges worth a
    word.
    """
    for name, mesh in examined.meshes.items():
        assigned = examined.project.document.meshes[name].slots
        for fault in find_faults(mesh):
            material = examined.materials.get(assigned.get(fault.slot or "") or "")
            if fault.code == "reversed-faces" and material and material.double_sided:
                continue
            subject = f"mesh {name}" + (f" · {fault.slot}" if fault.slot else "")
            yield Finding(
                code=fault.code,
                severity=_SEVERITY.get(fault.code, "note"),
                subject=subject,
                message=fault.message,
                why="The engine shows it, or computes with it.",
                evidence=f"{fault.count}",
                fix="Mend it where the mesh was made.",
            )


@check
def unmapped_slots(examined: Examined) -> Iterator[Finding]:
    """Slots without UVs that wear a material with maps."""
    for name, mesh in examined.meshes.items():
        for number, slot in enumerate(mesh.slots):
            assigned = examined.materials.get(
                examined.project.document.meshes[name].slots.get(slot) or ""
            )
            own = mesh.triangles[mesh.triangle_slot == number]
            if assigned is None or not len(own):
                continue
            for number in sorted({place.uv.set for place in assigned.placements().values()}):
                if not np.isfinite(mesh.uv_set(number)[own]).any():
                    lacks = "no UVs" if number == 0 else f"no UV set {number}, which it wants"
                    yield Finding(
                        code="maps-without-uvs",
                        severity="error",
                        subject=f"mesh {name} · {slot}",
                        message=f"The slot wears {assigned.name}, which has maps, and has {lacks}.",
                        why="Every texel lookup lands on the same place.",
                        evidence=slot,
                        fix="Unwrap it where the mesh was made, or choose another UV set.",
                    )


@check
def slots_on_several_tiles(examined: Examined) -> Iterator[Finding]:
    """Slots that lie on UDIM tiles which their material's maps are not for."""
    maps = examined.project.document.maps
    for name, mesh in examined.meshes.items():
        for number, slot in enumerate(mesh.slots):
            assigned = examined.materials.get(
                examined.project.document.meshes[name].slots.get(slot) or ""
            )
            if assigned is None:
                continue
            used = {m for feed in assigned.feeds.values() for m in feed.maps() if m in maps}
            numbered = {t: m for m in sorted(used) if (t := tile_of(maps[m].file)) is not None}
            own = mesh.corner_uvs()[mesh.triangle_slot == number]
            lies = tiles_of(own[np.isfinite(own).all(axis=(1, 2))]) or (1001,)
            if not numbered or set(lies) <= set(numbered):
                continue
            several = len(lies) > 1
            yield Finding(
                code="other-tile",
                severity="warning",
                subject=f"mesh {name} · {slot}",
                message=(
                    f"Its UVs lie on tile{'s' if several else ''} {', '.join(map(str, lies))}; "
                    f"{assigned.name} wears maps of {', '.join(map(str, sorted(numbered)))}."
                ),
                why="The engine repeats one tile's maps on all of them.",
                evidence=", ".join(numbered.values()),
                fix=(
                    "Split the slot by UV tiles, and give each part a material of its tile."
                    if several
                    else "Give it the material of its tile."
                ),
            )
