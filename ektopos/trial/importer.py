"""The stand-in engine: read a package's bytes into what an engine would hold.

It is deliberately naive where engines are: no alpha mode means opaque, no transform means none, a texture that cannot be
read is not there. glTF is parsed with pygltflib and textures with OpenCV, so that a mistake of the writers (the core's own
glTF code and OpenImageIO) cannot hide here. The sRGB curve is written out once more for the same reason.
"""

from __future__ import annotations

import base64
import hashlib
import io
import json
import os
import struct
import tempfile
import zlib
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal
from urllib.parse import unquote

import cv2
import numpy as np
import OpenEXR
import pygltflib
from numpy.typing import NDArray
from PIL import Image as Pillow

from ektopos.errors import InvalidDocument
from ektopos.targets.profile import Profile
from ektopos.trial.ktx2 import SIGNATURE, read_ktx2

Problem = Literal["missing-file", "unreadable-file"]
Values = NDArray[np.float32]
INPUTS = ("base_color", "metallic", "roughness", "normal", "occlusion", "emission", "opacity")
EXTENSIONS: dict[str, tuple[str, str, str, tuple[float, ...]]] = {
    "ior": ("KHR_materials_ior", "ior", "", (1.5,)),
    "specular": ("KHR_materials_specular", "specular", "a", (1.0,)),
    "clearcoat": ("KHR_materials_clearcoat", "clearcoat", "r", (0.0,)),
    "clearcoat_roughness": ("KHR_materials_clearcoat", "clearcoatRoughness", "g", (0.0,)),
    "sheen": ("KHR_materials_sheen", "sheenColor", "rgb", (0.0, 0.0, 0.0)),
    "sheen_roughness": ("KHR_materials_sheen", "sheenRoughness", "a", (0.0,)),
    "transmission": ("KHR_materials_transmission", "transmission", "r", (0.0,)),
    "thickness": ("KHR_materials_volume", "thickness", "g", (0.0,)),
    "attenuation": ("KHR_materials_volume", "attenuationColor", "", (1.0, 1.0, 1.0)),
    "attenuation_distance": ("KHR_materials_volume", "attenuationDistance", "", (float("inf"),)),
}
"""Inputs beyond the seven: extension, start of the property's name there, channels of its texture, and what it is when
nothing is said. Source: the extensions' own texts; each is ratified."""
_JPEG = b"\xff\xd8"
_EXR = b"\x76\x2f\x31\x01"
_TGA_END = b"TRUEVISION-XFILE."
_WRAP_NEAREST = (9728, 9984, 9986)


@dataclass(frozen=True)
class Texture:
    """One picture of the package, or why there is none."""

    path: str
    pixels: NDArray[Any] | None
    """`(h, w, 3 or 4)`, red first; uint8, uint16 or float32."""
    problem: Problem | None = None
    edited: bool = False
    """Whether the file's hash is not the one in the package list."""
    listed_size: tuple[int, int] | None = None
    lossy: bool = False
    """Whether the file's own format loses a little, as JPEG does."""
    smaller: tuple[NDArray[Any], ...] = ()
    """Mip levels that the file brings, after the picture itself."""
    said_srgb: bool | None = None
    """Whether the file says of itself that its colours are sRGB; `None` where the format cannot."""


@dataclass(frozen=True)
class ArrivedInput:
    """What feeds one input of one material in the engine."""

    texture: Texture | None = None
    channels: str = "rgb"
    encoding: str = "linear"
    normal_y: str = "+"
    factor: tuple[float, ...] = (1.0,)
    """Multiplies the texture; the constant itself where there is none."""
    strength: float = 1.0
    inverted: bool = False
    """Whether the file holds 1 − the input (gloss, smoothness)."""
    copies: str = ""
    """Further channels that should hold just the same, where a target writes a number into several."""
    quantity: str = ""
    """What the file holds where it is not the input itself: `gloss`, `smoothness`, `diffuse` or `specular`."""

    def stored(self) -> Values | None:
        """The texture's channels 0–1 as stored: `(h, w)` or `(h, w, 3)`; `None` without a readable texture."""
        if self.texture is None or self.texture.pixels is None:
            return None
        return stored_channels(self.texture.pixels, self.channels)


