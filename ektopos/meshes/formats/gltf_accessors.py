"""Read the numbers of a glTF file: accessors of every kind, buffers, and geometry that is
compressed with Draco. Source: glTF 2.0, section 3.6; KHR_draco_mesh_compression."""

from __future__ import annotations

import base64
from collections.abc import Callable
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from ektopos.base.errors import UnreadableFile
from ektopos.base.types import Json

_COMPONENT = {
    5120: np.int8,
    5121: np.uint8,
    5122: np.int16,
    5123: np.uint16,
    5125: np.uint32,
    5126: np.float32,
}
_WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
FLOAT = 5126
MAX_ZEROS = 65536
DRACO = "KHR_draco_mesh_compression"

Find = Callable[[str], Path | None]
Values = NDArray[np.float64]


class Accessors:
    """The numbers of one file, decoded as they are asked for."""

    def __init__(self, gltf: Json, buffers: list[bytes]) -> None:
        self.gltf, self.buffers = gltf, buffers
        self._draco: dict[int, Any] = {}

    def read(self, index: int) -> NDArray[Any]:
        """An accessor's elements, `(count, width)`, normalised integers as values. Raises
        `ValueError` and its kin for damage. Source: glTF 2.0, 3.6.2."""
        return read_accessor(self.gltf, self.buffers, index)

    def stored(self, index: int) -> NDArray[Any]:
        """The same as the file stores them."""
        return _stored(self.gltf, self.buffers, index)

    def stored_attributes(self, primitive: Json) -> dict[str, NDArray[Any]]:
        """The attributes of a primitive as the file stores them, decompressed where they are
        compressed."""
        names: dict[str, int] = primitive["attributes"]
        packed = self._packed(primitive)
        if packed is None:
            return {name: self.stored(index) for name, index in names.items()}
        mesh = self._decompressed(packed)
        stored = {}
        for name, index in names.items():
            identity = packed["attributes"].get(name)
            if identity is None:
                stored[name] = self.stored(index)
                continue
            kind = _COMPONENT[self.gltf["accessors"][index]["componentType"]]
            stored[name] = np.asarray(mesh.get_attribute_by_unique_id(identity)["data"]).astype(
                kind
            )
        return stored

    def values(self, index: int) -> Values:
        """The same in double precision."""
        return self.read(index).astype(np.float64)

    def attributes(self, primitive: Json) -> dict[str, Values]:
        """The attributes of a primitive by their names, decompressed where they are compressed."""
        names: dict[str, int] = primitive["attributes"]
        values = {name: self.values(index) for name, index in names.items() if name != "POSITION"}
        packed = self._packed(primitive)
        if packed is None:
            return {"POSITION": self.values(names["POSITION"])} | values
        mesh = self._decompressed(packed)
        for name, identity in packed["attributes"].items():
            stored = np.asarray(mesh.get_attribute_by_unique_id(identity)["data"])
            values[name] = self._scaled(stored, names[name])
        return values

    def corners(self, primitive: Json, count: int) -> NDArray[np.int64]:
        """The vertex numbers of a primitive with `count` vertices, in their running order. Raises
        `ValueError` where one points beyond them."""
        packed = self._packed(primitive)
        if packed is not None:
            corners = np.asarray(self._decompressed(packed).faces).reshape(-1).astype(np.int64)
        elif "indices" in primitive:
            corners = self.read(primitive["indices"])[:, 0].astype(np.int64)
        else:
            corners = np.arange(count, dtype=np.int64)
        if corners.size and (corners.min() < 0 or corners.max() >= count):
            raise ValueError("an index points beyond the vertices")
        return corners

    def _packed(self, primitive: Json) -> Json | None:
        """The Draco data of a primitive, or nothing where the file also stores it plainly. Source:
        KHR_draco_mesh_compression: a file that does not require it carries both."""
        packed: Json | None = primitive.get("extensions", {}).get(DRACO)
        if packed is None or DRACO in self.gltf.get("extensionsRequired", []):
            return packed
        needed = [*primitive["attributes"].values()]
        needed += [primitive["indices"]] if "indices" in primitive else []
        plain = all("bufferView" in self.gltf["accessors"][index] for index in needed)
        return None if plain else packed

    def _decompressed(self, packed: Json) -> Any:
        import DracoPy  # loaded for the files that need it

        view = packed["bufferView"]
        if view not in self._draco:
            content = view_bytes(self.gltf, self.buffers, view)
            try:
                self._draco[view] = DracoPy.decode(content)
            except Exception as problem:
                raise ValueError(f"its Draco data cannot be decoded ({problem})") from None
        return self._draco[view]

    def _scaled(self, stored: NDArray[Any], index: int) -> Values:
        normalized = self.gltf["accessors"][index].get("normalized", False)
        return _as_values(stored, normalized).astype(np.float64)


