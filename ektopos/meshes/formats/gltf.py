"""Read glTF 2.0 geometry as it is drawn: node transforms, instances, skins in their bind pose,
morph targets at their default weights.

The JSON is read here rather than through a scene library, because slots, vertex counts and faults
must be those of the file and not of a merged or cleaned scene. Source: glTF 2.0 specification,
sections 3.5 to 3.7; EXT_mesh_gpu_instancing.
"""

from __future__ import annotations

import json
import os
import re
import struct
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from ektopos.base.errors import UnreadableFile
from ektopos.base.names import LONGEST, shortened, unique_names
from ektopos.base.types import MAX_INSTANCES, MAX_UV_SETS, Json
from ektopos.meshes.formats.gltf_accessors import DRACO, FLOAT, Accessors, Find, read_buffers
from ektopos.meshes.formats.gltf_scaled_nodes import scaled_nodes
from ektopos.meshes.mesh import Mesh, Node
from ektopos.meshes.mesh_builder import (
    MAX_TRIANGLES,
    Part,
    cofactor,
    join_parts,
    not_unit,
    unit_normals,
    with_alpha,
)
from ektopos.sandbox import sandboxed

_READ_EXTENSIONS = {
    DRACO,
    "EXT_mesh_gpu_instancing",
    "KHR_mesh_quantization",
    "KHR_texture_transform",
    "KHR_materials_emissive_strength",
}
_MESHOPT = "EXT_meshopt_compression"
_INSTANCING = "EXT_mesh_gpu_instancing"
_KNOWN_COMPRESSION = (_MESHOPT, "KHR_meshopt_compression")
GLTF_SUFFIXES = (".glb", ".gltf")
MAX_DEPTH = 256

Matrix = NDArray[np.float64]


@dataclass(frozen=True)
class Drawn:
    """A mesh as one node draws it."""

    node: Json
    matrix: Matrix
    """To the world, `(4, 4)`; of a skinned mesh its joints' count instead."""
    joints: NDArray[np.float64] | None = None
    """`(j, 4, 4)`: what each joint of the skin does to a vertex in its bind pose."""


def read_gltf(path: Path, find: Find, name: str) -> Mesh:
    """A mesh from a `.glb` or `.gltf` file. Raises `UnreadableFile`, or `ValueError` and its kin
    for damage."""
    gltf, binary = load_gltf(path, name)
    required = set(gltf.get("extensionsRequired", []))
    _refuse_compression(gltf, name)
    _check_tree(gltf)
    _check_counts(gltf)
    accessors = Accessors(gltf, read_buffers(gltf, binary, find, name))
    slots = [str(m.get("name") or f"slot_{i}") for i, m in enumerate(gltf.get("materials", []))]
    parts: list[Part] = []
    notes = [f"needs {e}, which is not applied" for e in sorted(required - _READ_EXTENSIONS)]
    bare: int | None = None
    for drawn in drawn_nodes(gltf, accessors):
        for primitive in gltf["meshes"][drawn.node["mesh"]].get("primitives", []):
            material = primitive.get("material")
            if material is None:
                if bare is None:
                    bare = len(slots)
                    slots.append(f"slot_{bare}")
                material = bare
            part = _part(accessors, primitive, drawn, material)
            if part is None:
                notes.append("points or lines are in it, and left out")
            else:
                parts.append(part)
    if not parts:
        raise UnreadableFile(
            "there are no triangles in it.",
            subject=name,
            hint="Export it with its faces; point clouds and lines cannot have materials.",
        )
    notes += _brings(gltf)
    nodes = tuple(_scaled_nodes(gltf))
    names = unique_names(slots)
    mesh = join_parts(Path(name).stem, parts, names, nodes, tuple(dict.fromkeys(notes)))
    materials = gltf.get("materials", [])
    two_sided = tuple(
        slot for slot, m in zip(names, materials, strict=False) if m.get("doubleSided") is True
    )
    return replace(mesh, two_sided=two_sided)


