"""Write glTF 2.0: geometry by slot, with whatever materials, textures and images the caller
brings.
"""

from __future__ import annotations

import json
import struct
from collections.abc import Container, Mapping
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ektopos import __version__
from ektopos.base.types import Json
from ektopos.meshes.mesh import Mesh, with_normals

ARRAY, ELEMENT = 34962, 34963
_COMPONENT = {"float32": 5126, "uint16": 5123, "uint32": 5125}


class Binary:
    """The buffer of a glTF file while it grows; offsets are multiples of 4."""

    def __init__(self) -> None:
        self.chunks: list[bytes] = []
        self.size = 0
        self.views: list[Json] = []

    def add(self, content: bytes, target: int | None = None) -> int:
        """Append bytes as a buffer view and give its number."""
        view: Json = {"buffer": 0, "byteOffset": self.size, "byteLength": len(content)}
        if target:
            view["target"] = target
        self.views.append(view)
        padded = content + b"\0" * (-len(content) % 4)
        self.chunks.append(padded)
        self.size += len(padded)
        return len(self.views) - 1

    def content(self) -> bytes:
        """All bytes so far."""
        return b"".join(self.chunks)


def build_gltf(
    meshes: Mapping[str, Mesh],
    material_of: Mapping[str, Mapping[str, int | None]],
    *,
    colours: Container[str] = (),
) -> tuple[Json, Binary]:
    """glTF JSON and buffer of meshes, one node each, one primitive a slot that has triangles;
    vertex colours only of the meshes in `colours`. The objects of a mesh stay nodes below its own.

    `material_of` gives, by mesh and slot, the number of the material in the list that the caller
    will add. A primitive's `extras.slot` keeps its slot's name. Normals that the source lacks are
    made from its faces; tangents are not written.
    """
    binary = Binary()
    accessors = _WrittenAccessors(binary)
    gltf_meshes: list[Json] = []
    nodes: list[Json] = []
    roots: list[int] = []
    for name, mesh in meshes.items():
        mesh = with_normals(mesh)
        primitives_of: dict[int, list[Json]] = {}
        for part, (number, slot) in product(
            range(max(1, len(mesh.objects))), enumerate(mesh.slots)
        ):
            drawn = mesh.triangle_slot == number
            if mesh.triangle_object is not None:
                drawn &= mesh.triangle_object == part
            if not drawn.any():
                continue
            primitive = _primitive(mesh, drawn, accessors, coloured=name in colours)
            primitive["extras"] = {"slot": slot}
            material = material_of.get(name, {}).get(slot)
            if material is not None:
                primitive["material"] = material
            primitives_of.setdefault(part, []).append(primitive)
        if primitives_of:
            roots.append(len(nodes))
            children = [len(nodes) + 1 + place for place in range(len(primitives_of))]
            if mesh.objects:
                nodes.append({"name": name, "children": children})
        for part, primitives in primitives_of.items():
            called = mesh.objects[part] or name if mesh.objects else name
            nodes.append({"name": called, "mesh": len(gltf_meshes)})
            gltf_meshes.append({"name": name, "primitives": primitives})
    gltf: Json = {
        "asset": {"version": "2.0", "generator": f"ektopos {__version__}"},
        "scene": 0,
    }
    gltf["scenes"] = [{"nodes": roots}] if nodes else [{}]
    if nodes:
        gltf |= {"nodes": nodes, "meshes": gltf_meshes, "accessors": accessors.entries}
    return gltf, binary


class _WrittenAccessors:
    """Accessors as they are written, and the buffer that holds their values."""

    def __init__(self, binary: Binary) -> None:
        self.binary = binary
        self.entries: list[Json] = []

    def add(
        self, values: np.ndarray[Any, Any], kind: str, target: int, *, bounds: bool = False
    ) -> int:
        """The number of a new accessor of these values."""
        values = np.ascontiguousarray(values)
        entry: Json = {
            "bufferView": self.binary.add(values.tobytes(), target),
            "componentType": _COMPONENT[str(values.dtype)],
            "count": len(values),
            "type": kind,
        }
        if bounds:
            entry |= {"min": values.min(axis=0).tolist(), "max": values.max(axis=0).tolist()}
        self.entries.append(entry)
        return len(self.entries) - 1


def _primitive(
    mesh: Mesh, drawn: NDArray[np.bool_], accessors: _WrittenAccessors, *, coloured: bool
) -> Json:
    """The triangles `drawn` `(t,)` of a mesh that has normals, with the vertices that they use."""
    used, corners = np.unique(mesh.triangles[drawn], return_inverse=True)
    positions, normals = mesh.positions[used].astype("<f4"), mesh.normals[used].astype("<f4")
    attributes = {
        "POSITION": accessors.add(positions, "VEC3", ARRAY, bounds=True),
        "NORMAL": accessors.add(normals, "VEC3", ARRAY),
    }
    if mesh.has_uv[used].any():
        for number, uvs in enumerate((mesh.uvs, *mesh.more_uvs)):
            # Sets are numbered without gaps. Source: glTF 2.0, 3.7.2.1.
            filled = np.nan_to_num(uvs[used]).astype("<f4")
            attributes[f"TEXCOORD_{number}"] = accessors.add(filled, "VEC2", ARRAY)
    if coloured and mesh.coloured[used].any():
        tints = np.where(mesh.coloured[used][:, None], mesh.colours[used], 1.0)
        attributes["COLOR_0"] = accessors.add(tints.astype("<f4"), "VEC4", ARRAY)
    width = "<u2" if len(used) < 65535 else "<u4"
    indices = accessors.add(corners.reshape(-1).astype(width), "SCALAR", ELEMENT)
    return {"attributes": attributes, "indices": indices}


def finish(gltf: Json, binary: Binary, uri: str | None = None) -> Json:
    """The glTF with its buffer views and its one buffer declared."""
    if not binary.size:
        return gltf
    buffer: Json = {"byteLength": binary.size}
    if uri:
        buffer["uri"] = uri
    return gltf | {"bufferViews": binary.views, "buffers": [buffer]}


def pack_glb(gltf: Json, binary: Binary) -> bytes:
    """A GLB file. Source: glTF 2.0, section 4.4."""
    text = json.dumps(finish(gltf, binary), separators=(",", ":"), ensure_ascii=False).encode()
    text += b" " * (-len(text) % 4)
    content = binary.content()
    chunks = struct.pack("<I4s", len(text), b"JSON") + text
    if content:
        chunks += struct.pack("<I4s", len(content), b"BIN\0") + content
    return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks
