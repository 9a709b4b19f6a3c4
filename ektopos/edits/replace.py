"""A new version of a file in the place of the old one."""

from __future__ import annotations

from typing import Literal

from ektopos.document import Document
from ektopos.document.mesh_steps import MeshStep
from ektopos.edits.common import BaseEdit, Footprint, require


class ReplaceMap(BaseEdit):
    """Take another file for a map; what was said of it stays, and all that it feeds."""

    kind: Literal["replace-map"] = "replace-map"
    map: str
    file: str

    def label(self) -> str:
        return f"replace {self.map}"

    def footprint(self, document: Document) -> Footprint:
        entry = document.maps.get(self.map)
        return {f"the file of {self.map}": entry.file if entry else None}

    def apply(self, document: Document) -> None:
        entry = require(document.maps, self.map, "map")
        document.maps[self.map] = entry.model_copy(update={"file": self.file})


class ReplaceMesh(BaseEdit):
    """Take another file for a mesh; `came_from` says for every slot which one it continues, whose
    material and done mark it keeps."""

    kind: Literal["replace-mesh"] = "replace-mesh"
    mesh: str
    file: str
    recipe: list[MeshStep]
    slots: list[str]
    """All slots that it has then."""
    came_from: dict[str, str]

    def label(self) -> str:
        return f"replace {self.mesh}"

    def footprint(self, document: Document) -> Footprint:
        entry = document.meshes.get(self.mesh)
        return {f"the mesh {self.mesh}": entry.model_dump(mode="json") if entry else None}

    def apply(self, document: Document) -> None:
        entry = require(document.meshes, self.mesh, "mesh")
        entry.file, entry.recipe = self.file, self.recipe
        was = {slot: self.came_from.get(slot) for slot in self.slots}
        assigned, done = entry.slots, entry.done
        entry.slots = {slot: assigned.get(old or "") for slot, old in was.items()}
        entry.done = [slot for slot, old in was.items() if old in done]