def _refuse_compression(gltf: Json, name: str) -> None:
    """Raises `UnreadableFile` for compression that is not decoded, unless the file calls it
    optional and has its data without it too."""
    required = set(gltf.get("extensionsRequired", []))
    named = required & set(_KNOWN_COMPRESSION)
    buffers = gltf.get("buffers", [])
    packed = {
        extension
        for view in gltf.get("bufferViews", [])
        for extension in view.get("extensions", {})
        if extension in _KNOWN_COMPRESSION and _is_placeholder(buffers, view, extension)
    }
    for extension in sorted(named | packed):
        raise UnreadableFile(
            f"its geometry is compressed with {extension}.",
            subject=name,
            hint="Export it without compression, or with Draco.",
        )


def _is_placeholder(buffers: list[Json], view: Json, extension: str) -> bool:
    """Whether a compressed view has no data but the compressed one: its buffer is only claimed.
    Source: EXT_meshopt_compression, “Fallback buffers”."""
    number = view.get("buffer", 0)
    buffer = buffers[number] if isinstance(number, int) and number < len(buffers) else {}
    if buffer.get("extensions", {}).get(extension, {}).get("fallback"):
        return "uri" not in buffer and number > 0
    return False


def _brings(gltf: Json) -> list[str]:
    """What of the file is measured otherwise than it may be seen, in plain words; all else that it
    holds is in its scene."""
    contents = []
    if gltf.get("skins"):
        contents.append("it has a skeleton, and is measured in its bind pose")
    if any("targets" in p for m in gltf.get("meshes", []) for p in m.get("primitives", [])):
        contents.append("it has morph targets, and is measured with their default weights")
    if len(gltf.get("scenes", [])) > 1:
        shown = gltf["scenes"][gltf.get("scene", 0)].get("name") or f"scene {gltf.get('scene', 0)}"
        contents.append(f"it has {len(gltf['scenes'])} scenes; {shown} is shown")
    return contents


@sandboxed
def load_gltf(path: Path, name: str) -> tuple[Json, bytes | None]:
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
        if length > len(raw) or length < 20:
            raise UnreadableFile(
                f"the file breaks off: {len(raw)} of {length} bytes are there.",
                subject=name,
                hint="Copy it again.",
            )
        text, binary = _chunks(raw[:length], name)
    else:
        text = raw
    try:
        gltf = json.loads(text.decode("utf-8-sig"))
    except ValueError:
        raise UnreadableFile(
            "this is not a glTF file.", subject=name, hint="Export it again."
        ) from None
    version = gltf.get("asset", {}).get("version") if isinstance(gltf, dict) else None
    if not isinstance(version, str) or not version.startswith("2."):
        raise UnreadableFile(
            "this is not a glTF 2.0 file.", subject=name, hint="Export it as glTF 2.0."
        )
    if _LONG_NAME.search(text):
        _shorten_names(gltf)
    return gltf, binary


_LONG_NAME = re.compile(rb'"name"\s*:\s*"[^"]{%d}' % LONGEST)
FULL_NAME = "full_name"
"""Where the extras of something keep a name that was too long."""


def _shorten_names(part: Any) -> None:
    """Shorten every name in a glTF document. What is named keeps its whole name in its extras."""
    if isinstance(part, list):
        for inner in part:
            _shorten_names(inner)
    if not isinstance(part, dict):
        return
    name = part.get("name")
    if isinstance(name, str) and len(name) > LONGEST:
        part["name"] = shortened(name)
        extras = part.setdefault("extras", {})
        if isinstance(extras, dict):
            extras.setdefault(FULL_NAME, name)
    for key, inner in part.items():
        if key != "extras":
            _shorten_names(inner)


def _chunks(raw: bytes, name: str) -> tuple[bytes, bytes | None]:
    """The JSON and the binary chunk of a GLB. Source: glTF 2.0, section 4.4.3."""
    chunks: dict[bytes, bytes] = {}
    place = 12
    while place + 8 <= len(raw):
        size, kind = struct.unpack_from("<I4s", raw, place)
        if place + 8 + size > len(raw):
            raise UnreadableFile(
                "the file breaks off within a chunk.", subject=name, hint="Copy it again."
            )
        chunks.setdefault(kind, raw[place + 8 : place + 8 + size])
        place += 8 + size
    return chunks.get(b"JSON", b""), chunks.get(b"BIN\0")


