"""The files of a package: listed, found, decoded, with other libraries than those that wrote
them.
"""

from __future__ import annotations

import hashlib
import io
import json
import struct
import tempfile
import zlib
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR
from numpy.typing import NDArray
from PIL import Image as Pillow

from ektopos.errors import InvalidDocument
from ektopos.trial.engine.ktx2 import SIGNATURE, read_ktx2
from ektopos.trial.engine.package import Texture

_JPEG = b"\xff\xd8"
_EXR = b"\x76\x2f\x31\x01"
_TGA_END = b"TRUEVISION-XFILE."


def read_target(package: Path) -> str:
    """The target that a package's list names. Raises `InvalidDocument`."""
    listing = read_listing(package)
    target = listing.get("target")
    if not isinstance(target, str):
        raise InvalidDocument(
            "its package list names no target.", subject=package.name, hint="Say the target."
        )
    return target


def read_listing(package: Path) -> dict[str, Any]:
    """A package's list. Raises `InvalidDocument` if it is not there or broken."""
    path = package / "package.json"
    if not path.is_file():
        raise InvalidDocument(
            "there is no package.json in it.", subject=package.name, hint="Is this a package?"
        )
    try:
        listing = json.loads(path.read_bytes().decode("utf-8-sig"))
    except (ValueError, RecursionError) as problem:
        raise InvalidDocument(
            f"its package.json is not JSON ({problem}).", subject=package.name
        ) from None
    if not isinstance(listing, dict):
        raise InvalidDocument("its package.json is not a package list.", subject=package.name)
    return listing


class PackageFiles:
    """The package's files: found, hashed, decoded once."""

    def __init__(self, package: Path, listing: dict[str, Any]) -> None:
        self.root = package.resolve()
        entries = listing.get("files", [])
        self.listed = {
            e["path"]: e for e in entries if isinstance(e, dict) and isinstance(e.get("path"), str)
        }
        self._textures: dict[str, Texture] = {}
        self._inside: dict[str, Texture] = {}

    def find(self, name: str) -> Path | None:
        """A file of the package; nothing outside it."""
        path = (self.root / name).resolve()
        return path if path.is_relative_to(self.root) and path.is_file() else None

    def is_edited(self, name: str, raw: bytes) -> bool:
        """Whether a file with these bytes is not the one that the list has the hash of."""
        listed = self.listed.get(name, {}).get("sha256")
        return listed is not None and hashlib.sha256(raw).hexdigest() != listed

    def inside(
        self, name: str, raw: bytes | None, edited: bool, size: tuple[int, int] | None
    ) -> Texture:
        """A texture that lies inside a container, decoded once for a content that several of them
        hold."""
        content = None if raw is None else hashlib.sha256(raw).hexdigest()
        key = f"{name} {content} {edited} {size}"
        if key not in self._inside:
            self._inside[key] = decode_texture(name, raw, edited, size)
        return self._inside[key]

    def texture(self, name: str) -> Texture:
        """A texture file, decoded."""
        if name not in self._textures:
            path = self.find(name)
            raw = path.read_bytes() if path else None
            edited = raw is not None and self.is_edited(name, raw)
            size = size_of(self.listed.get(name, {}))
            self._textures[name] = decode_texture(name, raw, edited, size)
        return self._textures[name]


def decode_texture(
    name: str, raw: bytes | None, edited: bool, size: tuple[int, int] | None
) -> Texture:
    """A texture from its bytes."""
    if raw is None:
        return Texture(name, None, "missing-file", edited, size)
    pixels = None
    if raw.startswith(SIGNATURE):
        try:
            levels, is_srgb = read_ktx2(raw)
        except (ValueError, struct.error, zlib.error):
            return Texture(name, None, "unreadable-file", edited, size)
        return Texture(
            name, levels[0], None, edited, size, smaller=tuple(levels[1:]), said_srgb=is_srgb
        )
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
        pixels = cv2.cvtColor(
            pixels, cv2.COLOR_BGR2RGB if pixels.shape[2] == 3 else cv2.COLOR_BGRA2RGBA
        )
    return Texture(name, pixels, None, edited, size, raw.startswith(_JPEG))


def _whole(raw: bytes) -> bool:
    """Whether a file has its end: decoders fill the rest of a broken one with black or grey and say
    nothing."""
    if raw.startswith(b"\x89PNG"):
        return b"IEND" in raw[-32:]
    if raw.startswith(b"RIFF"):
        return len(raw) >= int.from_bytes(raw[4:8], "little") + 8
    return not raw.startswith(_JPEG) or b"\xff\xd9" in raw[-32:]


def _tga(raw: bytes) -> NDArray[Any] | None:
    """A TGA's pixels, blue first as OpenCV gives them, which does not read it."""
    try:
        with Pillow.open(io.BytesIO(raw)) as opened:
            pixels = np.asarray(opened)
    except (OSError, ValueError, SyntaxError):
        return None
    return pixels[..., [2, 1, 0, 3][: pixels.shape[2]]] if pixels.ndim == 3 else pixels


def _exr(raw: bytes) -> NDArray[Any] | None:
    """An EXR's pixels as float32, blue first; its own library reads files only."""
    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        Path(file.name).write_bytes(raw)
        try:
            channels = OpenEXR.File(file.name, separate_channels=True).channels()
            planes = [
                np.asarray(channels[name].pixels, np.float32) for name in "BGRA" if name in channels
            ]
        except (RuntimeError, ValueError, TypeError, KeyError):
            return None
    return np.dstack(planes) if len(planes) >= 3 else None


def size_of(entry: dict[str, Any]) -> tuple[int, int] | None:
    """Width and height that the list says of a picture."""
    width, height = entry.get("width"), entry.get("height")
    return (width, height) if isinstance(width, int) and isinstance(height, int) else None


def listed_slots(listing: dict[str, Any]) -> dict[str, dict[str, str | None]]:
    """Material by mesh and slot as the package list says it."""
    meshes = listing.get("meshes", {})
    if not isinstance(meshes, dict):
        return {}
    return {
        name: dict(entry.get("slots", {}))
        for name, entry in meshes.items()
        if isinstance(entry, dict)
    }
