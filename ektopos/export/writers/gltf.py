"""Write a glTF package's materials.

Source: glTF 2.0 specification, 3.9; KHR_texture_transform; KHR_materials_emissive_strength.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from ektopos.base.types import Json, Wrap, WrapPair
from ektopos.document import (
    COLOUR_INPUTS,
    Feed,
    Filter,
    InputName,
    UvTransform,
)
from ektopos.export.plan import PlannedFile
from ektopos.export.profile import Profile
from ektopos.export.values import input_values
from ektopos.export.writers.writer_context import Asset, Container, WriterContext, Written
from ektopos.materials.inheritance import Material
from ektopos.meshes import build_gltf, pack_glb
from ektopos.meshes.formats.glb import Binary, finish
from ektopos.meshes.formats.gltf_passthrough import keep_scene

LINEAR, NEAREST, MIPMAP_LINEAR, MIPMAP_NEAREST = 9729, 9728, 9987, 9984
WRAPS: dict[Wrap, int] = {"repeat": 10497, "clamp": 33071, "mirror": 33648}
"""Source: glTF 2.0, 5.26.3."""
UNLIT = "KHR_materials_unlit"
BASISU = "KHR_texture_basisu"
_TRANSFORM, _STRENGTH = "KHR_texture_transform", "KHR_materials_emissive_strength"


_MIME = {".png": "image/png", ".jpg": "image/jpeg", ".ktx2": "image/ktx2"}


def write_glb(parts: WriterContext) -> Written:
    """Binary glTFs with meshes, textures and materials inside."""

    def image(binary: Binary, path: Path) -> Json:
        return {"mimeType": _MIME[path.suffix], "bufferView": binary.add(path.read_bytes())}

    return _all_inside(parts, ".glb", image, pack_glb)


def write_embedded(parts: WriterContext) -> Written:
    """glTFs with everything in their text, buffer and textures as data URIs (RFC 2397)."""

    def image(_: Binary, path: Path) -> Json:
        return {"uri": _data_uri(_MIME[path.suffix], path.read_bytes())}

    def text(gltf: Json, binary: Binary) -> bytes:
        uri = _data_uri("application/octet-stream", binary.content())
        document = finish(gltf, binary, uri)
        return (json.dumps(document, ensure_ascii=False) + "\n").encode()

    return _all_inside(parts, ".gltf", image, text)


def _all_inside(
    parts: WriterContext,
    suffix: str,
    image: Callable[[Binary, Path], Json],
    content: Callable[[Json, Binary], bytes],
) -> Written:
    """Containers that hold their textures; these no longer lie beside them."""
    containers = []
    for asset in parts.assets():
        gltf, binary = drawn_geometry(parts, asset)
        paths = [parts.folder / planned.path for planned in asset.files]
        images = [{"name": path.stem, **image(binary, path)} for path in paths]
        container = parts.folder / f"{asset.stem}{suffix}"
        container.write_bytes(content(_with_materials(parts, asset, gltf, images), binary))
        containers.append(_container(container, asset, asset.files))
    for planned in parts.plan.files:
        (parts.folder / planned.path).unlink()
    return Written(containers, beside=False)


def write_gltf(parts: WriterContext) -> Written:
    """glTFs with their buffers and textures as files beside them."""
    containers = []
    for asset in parts.assets():
        gltf, binary = drawn_geometry(parts, asset)
        images = [
            {
                "name": Path(file.path).stem,
                "uri": file.path,
                **({"mimeType": _MIME[".ktx2"]} if file.basis else {}),
            }
            for file in asset.files
        ]
        buffer = parts.folder / f"{asset.stem}.bin"
        document = finish(_with_materials(parts, asset, gltf, images), binary, buffer.name)
        container = parts.folder / f"{asset.stem}.gltf"
        container.write_text(json.dumps(document, indent=2, ensure_ascii=False) + "\n", "utf-8")
        containers.append(_container(container, asset))
        if content := binary.content():
            buffer.write_bytes(content)
            containers.append(Container(buffer))
    return Written(containers, beside=True)


def _data_uri(kind: str, content: bytes) -> str:
    return f"data:{kind};base64,{base64.b64encode(content).decode()}"


def _container(path: Path, asset: Asset, textures: tuple[PlannedFile, ...] = ()) -> Container:
    return Container(path, list(asset.materials), list(asset.meshes), textures)


def drawn_geometry(parts: WriterContext, asset: Asset) -> tuple[Json, Binary]:
    """The glTF and buffer of an asset, without its materials: the scene of its file where that is
    glTF, else what is drawn of it."""
    numbers = asset.material_numbers(parts.document)
    if len(asset.meshes) == 1:
        (name,) = asset.meshes
        original = parts.original(name)
        if original is not None:
            colours = name in parts.coloured()
            return keep_scene(original, asset.meshes[name], numbers[name], colours=colours)
    return build_gltf(asset.meshes, numbers, colours=parts.coloured())


def _with_materials(parts: WriterContext, asset: Asset, gltf: Json, images: list[Json]) -> Json:
    """The glTF with the asset's materials, its textures and samplers."""
    plan, emission_factors = parts.plan, parts.emission_factors
    image_of = {file.path: number for number, file in enumerate(asset.files)}
    compressed = {file.path for file in asset.files if file.basis}
    textures: list[Json] = []
    samplers: list[Json] = []
    used: set[str] = set()

    def texture(material: Material, name: InputName) -> Json | None:
        path = plan.file_of.get((material.name, name))
        if path is None:
            return None
        place = material.placement(name)
        sampler = _sampler(material.filter, place.wrap)
        if sampler not in samplers:
            samplers.append(sampler)
        source: Json = {"source": image_of[path]}
        if path in compressed:
            used.add(BASISU)
            source = {"extensions": {BASISU: source}}
        entry = {"sampler": samplers.index(sampler), **source}
        if entry not in textures:
            textures.append(entry)
        info: Json = {"index": textures.index(entry)}
        if place.uv.set:
            info["texCoord"] = place.uv.set
        if not place.uv.is_identity:
            used.add(_TRANSFORM)
            info["extensions"] = {_TRANSFORM: _transform(place.uv)}
        return info

    materials = []
    for material in asset.materials.values():
        path = plan.file_of.get((material.name, "emission"))
        tints = {
            name: tint for (assigned, name), tint in plan.tints.items() if assigned == material.name
        }
        entry = _material(material, texture, emission_factors.get(path or "", 1.0), tints)
        used |= set(entry.get("extensions", {}))
        materials.append(entry)
    placed = {
        "materials": materials,
        "images": images,
        "textures": textures,
        "samplers": samplers,
        "extensionsUsed": sorted(used | set(gltf.get("extensionsUsed", []))),
        # Whoever cannot read these textures would see none: there is no other picture to take.
        "extensionsRequired": sorted({BASISU} & used | set(gltf.get("extensionsRequired", []))),
    }
    return gltf | {key: value for key, value in placed.items() if value}


