"""Keys of a trial's tasks: what a result rests on, so that it is found again and never wrongly."""

from __future__ import annotations

import pickle
from dataclasses import replace
from functools import cached_property
from hashlib import sha256
from typing import Any, Protocol

from ektopos.base.errors import EktoposError
from ektopos.base.hashing import hash_file, hash_json
from ektopos.base.types import Json
from ektopos.document import Document, document_json
from ektopos.export.profile import Profile
from ektopos.materials.layering import surface_of
from ektopos.materials.texel_coverage import slots_with
from ektopos.project import OpenProject, files_of_mesh
from ektopos.trial.engine.package import Imported, ImportedMaterial, ImportedTriangles
from ektopos.trial.tasks import Task, code


class SessionFacts(Protocol):
    """What keys are made of: a project, a package, and what is asked of a trial."""

    project: OpenProject
    document: Document
    imported: Imported
    profile: Profile
    renders: bool

    def second_reading(self, task: Task) -> ImportedMaterial | None:
        """The material read a second time, where that is another."""

    def drawn_triangles(self, name: str) -> dict[str, ImportedTriangles]:
        """What arrived of a mesh, by slot."""

    def has_changed(self, name: str) -> bool:
        """Whether triangles of a mesh are others than those that were exported."""


class TaskKeys:
    """The keys of a session's tasks, made when they are asked for."""

    def __init__(self, session: SessionFacts) -> None:
        self.session = session
        self._keys: dict[Task, str] = {}

    def of(self, task: Task) -> str:
        """What a sound result of a task rests on."""
        if task not in self._keys:
            own = (
                self._rests_on(task) if task.kind == "material" else self._mesh_rests_on(task.meant)
            )
            self._keys[task] = hash_json([code(), self._profile, self.session.renders, *own])
        return self._keys[task]

    def of_everything(self, task: Task) -> str:
        """Of all that there is: what explains a difference may lie anywhere."""
        return hash_json([self.of(task), self._everything])

    @cached_property
    def _profile(self) -> str:
        return self.session.profile.model_dump_json()

    @cached_property
    def _everything(self) -> str:
        maps = {name: self._content_of(name) for name in self.session.document.maps}
        arrived = {
            name: _said_by(material) for name, material in self.session.imported.materials.items()
        }
        return hash_json([document_json(self.session.document), maps, arrived])

    def _rests_on(self, task: Task) -> list[Any]:
        again = self.session.second_reading(task)
        return [
            task.judged,
            self._meant(task.meant),
            _said_by(self.session.imported.materials[task.arrived]),
            None if again is None else _said_by(again),
            self._covered(task.meant) if self.session.profile.padding else None,
        ]

    def _meant(self, name: str) -> list[Any]:
        """All of a material of the project, with the contents of its maps."""
        surface = surface_of(self.session.document, name)
        used = sorted({name for feed in surface.feeds.values() for name in feed.maps()})
        entries = {name: self.session.document.maps.get(name) for name in used}
        return [
            repr(surface),
            {
                name: [entry.model_dump_json(), self._content_of(name)]
                for name, entry in entries.items()
                if entry is not None
            },
        ]

    def _covered(self, material: str) -> Json:
        """The meshes by which it is told what of a material's maps is shown."""
        worn = sorted({mesh for mesh, _ in slots_with(self.session.document, material)})
        return {mesh: self._mesh_content(mesh) for mesh in worn}

    def _mesh_rests_on(self, name: str) -> list[Any]:
        assigned, came = (
            self.session.document.meshes[name].slots,
            self.session.imported.slots.get(name, {}),
        )
        drawn = self.session.drawn_triangles(name) if self.session.has_changed(name) else {}
        return [
            "mesh",
            self._mesh_content(name),
            {slot: None if m is None else self._meant(m) for slot, m in assigned.items()},
            {
                slot: None if m is None else _said_by(self.session.imported.materials[m])
                for slot, m in came.items()
            },
            {slot: sha256(pickle.dumps(part)).hexdigest() for slot, part in drawn.items()},
        ]

    def _mesh_content(self, name: str) -> list[Any]:
        files = files_of_mesh(self.session.project, name)
        hashes = [hash_file(self.session.project.path(file)) for file in files]
        return [self.session.document.meshes[name].model_dump_json(), hashes]

    def _content_of(self, name: str) -> str:
        """The hash of a map's file; nothing where it is missing."""
        try:
            return hash_file(self.session.project.map_path(name))
        except EktoposError:
            return ""


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
