"""A project and a package of it, read for a trial, and what is found of each piece."""

from __future__ import annotations

import pickle
import threading
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import replace
from functools import cached_property
from hashlib import sha256
from pathlib import Path
from typing import Any, cast

import numpy as np
from pydantic import ValidationError

from ektopos.base.errors import EktoposError
from ektopos.base.hashing import hash_file, hash_json
from ektopos.base.types import Float, Progress
from ektopos.document import Document, InputName, document_json
from ektopos.export.profile import Profile
from ektopos.images import encode_png, quantise, read_header
from ektopos.materials.inheritance import Material
from ektopos.materials.layering import surface_of
from ektopos.materials.resolve import MapLoader
from ektopos.materials.texel_coverage import slots_with
from ektopos.project import Project, files_of_mesh
from ektopos.rendering import SurfaceInputs
from ektopos.trial.arrived_preview import shown_material
from ektopos.trial.cells import MESH, Cell, badness
from ektopos.trial.engine.gltf import signature
from ektopos.trial.engine.importer import import_package
from ektopos.trial.engine.package import Imported, ImportedMaterial, ImportedTriangles
from ektopos.trial.expected import expected_mesh
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
from ektopos.trial.tasks import FOUND, Keep, Result, ResultCache, Task, code

LOOKS = 24
"""Materials whose reduced pictures are kept, of each side."""
ELSEWHERE = b""
"""Kept for a piece that was not sound: what was found of it is under the key of everything, which
takes reading every file to know."""
LARGE = 4096 * 4096
"""Texels beyond which materials are taken one after the other: each takes several times that in
memory."""