def gltf_companions(path: Path) -> list[str]:
    """Relative paths of the buffers and images that a `.gltf` refers to."""
    gltf, _ = load_gltf(path, path.name)
    uris = [entry.get("uri") for key in ("buffers", "images") for entry in gltf.get(key, [])]
    return [unquote(uri) for uri in uris if isinstance(uri, str) and ":" not in uri]


def local_matrix(node: Json) -> NDArray[np.float64]:
    """A node's own matrix `(4, 4)`. Source: glTF 2.0, 3.5.2: translation · rotation · scale.

    For column vectors in metres.
    """
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


def _roots(gltf: Json) -> list[int]:
    scenes, nodes = gltf.get("scenes", []), gltf.get("nodes", [])
    if scenes:
        return list(scenes[gltf.get("scene", 0)].get("nodes", []))
    below = {child for node in nodes for child in node.get("children", [])}
    return [i for i in range(len(nodes)) if i not in below]


def _check_tree(gltf: Json) -> None:
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


def _check_counts(gltf: Json) -> None:
    """Raises `ValueError` where more triangles are drawn than can be held, before any is made."""
    accessors = gltf.get("accessors", [])

    def triangles(primitive: Json) -> int:
        which = primitive.get("indices", primitive.get("attributes", {}).get("POSITION"))
        corners = int(accessors[which]["count"]) if which is not None else 0
        return corners // 3 if primitive.get("mode", 4) == 4 else corners

    draws = sum(_instance_count(gltf, n) for n in gltf.get("nodes", []) if "mesh" in n)
    if draws > MAX_INSTANCES:
        raise ValueError(f"{draws:,} meshes are drawn; at most {MAX_INSTANCES:,} are")
    of_mesh = [sum(map(triangles, mesh.get("primitives", []))) for mesh in gltf.get("meshes", [])]
    drawn = sum(
        of_mesh[node["mesh"]] * _instance_count(gltf, node)
        for node in gltf.get("nodes", [])
        if "mesh" in node
    )
    if max(drawn, *of_mesh, 0) > MAX_TRIANGLES:
        raise ValueError(
            f"{max(drawn, *of_mesh):,} triangles are drawn; at most {MAX_TRIANGLES:,} can be held"
        )


def _instance_count(gltf: Json, node: Json) -> int:
    given = node.get("extensions", {}).get(_INSTANCING, {}).get("attributes", {})
    counts = [int(gltf["accessors"][index]["count"]) for index in given.values()]
    if len(set(counts)) > 1 or max(counts, default=0) > MAX_INSTANCES:
        raise ValueError("its instances do not agree, or are too many")
    return counts[0] if counts else 1


def drawn_nodes(gltf: Json, accessors: Accessors) -> Iterator[Drawn]:
    """Everything that the file's scene draws: every node with a mesh, each of its instances; a file
    without nodes draws each mesh once."""
    nodes = gltf.get("nodes", [])
    if not nodes:
        yield from (Drawn({"mesh": i}, np.eye(4)) for i in range(len(gltf.get("meshes", []))))
        return
    world = _world_matrices(gltf)
    for index, _ in node_order(gltf):
        node = nodes[index]
        if "mesh" not in node:
            continue
        if "skin" in node and _is_skinned(gltf["meshes"][node["mesh"]]):
            yield Drawn(node, np.eye(4), _joint_matrices(gltf, accessors, node["skin"], world))
        else:
            for matrix in _instances(node, accessors):
                yield Drawn(node, world[index] @ matrix)


def drawn_parts(gltf: Json, accessors: Accessors) -> Iterator[tuple[Drawn, tuple[int, int], Json]]:
    """Every primitive of triangles that is drawn, in the order of the mesh's triangles: by what
    node, which mesh and primitive it is, and the primitive."""
    for drawn in drawn_nodes(gltf, accessors):
        number = drawn.node["mesh"]
        for place, primitive in enumerate(gltf["meshes"][number].get("primitives", [])):
            if _has_triangles(primitive):
                yield drawn, (number, place), primitive


