"""What comes into a project at once."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ektopos.base.names import counted
from ektopos.document import (
    Document,
    MapEntry,
    MeshEntry,
)
from ektopos.document.mesh_steps import Name
from ektopos.edits.common import BaseEdit, Footprint, entry_touched


class Import(BaseEdit):
    """Add maps and meshes; those that are there already keep what was said of them."""

    kind: Literal["bring-in"] = "bring-in"
    maps: dict[Name, MapEntry] = Field(default_factory=dict)
    meshes: dict[Name, MeshEntry] = Field(default_factory=dict)

    def label(self) -> str:
        parts = [
            counted(len(self.maps), "map") if self.maps else "",
            counted(len(self.meshes), "mesh", "meshes") if self.meshes else "",
        ]
        return f"import {' and '.join(part for part in parts if part)}"

    def footprint(self, document: Document) -> Footprint:
        maps = [entry_touched(document.maps, name) for name in self.maps]
        meshes = [entry_touched(document.meshes, name) for name in self.meshes]
        return {words: value for touched in (*maps, *meshes) for words, value in touched.items()}

    def apply(self, document: Document) -> None:
        for name, entry in self.maps.items():
            before = document.maps.get(name)
            document.maps[name] = before if before is not None and before.is_confirmed else entry
        for name, mesh in self.meshes.items():
            assigned = document.meshes[name].slots if name in document.meshes else {}
            document.meshes[name] = mesh.model_copy(
                update={"slots": mesh.slots | {s: assigned[s] for s in mesh.slots if s in assigned}}
            )