@dataclass(frozen=True)
class ArrivedMaterial:
    """A material as the engine holds it."""

    inputs: dict[str, ArrivedInput]
    alpha_mode: str = "opaque"
    alpha_cutoff: float = 0.5
    double_sided: bool = False
    tiling: tuple[float, float] = (1.0, 1.0)
    offset: tuple[float, float] = (0.0, 0.0)
    rotation: float = 0.0
    untransformed: tuple[str, ...] = ()
    """Inputs whose texture lacks the transform that others have."""
    filter: str = "linear"
    surface_tag: str | None = None


@dataclass(frozen=True)
class Arrival:
    """A package as the engine holds it."""

    target: str
    materials: dict[str, ArrivedMaterial] = field(default_factory=dict)
    slots: dict[str, dict[str, str | None]] = field(default_factory=dict)
    """By mesh and slot, the material's name; `None` where a slot has none."""
    listed_slots: dict[str, dict[str, str | None]] = field(default_factory=dict)
    """The same as the package list says it."""
    assigned_slots: dict[str, dict[str, str | None]] = field(default_factory=dict)
    """The same as a material document beside the mesh says it, where there is one."""
    uvs: dict[tuple[str, str], Values] = field(default_factory=dict)
    """By (mesh, slot), the UVs of its triangles' corners as stored, `(t, 3, 2)`, v down."""
    second: dict[str, ArrivedMaterial] = field(default_factory=dict)
    """The materials read once more, from that document."""
    problem: Problem | None = None
    """Why nothing could be read at all."""
    message: str = ""


def read_target(package: Path) -> str:
    """The target that a package's list names. Raises `InvalidDocument`."""
    listing = read_listing(package)
    target = listing.get("target")
    if not isinstance(target, str):
        raise InvalidDocument("its package list names no target.", subject=package.name, hint="Say the target.")
    return target


def read_listing(package: Path) -> dict[str, Any]:
    """A package's list. Raises `InvalidDocument` if it is not there or broken."""
    path = package / "package.json"
    if not path.is_file():
        raise InvalidDocument("there is no package.json in it.", subject=package.name, hint="Is this a package?")
    try:
        listing = json.loads(path.read_bytes())
    except ValueError as problem:
        raise InvalidDocument(f"its package.json is not JSON ({problem}).", subject=package.name) from None
    if not isinstance(listing, dict):
        raise InvalidDocument("its package.json is not a package list.", subject=package.name)
    return listing


def import_package(package: Path, profile: Profile) -> Arrival:
    """Read a package as the profile's engine would. A missing or broken file is said in the result, not raised."""
    try:
        listing = read_listing(package)
    except InvalidDocument:
        listing = {}
    files = PackageFiles(package, listing)
    if profile.container == "loose":
        from ektopos.trial.loose import import_loose

        return import_loose(profile, files, listing)
    if profile.container == "usdz":
        from ektopos.trial.usdz import import_usdz

        return import_usdz(profile, files, listing)
    return _import_gltf(package, profile, files, listing)


class PackageFiles:
    """The package's files: found, hashed, decoded once."""

    def __init__(self, package: Path, listing: dict[str, Any]) -> None:
        self.root = package.resolve()
        entries = listing.get("files", [])
        self.listed = {e["path"]: e for e in entries if isinstance(e, dict) and isinstance(e.get("path"), str)}
        self._textures: dict[str, Texture] = {}

    def find(self, name: str) -> Path | None:
        """A file of the package; nothing outside it."""
        path = (self.root / name).resolve()
        return path if path.is_relative_to(self.root) and path.is_file() else None

    def texture(self, name: str) -> Texture:
        """A texture file, decoded."""
        if name not in self._textures:
            entry = self.listed.get(name, {})
            path = self.find(name)
            raw = path.read_bytes() if path else None
            edited = raw is not None and "sha256" in entry and hashlib.sha256(raw).hexdigest() != entry["sha256"]
            self._textures[name] = decode_texture(name, raw, edited, _size(entry))
        return self._textures[name]


