"""Compare what arrived with what was meant: every slot, every input, every texel."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from ektopos.base.names import counted
from ektopos.base.types import Progress, no_progress
from ektopos.document import Document
from ektopos.export.dropped_features import DroppedFeature, all_dropped_features
from ektopos.export.hand_over import ManualSetting, hand_over
from ektopos.export.profile import Profile
from ektopos.export.writers.gltf import UNLIT, planned_extensions
from ektopos.materials.inheritance import Material
from ektopos.meshes import Mesh
from ektopos.project import OpenProject
from ektopos.sandbox import sandboxed
from ektopos.trial.advice import ADVICE
from ektopos.trial.arrived_preview import arrived_glb
from ektopos.trial.cells import MESH, SCENE, SETTINGS, SOUND, Cell, Verdict, because
from ektopos.trial.diagnosis import MESSAGES, Cause
from ektopos.trial.engine.package import INPUTS, Imported, ImportedScene
from ektopos.trial.expected import ExpectedMesh, expected_scene
from ektopos.trial.renders import Rendered
from ektopos.trial.scene_comparison import judge_scene
from ektopos.trial.session import Session
from ektopos.trial.tasks import Keep, Result, ResultCache, Task


@dataclass(frozen=True)
class Trial:
    """What a trial found."""

    target: str
    passed: bool
    cells: list[Cell]
    renders: list[Rendered] = field(default_factory=list)
    by_hand: list[ManualSetting] = field(default_factory=list)
    """What a person sets in the engine, for no file says it."""
    left: list[DroppedFeature] = field(default_factory=list)
    """What of the meshes' files stayed behind."""


@sandboxed
def run_trial(
    project: OpenProject,
    package: Path,
    profile: Profile,
    progress: Progress = no_progress,
    keep: Keep | None = None,
    *,
    renders: bool = True,
    arrived: Callable[[bytes], object] | None = None,
    kept: ResultCache | None = None,
    threads: int | None = None,
) -> Trial:
    """Import the package and judge it against the project; what arrived is given to `arrived` as a
    GLB, to be looked at. `kept` is asked for what earlier trials have found. Raises `EktoposError`
    if the project itself is broken."""
    progress(0.0, "importing the package")
    session = Session(
        project, package, profile, renders=renders, pictures=keep is not None, kept=kept
    )
    imported, document = session.imported, session.document
    found = session.do(
        tasks_of(session),
        lambda share, what: progress(0.05 + 0.9 * share, what),
        keep,
        threads=threads or os.cpu_count() or 1,
    )
    progress(0.96, "putting it together")
    cells = [cell for place in session.slots for cell in _slot_cells(session, found, *place)]
    for name, whole in session.meant.items():
        if any(cell.mesh == name for cell in cells) and not imported.problem:
            cells.append(_scene_cell(whole, imported, session.profile, document, session.materials))
    if imported.problem and not cells:
        cells = [
            Cell("", "", None, SETTINGS, "lost", cause=imported.problem, message=imported.message)
        ]
    cells = [_advised(cell) for cell in cells]
    if arrived is not None and not imported.problem:
        shown = {task.arrived: one.shown for task, one in found.items() if one.shown}
        arrived(arrived_glb(imported, document.meshes, shown))
    return Trial(
        session.profile.id,
        all(cell.verdict in SOUND for cell in cells),
        cells,
        [
            rendered
            for kind in ("mesh", "material")
            for task, one in found.items()
            if task.kind == kind
            for rendered in one.renders
        ],
        hand_over(document, session.materials, session.profile),
        all_dropped_features(session.project, session.profile),
    )


@sandboxed
def tasks_left(
    project: OpenProject, package: Path, profile: Profile, kept: ResultCache
) -> list[Task]:
    """What of a package nobody has judged yet. Raises as `run_trial`."""
    session = Session(project, package, profile, kept=kept)
    return [task for task in tasks_of(session) if session.known(task) is None]


@sandboxed
def run_tasks(
    project: OpenProject,
    package: Path,
    profile: Profile,
    kept: ResultCache,
    tasks: Sequence[Task],
    progress: Progress,
    threads: int,
) -> None:
    """Judge some tasks of a package, for `kept`. Raises as `run_trial`."""
    Session(project, package, profile, kept=kept).do(tasks, progress, threads=threads)


