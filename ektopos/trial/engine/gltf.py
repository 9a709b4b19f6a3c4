"""The stand-in engine's importer for glTF, with pygltflib: nothing is shared with the core's own
glTF code."""

from __future__ import annotations

import base64
import json
from dataclasses import replace
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import pygltflib

from ektopos.base.types import Json
from ektopos.export.profile import Profile
from ektopos.trial.engine.files import PackageFiles, listed_slots, missing, size_of
from ektopos.trial.engine.package import (
    EXTENSIONS,
    Imported,
    ImportedInput,
    ImportedMaterial,
    Place,
    Texture,
    common_filter,
)
from ektopos.trial.engine.scene import File, drawn_triangles, scene_of

_WITHOUT_MIPS = (9728, 9729)
_WRAP_NEAREST = (9728, 9984, 9986)


def import_gltf(package: Path, profile: Profile, files: PackageFiles, listing: Json) -> Imported:
    """Read a glTF package: every container that its list names, or that lies in it. A missing or
    broken file is said in the result, not raised."""
    suffix = ".glb" if profile.container == "glb" else ".gltf"
    named = [name for name in files.listed if name.lower().endswith(suffix)]
    named = named or sorted(path.name for path in files.root.glob(f"*{suffix}"))
    listed = listed_slots(listing)
    missing = next((name for name in named or [f"*{suffix}"] if files.find(name) is None), None)
    if missing is not None:
        return Imported(
            profile.id,
            listed_slots=listed,
            problem="missing-file",
            message=f"{missing} is missing.",
        )
    imported = Imported(profile.id, listed_slots=listed)
    for name in named:
        try:
            _import_file(imported, name, files, listing)
        except Exception as problem:
            message = f"{name} cannot be read ({type(problem).__name__}: {problem})."
            return Imported(
                profile.id, listed_slots=listed, problem="unreadable-file", message=message
            )
    return imported


def _import_file(
    found: Imported,
    name: str,
    files: PackageFiles,
    listing: Json,
) -> None:
    """Add what one container holds. Materials of one name in several containers are one if they are
    alike."""
    raw = _bytes(files, name)
    gltf = _load(raw)
    images = [_image(gltf, i, files, listing) for i in range(len(gltf.images or []))]
    keys = []
    for number, entry in enumerate(gltf.materials or []):
        material = _material(gltf, entry, images)
        material = replace(material, name=entry.name or f"slot_{number}")
        keys.append(add_material(found.materials, material, name))
    _add_scene(found, raw, name, files, listing, keys)


def add_material(
    materials: dict[str, ImportedMaterial], material: ImportedMaterial, file: str
) -> str:
    """Keep a material under its name, or, where another of that name is unlike it, under one that
    tells its file; that key."""
    known = materials.get(material.name)
    alike = known is None or signature(known) == signature(material)
    key = material.name if alike else f"{material.name} in {file}"
    materials[key] = material
    return key


def signature(material: ImportedMaterial) -> object:
    """All of a material but its texels, to tell whether two readings of it agree."""
    inputs = {name: replace(i, texture=None) for name, i in material.inputs.items()}
    return replace(material, inputs=inputs), {
        name: (i.texture.path, i.texture.content) if i.texture else None
        for name, i in material.inputs.items()
    }


def _bytes(files: PackageFiles, name: str) -> bytes:
    """A container's bytes. Raises `ValueError` where it is not there."""
    path = files.find(name)
    if path is None:
        raise ValueError(f"{name} is missing")
    return path.read_bytes()


def _add_scene(
    found: Imported,
    raw: bytes,
    name: str,
    files: PackageFiles,
    listing: Json,
    materials: list[str],
) -> None:
    """Add the slots, triangles and scene of one container, whose materials are known by these
    keys."""
    said_there, chunk = _parts_of(raw)
    buffers = [_buffer(entry, chunk, files) for entry in said_there.get("buffers", [])]
    file = File(said_there, buffers)
    listed = listing.get("meshes", {})
    held = [
        m for m, entry in listed.items() if isinstance(entry, dict) and entry.get("file") == name
    ]
    owner = held[0] if len(held) == 1 else ""
    slots, drawn = drawn_triangles(file, owner, materials)
    if owner:
        slots.setdefault(owner, {})
    found.slots.update(slots)
    found.drawn.update(drawn)
    found.containers[name] = list(slots)
    scene = scene_of(file, edited=files.is_edited(name, raw))
    found.scenes.update(dict.fromkeys(held or slots, scene))


def read_bare(found: Imported, name: str, files: PackageFiles, listing: Json) -> dict[str, Json]:
    """Add the slots, triangles and scene of a GLB that brings no textures. By the names of its
    materials, how they are drawn: alpha mode, cut-off, sides, shading. Raises `ValueError` and its
    kin for damage."""
    raw = _bytes(files, name)
    materials = _load(raw).materials or []
    names = [m.name or f"slot_{i}" for i, m in enumerate(materials)]
    _add_scene(found, raw, name, files, listing, names)
    return {key: _drawing(material) for key, material in zip(names, materials, strict=True)}