def decode_texture(name: str, raw: bytes | None, edited: bool, size: tuple[int, int] | None) -> Texture:
    """A texture from its bytes."""
    if raw is None:
        return Texture(name, None, "missing-file", edited, size)
    pixels = None
    if raw.startswith(SIGNATURE):
        try:
            levels, is_srgb = read_ktx2(raw)
        except (ValueError, struct.error, zlib.error):
            return Texture(name, None, "unreadable-file", edited, size)
        return Texture(name, levels[0], None, edited, size, smaller=tuple(levels[1:]), said_srgb=is_srgb)
    if raw and _whole(raw):
        try:
            pixels = cv2.imdecode(np.frombuffer(raw, np.uint8), cv2.IMREAD_UNCHANGED)
        except cv2.error:
            pixels = None
    if pixels is None and raw.rstrip(b"\0").endswith(_TGA_END):
        pixels = _tga(raw)
    if pixels is None and raw.startswith(_EXR):
        pixels = _exr(raw)
    if pixels is None:
        return Texture(name, None, "unreadable-file", edited, size)
    if pixels.ndim == 2:
        pixels = np.repeat(pixels[..., None], 3, axis=2)
    elif pixels.shape[2] >= 3:
        pixels = cv2.cvtColor(pixels, cv2.COLOR_BGR2RGB if pixels.shape[2] == 3 else cv2.COLOR_BGRA2RGBA)
    return Texture(name, pixels, None, edited, size, raw.startswith(_JPEG))


def stored_channels(pixels: NDArray[Any], channels: str) -> Values:
    """Channels of a decoded texture, 0–1 as stored; a missing alpha is 1."""
    scale = np.float32(1.0 if np.issubdtype(pixels.dtype, np.floating) else np.iinfo(pixels.dtype).max)
    if channels == "rgb":
        return np.asarray(pixels[..., :3].astype(np.float32) / scale)
    position = "rgba".index(channels)
    if position >= pixels.shape[2]:
        return np.ones(pixels.shape[:2], np.float32)
    return np.asarray(pixels[..., position].astype(np.float32) / scale)


def decode_srgb(stored: Values) -> Values:
    """Linear light of stored sRGB. Source: IEC 61966-2-1, written out apart from the writers' own."""
    low = stored <= 0.04045
    return np.asarray(np.where(low, stored / 12.92, np.power((stored + 0.055) / 1.055, 2.4)), np.float32)


def linear_channels(arrived: ArrivedInput, stored: Values) -> Values:
    """An sRGB input's channels in linear light; 8-bit codes through a table, for speed."""
    pixels = arrived.texture.pixels if arrived.texture else None
    if pixels is None or pixels.dtype != np.uint8:
        return decode_srgb(stored)
    table = decode_srgb(np.arange(256, dtype=np.float32) / np.float32(255))
    if arrived.channels == "rgb":
        return np.asarray(cv2.LUT(np.ascontiguousarray(pixels[..., :3]), table))
    if arrived.channels == "a":
        return stored
    return np.asarray(table[pixels[..., "rgb".index(arrived.channels)]])


def _whole(raw: bytes) -> bool:
    """Whether a file has its end: decoders fill the rest of a broken one with black or grey and say nothing."""
    if raw.startswith(b"\x89PNG"):
        return b"IEND" in raw[-32:]
    if raw.startswith(b"RIFF"):
        return len(raw) >= int.from_bytes(raw[4:8], "little") + 8
    return not raw.startswith(_JPEG) or b"\xff\xd9" in raw[-32:]


def _tga(raw: bytes) -> NDArray[Any] | None:
    """A TGA's pixels, blue first as OpenCV gives them, which does not read it."""
    try:
        with Pillow.open(io.BytesIO(raw)) as opened:
            found = np.asarray(opened)
    except (OSError, ValueError, SyntaxError):
        return None
    return found[..., [2, 1, 0, 3][: found.shape[2]]] if found.ndim == 3 else found


def _exr(raw: bytes) -> NDArray[Any] | None:
    """An EXR's pixels as float32, blue first; its own library reads files only."""
    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        Path(file.name).write_bytes(raw)
        try:
            channels = OpenEXR.File(file.name, separate_channels=True).channels()
            planes = [np.asarray(channels[name].pixels, np.float32) for name in "BGRA" if name in channels]
        except (RuntimeError, ValueError, TypeError, KeyError):
            return None
    return np.dstack(planes) if len(planes) >= 3 else None


def _size(entry: dict[str, Any]) -> tuple[int, int] | None:
    width, height = entry.get("width"), entry.get("height")
    return (width, height) if isinstance(width, int) and isinstance(height, int) else None


