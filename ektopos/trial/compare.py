"""Compare what arrived with what was meant: every slot, every input, every texel."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import cast

from ektopos.document import Document, InputName
from ektopos.errors import EktoposError
from ektopos.materials.cover import surface_of
from ektopos.materials.derive import Material
from ektopos.materials.resolve import MapLoader
from ektopos.meshes import Mesh
from ektopos.project import Project
from ektopos.shading import Look
from ektopos.targets.hand_over import ByHand, hand_over
from ektopos.targets.left import Left, all_left
from ektopos.targets.profile import Profile
from ektopos.targets.writers.gltf import planned_extensions
from ektopos.trial.advice import ADVICE
from ektopos.trial.causes import MESSAGES, Cause
from ektopos.trial.cells import MESH, SCENE, SETTINGS, SOUND, Cell, Verdict, badness, because
from ektopos.trial.engine.gltf import signature
from ektopos.trial.engine.importer import import_package
from ektopos.trial.engine.package import INPUTS, Imported
from ektopos.trial.expected import ExpectedMesh, expected_mesh, expected_scene
from ektopos.trial.geometry import judge_mesh
from ektopos.trial.holding import judge_scene
from ektopos.trial.judge import Judge, Keep
from ektopos.trial.measure import imported_values
from ektopos.trial.naming import as_named_here
from ektopos.trial.renders import (
    VIEWS,
    Rendered,
    Worn,
    arrived_mesh,
    compare_material,
    compare_mesh,
    expected_look,
    imported_look,
)
from ektopos.trial.shown import arrived_glb
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
    by_hand: list[ByHand] = field(default_factory=list)
    """What a person sets in the engine, for no file says it."""
    left: list[Left] = field(default_factory=list)
    """What of the meshes' files stayed behind."""


Judged = dict[tuple[str, str], list[Cell]]
"""Cells by the material that was meant and the one that arrived: several slots wear the same."""


def run_trial(
    project: Project,
    package: Path,
    profile: Profile,
    progress: Progress = no_progress,
    keep: Keep | None = None,
    *,
    renders: bool = True,
    arrived: Path | None = None,
) -> Trial:
    """Import the package and judge it against the project; what arrived is written as a GLB to
    `arrived`, if that is named, to be looked at. Raises `EktoposError` if the project itself is
    broken."""
    project = replace(project, document=project.document.exported())
    document = project.document
    progress(0.0, "importing the package")
    imported = import_package(package, profile)
    loader = MapLoader(project)
    materials = _materials(document)
    expected_meshes = {
        name: expected_mesh(project, name, profile, materials) for name in document.meshes
    }
    imported = as_named_here(imported, document, expected_meshes)
    if arrived is not None and not imported.problem:
        progress(0.03, "keeping what arrived")
        arrived.write_bytes(arrived_glb(imported, document.meshes))
    meshes = {name: whole.authored for name, whole in expected_meshes.items()}
    judge = Judge(loader, document, materials, profile, meshes, keep, _wired(imported))
    slots = [
        (m, s, assigned)
        for m, entry in document.meshes.items()
        for s, assigned in _slots(meshes[m], entry.slots).items()
    ]
    judged: Judged = {}
    cells: list[Cell] = []
    for done, (mesh, slot, expected) in enumerate(slots):
        progress(0.05 + (COMPARED - 0.05) * done / max(1, len(slots)), f"comparing {mesh} · {slot}")
        cells += _slot_cells(expected_meshes[mesh], slot, expected, imported, judge, judged)
    for name, whole in expected_meshes.items():
        if any(cell.mesh == name for cell in cells) and not imported.problem:
            cells.append(_scene_cell(whole, imported, profile, document, materials))
    if imported.problem and not cells:
        cells = [
            Cell("", "", None, SETTINGS, "lost", cause=imported.problem, message=imported.message)
        ]
    cells = [_advised(cell) for cell in cells]
    passed = all(cell.verdict in SOUND for cell in cells)
    drawn = (
        _renders(document, meshes, cells, loader, imported, progress, keep)
        if renders and not imported.problem
        else []
    )
    return Trial(
        profile.id,
        passed,
        cells,
        drawn,
        hand_over(document, materials, profile),
        all_left(project, profile),
    )


def _advised(cell: Cell) -> Cell:
    """The cell with what to do about its cause, where something is wrong."""
    if cell.cause is None or cell.verdict in SOUND:
        return cell
    return replace(cell, advice=ADVICE[cell.cause])


def _slot_cells(
    meant: ExpectedMesh,
    slot: str,
    expected: str | None,
    imported: Imported,
    judge: Judge,
    judged: Judged,
) -> list[Cell]:
    """The cells of one slot: its material's inputs and settings, and its triangles."""
    mesh = meant.name
    blank = [Cell(mesh, slot, expected, name, "same") for name in (*INPUTS, SETTINGS, MESH)]
    fault = _slot_fault(imported, mesh, slot, expected)
    if fault is not None:
        verdict, cause, message = fault
        cells = [replace(cell, verdict=verdict, cause=cause, message=message) for cell in blank]
        if cause == "slot-missing":
            cells[-1] = because(cells[-1], "mesh-missing", MESSAGES["mesh-missing"])
        return cells
    arrived = imported.drawn.get((mesh, slot))
    shape = judge_mesh(blank[-1], meant.triangles(slot), arrived, meant.diagonal)
    assigned = imported.slots.get(mesh, {}).get(slot)
    if expected is None or assigned is None:
        sentence = "No material is meant here, and none arrived."
        return [*(replace(cell, message=sentence) for cell in blank[:-1]), shape]
    if (expected, assigned) not in judged:
        judged[expected, assigned] = _material_cells(expected, assigned, imported, judge)
    here = [replace(cell, mesh=mesh, slot=slot) for cell in judged[expected, assigned]]
    return [*here, shape]


