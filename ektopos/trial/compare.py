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
from ektopos.trial.engine.importer import import_package
from ektopos.trial.engine.package import INPUTS, Imported, ImportedMaterial
from ektopos.trial.judge import Judge, Keep
from ektopos.trial.measure import imported_values
from ektopos.trial.renders import (
    VIEWS,
    Rendered,
    compare_material,
    compare_mesh,
    expected_look,
    imported_look,
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
    project = replace(project, document=project.document.exported())
    document = project.document
    progress(0.0, "importing the package")
    imported = import_package(package, profile)
    loader = MapLoader(project)
    cells: list[Cell] = []
    judged: dict[tuple[str, str], list[Cell]] = {}
    meshes = {name: load_mesh(project, name) for name in document.meshes}
    judge = Judge(loader, document, profile, meshes, keep)
    slots = [
        (m, s, assigned)
        for m, entry in document.meshes.items()
        for s, assigned in _slots(meshes[m], entry.slots).items()
    ]
    for done, (mesh, slot, expected) in enumerate(slots):
        progress(0.05 + (COMPARED - 0.05) * done / max(1, len(slots)), f"comparing {mesh} · {slot}")
        blank = [Cell(mesh, slot, expected, name, "same") for name in (*INPUTS, SETTINGS)]
        fault = _slot_fault(imported, mesh, slot, expected)
        if fault is not None:
            verdict, cause, message = fault
            cells += [
                replace(cell, verdict=verdict, cause=cause, message=message) for cell in blank
            ]
            continue
        assigned = imported.slots.get(mesh, {}).get(slot)
        if expected is None or assigned is None:
            cells += [
                replace(cell, message="No material is meant here, and none arrived.")
                for cell in blank
            ]
            continue
        if (expected, assigned) not in judged:
            judged[expected, assigned] = judge.material(expected, imported.materials[assigned])
            again = imported.second.get(assigned)
            if again is not None and _signature(again) != _signature(imported.materials[assigned]):
                other = judge.material(expected, again)
                judged[expected, assigned] = [
                    max(pair, key=badness)
                    for pair in zip(judged[expected, assigned], other, strict=True)
                ]
        here = [replace(cell, mesh=mesh, slot=slot) for cell in judged[expected, assigned]]
        uvs = {key[2]: found for key, found in imported.uvs.items() if key[:2] == (mesh, slot)}
        at = next(number for number, cell in enumerate(here) if cell.input == SETTINGS)
        here[at] = judge_uvs(
            here[at],
            meshes[mesh],
            slot,
            effective(document, expected),
            imported.materials[assigned],
            uvs,
            profile,
        )
        cells += here
    if imported.problem and not cells:
        cells = [
            Cell("", "", None, SETTINGS, "lost", cause=imported.problem, message=imported.message)
        ]
    passed = all(cell.verdict in ("same", "close", "unsupported") for cell in cells)
    drawn = (
        _renders(document, meshes, loader, imported, progress, keep)
        if renders and not imported.problem
        else []
    )
    return Trial(profile.id, passed, cells, drawn)


def _renders(
    document: Document,
    meshes: dict[str, Mesh],
    loader: MapLoader,
    package: Imported,
    progress: Progress,
    keep: Keep | None,
) -> list[Rendered]:
    """Every mesh from several sides, and every material on the specimen, as they were meant and as
    they arrived."""
    expected: dict[str, Look] = {}
    imported: dict[str, Look] = {}
    pairs: dict[tuple[str, str], None] = {}
    found = []
    for done, (name, entry) in enumerate(document.meshes.items()):
        progress(COMPARED + (1 - COMPARED) * done / len(document.meshes), f"rendering {name}")
        actual = package.slots.get(name, {})
        for assigned in {
            assigned for assigned in entry.slots.values() if assigned is not None
        } - set(expected):
            expected[assigned] = expected_look(loader, effective(document, assigned))
        for assigned in {assigned for assigned in actual.values() if assigned is not None} - set(
            imported
        ):
            imported[assigned] = imported_look(package.materials[assigned], imported_values)
        comparison = ((assigned, actual.get(slot)) for slot, assigned in entry.slots.items())
        pairs |= {(assigned, other): None for assigned, other in comparison if assigned and other}
        on_expected = {
            slot: expected[assigned]
            for slot, assigned in entry.slots.items()
            if assigned is not None
        }
        on_imported = {
            slot: imported[assigned] for slot, assigned in actual.items() if assigned is not None
        }
        for view in VIEWS:
            rendered, pictures = compare_mesh(name, meshes[name], on_expected, on_imported, view)
            found.append(rendered)
            if keep is not None:
                keep(name, f"render {view}", pictures)
    for material, assigned in pairs:
        rendered, pictures = compare_material(material, expected[material], imported[assigned])
        found.append(rendered)
        if keep is not None:
            keep(material, f"render {rendered.view}", pictures)
    return found


def _signature(material: ImportedMaterial) -> object:
    """All of a material but its texels, to tell whether two readings of a package agree."""
    inputs = {name: replace(i, texture=None) for name, i in material.inputs.items()}
    return replace(material, inputs=inputs), {
        name: i.texture.path if i.texture else None for name, i in material.inputs.items()
    }


def _slot_fault(
    package: Imported, mesh: str, slot: str, expected: str | None
) -> tuple[Verdict, Cause, str] | None:
    if package.problem:
        return "lost", package.problem, package.message
    if slot not in package.slots.get(mesh, {}):
        return "lost", "slot-missing", MESSAGES["slot-missing"]
    imported = package.slots[mesh][slot]
    listed = package.listed_slots.get(mesh, {}).get(slot, imported)
    assigned = (
        package.assigned_slots.get(mesh, {}).get(slot) if package.assigned_slots else imported
    )
    for worn in (imported, listed, assigned):
        if worn == expected:
            continue
        if worn is None:
            return "lost", "slot-unassigned", MESSAGES["slot-unassigned"]
        return (
            "differs",
            "slot-reassigned",
            f"{expected or 'No material'} was meant, {worn} arrived.",
        )
    return None


def _slots(found: Mesh, assigned: dict[str, str | None]) -> dict[str, str | None]:
    """The slots of a mesh that have triangles, with the material meant for each."""
    filled = [slot for i, slot in enumerate(found.slots) if (found.triangle_slot == i).any()]
    return {slot: assigned.get(slot) for slot in filled}
