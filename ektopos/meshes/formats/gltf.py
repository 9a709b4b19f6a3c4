"""Read glTF 2.0 geometry: accessors of every kind, node transforms, instances.

The JSON is read here rather than through a scene library, because slots, vertex counts and faults
must be those of the file and not of a merged or cleaned scene. Source: glTF 2.0 specification,
sections 3.5 to 3.7.
"""

from __future__ import annotations

import base64
import json
import struct
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from ektopos.errors import UnreadableFile
from ektopos.meshes.mesh import Mesh, Node
from ektopos.meshes.parts import Part, cofactor, join_parts, unique_names, unit_normals, with_alpha

_COMPONENT = {
    5120: np.int8,
    5121: np.uint8,
    5122: np.int16,
    5123: np.uint16,
    5125: np.uint32,
    5126: np.float32,
}
_WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_READ_EXTENSIONS = {
    "KHR_mesh_quantization",
    "KHR_texture_transform",
    "KHR_materials_emissive_strength",
}
_COMPRESSED = ("KHR_draco_mesh_compression", "EXT_meshopt_compression")
MAX_DEPTH = 256
MAX_TRIANGLES = 10_000_000
"""Of all instances together; a million take about 1 GB while they are measured."""
MAX_ZEROS = 65536

Find = Callable[[str], Path | None]


def read_gltf(path: Path, find: Find, name: str) -> Mesh:
    """A mesh from a `.glb` or `.gltf` file. Raises `UnreadableFile`, or `ValueError` and its kin
    for damage."""
    gltf, binary = load_gltf(path, name)
    required = set(gltf.get("extensionsRequired", []))
    compressed = sorted(required & set(_COMPRESSED))
    if compressed:
        raise UnreadableFile(
            f"its geometry is compressed with {compressed[0]}.",
            subject=name,
            hint="Export it without compression.",
        )
    _check_tree(gltf)
    _check_counts(gltf)
    buffers = [_buffer(gltf, i, binary, find, name) for i in range(len(gltf.get("buffers", [])))]
    slots = [str(m.get("name") or f"slot_{i}") for i, m in enumerate(gltf.get("materials", []))]
    parts: list[Part] = []
    nodes: list[Node] = []
    notes = [f"needs {e}, which is not applied" for e in sorted(required - _READ_EXTENSIONS)]
    bare: int | None = None
    for node, matrix in _drawn_nodes(gltf):
        for primitive in gltf["meshes"][node["mesh"]].get("primitives", []):
            material = primitive.get("material")
            if material is None:
                if bare is None:
                    bare = len(slots)
                    slots.append(f"slot_{bare}")
                material = bare
            part = _part(gltf, buffers, primitive, matrix, material)
            if part is None:
                notes.append("points or lines are in it, and left out")
            else:
                parts.append(part)
    nodes = list(_scaled_nodes(gltf))
    if gltf.get("skins"):
        notes.append("it has a skeleton, and is read at rest")
    if any("targets" in p for m in gltf.get("meshes", []) for p in m.get("primitives", [])):
        notes.append("it has morph targets, and is read without them")
    if gltf.get("animations"):
        notes.append(f"it has {len(gltf['animations'])} animations, which are left out")
    return join_parts(
        Path(name).stem, parts, unique_names(slots), tuple(nodes), tuple(dict.fromkeys(notes))
    )


def load_gltf(path: Path, name: str) -> tuple[dict[str, Any], bytes | None]:
    """The JSON of a glTF file and the binary chunk of a GLB. Raises `UnreadableFile`. Source: glTF
    2.0, section 4.4."""
    raw = path.read_bytes()
    binary: bytes | None = None
    if raw[:4] == b"glTF":
        if len(raw) < 20:
            raise UnreadableFile("the file breaks off.", subject=name, hint="Export it again.")
        version, length = struct.unpack_from("<II", raw, 4)
        if version != 2:
            raise UnreadableFile(
                f"this is glTF {version}, only 2.0 is read.",
                subject=name,
                hint="Export it as glTF 2.0.",
            )
        if length > len(raw):
            raise UnreadableFile(
                f"the file breaks off: {len(raw)} of {length} bytes are there.",
                subject=name,
                hint="Copy it again.",
            )
        size, _ = struct.unpack_from("<II", raw, 12)
        text, rest = raw[20 : 20 + size], 20 + size
        if rest + 8 <= len(raw):
            chunk, kind = struct.unpack_from("<I4s", raw, rest)
            binary = raw[rest + 8 : rest + 8 + chunk] if kind == b"BIN\0" else None
    else:
        text = raw
    try:
        gltf = json.loads(text)
    except ValueError:
        raise UnreadableFile(
            "this is not a glTF file.", subject=name, hint="Export it again."
        ) from None
    version = gltf.get("asset", {}).get("version") if isinstance(gltf, dict) else None
    if not isinstance(version, str) or not version.startswith("2."):
        raise UnreadableFile(
            "this is not a glTF 2.0 file.", subject=name, hint="Export it as glTF 2.0."
        )
    return gltf, binary


