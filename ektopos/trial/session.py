"""A project and a package of it, read for a trial, and what is found of each task."""

from __future__ import annotations

import threading
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import replace
from functools import cached_property
from pathlib import Path
from typing import NamedTuple, cast

import numpy as np
from pydantic import ValidationError

from ektopos.base.errors import EktoposError
from ektopos.base.types import Float, Progress
from ektopos.document import Document, InputName
from ektopos.export.profile import Profile
from ektopos.images import encode_png, quantise, read_header
from ektopos.materials.inheritance import Material
from ektopos.materials.layering import surface_of
from ektopos.materials.resolve import MapLoader
from ektopos.project import OpenProject
from ektopos.rendering import SurfaceInputs
from ektopos.trial.arrived_preview import shown_material
from ektopos.trial.cells import MESH, Cell, badness
from ektopos.trial.engine.gltf import signature
from ektopos.trial.engine.importer import import_package
from ektopos.trial.engine.package import Imported, ImportedMaterial, ImportedTriangles
from ektopos.trial.expected import expected_mesh
from ektopos.trial.expected_inputs import ExpectedInputs
from ektopos.trial.geometry import judge_mesh
from ektopos.trial.judge import Judge
from ektopos.trial.measure import imported_values
from ektopos.trial.naming import as_named_here
from ektopos.trial.renders import (
    VIEWS,
    Rendered,
    ShadedMesh,
    arrived_mesh,
    compare_material,
    compare_mesh,
    expected_look,
    imported_look,
)
from ektopos.trial.task_keys import TaskKeys
from ektopos.trial.tasks import FOUND, Keep, Result, ResultCache, Task

LOOKS = 24
"""Materials whose reduced pictures are kept, of each side."""
ELSEWHERE = b""
"""Kept for a task that was not sound: what was found of it is under the key of everything, which
takes reading every file to know."""
LARGE = 4096 * 4096
"""Texels beyond which materials are taken one after the other: each takes several times that in
memory."""


class ComparedSlot(NamedTuple):
    """A slot, and the material that the project gives it."""

    mesh: str
    slot: str
    material: str | None