def read_accessor(gltf: Json, buffers: list[bytes], index: int) -> NDArray[Any]:
    """An accessor's elements, `(count, width)`, normalised integers as values. Raises `ValueError`
    and its kin for damage. Source: glTF 2.0, 3.6.2."""
    elements = _stored(gltf, buffers, index)
    return _as_values(elements, gltf["accessors"][index].get("normalized", False))


def _stored(gltf: Json, buffers: list[bytes], index: int) -> NDArray[Any]:
    """An accessor's elements as they are stored."""
    accessor = gltf["accessors"][index]
    component = np.dtype(_COMPONENT[accessor["componentType"]]).newbyteorder("<")
    width, count = _WIDTH[accessor["type"]], int(accessor["count"])
    if "bufferView" in accessor:
        elements = _view(
            gltf,
            buffers,
            accessor["bufferView"],
            accessor.get("byteOffset", 0),
            component,
            width,
            count,
        )
    else:
        # Zeros need no bytes, so nothing but the rest of the file bounds how many are credible.
        if count > MAX_ZEROS + sum(map(len, buffers)):
            raise ValueError(f"an accessor claims {count:,} elements and has no data")
        elements = np.zeros((count, width), component)
    if "sparse" in accessor:
        sparse = accessor["sparse"]
        at, put = sparse["indices"], sparse["values"]
        kind = np.dtype(_COMPONENT[at["componentType"]]).newbyteorder("<")
        where = _view(
            gltf, buffers, at["bufferView"], at.get("byteOffset", 0), kind, 1, sparse["count"]
        )[:, 0]
        elements = elements.copy()
        elements[where] = _view(
            gltf,
            buffers,
            put["bufferView"],
            put.get("byteOffset", 0),
            component,
            width,
            sparse["count"],
        )
    return elements


def _as_values(elements: NDArray[Any], normalized: bool) -> NDArray[Any]:
    """Normalised integers as 0–1 or −1–1. Source: glTF 2.0, 3.11: f = max(c / 127, −1) and so
    on."""
    if not normalized or not np.issubdtype(elements.dtype, np.integer):
        return elements
    return np.maximum(elements.astype(np.float64) / np.iinfo(elements.dtype).max, -1.0)


def _view(
    gltf: Json,
    buffers: list[bytes],
    view: int,
    offset: int,
    kind: np.dtype[Any],
    width: int,
    count: int,
) -> NDArray[Any]:
    data, start, length = _place(gltf, buffers, view)
    size = kind.itemsize * width
    stride = gltf["bufferViews"][view].get("byteStride") or size
    if count and (offset < 0 or offset + stride * (count - 1) + size > length):
        raise ValueError("an accessor reaches beyond its buffer view")
    if not count:
        return np.zeros((0, width), kind)
    return np.ndarray((count, width), kind, data, start + offset, (stride, kind.itemsize))


def view_bytes(gltf: Json, buffers: list[bytes], view: int) -> bytes:
    """The bytes of a buffer view. Raises `ValueError` where it reaches beyond its buffer."""
    data, start, length = _place(gltf, buffers, view)
    return data[start : start + length]


def _place(gltf: Json, buffers: list[bytes], view: int) -> tuple[bytes, int, int]:
    """The buffer of a view, where the view begins in it, and how long it is."""
    place = gltf["bufferViews"][view]
    data: bytes = buffers[place["buffer"]]
    start, length = int(place.get("byteOffset", 0)), int(place["byteLength"])
    if start < 0 or length < 0 or start + length > len(data):
        raise ValueError("a buffer view reaches beyond its buffer")
    return data, start, length


def read_buffers(gltf: Json, binary: bytes | None, find: Find, name: str) -> list[bytes]:
    """Every buffer of a file. Raises `UnreadableFile` for one that is missing or too short."""
    buffers = []
    for index, entry in enumerate(gltf.get("buffers", [])):
        content = _buffer(entry, index, binary, find, name)
        if len(content) < int(entry.get("byteLength", 0)):
            raise UnreadableFile(
                f"its buffer {index} breaks off: {len(content)} of {entry['byteLength']} bytes "
                "are there.",
                subject=name,
                hint="Copy it again.",
            )
        buffers.append(content)
    return buffers


def _buffer(entry: Json, index: int, binary: bytes | None, find: Find, name: str) -> bytes:
    uri = entry.get("uri")
    if uri is None:
        if "EXT_meshopt_compression" in entry.get("extensions", {}):
            return bytes(int(entry.get("byteLength", 0)))
        if index or binary is None:
            raise UnreadableFile(
                f"its buffer {index} is missing.", subject=name, hint="Export it again."
            )
        return binary
    if uri.startswith("data:"):
        return base64.b64decode(uri.partition(",")[2])
    path = None if ":" in uri else find(unquote(uri))
    if path is None:
        raise UnreadableFile(
            f"it needs the file {unquote(uri)}, which is not beside it.",
            subject=name,
            hint="Import both together.",
        )
    return path.read_bytes()