class Session:
    """What a trial compares, and how far it is. Its pieces may be done by several threads at
    once."""

    def __init__(
        self,
        project: Project,
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
        self._keys: dict[Task, str] = {}
        self._looks: dict[tuple[str, str], SurfaceInputs] = {}
        self._lock = threading.Lock()

    @cached_property
    def slots(self) -> list[tuple[str, str, str | None]]:
        """Every slot that has triangles, by mesh, with the material meant for it."""
        return [
            (mesh, slot, self.document.meshes[mesh].slots.get(slot))
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
        pieces: Iterable[Task],
        progress: Progress,
        keep: Keep | None = None,
        *,
        threads: int = 1,
    ) -> dict[Task, Result]:
        """What is found of some pieces, in their order: what is known is not done again. Pictures
        are given to `keep` and not held. Raises what `progress` raises."""
        wanted = list(dict.fromkeys(pieces))
        threads = 1 if self._is_large else threads
        every: dict[Task, Result] = {}
        with ThreadPoolExecutor(max_workers=threads) as pool:
            try:
                for done, (piece, found) in enumerate(
                    zip(wanted, pool.map(self.find, wanted), strict=True)
                ):
                    if keep is not None:
                        for picture in found.pictures:
                            keep(*picture)
                    every[piece] = replace(found, pictures=[])
                    verb = "compared" if piece.kind == "material" else "drew"
                    progress((done + 1) / len(wanted), f"{verb} {piece.meant}")
            except BaseException:
                pool.shutdown(cancel_futures=True)
                raise
        return every

    def find(self, piece: Task) -> Result:
        """What is found of a piece."""
        known = self.known(piece)
        if known is not None:
            return known
        found = self._material(piece) if piece.kind == "material" else self._mesh(piece.meant)
        if self.kept is not None:
            key = self._key(piece) if found.is_sound else self._whole_key(piece)
            self.kept.keep(key, FOUND.dump_json(found))
            if not found.is_sound:
                self.kept.keep(self._key(piece), ELSEWHERE)
        return found

    def known(self, piece: Task) -> Result | None:
        """What an earlier trial, or another machine, has found of just this."""
        if self.kept is None:
            return None
        stored = self.kept.find(self._key(piece))
        if stored == ELSEWHERE:
            stored = self.kept.find(self._whole_key(piece))
        with suppress(ValidationError):
            return None if stored is None else FOUND.validate_json(stored)
        return None

    def _material(self, piece: Task) -> Result:
        """The cells of a material, of two readings of a package the worse; its pictures; how it
        looks on the specimen, and what arrived of it to be looked at."""
        arrived = self.imported.materials[piece.arrived]
        pictures: list[tuple[str, str, dict[str, bytes]]] = []

        def keep(material: str, name: str, shown: dict[str, Float]) -> None:
            pictures.append((material, name, _as_png(shown)))

        judge = Judge(
            self.loader,
            self.document,
            self.materials,
            self.profile,
            {name: whole.authored for name, whole in self.meant.items()},
            keep if self.pictures else None,
            self._wired,
        )
        cells: list[Cell] = []
        if piece.judged:
            cells = judge.material(piece.meant, arrived)
            again = self._again(piece)
            if again is not None:
                other = judge.material(piece.meant, again)
                cells = [max(pair, key=badness) for pair in zip(cells, other, strict=True)]
        if not self.renders:
            return Result(cells)
        rendered, drawn = compare_material(
            piece.meant, self._look("meant", piece.meant), self._look("arrived", piece.arrived)
        )
        if not self.pictures:
            return Result(cells, [rendered])
        pictures.append((piece.meant, f"render {rendered.view}", _as_png(drawn)))
        return Result(cells, [rendered], pictures, shown_material(piece.arrived, arrived))

    def _again(self, piece: Task) -> ImportedMaterial | None:
        """The material read a second time, where that is another."""
        again = self.imported.second.get(piece.arrived)
        same = again is None or signature(again) == signature(
            self.imported.materials[piece.arrived]
        )
        return None if same else again

    def _mesh(self, name: str) -> Result:
        """A mesh from several sides, as it was meant and as it arrived: on the mesh that arrived,
        unless that is the same."""
        assigned = self.document.meshes[name].slots
        came = self.imported.slots.get(name, {})
        meant = {s: self._look("meant", m) for s, m in assigned.items() if m is not None}
        there = {s: self._look("arrived", m) for s, m in came.items() if m is not None}
        authored = self.meant[name].authored
        arrived = arrived_mesh(name, self._drawn(name)) if self._has_changed(name) else authored
        pair = ShadedMesh(authored, meant), ShadedMesh(arrived, there)
        renders: list[Rendered] = []
        pictures = []
        for view in VIEWS:
            rendered, shown = compare_mesh(name, *pair, view)
            renders.append(rendered)
            if self.pictures:
                pictures.append((name, f"render {view}", _as_png(shown)))
        return Result([], renders, pictures)

    def _drawn(self, name: str) -> dict[str, ImportedTriangles]:
        return {s: drawn for (mesh, s), drawn in self.imported.drawn.items() if mesh == name}

    def _has_changed(self, name: str) -> bool:
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

    def _key(self, piece: Task) -> str:
        """What a sound piece rests on."""
        if piece not in self._keys:
            own = (
                self._rests_on(piece)
                if piece.kind == "material"
                else self._mesh_rests_on(piece.meant)
            )
            self._keys[piece] = hash_json([code(), self._profile, self.renders, *own])
        return self._keys[piece]

    def _whole_key(self, piece: Task) -> str:
        """All that there is: what explains a difference may lie anywhere."""
        return hash_json([self._key(piece), self._everything])

    @cached_property
    def _profile(self) -> str:
        return self.profile.model_dump_json()

    @cached_property
    def _everything(self) -> str:
        maps = {name: self._content_of(name) for name in self.document.maps}
        arrived = {name: _said_by(material) for name, material in self.imported.materials.items()}
        return hash_json([document_json(self.document), maps, arrived])

    def _rests_on(self, piece: Task) -> list[Any]:
        again = self._again(piece)
        return [
            piece.judged,
            self._meant(piece.meant),
            _said_by(self.imported.materials[piece.arrived]),
            None if again is None else _said_by(again),
            self._covered(piece.meant) if self.profile.padding else None,
        ]

    def _meant(self, name: str) -> list[Any]:
        """All of a material of the project, with the contents of its maps."""
        surface = surface_of(self.document, name)
        used = sorted({name for feed in surface.feeds.values() for name in feed.maps()})
        entries = {name: self.document.maps.get(name) for name in used}
        return [
            repr(surface),
            {
                name: [entry.model_dump_json(), self._content_of(name)]
                for name, entry in entries.items()
                if entry is not None
            },
        ]

    def _covered(self, material: str) -> dict[str, Any]:
        """The meshes by which it is told what of a material's maps is shown."""
        worn = sorted({mesh for mesh, _ in slots_with(self.document, material)})
        return {mesh: self._mesh_content(mesh) for mesh in worn}

    def _mesh_rests_on(self, name: str) -> list[Any]:
        assigned, came = self.document.meshes[name].slots, self.imported.slots.get(name, {})
        drawn = self._drawn(name) if self._has_changed(name) else {}
        return [
            "mesh",
            self._mesh_content(name),
            {slot: None if m is None else self._meant(m) for slot, m in assigned.items()},
            {
                slot: None if m is None else _said_by(self.imported.materials[m])
                for slot, m in came.items()
            },
            {slot: sha256(pickle.dumps(part)).hexdigest() for slot, part in drawn.items()},
        ]

    def _mesh_content(self, name: str) -> list[Any]:
        files = files_of_mesh(self.project, name)
        hashes = [hash_file(self.project.path(file)) for file in files]
        return [self.document.meshes[name].model_dump_json(), hashes]

    def _content_of(self, name: str) -> str:
        """The hash of a map's file; nothing where it is missing."""
        try:
            return hash_file(self.project.map_path(name))
        except EktoposError:
            return ""


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


def _said_by(material: ImportedMaterial) -> str:
    """All that a material says, with the contents of its textures."""
    inputs = {
        name: [
            repr(replace(given, texture=None)),
            None
            if (texture := given.texture) is None
            else [texture.path, texture.content, texture.listed, texture.listed_size, texture.says],
        ]
        for name, given in material.inputs.items()
    }
    return hash_json([repr(replace(material, inputs={})), inputs])


def _as_png(shown: dict[str, Float]) -> dict[str, bytes]:
    """Pictures 0–1 as 8-bit PNGs, grey as three channels."""
    return {
        what: encode_png(
            quantise(values if values.ndim == 3 else np.repeat(values[..., None], 3, axis=2), 8)
        )
        for what, values in shown.items()
    }
