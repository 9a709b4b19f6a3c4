"""Compare what arrived with what was meant: every slot, every input, every texel."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from pathlib import Path

from ektopos.document import Document
from ektopos.materials.derive import effective
from ektopos.materials.resolve import MapLoader
from ektopos.meshes import Mesh
from ektopos.project import Project, load_mesh
from ektopos.shading import Look
from ektopos.targets.profile import Profile
from ektopos.trial.causes import MESSAGES, Cause
from ektopos.trial.cells import SETTINGS, Cell, Verdict, badness
from ektopos.trial.engine.arrival import INPUTS, Arrival, ArrivedMaterial
from ektopos.trial.engine.importer import import_package
from ektopos.trial.judge import Judge, Keep
from ektopos.trial.measure import arrived_values
from ektopos.trial.renders import (
    VIEWS,
    Rendered,
    arrived_look,
    compare_material,
    compare_mesh,
    meant_look,
)
from ektopos.trial.settings import judge_uvs
from ektopos.types import Progress, no_progress

COMPARED = 0.7
"""Share of a trial that comparing takes; rendering is the rest."""


@dataclass(frozen=True)
class Trial:
    """What a trial found."""

    target: str
    passed: bool
    cells: list[Cell]
    renders: list[Rendered] = field(default_factory=list)


def run_trial(
    project: Project,
    package: Path,
    profile: Profile,
    progress: Progress = no_progress,
    keep: Keep | None = None,
    *,
    renders: bool = True,
) -> Trial:
    """Import the package and judge it against the project. Raises `EktoposError` if the project
    itself is broken."""
    project = replace(project, document=project.document.going())
    document = project.document
    progress(0.0, "importing the package")
    arrival = import_package(package, profile)
    loader = MapLoader(project)
    cells: list[Cell] = []
    judged: dict[tuple[str, str], list[Cell]] = {}
    meshes = {name: load_mesh(project, name) for name in document.meshes}
    judge = Judge(loader, document, profile, meshes, keep)
    slots = [
        (m, s, worn)
        for m, entry in document.meshes.items()
        for s, worn in _slots(meshes[m], entry.slots).items()
    ]
    for done, (mesh, slot, meant) in enumerate(slots):
        progress(0.05 + (COMPARED - 0.05) * done / max(1, len(slots)), f"comparing {mesh} · {slot}")
        blank = [Cell(mesh, slot, meant, name, "same") for name in (*INPUTS, SETTINGS)]
        fault = _slot_fault(arrival, mesh, slot, meant)
        if fault is not None:
            verdict, cause, message = fault
            cells += [
                replace(cell, verdict=verdict, cause=cause, message=message) for cell in blank
            ]
            continue
        worn = arrival.slots.get(mesh, {}).get(slot)
        if meant is None or worn is None:
            cells += [
                replace(cell, message="No material is meant here, and none arrived.")
                for cell in blank
            ]
            continue
        if (meant, worn) not in judged:
            judged[meant, worn] = judge.material(meant, arrival.materials[worn])
            again = arrival.second.get(worn)
            if again is not None and _signature(again) != _signature(arrival.materials[worn]):
                other = judge.material(meant, again)
                judged[meant, worn] = [
                    max(pair, key=badness) for pair in zip(judged[meant, worn], other, strict=True)
                ]
        here = [replace(cell, mesh=mesh, slot=slot) for cell in judged[meant, worn]]
        material, uvs = effective(document, meant), arrival.uvs.get((mesh, slot))
        at = next(number for number, cell in enumerate(here) if cell.input == SETTINGS)
        here[at] = judge_uvs(
            here[at], meshes[mesh], slot, material, uvs, arrival.materials[worn], profile
        )
        cells += here
    if arrival.problem and not cells:
        cells = [
            Cell("", "", None, SETTINGS, "lost", cause=arrival.problem, message=arrival.message)
        ]
    passed = all(cell.verdict in ("same", "close", "unsupported") for cell in cells)
    drawn = (
        _renders(document, meshes, loader, arrival, progress, keep)
        if renders and not arrival.problem
        else []
    )
    return Trial(profile.id, passed, cells, drawn)


def _renders(
    document: Document,
    meshes: dict[str, Mesh],
    loader: MapLoader,
    arrival: Arrival,
    progress: Progress,
    keep: Keep | None,
) -> list[Rendered]:
    """Every mesh from several sides, and every material on the specimen, as they were meant and as
    they arrived."""
    meant: dict[str, Look] = {}
    arrived: dict[str, Look] = {}
    pairs: dict[tuple[str, str], None] = {}
    found = []
    for done, (name, entry) in enumerate(document.meshes.items()):
        progress(COMPARED + (1 - COMPARED) * done / len(document.meshes), f"rendering {name}")
        came = arrival.slots.get(name, {})
        for worn in {worn for worn in entry.slots.values() if worn is not None} - set(meant):
            meant[worn] = meant_look(loader, effective(document, worn))
        for worn in {worn for worn in came.values() if worn is not None} - set(arrived):
            arrived[worn] = arrived_look(arrival.materials[worn], arrived_values)
        both = ((worn, came.get(slot)) for slot, worn in entry.slots.items())
        pairs |= {(worn, other): None for worn, other in both if worn and other}
        on_meant = {slot: meant[worn] for slot, worn in entry.slots.items() if worn is not None}
        on_arrived = {slot: arrived[worn] for slot, worn in came.items() if worn is not None}
        for view in VIEWS:
            rendered, pictures = compare_mesh(name, meshes[name], on_meant, on_arrived, view)
            found.append(rendered)
            if keep is not None:
                keep(name, f"render {view}", pictures)
    for material, worn in pairs:
        rendered, pictures = compare_material(material, meant[material], arrived[worn])
        found.append(rendered)
        if keep is not None:
            keep(material, f"render {rendered.view}", pictures)
    return found


def _signature(material: ArrivedMaterial) -> object:
    """All of a material but its texels, to tell whether two readings of a package agree."""
    inputs = {name: replace(i, texture=None) for name, i in material.inputs.items()}
    return replace(material, inputs=inputs), {
        name: i.texture.path if i.texture else None for name, i in material.inputs.items()
    }


def _slot_fault(
    arrival: Arrival, mesh: str, slot: str, meant: str | None
) -> tuple[Verdict, Cause, str] | None:
    if arrival.problem:
        return "lost", arrival.problem, arrival.message
    if slot not in arrival.slots.get(mesh, {}):
        return "lost", "slot-missing", MESSAGES["slot-missing"]
    arrived = arrival.slots[mesh][slot]
    listed = arrival.listed_slots.get(mesh, {}).get(slot, arrived)
    assigned = arrival.assigned_slots.get(mesh, {}).get(slot) if arrival.assigned_slots else arrived
    for worn in (arrived, listed, assigned):
        if worn == meant:
            continue
        if worn is None:
            return "lost", "slot-unassigned", MESSAGES["slot-unassigned"]
        return "differs", "slot-reassigned", f"{meant or 'No material'} was meant, {worn} arrived."
    return None


def _slots(found: Mesh, worn: dict[str, str | None]) -> dict[str, str | None]:
    """The slots of a mesh that have triangles, with the material meant for each."""
    filled = [slot for i, slot in enumerate(found.slots) if (found.triangle_slot == i).any()]
    return {slot: worn.get(slot) for slot in filled}