def gltf_companions(path: Path) -> list[str]:
    """Relative paths of the buffers and images that a `.gltf` refers to."""
    gltf, _ = load_gltf(path, path.name)
    uris = [entry.get("uri") for key in ("buffers", "images") for entry in gltf.get(key, [])]
    return [unquote(uri) for uri in uris if isinstance(uri, str) and ":" not in uri]


def read_accessor(gltf: dict[str, Any], buffers: list[bytes], index: int) -> NDArray[Any]:
    """An accessor's elements, `(count, width)`, normalised integers as values. Source: glTF 2.0,
    3.6.2."""
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
    if accessor.get("normalized") and np.issubdtype(elements.dtype, np.integer):
        # Source: glTF 2.0, 3.11: f = max(c / 127, −1) and so on.
        return np.maximum(elements.astype(np.float64) / np.iinfo(elements.dtype).max, -1.0)
    return elements


def _view(
    gltf: dict[str, Any],
    buffers: list[bytes],
    view: int,
    offset: int,
    kind: np.dtype[Any],
    width: int,
    count: int,
) -> NDArray[Any]:
    place = gltf["bufferViews"][view]
    start = place.get("byteOffset", 0) + offset
    size = kind.itemsize * width
    stride = place.get("byteStride") or size
    data = buffers[place["buffer"]]
    if count and (start < 0 or start + stride * (count - 1) + size > len(data)):
        raise ValueError("an accessor reaches beyond its buffer")
    if not count:
        return np.zeros((0, width), kind)
    return np.ndarray((count, width), kind, data, start, (stride, kind.itemsize))


def _buffer(gltf: dict[str, Any], index: int, binary: bytes | None, find: Find, name: str) -> bytes:
    entry = gltf["buffers"][index]
    uri = entry.get("uri")
    if uri is None:
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
            hint="Bring both in together.",
        )
    return path.read_bytes()


def _local_matrix(node: dict[str, Any]) -> NDArray[np.float64]:
    if "matrix" in node:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    x, y, z, w = np.array(node.get("rotation", (0, 0, 0, 1)), np.float64)
    matrix = np.eye(4)
    matrix[:3, :3] = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    ) * np.array(node.get("scale", (1, 1, 1)), np.float64)
    matrix[:3, 3] = node.get("translation", (0, 0, 0))
    return matrix


def _roots(gltf: dict[str, Any]) -> list[int]:
    scenes, nodes = gltf.get("scenes", []), gltf.get("nodes", [])
    if scenes:
        return list(scenes[gltf.get("scene", 0)].get("nodes", []))
    below = {child for node in nodes for child in node.get("children", [])}
    return [i for i in range(len(nodes)) if i not in below]


def _check_tree(gltf: dict[str, Any]) -> None:
    """Raises `ValueError` unless nodes form trees: with two parents a few hundred bytes can draw a
    mesh 2^60 times.

    Source: glTF 2.0, 3.5.2: “the node hierarchy MUST be a set of disjoint strict trees”.
    """
    nodes = gltf.get("nodes", [])
    below = [child for node in nodes for child in node.get("children", [])]
    if len(set(below)) != len(below):
        raise ValueError("a node has two parents")
    for scene in gltf.get("scenes", []):
        roots = scene.get("nodes", [])
        if len(set(roots)) != len(roots) or set(roots) & set(below):
            raise ValueError("a scene names a node twice")


def _check_counts(gltf: dict[str, Any]) -> None:
    """Raises `ValueError` where more triangles are drawn than can be held, before any is made."""
    accessors = gltf.get("accessors", [])

    def triangles(primitive: dict[str, Any]) -> int:
        which = primitive.get("indices", primitive.get("attributes", {}).get("POSITION"))
        corners = int(accessors[which]["count"]) if which is not None else 0
        return corners // 3 if primitive.get("mode", 4) == 4 else corners

    of_mesh = [sum(map(triangles, mesh.get("primitives", []))) for mesh in gltf.get("meshes", [])]
    drawn = sum(of_mesh[node["mesh"]] for node in gltf.get("nodes", []) if "mesh" in node)
    if max(drawn, *of_mesh, 0) > MAX_TRIANGLES:
        raise ValueError(
            f"{max(drawn, *of_mesh):,} triangles are drawn; at most {MAX_TRIANGLES:,} can be held"
        )