def _has_triangles(primitive: Json) -> bool:
    """Whether a primitive is of triangles that stand somewhere. Source: glTF 2.0, 3.7.2.1."""
    return primitive.get("mode", 4) in (4, 5, 6) and "POSITION" in primitive["attributes"]


def node_order(gltf: Json) -> Iterator[tuple[int, int]]:
    """The nodes of the file's scene and how deep each lies, parents before children, in the order
    of the file. Raises `ValueError` where they go round."""
    waiting = [(root, 0) for root in reversed(_roots(gltf))]
    while waiting:
        index, depth = waiting.pop()
        if depth > MAX_DEPTH:
            raise ValueError("its nodes go round in a circle")
        yield index, depth
        children = gltf["nodes"][index].get("children", [])
        waiting += [(child, depth + 1) for child in reversed(children)]


def _world_matrices(gltf: Json) -> list[Matrix]:
    """The matrix of every node to the world, whether a scene shows it or not: joints may lie
    outside."""
    nodes = gltf["nodes"]
    worlds: list[Matrix | None] = [None] * len(nodes)
    below = {child for node in nodes for child in node.get("children", [])}
    waiting = [(i, np.eye(4), 0) for i in range(len(nodes)) if i not in below]
    while waiting:
        index, above, depth = waiting.pop()
        if depth > MAX_DEPTH:
            raise ValueError("its nodes lie too deep")
        matrix = above @ local_matrix(nodes[index])
        worlds[index] = matrix
        waiting += [(child, matrix, depth + 1) for child in nodes[index].get("children", [])]
    if any(matrix is None for matrix in worlds):
        raise ValueError("its nodes go round in a circle")
    return [matrix for matrix in worlds if matrix is not None]


def _is_skinned(mesh: Json) -> bool:
    return any("JOINTS_0" in part.get("attributes", {}) for part in mesh.get("primitives", []))


def _joint_matrices(
    gltf: Json, accessors: Accessors, skin: int, world: list[Matrix]
) -> NDArray[np.float64]:
    """What each joint does to a vertex, `(j, 4, 4)`: its own transform after the inverse of its
    bind pose. The transform of the skinned node does not count. Source: glTF 2.0, 3.7.3.3."""
    entry = gltf["skins"][skin]
    joints = np.stack([world[joint] for joint in entry["joints"]])
    if "inverseBindMatrices" not in entry:
        return joints
    stored = accessors.values(entry["inverseBindMatrices"])[: len(joints)]
    # Matrices are stored by columns.
    return np.asarray(joints @ stored.reshape(-1, 4, 4).transpose(0, 2, 1))


def _instances(node: Json, accessors: Accessors) -> Iterator[Matrix]:
    """The matrices of a node's instances within it; itself without any. Source:
    EXT_mesh_gpu_instancing."""
    given = node.get("extensions", {}).get(_INSTANCING, {}).get("attributes", {})
    columns = {
        key: accessors.values(given[name])
        for key, name in (
            ("translation", "TRANSLATION"),
            ("rotation", "ROTATION"),
            ("scale", "SCALE"),
        )
        if name in given
    }
    if not columns:
        yield np.eye(4)
        return
    for number in range(len(next(iter(columns.values())))):
        yield local_matrix({key: values[number] for key, values in columns.items()})


def _scaled_nodes(gltf: Json) -> Iterator[Node]:
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
    held = scaled_nodes(gltf)
    for index, node in enumerate(nodes):
        if index in carries:
            axes = local_matrix(node)[:3, :3]
            x, y, z = (float(length) for length in np.linalg.norm(axes, axis=0))
            yield Node(
                str(node.get("name") or f"node_{index}"),
                (x, y, z),
                bool(np.linalg.det(axes) < 0),
                index in held,
            )