def _import_gltf(package: Path, profile: Profile, files: PackageFiles, listing: dict[str, Any]) -> Arrival:
    suffix = f".{profile.container}"
    named = [name for name in files.listed if name.lower().endswith(suffix)]
    found = [files.root / name for name in named] or sorted(files.root.glob(f"*{suffix}"))
    listed = listed_slots(listing)
    if not found or not found[0].is_file():
        name = found[0].name if found else f"*{suffix}"
        return Arrival(profile.id, listed_slots=listed, problem="missing-file", message=f"{name} is missing.")
    try:
        gltf = _load(found[0])
        with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
            images = list(pool.map(lambda i: _image(gltf, i, files, listing), range(len(gltf.images or []))))
        materials = {m.name or f"material_{i}": _material(gltf, m, images) for i, m in enumerate(gltf.materials or [])}
        slots, uvs = _slots(gltf, list(materials), files)
    except Exception as problem:
        message = f"{found[0].name} cannot be read ({type(problem).__name__}: {problem})."
        return Arrival(profile.id, listed_slots=listed, problem="unreadable-file", message=message)
    return Arrival(profile.id, materials, slots, listed, uvs=uvs)


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


def _image(gltf: pygltflib.GLTF2, index: int, files: PackageFiles, listing: dict[str, Any]) -> Texture:
    image = gltf.images[index]
    if image.uri and not image.uri.startswith("data:"):
        return files.texture(unquote(image.uri))
    name = image.name or f"image {index}"
    size = None
    for entry in listing.get("files", []):
        inside = [t for t in entry.get("images", []) if Path(str(t.get("path"))).stem == name]
        size = _size(inside[0]) if inside else size
    if image.uri:
        return decode_texture(name, base64.b64decode(image.uri.partition(",")[2]), False, size)
    view = gltf.bufferViews[image.bufferView]
    start = view.byteOffset or 0
    return decode_texture(name, bytes(gltf.binary_blob()[start : start + view.byteLength]), False, size)


def _material(gltf: pygltflib.GLTF2, material: Any, images: list[Texture]) -> ArrivedMaterial:
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
        return images[source] if source is not None else Texture(f"texture {info.index}", None, "missing-file")

    base = [float(x) for x in (pbr.baseColorFactor or [1, 1, 1, 1])]
    metallic = 1.0 if pbr.metallicFactor is None else float(pbr.metallicFactor)
    roughness = 1.0 if pbr.roughnessFactor is None else float(pbr.roughnessFactor)
    emissive = tuple(float(x) for x in (material.emissiveFactor or [0, 0, 0]))
    emission = (material.extensions or {}).get("KHR_materials_emissive_strength", {})
    scale = getattr(infos["normal"], "scale", None)
    strength = getattr(infos["occlusion"], "strength", None)
    normal, occlusion = texture("normal"), texture("occlusion")
    inputs = {
        "base_color": ArrivedInput(texture("base_color"), "rgb", "srgb", factor=tuple(base[:3])),
        "opacity": ArrivedInput(texture("base_color"), "a", factor=(base[3],)),
        "metallic": ArrivedInput(texture("orm"), "b", factor=(metallic,)),
        "roughness": ArrivedInput(texture("orm"), "g", factor=(roughness,)),
        "normal": ArrivedInput(
            normal, "rgb", factor=(1.0,) if normal else (0.0, 0.0, 1.0), strength=1.0 if scale is None else float(scale)
        ),
        "occlusion": ArrivedInput(occlusion, "r", strength=1.0 if strength is None else float(strength)),
        "emission": ArrivedInput(
            texture("emission"), "rgb", "srgb", factor=emissive, strength=float(emission.get("emissiveStrength", 1.0))
        ),
    }
    for name, (extension, stem, channels, plain) in EXTENSIONS.items():
        said_there = (material.extensions or {}).get(extension, {})
        told = said_there.get(stem if not channels or stem + "Factor" not in said_there else stem + "Factor", plain)
        factor = tuple(float(v) for v in told) if isinstance(told, (list, tuple)) else (float(told),)
        number = said_there.get(f"{stem}Texture", {}).get("index")
        source = None if number is None else gltf.textures[number].source
        inputs[name] = ArrivedInput(
            None if source is None else images[source],
            channels or "r",
            "srgb" if channels == "rgb" else "linear",
            factor=factor,
        )
    transforms = {
        key: ((info.extensions or {}).get("KHR_texture_transform") or {})
        for key, info in infos.items()
        if info is not None and info.index is not None
    }
    said = next((t for t in transforms.values() if t), {})
    lacking = tuple(key for key, transform in transforms.items() if transform != said)
    samplers = [gltf.textures[i.index].sampler for i in infos.values() if i is not None and i.index is not None]
    magnify = [gltf.samplers[s].magFilter for s in samplers if s is not None]
    return ArrivedMaterial(
        inputs=inputs,
        alpha_mode=(material.alphaMode or "OPAQUE").lower(),
        alpha_cutoff=0.5 if material.alphaCutoff is None else float(material.alphaCutoff),
        double_sided=bool(material.doubleSided),
        tiling=_pair(said.get("scale", (1.0, 1.0))),
        offset=_pair(said.get("offset", (0.0, 0.0))),
        rotation=float(said.get("rotation", 0.0)),
        untransformed=lacking,
        filter="nearest" if magnify and all(m in _WRAP_NEAREST for m in magnify) else "linear",
        surface_tag=(material.extras or {}).get("surface_tag"),
    )