def _drawing(material: Any) -> Json:
    """How a material is drawn. Source: glTF 2.0, 5.19, with its defaults; KHR_materials_unlit."""
    return {
        "alpha_mode": (material.alphaMode or "OPAQUE").lower(),
        "alpha_cutoff": 0.5 if material.alphaCutoff is None else float(material.alphaCutoff),
        "double_sided": bool(material.doubleSided),
        "shading": "unlit" if "KHR_materials_unlit" in (material.extensions or {}) else "standard",
    }


def _parts_of(raw: bytes) -> tuple[Json, bytes]:
    """The JSON and the binary chunk of a file. Source: glTF 2.0, 4.4."""
    if raw[:4] != b"glTF":
        return json.loads(raw.decode("utf-8-sig")), b""
    size = int.from_bytes(raw[12:16], "little")
    rest = raw[20 + size :]
    chunk = rest[8 : 8 + int.from_bytes(rest[:4], "little")] if rest[4:8] == b"BIN\0" else b""
    return json.loads(raw[20 : 20 + size].decode()), chunk


def _buffer(entry: Json, chunk: bytes, files: PackageFiles) -> bytes:
    uri = entry.get("uri")
    if uri is None:
        return chunk
    if uri.startswith("data:"):
        return base64.b64decode(uri.partition(",")[2])
    path = files.find(unquote(uri))
    if path is None or path.stat().st_size < entry.get("byteLength", 0):
        raise ValueError(f"{uri} is missing or breaks off")
    return path.read_bytes()


_NOT_MATERIALS = {"nodes", "meshes", "accessors", "skins", "animations", "scenes", "scene"}


def _load(raw: bytes) -> pygltflib.GLTF2:
    if raw[:4] == b"glTF" and int.from_bytes(raw[8:12], "little") != len(raw):
        raise ValueError(f"{len(raw)} bytes of {int.from_bytes(raw[8:12], 'little')}")
    said, chunk = _parts_of(raw)
    # The library takes a millisecond for each node and accessor, which are read elsewhere.
    light = {key: value for key, value in said.items() if key not in _NOT_MATERIALS}
    loaded = pygltflib.GLTF2.gltf_from_json(json.dumps(light))
    if loaded is None:
        raise ValueError("not a glTF file")
    loaded.set_binary_blob(chunk)
    return loaded


def _image(
    gltf: pygltflib.GLTF2,
    index: int,
    files: PackageFiles,
    listing: Json,
) -> Texture:
    image = gltf.images[index]
    if image.uri and not image.uri.startswith("data:"):
        return files.texture(unquote(image.uri))
    name = image.name or f"image {index}"
    size = None
    for entry in listing.get("files", []):
        inside = [t for t in entry.get("images", []) if Path(str(t.get("path"))).stem == name]
        size = size_of(inside[0]) if inside else size
    content: bytes | memoryview
    if image.uri:
        content = base64.b64decode(image.uri.partition(",")[2])
    else:
        view = gltf.bufferViews[image.bufferView]
        start = view.byteOffset or 0
        content = memoryview(gltf.binary_blob())[start : start + view.byteLength]
    return files.inside(name, content, None, size)


def _material(gltf: pygltflib.GLTF2, material: Any, images: list[Texture]) -> ImportedMaterial:
    pbr = material.pbrMetallicRoughness or pygltflib.PbrMetallicRoughness()
    infos = {
        "base_color": pbr.baseColorTexture,
        "orm": pbr.metallicRoughnessTexture,
        "normal": material.normalTexture,
        "occlusion": material.occlusionTexture,
        "emission": material.emissiveTexture,
    }
    inputs = _core_inputs(gltf, material, pbr, infos, images)
    inputs |= _extension_inputs(gltf, material, images)
    samplers = [
        gltf.textures[i.index].sampler
        for i in infos.values()
        if i is not None and i.index is not None
    ]
    used = [gltf.samplers[s] for s in samplers if s is not None]
    inputs |= {
        name: replace(
            inputs[name], place=_place(gltf, infos[key]), filter=_filter(gltf, infos[key])
        )
        for name, key in _INFO_OF.items()
    }
    return ImportedMaterial(
        inputs=inputs,
        filter=common_filter(inputs, "linear"),
        mips=all(sampler.minFilter not in _WITHOUT_MIPS for sampler in used),
        surface_tag=(material.extras or {}).get("surface_tag"),
        **_drawing(material),
    )


