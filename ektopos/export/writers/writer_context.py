"""What writers of containers are given, and what they say of what they wrote."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from ektopos.base.names import free_name
from ektopos.document import Document
from ektopos.export.plan import Plan, PlannedFile, safe_names
from ektopos.export.profile import Profile
from ektopos.materials.inheritance import Material
from ektopos.meshes import Mesh
from ektopos.meshes.formats.gltf_passthrough import Original


@dataclass(frozen=True)
class Asset:
    """What one container holds: a mesh with the materials that it wears, or those that none
    wears."""

    stem: str
    """What the container is called, without an ending."""
    meshes: dict[str, Mesh]
    """By name, as the target takes them."""
    materials: dict[str, Material]
    """Those it has, in the order of the plan."""
    files: tuple[PlannedFile, ...]
    """The textures of these."""

    def material_numbers(self, document: Document) -> dict[str, dict[str, int | None]]:
        """By mesh and slot, the number of the material in the asset."""
        numbers = {name: number for number, name in enumerate(self.materials)}
        return {
            mesh: {
                slot: None if material is None else numbers.get(material)
                for slot, material in document.meshes[mesh].slots.items()
            }
            for mesh in self.meshes
        }


@dataclass(frozen=True)
class WriterContext:
    """All that goes into a package, its textures written already."""

    folder: Path
    """Where it is made; textures lie in it under the paths of the plan."""
    document: Document
    profile: Profile
    plan: Plan
    meshes: dict[str, Mesh]
    """By name, as the target takes them."""
    original: Callable[[str], Original | None]
    """The file that a mesh came as, if that is glTF."""
    emission_factors: dict[str, float]
    """By texture, what its emission was divided by."""

    def coloured(self) -> set[str]:
        """The meshes whose vertex colours go along."""
        return {
            name
            for name, entry in self.document.meshes.items()
            if self.profile.mesh.vertex_colours or entry.vertex_colours == "keep"
        }

    def assets(self) -> list[Asset]:
        """What goes into each container: one a mesh, or one for all where the target says so."""
        stem = next(iter(safe_names([self.document.name]).values()))
        if self.profile.mesh.containers == "one":
            return [self._asset(stem, list(self.meshes), list(self.plan.materials))]
        stems = safe_names(list(self.meshes))
        assets = []
        for name in self.meshes:
            assigned = set(self.document.meshes[name].slots.values())
            assets.append(
                self._asset(stems[name], [name], [m for m in self.plan.materials if m in assigned])
            )
        unworn = [m for m in self.plan.materials if all(m not in one.materials for one in assets)]
        if unworn or not assets:
            taken = {one.stem for one in assets}
            assets.append(self._asset(free_name(stem, taken, ""), [], unworn))
        return assets

    def _asset(self, stem: str, meshes: list[str], materials: list[str]) -> Asset:
        return Asset(
            stem,
            {name: self.meshes[name] for name in meshes},
            {name: self.plan.materials[name] for name in materials},
            tuple(f for f in self.plan.files if set(f.materials) & set(materials)),
        )


@dataclass(frozen=True)
class Container:
    """A file that is no texture."""

    path: Path
    materials: list[str] = field(default_factory=list)
    meshes: list[str] = field(default_factory=list)
    textures: tuple[PlannedFile, ...] = ()
    """Those that lie inside it."""


@dataclass(frozen=True)
class Written:
    """What a writer has made."""

    containers: list[Container]
    beside: bool
    """Whether the textures lie beside the containers, as files of their own."""
