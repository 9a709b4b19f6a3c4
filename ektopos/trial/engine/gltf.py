"""The stand-in engine's importer for glTF, with pygltflib: nothing is shared with the core's own
glTF code."""

from __future__ import annotations

import base64
import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
import pygltflib
from numpy.typing import NDArray

from ektopos.targets.profile import Profile
from ektopos.trial.engine.files import PackageFiles, decode_texture, listed_slots, size_of
from ektopos.trial.engine.package import (
    EXTENSIONS,
    Imported,
    ImportedInput,
    ImportedMaterial,
    Place,
    Slots,
    Texture,
    Uvs,
    Values,
)

_WRAP_NEAREST = (9728, 9984, 9986)


def import_gltf(
    package: Path, profile: Profile, files: PackageFiles, listing: dict[str, Any]
) -> Imported:
    """Read a glTF package. A missing or broken file is said in the result, not raised."""
    suffix = f".{profile.container}"
    named = [name for name in files.listed if name.lower().endswith(suffix)]
    found = (
        files.find(named[0]) if named else next(iter(sorted(files.root.glob(f"*{suffix}"))), None)
    )
    listed = listed_slots(listing)
    if found is None:
        name = Path(named[0]).name if named else f"*{suffix}"
        return Imported(
            profile.id, listed_slots=listed, problem="missing-file", message=f"{name} is missing."
        )
    try:
        gltf = _load(found)
        with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
            images = list(
                pool.map(lambda i: _image(gltf, i, files, listing), range(len(gltf.images or [])))
            )
        materials = {
            m.name or f"material_{i}": _material(gltf, m, images)
            for i, m in enumerate(gltf.materials or [])
        }
        slots, uvs = _slots(gltf, list(materials), files)
    except Exception as problem:
        message = f"{found.name} cannot be read ({type(problem).__name__}: {problem})."
        return Imported(profile.id, listed_slots=listed, problem="unreadable-file", message=message)
    return Imported(profile.id, materials, slots, listed, uvs=uvs)


def _load(path: Path) -> pygltflib.GLTF2:
    raw = path.read_bytes()
    if raw[:4] == b"glTF":
        if int.from_bytes(raw[8:12], "little") != len(raw):
            raise ValueError(f"{len(raw)} bytes of {int.from_bytes(raw[8:12], 'little')}")
        loaded = pygltflib.GLTF2.load_from_bytes(raw)
    else:
        loaded = pygltflib.GLTF2.gltf_from_json(raw.decode("utf-8"))
    if loaded is None:
        raise ValueError("not a glTF file")
    return loaded


def _image(
    gltf: pygltflib.GLTF2, index: int, files: PackageFiles, listing: dict[str, Any]
) -> Texture:
    image = gltf.images[index]
    if image.uri and not image.uri.startswith("data:"):
        return files.texture(unquote(image.uri))
    name = image.name or f"image {index}"
    size = None
    for entry in listing.get("files", []):
        inside = [t for t in entry.get("images", []) if Path(str(t.get("path"))).stem == name]
        size = size_of(inside[0]) if inside else size
    if image.uri:
        return decode_texture(name, base64.b64decode(image.uri.partition(",")[2]), False, size)
    view = gltf.bufferViews[image.bufferView]
    start = view.byteOffset or 0
    return decode_texture(
        name, bytes(gltf.binary_blob()[start : start + view.byteLength]), False, size
    )