def _pair(values: Any) -> tuple[float, float]:
    return float(values[0]), float(values[1])


Slots = dict[str, dict[str, str | None]]
Uvs = dict[tuple[str, str], Values]


def _slots(gltf: pygltflib.GLTF2, names: list[str], files: PackageFiles) -> tuple[Slots, Uvs]:
    """Material by mesh and slot, and UVs; a primitive without a slot name counts as the slot its material is called."""
    buffers = []
    for buffer in gltf.buffers or []:
        if buffer.uri and not buffer.uri.startswith("data:"):
            path = files.find(unquote(buffer.uri))
            if path is None or path.stat().st_size < buffer.byteLength:
                raise ValueError(f"{buffer.uri} is missing or breaks off")
            buffers.append(path.read_bytes())
        else:
            buffers.append(base64.b64decode(buffer.uri.partition(",")[2]) if buffer.uri else gltf.binary_blob())
    found: Slots = {}
    uvs: Uvs = {}
    for mesh in gltf.meshes or []:
        worn = found.setdefault(mesh.name or f"mesh_{len(found)}", {})
        for primitive in mesh.primitives:
            material = None if primitive.material is None else names[primitive.material]
            slot = (primitive.extras or {}).get("slot") or material or f"slot_{len(worn)}"
            worn[slot] = material
            corners = _corner_uvs(gltf, primitive, buffers)
            if corners is not None:
                key = (mesh.name or f"mesh_{len(found) - 1}", slot)
                uvs[key] = np.concatenate([uvs[key], corners]) if key in uvs else corners
    return found, uvs


def _corner_uvs(gltf: pygltflib.GLTF2, primitive: Any, buffers: list[bytes]) -> Values | None:
    """The UVs of a primitive's corners `(t, 3, 2)`; `None` where it has none, or keeps them in another form than floats."""
    number = primitive.attributes.TEXCOORD_0
    if number is None or primitive.indices is None or gltf.accessors[number].componentType != pygltflib.FLOAT:
        return None

    def read(index: int, kind: str, width: int) -> NDArray[Any]:
        accessor = gltf.accessors[index]
        view = gltf.bufferViews[accessor.bufferView]
        start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
        return np.frombuffer(buffers[view.buffer], kind, accessor.count * width, start).reshape(-1, width)

    if gltf.bufferViews[gltf.accessors[number].bufferView].byteStride not in (None, 8):
        return None
    kinds = {pygltflib.UNSIGNED_BYTE: "u1", pygltflib.UNSIGNED_SHORT: "<u2", pygltflib.UNSIGNED_INT: "<u4"}
    corners = read(primitive.indices, kinds[gltf.accessors[primitive.indices].componentType], 1)[:, 0]
    return np.asarray(read(number, "<f4", 2)[corners].reshape(-1, 3, 2))


def read_glb_slots(files: PackageFiles, name: str) -> tuple[Slots, Uvs]:
    """Material by mesh and slot, and UVs, of a GLB that brings no textures. Raises `ValueError` and its kin for damage."""
    path = files.find(name)
    if path is None:
        raise ValueError(f"{name} is missing")
    gltf = _load(path)
    return _slots(gltf, [m.name or f"material_{i}" for i, m in enumerate(gltf.materials or [])], files)


def listed_slots(listing: dict[str, Any]) -> dict[str, dict[str, str | None]]:
    """Material by mesh and slot as the package list says it."""
    meshes = listing.get("meshes", {})
    if not isinstance(meshes, dict):
        return {}
    return {name: dict(entry.get("slots", {})) for name, entry in meshes.items() if isinstance(entry, dict)}