def _material(
    material: Material,
    texture: Any,
    emission_factor: float,
    tints: Mapping[str, tuple[float, float, float]],
) -> Json:
    feeds = material.feeds
    base, orm = (
        texture(material, "base_color"),
        texture(material, "roughness") or texture(material, "metallic"),
    )
    base = base or (texture(material, "opacity") if material.alpha_mode != "opaque" else None)
    pbr: Json = {
        "baseColorFactor": [
            *tints.get("base_color", _factor(feeds["base_color"], "base_color")),
            _opacity(material),
        ],
        "metallicFactor": _factor(feeds["metallic"], "metallic")[0],
        "roughnessFactor": _factor(feeds["roughness"], "roughness")[0],
    }
    if base:
        pbr["baseColorTexture"] = base
    if orm:
        pbr["metallicRoughnessTexture"] = orm
    entry: Json = {"name": material.name, "pbrMetallicRoughness": pbr}
    normal, occlusion, emission = (
        texture(material, name) for name in ("normal", "occlusion", "emission")
    )
    if normal:
        entry["normalTexture"] = normal | _strength("scale", feeds["normal"])
    if occlusion:
        entry["occlusionTexture"] = occlusion | _strength("strength", feeds["occlusion"])
    glow = max(0.0, feeds["emission"].strength * emission_factor)
    if emission:
        entry["emissiveTexture"] = emission
        factor = np.asarray(tints.get("emission", (1.0, 1.0, 1.0)), np.float64)
    else:
        factor = input_values(feeds["emission"], "emission").reshape(3).astype(np.float64)
    # Up to 1 all of it stands in the factor, which every reader knows; only what is brighter needs
    # the extension.
    strength = max(1.0, float(factor.max()) * glow)
    if factor.any():
        entry["emissiveFactor"] = _plain(factor * glow / strength)
    extensions = _extensions(material, texture)
    if material.shading == "unlit":
        extensions[UNLIT] = {}
    if strength != 1.0 and "emissiveFactor" in entry:
        extensions[_STRENGTH] = {"emissiveStrength": float(str(np.float32(strength)))}
    if extensions:
        entry["extensions"] = extensions
    entry |= drawing_settings(material)
    if material.surface_tag:
        entry["extras"] = {"surface_tag": material.surface_tag}
    return entry