def _material(gltf: pygltflib.GLTF2, material: Any, images: list[Texture]) -> ImportedMaterial:
    pbr = material.pbrMetallicRoughness or pygltflib.PbrMetallicRoughness()
    infos = {
        "base_color": pbr.baseColorTexture,
        "orm": pbr.metallicRoughnessTexture,
        "normal": material.normalTexture,
        "occlusion": material.occlusionTexture,
        "emission": material.emissiveTexture,
    }

    def texture(key: str) -> Texture | None:
        info = infos[key]
        if info is None or info.index is None:
            return None
        source = gltf.textures[info.index].source
        return (
            images[source]
            if source is not None
            else Texture(f"texture {info.index}", None, "missing-file")
        )

    base = [float(x) for x in (pbr.baseColorFactor or [1, 1, 1, 1])]
    metallic = 1.0 if pbr.metallicFactor is None else float(pbr.metallicFactor)
    roughness = 1.0 if pbr.roughnessFactor is None else float(pbr.roughnessFactor)
    emissive = tuple(float(x) for x in (material.emissiveFactor or [0, 0, 0]))
    emission = (material.extensions or {}).get("KHR_materials_emissive_strength", {})
    scale = getattr(infos["normal"], "scale", None)
    strength = getattr(infos["occlusion"], "strength", None)
    normal, occlusion = texture("normal"), texture("occlusion")
    inputs = {
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
    for name, (extension, stem, channels, plain) in EXTENSIONS.items():
        said_there = (material.extensions or {}).get(extension, {})
        told = said_there.get(
            stem if not channels or stem + "Factor" not in said_there else stem + "Factor", plain
        )
        factor = (
            tuple(float(v) for v in told) if isinstance(told, (list, tuple)) else (float(told),)
        )
        info = pygltflib.TextureInfo(**said_there.get(f"{stem}Texture", {}))
        source = None if info.index is None else gltf.textures[info.index].source
        inputs[name] = ImportedInput(
            None if source is None else images[source],
            channels or "r",
            "srgb" if channels == "rgb" else "linear",
            factor=factor,
            place=_place(gltf, info),
        )
    samplers = [
        gltf.textures[i.index].sampler
        for i in infos.values()
        if i is not None and i.index is not None
    ]
    magnify = [gltf.samplers[s].magFilter for s in samplers if s is not None]
    lies = {name: _place(gltf, infos[key]) for name, key in _INFO_OF.items()}
    inputs |= {name: replace(inputs[name], place=place) for name, place in lies.items()}
    return ImportedMaterial(
        inputs=inputs,
        alpha_mode=(material.alphaMode or "OPAQUE").lower(),
        alpha_cutoff=0.5 if material.alphaCutoff is None else float(material.alphaCutoff),
        double_sided=bool(material.doubleSided),
        filter="nearest" if magnify and all(m in _WRAP_NEAREST for m in magnify) else "linear",
        shading="unlit" if "KHR_materials_unlit" in (material.extensions or {}) else "standard",
        surface_tag=(material.extras or {}).get("surface_tag"),
    )


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
    said = (info.extensions or {}).get("KHR_texture_transform") or {}
    number = gltf.textures[info.index].sampler
    sampler = pygltflib.Sampler() if number is None else gltf.samplers[number]
    wrap = [_WRAPS.get(side or 0, "repeat") for side in (sampler.wrapS, sampler.wrapT)]
    return Place(
        int(said.get("texCoord", info.texCoord or 0)),
        _pair(said.get("scale", (1.0, 1.0))),
        _pair(said.get("offset", (0.0, 0.0))),
        float(said.get("rotation", 0.0)),
        (wrap[0], wrap[1]),
    )


def _pair(values: Any) -> tuple[float, float]:
    return float(values[0]), float(values[1])


def _slots(gltf: pygltflib.GLTF2, names: list[str], files: PackageFiles) -> tuple[Slots, Uvs]:
    """Material by mesh and slot, and UVs; a primitive without a slot name counts as the slot its
    material is called."""
    buffers = []
    for buffer in gltf.buffers or []:
        if buffer.uri and not buffer.uri.startswith("data:"):
            path = files.find(unquote(buffer.uri))
            if path is None or path.stat().st_size < buffer.byteLength:
                raise ValueError(f"{buffer.uri} is missing or breaks off")
            buffers.append(path.read_bytes())
        else:
            buffers.append(
                base64.b64decode(buffer.uri.partition(",")[2]) if buffer.uri else gltf.binary_blob()
            )
    found: Slots = {}
    uvs: Uvs = {}
    for mesh in gltf.meshes or []:
        assigned = found.setdefault(mesh.name or f"mesh_{len(found)}", {})
        for primitive in mesh.primitives:
            material = None if primitive.material is None else names[primitive.material]
            slot = (primitive.extras or {}).get("slot") or material or f"slot_{len(assigned)}"
            assigned[slot] = material
            for uv_set, number in _uv_accessors(primitive).items():
                corners = _corner_uvs(gltf, primitive, number, buffers)
                if corners is not None:
                    key = (mesh.name or f"mesh_{len(found) - 1}", slot, uv_set)
                    uvs[key] = np.concatenate([uvs[key], corners]) if key in uvs else corners
    return found, uvs


def _uv_accessors(primitive: Any) -> dict[int, int]:
    """The accessors of a primitive's UV sets, by their numbers."""
    named = vars(primitive.attributes).items()
    return {
        int(name.removeprefix("TEXCOORD_")): number
        for name, number in named
        if name.startswith("TEXCOORD_") and number is not None
    }


def _corner_uvs(
    gltf: pygltflib.GLTF2, primitive: Any, number: int, buffers: list[bytes]
) -> Values | None:
    """The UVs of a primitive's corners `(t, 3, 2)`; `None` where they are kept in another form than
    floats."""
    if primitive.indices is None or gltf.accessors[number].componentType != pygltflib.FLOAT:
        return None

    def read(index: int, kind: str, width: int) -> NDArray[Any]:
        accessor = gltf.accessors[index]
        view = gltf.bufferViews[accessor.bufferView]
        start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
        return np.frombuffer(buffers[view.buffer], kind, accessor.count * width, start).reshape(
            -1, width
        )

    if gltf.bufferViews[gltf.accessors[number].bufferView].byteStride not in (None, 8):
        return None
    kinds = {
        pygltflib.UNSIGNED_BYTE: "u1",
        pygltflib.UNSIGNED_SHORT: "<u2",
        pygltflib.UNSIGNED_INT: "<u4",
    }
    corners = read(primitive.indices, kinds[gltf.accessors[primitive.indices].componentType], 1)[
        :, 0
    ]
    return np.asarray(read(number, "<f4", 2)[corners].reshape(-1, 3, 2))


def read_glb_slots(files: PackageFiles, name: str) -> tuple[Slots, Uvs]:
    """Material by mesh and slot, and UVs, of a GLB that brings no textures. Raises `ValueError` and
    its kin for damage."""
    path = files.find(name)
    if path is None:
        raise ValueError(f"{name} is missing")
    gltf = _load(path)
    return _slots(
        gltf, [m.name or f"material_{i}" for i, m in enumerate(gltf.materials or [])], files
    )