def _part(accessors: Accessors, primitive: Json, drawn: Drawn, slot: int) -> Part | None:
    """The triangles of a primitive as a node draws them; `None` for points and lines."""
    if not _has_triangles(primitive):
        return None
    mode = primitive.get("mode", 4)
    attributes = accessors.attributes(primitive)
    positions = attributes["POSITION"][:, :3]
    count = len(positions)
    stored = attributes["NORMAL"][:, :3] if "NORMAL" in attributes else None
    mesh = accessors.gltf["meshes"][drawn.node["mesh"]] if "mesh" in drawn.node else {}
    weights = drawn.node.get("weights", mesh.get("weights", []))
    for target, weight in zip(primitive.get("targets", []), weights, strict=False):
        if weight and "POSITION" in target:
            positions = positions + weight * accessors.values(target["POSITION"])
        if weight and "NORMAL" in target and stored is not None:
            stored = stored + weight * accessors.values(target["NORMAL"])
    if not np.isfinite(positions).all():
        raise ValueError("a position is not a number")
    triangles = triangles_of(accessors.corners(primitive, count), mode)
    unnormalised = np.zeros(count, bool)
    if stored is not None:
        unnormalised = not_unit(stored)
    if drawn.joints is not None:
        world, turned, flipped = _skinned(positions, stored, attributes, drawn.joints)
        inside_out = flipped[triangles[:, 0]] if len(triangles) else np.zeros(0, bool)
        triangles[inside_out] = triangles[inside_out, ::-1]
    else:
        axes = drawn.matrix[:3, :3]
        world = positions @ axes.T + drawn.matrix[:3, 3]
        turned = None if stored is None else stored @ cofactor(axes).T
        if np.linalg.det(axes) < 0:
            triangles = triangles[:, ::-1]
    normals = np.zeros((count, 3)) if turned is None else unit_normals(turned)
    uvs = np.full((count, 2), np.nan)
    if "TEXCOORD_0" in attributes:
        uvs = _meant_uvs(accessors.gltf, primitive, attributes["TEXCOORD_0"][:, :2])
    uv_sets = sum(key.startswith("TEXCOORD_") for key in attributes)
    further = [f"TEXCOORD_{number}" for number in range(1, min(uv_sets, MAX_UV_SETS))]
    more_uvs = tuple(attributes[key][:, :2] for key in further if key in attributes)
    colours = with_alpha(attributes["COLOR_0"]) if "COLOR_0" in attributes else None
    return Part(slot, world, triangles, normals, uvs, colours, unnormalised, uv_sets, more_uvs)


_Skinned = tuple[NDArray[np.float64], NDArray[np.float64] | None, NDArray[np.bool_]]
_AT_ONCE = 32_768
"""Vertices that are skinned at once: their matrices stay in a core's own cache."""


def _skinned(
    positions: NDArray[np.float64],
    normals: NDArray[np.float64] | None,
    attributes: dict[str, NDArray[np.float64]],
    joints: NDArray[np.float64],
) -> _Skinned:
    """Vertices and normals where a skin puts them, and which are turned inside out.

    A vertex stands at Σ weight · joint · inverse bind matrix · vertex. Source: glTF 2.0, 3.7.3.3.
    Cost: linear in the influences, shared by the cores.
    """

    def block(start: int) -> _Skinned:
        those = slice(start, start + _AT_ONCE)
        own = {key: attributes[key][those] for key in attributes if key[:6] in ("JOINTS", "WEIGHT")}
        return _skinned_block(
            positions[those], None if normals is None else normals[those], own, joints
        )

    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        blocks = list(pool.map(block, range(0, max(1, len(positions)), _AT_ONCE)))
    turned = [one[1] for one in blocks if one[1] is not None]
    return (
        np.concatenate([one[0] for one in blocks]),
        np.concatenate(turned) if turned else None,
        np.concatenate([one[2] for one in blocks]),
    )


def _skinned_block(
    positions: NDArray[np.float64],
    normals: NDArray[np.float64] | None,
    attributes: dict[str, NDArray[np.float64]],
    joints: NDArray[np.float64],
) -> _Skinned:
    m = influenced(attributes, joints[:, :3, :].reshape(-1, 12)).reshape(3, 4, -1)
    x, y, z, moved = (m[:, column] for column in range(4))
    px, py, pz = np.ascontiguousarray(positions.T)
    placed = np.stack([x[i] * px + y[i] * py + z[i] * pz + moved[i] for i in range(3)], axis=1)
    across = _crossed(y, z)
    flipped = sum(x[i] * across[i] for i in range(3)) < 0
    if normals is None:
        return placed, None, flipped
    nx, ny, nz = np.ascontiguousarray(normals.T) * np.where(flipped, -1.0, 1.0)
    second, third = _crossed(z, x), _crossed(x, y)
    turned = [across[i] * nx + second[i] * ny + third[i] * nz for i in range(3)]
    return placed, np.stack(turned, axis=1), flipped


