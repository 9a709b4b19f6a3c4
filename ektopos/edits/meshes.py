"""Meshes: what their slots wear, and what is done to them."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ektopos.document import (
    Document,
)
from ektopos.document.mesh_steps import MeshStep
from ektopos.edits.common import BaseEdit, Footprint, entry_touched, exists, require
from ektopos.edits.scene import without_mesh


class Assign(BaseEdit):
    """Put a material on slots, or take it off with `material` null."""

    kind: Literal["assign"] = "assign"
    mesh: str
    slots: list[str] = Field(min_length=1)
    material: str | None

    def label(self) -> str:
        return f"{self.mesh} · {', '.join(self.slots)}: {self.material or 'no material'}"

    def footprint(self, document: Document) -> Footprint:
        assigned = _slots(document, self.mesh)
        return {f"{self.mesh} · {slot}": assigned.get(slot, 0) for slot in self.slots} | exists(
            document.materials, self.material
        )

    def apply(self, document: Document) -> None:
        mesh = require(document.meshes, self.mesh, "mesh")
        if self.material is not None:
            require(document.materials, self.material, "material")
        mesh.slots = mesh.slots | dict.fromkeys(self.slots, self.material)


class KeepColours(BaseEdit):
    """Let a mesh's vertex colours go along to targets that leave them out, or not."""

    kind: Literal["keep-colours"] = "keep-colours"
    mesh: str
    keep: bool

    def label(self) -> str:
        return f"{self.mesh}: vertex colours {'kept' if self.keep else 'left out'}"

    def footprint(self, document: Document) -> Footprint:
        mesh = document.meshes.get(self.mesh)
        return {f"vertex colours of {self.mesh}": mesh and mesh.vertex_colours}

    def apply(self, document: Document) -> None:
        mesh = require(document.meshes, self.mesh, "mesh")
        mesh.vertex_colours = "keep" if self.keep else "leave"


class SetDone(BaseEdit):
    """Tick a slot off, or not."""

    kind: Literal["set-done"] = "set-done"
    mesh: str
    slot: str
    done: bool

    def label(self) -> str:
        return f"{self.mesh} · {self.slot}: {'done' if self.done else 'not done'}"

    def footprint(self, document: Document) -> Footprint:
        mesh = document.meshes.get(self.mesh)
        there = mesh is not None and self.slot in mesh.slots
        return {
            f"{self.mesh} · {self.slot}, done or not": (
                there,
                there and mesh is not None and self.slot in mesh.done,
            )
        }

    def apply(self, document: Document) -> None:
        mesh = require(document.meshes, self.mesh, "mesh")
        mesh.done = [slot for slot in mesh.done if slot != self.slot] + (
            [self.slot] if self.done else []
        )


class SetRecipe(BaseEdit):
    """Change what is done to a mesh after it is read; `came_from` says for every slot it then has
    which one it was."""

    kind: Literal["set-recipe"] = "set-recipe"
    mesh: str
    recipe: list[MeshStep]
    came_from: dict[str, str]

    def label(self) -> str:
        return f"{self.mesh}: {self.recipe[-1].label() if self.recipe else 'all steps removed'}"

    def footprint(self, document: Document) -> Footprint:
        mesh = document.meshes.get(self.mesh)
        steps = [step.model_dump(mode="json") for step in mesh.recipe] if mesh else None
        return {
            f"what is done to {self.mesh}": steps,
            f"the slots of {self.mesh}": list(_slots(document, self.mesh)),
        }

    def apply(self, document: Document) -> None:
        mesh = require(document.meshes, self.mesh, "mesh")
        mesh.recipe = self.recipe
        mesh.slots = {slot: mesh.slots.get(was) for slot, was in self.came_from.items()}
        mesh.done = [slot for slot, was in self.came_from.items() if was in mesh.done]


class RemoveMesh(BaseEdit):
    """Take a mesh out of the project."""

    kind: Literal["remove-mesh"] = "remove-mesh"
    mesh: str

    def label(self) -> str:
        return f"remove {self.mesh}"

    def footprint(self, document: Document) -> Footprint:
        return entry_touched(document.meshes, self.mesh)

    def apply(self, document: Document) -> None:
        require(document.meshes, self.mesh, "mesh")
        del document.meshes[self.mesh]
        kept = [name for name in document.left_out.meshes if name != self.mesh]
        document.left_out = document.left_out.model_copy(update={"meshes": kept})
        without_mesh(document, self.mesh)


def _slots(document: Document, mesh: str) -> dict[str, str | None]:
    return document.meshes[mesh].slots if mesh in document.meshes else {}