def tasks_of(session: Session) -> list[Task]:
    """What can be done by itself, mesh by mesh: the materials of its slots that were not met
    before, and then its renders."""
    imported, renders = session.imported, session.renders
    if imported.problem:
        return []
    worn: dict[str, list[tuple[str, str]]] = {}
    for mesh, slot, meant in session.slots:
        worn.setdefault(mesh, [])
        key = imported.slots.get(mesh, {}).get(slot)
        if meant and key and _slot_fault(imported, mesh, slot, meant) is None:
            worn[mesh].append((meant, key))
    judged = {pair for pairs in worn.values() for pair in pairs}
    tasks: dict[Task, None] = {}
    for mesh, entry in session.document.meshes.items():
        there = imported.slots.get(mesh, {})
        for slot, meant in entry.slots.items():
            key = there.get(slot)
            if meant and key in imported.materials and (renders or (meant, key) in judged):
                tasks[Task("material", meant, key, (meant, key) in judged)] = None
        if renders:
            tasks[Task("mesh", mesh)] = None
    return list(tasks)


def _advised(cell: Cell) -> Cell:
    """The cell with what to do about its cause, where something is wrong."""
    if cell.cause is None or cell.verdict in SOUND:
        return cell
    return replace(cell, advice=ADVICE[cell.cause])


def _slot_cells(
    session: Session, found: Mapping[Task, Result], mesh: str, slot: str, expected: str | None
) -> list[Cell]:
    """The cells of one slot: its material's inputs and settings, and its triangles."""
    imported = session.imported
    blank = [Cell(mesh, slot, expected, name, "same") for name in (*INPUTS, SETTINGS, MESH)]
    fault = _slot_fault(imported, mesh, slot, expected)
    if fault is not None:
        verdict, cause, message = fault
        cells = [replace(cell, verdict=verdict, cause=cause, message=message) for cell in blank]
        if cause == "slot-missing":
            cells[-1] = because(cells[-1], "mesh-missing", MESSAGES["mesh-missing"])
        return cells
    shape = session.shapes[mesh, slot]
    assigned = imported.slots.get(mesh, {}).get(slot)
    if expected is None or assigned is None:
        sentence = "No material is assigned to this slot, and none arrived."
        bare = [replace(cell, verdict="unsupported", message=sentence) for cell in blank[:-1]]
        return [*bare, shape]
    judged = found[Task("material", expected, assigned)].cells
    return [*(replace(cell, mesh=mesh, slot=slot) for cell in judged), shape]


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
        gone = _objects_gone(drawn.mesh, imported.scenes.get(drawn.name))
        if gone:
            sentence = f"{gone[0]} is not where it was ({counted(len(gone), 'node')})."
            return because(replace(blank, verdict="differs"), "hierarchy-changed", sentence)
        return because(
            replace(blank, verdict="unsupported"),
            "not-carried-by-target",
            "Only what is drawn goes along: this target, or the mesh's format, keeps no scene.",
        )
    names = {names for names in document.meshes[drawn.name].slots.values() if names in materials}
    planned = planned_extensions((materials[name] for name in names if name), profile)
    if profile.container == "loose":
        planned &= {UNLIT}  # All else that is planned stands in its MaterialX document.
    verdict = judge_scene(
        blank, expected_scene(drawn.original), imported.scenes.get(drawn.name), planned
    )
    extra = set(imported.slots.get(drawn.name, {})) - set(drawn.mesh.slots)
    if verdict.verdict == "same" and extra:
        sentence = f"A slot {sorted(extra)[0]} arrived that was not meant."
        return because(replace(verdict, verdict="differs"), "mesh-added", sentence)
    return verdict


def _objects_gone(mesh: Mesh, scene: ImportedScene | None) -> list[str]:
    """Objects of a mesh that are no node of the scene that arrived; none where the target keeps no
    nodes."""
    if scene is None or mesh.triangle_object is None:
        return []
    there = tuple(f"/{path}" for path, _ in scene.nodes)
    drawn = sorted({mesh.objects[number] for number in np.unique(mesh.triangle_object)} - {""})
    return [name for name in drawn if not any(path.endswith(f"/{name}") for path in there)]


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