def influenced(
    attributes: dict[str, NDArray[np.float64]], numbers: NDArray[np.float64]
) -> NDArray[np.float64]:
    """By vertex, the sum of its joints' numbers `(j, m)` by their weights, `(m, n)`: a plane for
    every number, which is several times as fast to go on with as rows. Raises `ValueError` where a
    vertex hangs on a joint that is not there."""
    # Imported here, because it takes longer than most commands do, and most meshes need none.
    from scipy.sparse import csr_matrix

    weights, which = [], []
    for number in range(len(attributes)):
        if f"JOINTS_{number}" not in attributes:
            break
        weights.append(attributes[f"WEIGHTS_{number}"])
        which.append(attributes[f"JOINTS_{number}"].astype(np.int32))
    weight, joint = np.concatenate(weights, axis=1), np.concatenate(which, axis=1)
    joint[weight == 0] = 0
    if joint.size and (joint.min() < 0 or joint.max() >= len(numbers)):
        raise ValueError("a vertex hangs on a joint that is not there")
    count, most = weight.shape
    starts = np.arange(0, count * most + 1, most)
    parts = (weight.reshape(-1), joint.reshape(-1), starts)
    summing = csr_matrix(parts, shape=(count, len(numbers)))
    return np.stack([summing @ column for column in np.ascontiguousarray(numbers.T)])


def _crossed(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    """Cross products of vectors by their planes, `(3, n)`."""
    turns = ((1, 2), (2, 0), (0, 1))
    return np.stack([a[two] * b[three] - a[three] * b[two] for two, three in turns])


def _meant_uvs(gltf: Json, primitive: Json, uvs: NDArray[np.float64]) -> NDArray[np.float64]:
    """UVs as textures are looked up: where they are stored as integers, the material's own
    transform brings them back to 0–1."""
    if is_quantised(gltf, primitive):
        moved = shared_transform(gltf, primitive.get("material"))
        scale, offset = moved.get("scale", (1.0, 1.0)), moved.get("offset", (0.0, 0.0))
        return np.asarray(uvs * np.array(scale) + np.array(offset))
    return uvs


def is_quantised(gltf: Json, primitive: Json) -> bool:
    """Whether a primitive's UVs are integers that a material's transform scales."""
    index = primitive.get("attributes", {}).get("TEXCOORD_0")
    return (
        index is not None
        and gltf["accessors"][index].get("componentType", FLOAT) != FLOAT
        and bool(shared_transform(gltf, primitive.get("material")))
    )


def shared_transform(gltf: Json, material: int | None) -> Json:
    """The scale and offset that all textures of a material share; empty where they differ, or
    turn."""
    if material is None:
        return {}
    transforms = [
        info.get("extensions", {}).get("KHR_texture_transform", {})
        for info in texture_infos(gltf["materials"][material])
    ]
    alike = bool(transforms) and all(one == transforms[0] for one in transforms)
    return dict(transforms[0]) if alike and not transforms[0].get("rotation") else {}


def texture_infos(material: Json) -> Iterator[Json]:
    """Every reference to a texture in a material, those in its extensions too."""
    for key, value in material.items():
        if key.endswith("Texture") and isinstance(value, dict) and "index" in value:
            yield value
        elif isinstance(value, dict) and key != "extras":
            yield from texture_infos(value)


def triangles_of(corners: NDArray[np.int64], mode: int) -> NDArray[np.int64]:
    """The triangles `(t, 3)` of running corners: apart (4), as a strip (5), as a fan (6). Source:
    glTF 2.0, 3.7.2.1.

    `corners` `(n,)` are numbers of vertices.
    """
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