class Session:
    """What a trial compares, and how far it is. Its tasks may be done by several threads at
    once."""

    def __init__(
        self,
        project: OpenProject,
        package: Path,
        profile: Profile,
        *,
        renders: bool = True,
        pictures: bool = True,
        kept: ResultCache | None = None,
    ) -> None:
        self.project = replace(project, document=project.document.exported())
        self.document = self.project.document
        self.profile, self.renders, self.kept = profile, renders, kept
        self.pictures = pictures or kept is not None
        self.materials = _materials(self.document)
        self.loader = MapLoader(self.project)
        imported = import_package(package, profile)
        self.meant = {
            name: expected_mesh(self.project, name, profile, self.materials)
            for name in self.document.meshes
        }
        self.imported = as_named_here(imported, self.document, self.meant)
        self._wired = wired(self.imported)
        self.keys = TaskKeys(self)
        self._looks: dict[tuple[str, str], SurfaceInputs] = {}
        self._lock = threading.Lock()

    @cached_property
    def slots(self) -> list[ComparedSlot]:
        """Every slot that has triangles, by mesh."""
        return [
            ComparedSlot(mesh, slot, self.document.meshes[mesh].slots.get(slot))
            for mesh, whole in self.meant.items()
            for i, slot in enumerate(whole.authored.slots)
            if (whole.authored.triangle_slot == i).any()
        ]

    def _shape(self, mesh: str, slot: str) -> Cell:
        meant, assigned = self.meant[mesh], self.document.meshes[mesh].slots.get(slot)
        cell = Cell(mesh, slot, assigned, MESH, "same")
        arrived = self.imported.drawn.get((mesh, slot))
        return judge_mesh(cell, meant.triangles(slot), arrived, meant.diagonal)

    def do(
        self,
        tasks: Iterable[Task],
        progress: Progress,
        keep: Keep | None = None,
        *,
        threads: int = 1,
    ) -> dict[Task, Result]:
        """What is found of some tasks, in their order: what is known is not done again. Pictures
        are given to `keep` and not held. Raises what `progress` raises."""
        wanted = list(dict.fromkeys(tasks))
        threads = 1 if self._is_large else threads
        every: dict[Task, Result] = {}
        with ThreadPoolExecutor(max_workers=threads) as pool:
            try:
                for done, (task, found) in enumerate(
                    zip(wanted, pool.map(self.find, wanted), strict=True)
                ):
                    if keep is not None:
                        for picture in found.pictures:
                            keep(*picture)
                    every[task] = replace(found, pictures=[])
                    verb = "compared" if task.kind == "material" else "drew"
                    progress((done + 1) / len(wanted), f"{verb} {task.meant}")
            except BaseException:
                pool.shutdown(cancel_futures=True)
                raise
        return every

    def find(self, task: Task) -> Result:
        """What is found of a task."""
        known = self.known(task)
        if known is not None:
            return known
        found = self._material(task) if task.kind == "material" else self._mesh(task.meant)
        if self.kept is not None:
            key = self.keys.of(task) if found.is_sound else self.keys.of_everything(task)
            self.kept.keep(key, FOUND.dump_json(found))
            if not found.is_sound:
                self.kept.keep(self.keys.of(task), ELSEWHERE)
        return found

    def known(self, task: Task) -> Result | None:
        """What an earlier trial, or another machine, has found of just this."""
        if self.kept is None:
            return None
        stored = self.kept.find(self.keys.of(task))
        if stored == ELSEWHERE:
            stored = self.kept.find(self.keys.of_everything(task))
        with suppress(ValidationError):
            return None if stored is None else FOUND.validate_json(stored)
        return None

    def _material(self, task: Task) -> Result:
        """The cells of a material, of two readings of a package the worse; its pictures; how it
        looks on the specimen, and what arrived of it to be looked at."""
        arrived = self.imported.materials[task.arrived]
        pictures: list[tuple[str, str, dict[str, bytes]]] = []

        def keep(material: str, name: str, shown: dict[str, Float]) -> None:
            pictures.append((material, name, _as_png(shown)))

        meshes = {name: whole.authored for name, whole in self.meant.items()}
        judge = Judge(
            ExpectedInputs(self.loader, self.document, self.profile, meshes),
            self.materials,
            keep if self.pictures else None,
            self._wired,
        )
        cells: list[Cell] = []
        if task.judged:
            cells = judge.material(task.meant, arrived)
            again = self.second_reading(task)
            if again is not None:
                other = judge.material(task.meant, again)
                cells = [max(pair, key=badness) for pair in zip(cells, other, strict=True)]
        if not self.renders:
            return Result(cells)
        rendered, drawn = compare_material(
            task.meant, self._look("meant", task.meant), self._look("arrived", task.arrived)
        )
        if not self.pictures:
            return Result(cells, [rendered])
        pictures.append((task.meant, f"render {rendered.view}", _as_png(drawn)))
        return Result(cells, [rendered], pictures, shown_material(task.arrived, arrived))

    def second_reading(self, task: Task) -> ImportedMaterial | None:
        """The material read a second time, where that is another."""
        again = self.imported.second.get(task.arrived)
        same = again is None or signature(again) == signature(self.imported.materials[task.arrived])
        return None if same else again

    def _mesh(self, name: str) -> Result:
        """A mesh from several sides, as it was meant and as it arrived: on the mesh that arrived,
        unless that is the same."""
        assigned = self.document.meshes[name].slots
        came = self.imported.slots.get(name, {})
        meant = {s: self._look("meant", m) for s, m in assigned.items() if m is not None}
        there = {s: self._look("arrived", m) for s, m in came.items() if m is not None}
        authored = self.meant[name].authored
        arrived = (
            arrived_mesh(name, self.drawn_triangles(name)) if self.has_changed(name) else authored
        )
        pair = ShadedMesh(authored, meant), ShadedMesh(arrived, there)
        renders: list[Rendered] = []
        pictures = []
        for view in VIEWS:
            rendered, shown = compare_mesh(name, *pair, view)
            renders.append(rendered)
            if self.pictures:
                pictures.append((name, f"render {view}", _as_png(shown)))
        return Result([], renders, pictures)

    def drawn_triangles(self, name: str) -> dict[str, ImportedTriangles]:
        """What arrived of a mesh, by slot."""
        return {s: drawn for (mesh, s), drawn in self.imported.drawn.items() if mesh == name}

    def has_changed(self, name: str) -> bool:
        """Whether triangles of a mesh are others than those that were exported."""
        return any(
            self.shapes[mesh, slot].verdict != "same"
            for mesh, slot, _ in self.slots
            if mesh == name
        )

    @cached_property
    def shapes(self) -> dict[tuple[str, str], Cell]:
        """The verdicts on the triangles of all slots."""
        return {(mesh, slot): self._shape(mesh, slot) for mesh, slot, _ in self.slots}

    def _look(self, side: str, name: str) -> SurfaceInputs:
        """A material of one side at a reduced size."""
        key = (side, name)
        found = self._looks.get(key)
        if found is None:
            found = (
                expected_look(self.loader, surface_of(self.document, name))
                if side == "meant"
                else imported_look(self.imported.materials[name], imported_values)
            )
            with self._lock:
                self._looks[key] = found
                while len(self._looks) > 2 * LOOKS:
                    self._looks.pop(next(iter(self._looks)))
        return found

    @cached_property
    def _is_large(self) -> bool:
        def texels(name: str) -> int:
            with suppress(EktoposError):
                header = read_header(self.project.map_path(name))
                return header.width * header.height
            return 0

        return any(texels(name) > LARGE for name in self.document.maps)


def wired(imported: Imported) -> dict[str, set[tuple[str, InputName]]]:
    """By a texture's path, the materials and inputs that it feeds."""
    found: dict[str, set[tuple[str, InputName]]] = {}
    for material in imported.materials.values():
        for name, given in material.inputs.items():
            if given.texture is not None:
                users = found.setdefault(given.texture.path, set())
                users.add((material.name, cast(InputName, name)))
    return found


def _materials(document: Document) -> dict[str, Material]:
    materials = {}
    for name in document.materials:
        with suppress(EktoposError):
            materials[name] = surface_of(document, name)
    return materials


def _as_png(shown: dict[str, Float]) -> dict[str, bytes]:
    """Pictures 0–1 as 8-bit PNGs, grey as three channels."""
    return {
        what: encode_png(
            quantise(values if values.ndim == 3 else np.repeat(values[..., None], 3, axis=2), 8)
        )
        for what, values in shown.items()
    }
