"""Slots, and the faults of meshes."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.checks.catalogue import Severity
from ektopos.checks.registry import Examined, Finding, Number, Remedy, check, finding
from ektopos.document import MeshEntry
from ektopos.document.mesh_steps import ApplyScale, CloseCracks, TurnReversed
from ektopos.edits import KeepColours
from ektopos.materials import Material
from ektopos.meshes import Fault
from ektopos.meshes.cracks import CRACK


@check
def bare_slots(examined: Examined) -> Iterator[Finding]:
    """Slots with triangles and without a material."""
    for name, look in examined.looks.items():
        assigned = examined.project.document.meshes[name].slots
        for slot in look.slots:
            if assigned.get(slot.name) is None and slot.triangles:
                yield finding(
                    "slot-without-material",
                    f"mesh {name} · {slot.name}",
                    "No material is assigned to the slot.",
                    numbers=(Number("triangles", f"{slot.triangles:,}", f"{slot.share:.0%}"),),
                )


@check
def mesh_faults(examined: Examined) -> Iterator[Finding]:
    """Everything `find_faults` finds, as far as the material makes it one."""
    for name, look in examined.looks.items():
        entry = examined.project.document.meshes[name]
        for fault in look.faults:
            material = examined.materials.get(entry.slots.get(fault.slot or "") or "")
            if _is_meant(fault, material):
                continue
            severity: Severity | None = None
            if fault.code == "vertex-colours" and _colours_leave(examined, name):
                severity = "warning"
            yield finding(
                fault.code,
                f"mesh {name}" + (f" · {fault.slot}" if fault.slot else ""),
                f"{fault.message.partition('. ')[0].rstrip('.')}.",
                severity=severity,
                evidence=f"{fault.count}",
                numbers=(Number("count", f"{fault.count:,}"),),
                remedy=_remedy(name, fault, entry),
            )


def _remedy(mesh: str, fault: Fault, entry: MeshEntry) -> Remedy | None:
    if fault.code == "reversed-faces" and fault.slot is not None:
        return Remedy(
            "Flip faces",
            "Flips these faces and their normals, as a step on the mesh. The file stays "
            "as it is, and all other faces too.",
            mesh=mesh,
            step=TurnReversed(kind="turn-reversed", slots=[fault.slot]),
        )
    if fault.code in ("uneven-scale", "negative-scale", "extreme-scale") and fault.mends:
        return Remedy(
            "Apply scale",
            "Puts the scales of the file’s nodes into their geometry on export, as a step of "
            "the mesh’s recipe. What is drawn stays where and as large as it is.",
            mesh=mesh,
            step=ApplyScale(kind="apply-scale"),
        )
    if fault.code == "open-edges" and fault.mends:
        return Remedy(
            "Close cracks",
            f"Brings points of open edges together that lie within {100 * CRACK:g} % of the mesh’s "
            "size, as a step of its recipe. Edges that are wider open stay, and so does the file.",
            mesh=mesh,
            step=CloseCracks(kind="close-cracks"),
        )
    if fault.code == "vertex-colours" and entry.vertex_colours == "keep":
        return Remedy(
            "Exclude vertex colours",
            "Leaves the mesh’s vertex colours out of exports. The file stays as it is.",
            [KeepColours(mesh=mesh, keep=False)],
        )
    return None


def _is_meant(fault: Fault, material: Material | None) -> bool:
    """Whether the material makes it none: backs are drawn where it is double-sided, and cards with
    holes are open by nature."""
    if material is None:
        return False
    if fault.code == "reversed-faces":
        return material.double_sided
    if fault.code == "open-edges":
        return material.double_sided or material.alpha_mode != "opaque"
    if fault.code == "extra-uv-sets":
        return any(place.uv.set > 0 for place in material.placements().values())
    return False


def _colours_leave(examined: Examined, name: str) -> bool:
    entry = examined.project.document.meshes[name]
    return entry.vertex_colours == "keep" or examined.profile.mesh.vertex_colours