def drawing_settings(material: Material) -> Json:
    """How a material is drawn, whatever its inputs are: alpha mode, cut-off, sides."""
    settings: Json = {}
    if material.alpha_mode != "opaque":
        settings["alphaMode"] = material.alpha_mode.upper()
    if material.alpha_mode == "mask":
        settings["alphaCutoff"] = material.alpha_cutoff
    if material.double_sided:
        settings["doubleSided"] = True
    return settings


EXTENSION_MEMBERS: dict[str, tuple[tuple[InputName, str, str | None], ...]] = {
    "KHR_materials_ior": (("ior", "ior", None),),
    "KHR_materials_specular": (("specular", "specularFactor", "specularTexture"),),
    "KHR_materials_clearcoat": (
        ("clearcoat", "clearcoatFactor", "clearcoatTexture"),
        ("clearcoat_roughness", "clearcoatRoughnessFactor", "clearcoatRoughnessTexture"),
    ),
    "KHR_materials_sheen": (
        ("sheen", "sheenColorFactor", "sheenColorTexture"),
        ("sheen_roughness", "sheenRoughnessFactor", "sheenRoughnessTexture"),
    ),
    "KHR_materials_transmission": (("transmission", "transmissionFactor", "transmissionTexture"),),
    "KHR_materials_volume": (
        ("thickness", "thicknessFactor", "thicknessTexture"),
        ("attenuation", "attenuationColor", None),
        ("attenuation_distance", "attenuationDistance", None),
    ),
}
"""Inputs by the ratified extension that carries them, with the names of their factor and texture
there."""


def planned_extensions(materials: Iterable[Material], profile: Profile) -> set[str]:
    """The extensions that may stand in a target's file for some materials."""
    extensions: set[str] = {BASISU} if profile.has_basis else set()
    for material in materials:
        extensions |= {
            extension
            for extension, members in EXTENSION_MEMBERS.items()
            if any(name in material.feeds for name, *_ in members)
        }
        places = [material.uv, *(place.uv for place in material.placements().values())]
        if any(not uv.is_identity for uv in places):
            extensions.add(_TRANSFORM)
        if material.shading == "unlit":
            extensions.add(UNLIT)
        glow = material.feeds["emission"]
        if glow.maps() or glow.value != (0.0, 0.0, 0.0):
            extensions.add(_STRENGTH)
    return extensions


def _extensions(material: Material, texture: Any) -> Json:
    """The material's extensions: only those that something feeds."""
    extensions: Json = {}
    for extension, members in EXTENSION_MEMBERS.items():
        fields: Json = {}
        for name, factor, slot in members:
            feed = material.feeds.get(name)
            if feed is None:
                continue
            values = _factor(feed, name)
            fields[factor] = values if len(values) > 1 else values[0]
            info = texture(material, name) if slot else None
            if info and slot:
                fields[slot] = info
        if fields:
            extensions[extension] = fields
    return extensions


def _factor(feed: Feed, name: InputName) -> list[float]:
    """A constant as the container's factor; 1 where a map says it all."""
    if feed.maps():
        return [1.0, 1.0, 1.0] if name in COLOUR_INPUTS else [1.0]
    return _plain(input_values(feed, name).reshape(-1))


def _opacity(material: Material) -> float:
    return (
        1.0 if material.alpha_mode == "opaque" else _factor(material.feeds["opacity"], "opacity")[0]
    )


def _plain(values: np.ndarray[Any, Any]) -> list[float]:
    """float32 values as the shortest decimals that give them back."""
    return [float(str(np.float32(value))) for value in values]


def _strength(key: str, feed: Feed) -> dict[str, float]:
    return {key: feed.strength} if feed.strength != 1.0 else {}


def _sampler(filtering: Filter, wrap: WrapPair) -> Json:
    near = filtering == "nearest"
    return {
        "magFilter": NEAREST if near else LINEAR,
        "minFilter": MIPMAP_NEAREST if near else MIPMAP_LINEAR,
        "wrapS": WRAPS[wrap[0]],
        "wrapT": WRAPS[wrap[1]],
    }


def _transform(uv: UvTransform) -> Json:
    transform: Json = {}
    if uv.offset != (0.0, 0.0):
        transform["offset"] = list(uv.offset)
    if uv.rotation:
        transform["rotation"] = uv.rotation
    if uv.tiling != (1.0, 1.0):
        transform["scale"] = list(uv.tiling)
    return transform
