"""Maps and materials that a mesh file brings with it, offered to be brought in.

Source: glTF 2.0, 3.9 (materials) and 5.18 (images); KHR_texture_transform;
KHR_materials_emissive_strength.
"""

from __future__ import annotations

import base64
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ektopos.document import (
    Feed,
    InputName,
    MapEntry,
    MaterialEntry,
    Role,
    RoleChannels,
    UvTransform,
)
from ektopos.errors import DAMAGE, UnreadableFile
from ektopos.meshes.formats.gltf import load_gltf
from ektopos.meshes.parts import unique_names
from ektopos.types import Channels, Encoding

_SUFFIX = {"image/png": ".png", "image/jpeg": ".jpg", "image/webp": ".webp"}
_NEAREST = (9728, 9984, 9986)


@dataclass(frozen=True)
class EmbeddedMap:
    """One picture inside a mesh file, with what the file uses it for."""

    name: str
    """With its suffix."""
    entry: str
    """What it is called in the document."""
    content: bytes
    encoding: Encoding
    roles: dict[RoleChannels, Role]


@dataclass(frozen=True)
class Embedded:
    """What a mesh file brings with it."""

    maps: list[EmbeddedMap] = field(default_factory=list)
    materials: dict[str, MaterialEntry] = field(default_factory=dict)
    """Fed from `maps`, by their entries."""


def embedded(path: Path, name: str, map_entry: Callable[[str], str]) -> Embedded:
    """The embedded maps and the materials of a GLB or glTF file; nothing for others.

    `map_entry` gives, once for each picture's file name, the name that its map will have in the
    document. Raises `UnreadableFile`.
    """
    if Path(name).suffix.lower() not in (".glb", ".gltf"):
        return Embedded()
    try:
        return _embedded(path, name, map_entry)
    except DAMAGE as problem:
        said = f"the materials in it are damaged ({type(problem).__name__}: {problem})."
        raise UnreadableFile(said, subject=name, hint="Export it again.") from None


def _embedded(path: Path, name: str, map_entry: Callable[[str], str]) -> Embedded:
    gltf, binary = load_gltf(path, name)
    pictures = {
        i: found
        for i, image in enumerate(gltf.get("images", []))
        if (found := _picture(gltf, image, binary))
    }
    stems = unique_names(
        [str(gltf["images"][i].get("name") or f"{Path(name).stem}_{i}") for i in pictures]
    )
    names = {
        i: Path(stem.replace("/", "_").replace("\\", "_")).name + suffix
        for (i, (suffix, _)), stem in zip(pictures.items(), stems, strict=True)
    }
    entries = {i: map_entry(file) for i, file in names.items()}
    used: dict[int, dict[RoleChannels, Role]] = {i: {} for i in pictures}
    materials = {}
    taken = unique_names(
        [str(m.get("name") or f"slot_{i}") for i, m in enumerate(gltf.get("materials", []))]
    )
    for label, material in zip(taken, gltf.get("materials", []), strict=True):
        materials[label] = _material(gltf, material, entries, used)
    maps = [
        EmbeddedMap(
            names[i], entries[i], content, "srgb" if _is_colour(used[i]) else "linear", used[i]
        )
        for i, (_, content) in pictures.items()
    ]
    return Embedded(maps, materials)


def map_entries(found: Embedded, files: dict[str, str], set_name: str) -> dict[str, MapEntry]:
    """Entries for a document; `files` says by the pictures' names where each is kept."""
    return {
        one.entry: MapEntry(
            file=files[one.name],
            encoding=one.encoding,
            roles=one.roles,
            normal_y=_green(one),
            set=set_name,
        )
        for one in found.maps
    }


def _green(one: EmbeddedMap) -> Any:
    return "+" if "normal" in one.roles.values() else None


def _picture(
    gltf: dict[str, Any], image: dict[str, Any], binary: bytes | None
) -> tuple[str, bytes] | None:
    uri = image.get("uri")
    if isinstance(uri, str):
        if not uri.startswith("data:"):
            return None
        kind, _, text = uri[5:].partition(",")
        suffix = _SUFFIX.get(kind.partition(";")[0])
        return (suffix, base64.b64decode(text)) if suffix else None
    view = gltf["bufferViews"][image["bufferView"]]
    suffix = _SUFFIX.get(image.get("mimeType", ""))
    if suffix is None or binary is None or view.get("buffer", 0) != 0:
        return None
    start = view.get("byteOffset", 0)
    return suffix, binary[start : start + view["byteLength"]]


