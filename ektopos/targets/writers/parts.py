"""What writers of containers are given, and what they say of what they wrote."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ektopos.document import Document
from ektopos.meshes import Mesh
from ektopos.targets.plan import Plan
from ektopos.targets.profile import Profile


@dataclass(frozen=True)
class Parts:
    """All that goes into a package, its textures written already."""

    folder: Path
    """Where it is made; textures lie in it under the paths of the plan."""
    stem: str
    """What its containers are called, without an ending."""
    document: Document
    profile: Profile
    plan: Plan
    meshes: dict[str, Mesh]
    """By name, as the target takes them."""
    emission_factors: dict[str, float]
    """By texture, what its emission was divided by."""

    def coloured(self) -> set[str]:
        """The meshes whose vertex colours go along."""
        return {
            name
            for name, entry in self.document.meshes.items()
            if self.profile.mesh.vertex_colours or entry.vertex_colours == "keep"
        }

    def material_numbers(self) -> dict[str, dict[str, int]]:
        """By mesh and slot, the number of the material in the plan."""
        numbers = {name: number for number, name in enumerate(self.plan.materials)}
        return {
            mesh: {
                slot: numbers[material]
                for slot, material in entry.slots.items()
                if material is not None
            }
            for mesh, entry in self.document.meshes.items()
        }


@dataclass(frozen=True)
class Container:
    """A file that is no texture."""

    path: Path
    holds_materials: bool = True
    holds_textures: bool = False
    """Whether the textures lie inside it."""


@dataclass(frozen=True)
class Written:
    """What a writer has made."""

    containers: list[Container]
    beside: bool
    """Whether the textures lie beside the containers, as files of their own."""