def _material_cells(expected: str, assigned: str, imported: Imported, judge: Judge) -> list[Cell]:
    """The cells of a material; of two readings of a package the worse counts."""
    cells = judge.material(expected, imported.materials[assigned])
    again = imported.second.get(assigned)
    if again is None or signature(again) == signature(imported.materials[assigned]):
        return cells
    other = judge.material(expected, again)
    return [max(pair, key=badness) for pair in zip(cells, other, strict=True)]


def _materials(document: Document) -> dict[str, Material]:
    materials = {}
    for name in document.materials:
        with suppress(EktoposError):
            materials[name] = surface_of(document, name)
    return materials


def _scene_cell(
    drawn: ExpectedMesh,
    imported: Imported,
    profile: Profile,
    document: Document,
    materials: dict[str, Material],
) -> Cell:
    """The verdict on the file of a mesh."""
    blank = Cell(drawn.name, "", None, SCENE, "same")
    if drawn.original is None:
        return because(
            replace(blank, verdict="unsupported"),
            "not-carried-by-target",
            "Only what is drawn goes along: this target, or the mesh's format, keeps no scene.",
        )
    names = {names for names in document.meshes[drawn.name].slots.values() if names in materials}
    planned = planned_extensions(materials[name] for name in names if name)
    if profile.container == "loose":
        planned = set()
    verdict = judge_scene(
        blank, expected_scene(drawn.original), imported.scenes.get(drawn.name), planned
    )
    extra = set(imported.slots.get(drawn.name, {})) - set(drawn.mesh.slots)
    if verdict.verdict == "same" and extra:
        sentence = f"A slot {sorted(extra)[0]} arrived that was not meant."
        return because(replace(verdict, verdict="differs"), "mesh-added", sentence)
    return verdict


def _renders(
    document: Document,
    meshes: dict[str, Mesh],
    cells: list[Cell],
    loader: MapLoader,
    package: Imported,
    progress: Progress,
    keep: Keep | None,
) -> list[Rendered]:
    """Every mesh from several sides, and every material on the specimen, as they were meant and as
    they arrived: on the mesh that arrived, unless that is the same."""
    expected: dict[str, Look] = {}
    imported: dict[str, Look] = {}
    pairs: dict[tuple[str, str], None] = {}
    renders = []
    for done, (name, entry) in enumerate(document.meshes.items()):
        progress(COMPARED + (1 - COMPARED) * done / len(document.meshes), f"rendering {name}")
        actual = package.slots.get(name, {})
        for assigned in {
            assigned for assigned in entry.slots.values() if assigned is not None
        } - set(expected):
            expected[assigned] = expected_look(loader, surface_of(document, assigned))
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
        shapes = [cell.verdict for cell in cells if (cell.mesh, cell.input) == (name, MESH)]
        came = {slot: drawn for (mesh, slot), drawn in package.drawn.items() if mesh == name}
        changed = any(verdict != "same" for verdict in shapes)
        arrived = arrived_mesh(name, came) if changed else meshes[name]
        pair = Worn(meshes[name], on_expected), Worn(arrived, on_imported)
        for view in VIEWS:
            rendered, pictures = compare_mesh(name, *pair, view)
            renders.append(rendered)
            if keep is not None:
                keep(name, f"render {view}", pictures)
    for material, assigned in pairs:
        rendered, pictures = compare_material(material, expected[material], imported[assigned])
        renders.append(rendered)
        if keep is not None:
            keep(material, f"render {rendered.view}", pictures)
    return renders


def _wired(imported: Imported) -> dict[str, set[tuple[str, InputName]]]:
    """By a texture's path, the materials and inputs that it feeds."""
    wired: dict[str, set[tuple[str, InputName]]] = {}
    for material in imported.materials.values():
        for name, given in material.inputs.items():
            if given.texture is not None:
                users = wired.setdefault(given.texture.path, set())
                users.add((material.name, cast(InputName, name)))
    return wired


def _slot_fault(
    package: Imported, mesh: str, slot: str, expected: str | None
) -> tuple[Verdict, Cause, str] | None:
    if package.problem:
        return "lost", package.problem, package.message
    if slot not in package.slots.get(mesh, {}):
        return "lost", "slot-missing", MESSAGES["slot-missing"]
    key = package.slots[mesh][slot]
    imported = package.materials[key].name if key in package.materials else key
    listed = package.listed_slots.get(mesh, {}).get(slot, imported)
    assigned = (
        package.assigned_slots.get(mesh, {}).get(slot) if package.assigned_slots else imported
    )
    for candidate in (imported, listed, assigned):
        if candidate == expected:
            continue
        if candidate is None:
            return "lost", "slot-unassigned", MESSAGES["slot-unassigned"]
        return (
            "differs",
            "slot-reassigned",
            f"{expected or 'No material'} was meant, {candidate} arrived.",
        )
    return None


def _slots(found: Mesh, assigned: dict[str, str | None]) -> dict[str, str | None]:
    """The slots of a mesh that have triangles, with the material meant for each."""
    filled = [slot for i, slot in enumerate(found.slots) if (found.triangle_slot == i).any()]
    return {slot: assigned.get(slot) for slot in filled}