def _material(
    gltf: dict[str, Any],
    material: dict[str, Any],
    entries: dict[int, str],
    used: dict[int, dict[RoleChannels, Role]],
) -> MaterialEntry:
    pbr = material.get("pbrMetallicRoughness", {})
    inputs: dict[InputName, Feed] = {}
    transforms: list[dict[str, Any]] = []
    filters: list[int] = []

    def source(info: dict[str, Any] | None) -> int | None:
        if info is None:
            return None
        texture = gltf["textures"][info["index"]]
        transforms.append(info.get("extensions", {}).get("KHR_texture_transform", {}))
        sampler = gltf.get("samplers", [])[texture["sampler"]] if "sampler" in texture else {}
        filters.append(sampler.get("magFilter", 9729))
        number = texture.get("source")
        return number if number in entries else None

    def feed(
        name: InputName, number: int | None, channels: Channels, role: Role, value: Any, **more: Any
    ) -> None:
        if number is None:
            inputs[name] = Feed(value=value, **more)
            return
        used[number][channels] = role  # type: ignore[index]
        # A factor beside a map multiplies it.
        if isinstance(value, tuple):
            more["tint"] = value
        elif value != 1.0:
            more["multiply"] = value
        inputs[name] = Feed(map=entries[number], channels=channels, **more)

    colour = [float(v) for v in pbr.get("baseColorFactor", [1, 1, 1, 1])]
    base, orm = source(pbr.get("baseColorTexture")), source(pbr.get("metallicRoughnessTexture"))
    normal, occlusion = material.get("normalTexture"), material.get("occlusionTexture")
    mode = str(material.get("alphaMode", "OPAQUE")).lower()
    feed("base_color", base, "rgb", "base_color", tuple(colour[:3]))
    feed("metallic", orm, "b", "metallic", float(pbr.get("metallicFactor", 1.0)))
    feed("roughness", orm, "g", "roughness", float(pbr.get("roughnessFactor", 1.0)))
    if normal is not None and (number := source(normal)) is not None:
        feed("normal", number, "rgb", "normal", 1.0, strength=float(normal.get("scale", 1.0)))
    if occlusion is not None and (number := source(occlusion)) is not None:
        feed(
            "occlusion",
            number,
            "r",
            "occlusion",
            1.0,
            strength=float(occlusion.get("strength", 1.0)),
        )
    glow = [float(v) for v in material.get("emissiveFactor", [0, 0, 0])]
    if any(glow):
        strength = (
            material.get("extensions", {})
            .get("KHR_materials_emissive_strength", {})
            .get("emissiveStrength", 1.0)
        )
        emission = source(material.get("emissiveTexture"))
        feed("emission", emission, "rgb", "emission", tuple(glow), strength=float(strength))
    if mode != "opaque":
        feed("opacity", base, "a", "opacity", colour[3])
    said: dict[str, Any] = next((t for t in transforms if t), {})
    uv = UvTransform(
        tiling=said.get("scale", (1.0, 1.0)),
        offset=said.get("offset", (0.0, 0.0)),
        rotation=said.get("rotation", 0.0),
    )
    return MaterialEntry(
        inputs=inputs,
        alpha_mode=None if mode == "opaque" else mode,
        alpha_cutoff=material.get("alphaCutoff") if mode == "mask" else None,
        double_sided=True if material.get("doubleSided") else None,
        uv=None if uv.is_identity else uv,
        filter="nearest" if filters and all(f in _NEAREST for f in filters) else None,
        surface_tag=_tag(material.get("extras")),
    )


def _tag(extras: Any) -> str | None:
    """The surface tag among extras, which may be anything. Source: glTF 2.0, 5.22."""
    tag = extras.get("surface_tag") if isinstance(extras, dict) else None
    return tag if isinstance(tag, str) else None


def _is_colour(roles: dict[RoleChannels, Role]) -> bool:
    return any(role in ("base_color", "emission") for role in roles.values())
