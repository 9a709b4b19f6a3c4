"""What a package says of itself: its files, and by material and mesh what no texture holds."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from ektopos.base.hashing import hash_file
from ektopos.base.types import Float, Json
from ektopos.document import Document, UvTransform
from ektopos.export.plan import Plan, PlannedFile
from ektopos.export.profile import Profile
from ektopos.export.values import material_value
from ektopos.export.writers.loose import node_names
from ektopos.export.writers.writer_context import Container
from ektopos.materials.inheritance import Material

CONSTANT_SIDE = 4
"""Texels a side of a texture that has one colour all over: the smallest block that compresses."""


@dataclass(frozen=True)
class ExportedFile:
    """One file of a package, as its list says it."""

    path: str
    bytes: int
    width: int | None
    height: int | None
    materials: list[str]
    channels: dict[str, str | None]
    encoding: str | None
    sha256: str = ""
    images: list[Json] = field(default_factory=list)
    """Textures inside a binary container: name, size, materials, channels, encoding, what they were
    made from."""
    made_from: str = ""
    """Of a texture, what it was made from: equal texts are equal texels."""
    divided_by: float = 1.0
    """What a texture's emission was divided by, so that it fits into 0–1."""
    constant: bool = False
    """Whether a texture has one colour all over, and is written with 4 × 4 texels for that."""


def exported_texture(
    planned: PlannedFile,
    path: Path,
    sha256: str,
    made_from: str,
    divided_by: float,
    *,
    constant: bool = False,
) -> ExportedFile:
    """A texture as the list has it."""
    sides = (planned.width, planned.height)
    width, height = (min(side, CONSTANT_SIDE) for side in sides) if constant else sides
    return ExportedFile(
        path=planned.path,
        bytes=path.stat().st_size,
        width=width,
        height=height,
        materials=list(planned.materials),
        channels=planned.carries(),
        encoding=planned.encoding,
        sha256=sha256,
        made_from=made_from,
        divided_by=divided_by,
        constant=constant,
    )


def exported_container(
    path: Path, materials: list[str], images: list[Json] | None = None
) -> ExportedFile:
    """A file that is no texture as the list has it; `images` are the textures inside it."""
    nothing: dict[str, str | None] = dict.fromkeys("rgba")
    return ExportedFile(
        path.name,
        path.stat().st_size,
        None,
        None,
        materials,
        nothing,
        None,
        hash_file(path),
        images or [],
    )


def material_facts(plan: Plan, profile: Profile, emission_factors: dict[str, float]) -> Json:
    """By material, everything that no texture holds."""
    listed: Json = {}
    for node, (name, material) in zip(node_names(plan), plan.materials.items(), strict=True):
        inputs: Json = {}
        for input_name, feed in material.feeds.items():
            facts: Json = {}
            quantity = profile.quantity_for(input_name)
            if (name, input_name) not in plan.file_of:
                number = material_value(material, quantity, input_name)
                if number is not None:
                    facts["value"] = _plain(number)
            strength = feed.strength
            if input_name == "emission" and profile.container == "loose":
                strength *= emission_factors.get(plan.file_of.get((name, input_name), ""), 1.0)
            if strength != 1.0:
                facts["strength"] = strength
            if feed.uv is not None and profile.mesh.uv_transform == "carried":
                facts["uv"] = feed.uv.model_dump(mode="json")
            if feed.wrap is not None:
                facts["wrap"] = list(feed.wrap)
            if facts:
                inputs[quantity or input_name] = facts
        settings = _settings(material)
        if profile.mesh.uv_transform == "baked":
            settings["uv"] = UvTransform().model_dump(mode="json")
        listed[name] = {"node": node, "inputs": inputs, **settings}
    return listed


def _settings(material: Material) -> Json:
    return {
        "alpha_mode": material.alpha_mode,
        "alpha_cutoff": material.alpha_cutoff,
        "double_sided": material.double_sided,
        "uv": material.uv.model_dump(mode="json"),
        "wrap": list(material.wrap),
        "shading": material.shading,
        "filter": material.filter,
        "surface_tag": material.surface_tag,
    }


def _plain(number: Float) -> float | list[float]:
    plain = [round(float(value), 7) for value in number.reshape(-1)]
    return plain if len(plain) > 1 else plain[0]


def mesh_facts(document: Document, containers: list[Container]) -> Json:
    """By mesh, the container that holds it and what its slots wear."""
    return {
        name: {"file": container.path.name, "slots": dict(document.meshes[name].slots)}
        for container in containers
        for name in container.meshes
    }