def _core_inputs(
    gltf: pygltflib.GLTF2,
    material: Any,
    pbr: Any,
    infos: Json,
    images: list[Texture],
) -> dict[str, ImportedInput]:
    """What feeds the seven inputs. Source: glTF 2.0, 5.19 and 5.22, with their defaults."""

    def texture(key: str) -> Texture | None:
        info = infos[key]
        if info is None or info.index is None:
            return None
        source = _source(gltf, info)
        return images[source] if source is not None else missing(f"texture {info.index}")

    base = [float(x) for x in (pbr.baseColorFactor or [1, 1, 1, 1])]
    metallic = 1.0 if pbr.metallicFactor is None else float(pbr.metallicFactor)
    roughness = 1.0 if pbr.roughnessFactor is None else float(pbr.roughnessFactor)
    emissive = tuple(float(x) for x in (material.emissiveFactor or [0, 0, 0]))
    emission = (material.extensions or {}).get("KHR_materials_emissive_strength", {})
    scale = getattr(infos["normal"], "scale", None)
    strength = getattr(infos["occlusion"], "strength", None)
    normal, occlusion = texture("normal"), texture("occlusion")
    return {
        "base_color": ImportedInput(texture("base_color"), "rgb", "srgb", factor=tuple(base[:3])),
        "opacity": ImportedInput(texture("base_color"), "a", factor=(base[3],)),
        "metallic": ImportedInput(texture("orm"), "b", factor=(metallic,)),
        "roughness": ImportedInput(texture("orm"), "g", factor=(roughness,)),
        "normal": ImportedInput(
            normal,
            "rgb",
            factor=(1.0,) if normal else (0.0, 0.0, 1.0),
            strength=1.0 if scale is None else float(scale),
        ),
        "occlusion": ImportedInput(
            occlusion, "r", strength=1.0 if strength is None else float(strength)
        ),
        "emission": ImportedInput(
            texture("emission"),
            "rgb",
            "srgb",
            factor=emissive,
            strength=float(emission.get("emissiveStrength", 1.0)),
        ),
    }


def _extension_inputs(
    gltf: pygltflib.GLTF2, material: Any, images: list[Texture]
) -> dict[str, ImportedInput]:
    """What feeds the inputs that extensions carry."""
    inputs = {}
    for name, (extension, stem, channels, plain) in EXTENSIONS.items():
        said_there = (material.extensions or {}).get(extension, {})
        told = said_there.get(
            stem if not channels or stem + "Factor" not in said_there else stem + "Factor", plain
        )
        factor = (
            tuple(float(v) for v in told) if isinstance(told, (list, tuple)) else (float(told),)
        )
        info = pygltflib.TextureInfo(**said_there.get(f"{stem}Texture", {}))
        source = None if info.index is None else _source(gltf, info)
        inputs[name] = ImportedInput(
            None if source is None else images[source],
            channels or "r",
            "srgb" if channels == "rgb" else "linear",
            factor=factor,
            place=_place(gltf, info),
            filter=_filter(gltf, info),
        )
    return inputs


def _filter(gltf: pygltflib.GLTF2, info: Any) -> str | None:
    """How a reference to a texture filters it. One without a sampler, or a sampler without a
    filter, is filtered as engines do by themselves: linearly (glTF 2.0, 5.26 leaves it to them)."""
    if info is None or info.index is None:
        return None
    number = gltf.textures[info.index].sampler
    if number is None:
        return "linear"
    sampler = gltf.samplers[number]
    near = sampler.magFilter in _WRAP_NEAREST
    # One that uses no smaller levels is said as that.
    is_confirmed = sampler.minFilter is not None and sampler.minFilter not in _WITHOUT_MIPS
    far = sampler.minFilter in _WRAP_NEAREST if is_confirmed else near
    if near != far:
        return (
            "nearest close up and linear from afar"
            if near
            else "linear close up and nearest from afar"
        )
    return "nearest" if near else "linear"


def _source(gltf: pygltflib.GLTF2, info: Any) -> int | None:
    """The image of a texture, the compressed one where there is one. Source: KHR_texture_basisu."""
    texture = gltf.textures[info.index]
    compressed = (texture.extensions or {}).get("KHR_texture_basisu", {})
    found: int | None = compressed.get("source", texture.source)
    return found


_INFO_OF = {
    "base_color": "base_color",
    "opacity": "base_color",
    "metallic": "orm",
    "roughness": "orm",
    "normal": "normal",
    "occlusion": "occlusion",
    "emission": "emission",
}
_WRAPS = {33071: "clamp", 33648: "mirror"}


def _place(gltf: pygltflib.GLTF2, info: Any) -> Place:
    """Where a reference to a texture lays it."""
    if info is None or info.index is None:
        return Place()
    transform = (info.extensions or {}).get("KHR_texture_transform") or {}
    number = gltf.textures[info.index].sampler
    sampler = pygltflib.Sampler() if number is None else gltf.samplers[number]
    wrap = [_WRAPS.get(side or 0, "repeat") for side in (sampler.wrapS, sampler.wrapT)]
    return Place(
        int(transform.get("texCoord", info.texCoord or 0)),
        _pair(transform.get("scale", (1.0, 1.0))),
        _pair(transform.get("offset", (0.0, 0.0))),
        float(transform.get("rotation", 0.0)),
        (wrap[0], wrap[1]),
    )


def _pair(values: Any) -> tuple[float, float]:
    return float(values[0]), float(values[1])