def _drawn_nodes(gltf: dict[str, Any]) -> Iterator[tuple[dict[str, Any], NDArray[np.float64]]]:
    """Every node with a mesh and its matrix to the world; a file without nodes draws each mesh
    once."""
    nodes = gltf.get("nodes", [])
    if not nodes:
        yield from (({"mesh": i}, np.eye(4)) for i in range(len(gltf.get("meshes", []))))
        return
    waiting = [(root, np.eye(4), 0) for root in reversed(_roots(gltf))]
    while waiting:
        index, above, depth = waiting.pop()
        if depth > MAX_DEPTH:
            raise ValueError("its nodes go round in a circle")
        node = nodes[index]
        matrix = above @ _local_matrix(node)
        if "mesh" in node:
            # A skinned mesh is placed by its joints; at rest that is where its vertices already
            # are.
            yield node, np.eye(4) if "skin" in node else matrix
        waiting += [(child, matrix, depth + 1) for child in reversed(node.get("children", []))]


def _scaled_nodes(gltf: dict[str, Any]) -> Iterator[Node]:
    nodes = gltf.get("nodes", [])
    parent = {
        child: index for index, node in enumerate(nodes) for child in node.get("children", [])
    }
    carries: set[int] = set()
    for index, node in enumerate(nodes):
        above: int | None = index if "mesh" in node else None
        while above is not None and above not in carries:
            carries.add(above)
            above = parent.get(above)
    for index, node in enumerate(nodes):
        if index in carries:
            axes = _local_matrix(node)[:3, :3]
            x, y, z = (float(length) for length in np.linalg.norm(axes, axis=0))
            yield Node(
                str(node.get("name") or f"node_{index}"), (x, y, z), bool(np.linalg.det(axes) < 0)
            )


def _part(
    gltf: dict[str, Any],
    buffers: list[bytes],
    primitive: dict[str, Any],
    matrix: NDArray[np.float64],
    slot: int,
) -> Part | None:
    attributes = primitive["attributes"]
    mode = primitive.get("mode", 4)
    if mode not in (4, 5, 6) or "POSITION" not in attributes:
        return None
    positions = read_accessor(gltf, buffers, attributes["POSITION"]).astype(np.float64)[:, :3]
    count = len(positions)
    if not np.isfinite(positions).all():
        raise ValueError("a position is not a number")
    if "indices" in primitive:
        corners = read_accessor(gltf, buffers, primitive["indices"])[:, 0].astype(np.int64)
    else:
        corners = np.arange(count, dtype=np.int64)
    if corners.size and (corners.min() < 0 or corners.max() >= count):
        raise ValueError("an index points beyond the vertices")
    triangles = _triangles(corners, mode)
    axes = matrix[:3, :3]
    if np.linalg.det(axes) < 0:
        triangles = triangles[:, ::-1]
    normals = np.zeros((count, 3))
    unnormalised = np.zeros(count, bool)
    if "NORMAL" in attributes:
        stored = read_accessor(gltf, buffers, attributes["NORMAL"]).astype(np.float64)[:, :3]
        _, unnormalised = unit_normals(stored)
        normals, _ = unit_normals(stored @ cofactor(axes).T)
    uvs = np.full((count, 2), np.nan)
    if "TEXCOORD_0" in attributes:
        uvs = read_accessor(gltf, buffers, attributes["TEXCOORD_0"]).astype(np.float64)[:, :2]
    uv_sets = sum(key.startswith("TEXCOORD_") for key in attributes)
    world = positions @ axes.T + matrix[:3, 3]
    colours = None
    if "COLOR_0" in attributes:
        colours = with_alpha(read_accessor(gltf, buffers, attributes["COLOR_0"]).astype(np.float64))
    return Part(slot, world, triangles, normals, uvs, colours, unnormalised, uv_sets)


def _triangles(corners: NDArray[np.int64], mode: int) -> NDArray[np.int64]:
    if mode == 4:
        return corners[: len(corners) // 3 * 3].reshape(-1, 3)
    count = max(0, len(corners) - 2)
    i = np.arange(count)
    if mode == 6:
        return np.stack(
            [np.broadcast_to(corners[:1], count), corners[i + 1], corners[i + 2]], axis=1
        )
    odd = i % 2
    return np.stack([corners[i], corners[i + 1 + odd], corners[i + 2 - odd]], axis=1)
