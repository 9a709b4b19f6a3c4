"""The files of a package: listed, found, decoded, with other libraries than those that wrote
them.
"""

from __future__ import annotations

import hashlib
import io
import json
import struct
import tempfile
import threading
import zlib
from collections import OrderedDict
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR
from numpy.typing import NDArray
from PIL import Image as Pillow

from ektopos.base.errors import InvalidDocument
from ektopos.base.types import Json
from ektopos.trial.engine.basis import is_basis, read_basis
from ektopos.trial.engine.ktx2 import SIGNATURE, read_ktx2
from ektopos.trial.engine.package import NOTHING, Picture, Texture

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


def read_listing(package: Path) -> Json:
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
    """The package's files: found and hashed at once, decoded when they are looked at."""

    def __init__(self, package: Path, listing: Json) -> None:
        self.root = package.resolve()
        entries = listing.get("files", [])
        self.listed = {
            e["path"]: e for e in entries if isinstance(e, dict) and isinstance(e.get("path"), str)
        }
        self._textures: dict[str, Texture] = {}
        self._decoded = _Decoded()

    def find(self, name: str) -> Path | None:
        """A file of the package; nothing outside it."""
        path = (self.root / name).resolve()
        return path if path.is_relative_to(self.root) and path.is_file() else None

    def is_edited(self, name: str, raw: bytes) -> bool:
        """Whether a file with these bytes is not the one that the list has the hash of."""
        listed = self.listed.get(name, {}).get("sha256")
        return listed is not None and hashlib.sha256(raw).hexdigest() != listed

    def inside(
        self,
        name: str,
        raw: bytes | memoryview | None,
        listed: str | None,
        size: tuple[int, int] | None,
    ) -> Texture:
        """A texture that lies inside a container."""
        if raw is None:
            return missing(name, size)
        held: bytes | memoryview = raw
        hashed = cache(lambda: hashlib.sha256(held).hexdigest())
        return Texture(
            name,
            lambda: self._decoded.get(hashed(), lambda: bytes(held)),
            hashed,
            listed,
            size,
            bytes(raw[: len(SIGNATURE)]) == SIGNATURE,
        )

    def texture(self, name: str) -> Texture:
        """A texture file."""
        if name not in self._textures:
            self._textures[name] = self._file(name)
        return self._textures[name]

    def _file(self, name: str) -> Texture:
        path, entry = self.find(name), self.listed.get(name, {})
        if path is None:
            return missing(name, size_of(entry))
        with path.open("rb") as file:
            says = file.read(len(SIGNATURE)) == SIGNATURE
        hashed = cache(lambda: hashlib.sha256(path.read_bytes()).hexdigest())
        return Texture(
            name,
            lambda: self._decoded.get(f"file {name}", path.read_bytes),
            hashed,
            entry.get("sha256"),
            size_of(entry),
            says,
        )


def missing(name: str, size: tuple[int, int] | None = None) -> Texture:
    """A texture that is not there."""
    return Texture(name, lambda: NOTHING, None, listed_size=size)


class _Decoded:
    """Pictures that are decoded: files by their names, what lies in containers by content, for
    several may hold the same. The longest unused are forgotten beyond a limit."""

    def __init__(self, limit: int = 512 * 2**20) -> None:
        self._limit = limit
        self._kept: OrderedDict[str, Picture] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: str, read: Callable[[], bytes]) -> Picture:
        """A picture, decoded from the bytes that `read` gives if it is not here."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        picture = decode_picture(read())
        with self._lock:
            self._kept[key] = picture
            while len(self._kept) > 1 and sum(map(_bytes_of, self._kept.values())) > self._limit:
                self._kept.popitem(last=False)
        return picture


def _bytes_of(picture: Picture) -> int:
    return sum(level.nbytes for level in picture.levels)


def decode_picture(raw: bytes) -> Picture:
    """A picture from its bytes; without levels where it cannot be read."""
    pixels = None
    if raw.startswith(SIGNATURE):
        try:
            levels, is_srgb, codec = read_basis(raw) if is_basis(raw) else (*read_ktx2(raw), "")
        except (ValueError, struct.error, zlib.error):
            return NOTHING
        return Picture(tuple(levels), codec, is_srgb)
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
        return NOTHING
    if pixels.ndim == 2:
        pixels = np.repeat(pixels[..., None], 3, axis=2)
    elif pixels.shape[2] >= 3:
        pixels = cv2.cvtColor(
            pixels, cv2.COLOR_BGR2RGB if pixels.shape[2] == 3 else cv2.COLOR_BGRA2RGBA
        )
    return Picture((pixels,), "JPEG" if raw.startswith(_JPEG) else "")


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


def size_of(entry: Json) -> tuple[int, int] | None:
    """Width and height that the list says of a picture."""
    width, height = entry.get("width"), entry.get("height")
    return (width, height) if isinstance(width, int) and isinstance(height, int) else None


def listed_slots(listing: Json) -> dict[str, dict[str, str | None]]:
    """Material by mesh and slot as the package list says it."""
    meshes = listing.get("meshes", {})
    if not isinstance(meshes, dict):
        return {}
    return {
        name: dict(entry.get("slots", {}))
        for name, entry in meshes.items()
        if isinstance(entry, dict)
    }
