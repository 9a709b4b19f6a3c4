"""Scales of a glTF's nodes, applied: nodes keep where they are and how they are turned, and what
they draw is as large as it was. Source: glTF 2.0, sections 3.5 and 3.7."""

from __future__ import annotations

import copy
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Json
from ektopos.base.vectors import normalise
from ektopos.meshes.formats.gltf import local_matrix, triangles_of
from ektopos.meshes.formats.gltf_accessors import DRACO, Accessors
from ektopos.meshes.formats.gltf_scaled_nodes import scaled_nodes

if TYPE_CHECKING:
    from ektopos.meshes.formats.gltf_passthrough import Original

Matrix = NDArray[np.float64]
_FLOAT, _UINT = 5126, 5125
SAME = 1e-9
"""How far numbers may be off and still be the same matrix."""


def apply_scales(original: Original) -> Original:
    """The file with the scale of every node that can do without it in the geometry below. What is
    drawn stays the same, triangle by triangle."""
    return replace(original, **_Applied(original.gltf, original.buffers).done())


class _Applied:
    """One file while its scales are applied."""

    def __init__(self, source: Json, buffers: list[bytes]) -> None:
        self.source, self.buffers = source, buffers
        self.accessors = Accessors(source, buffers)
        self.gltf = copy.deepcopy(source)
        self.added = bytearray()

    def done(self) -> Json:
        gltf, nodes = self.gltf, self.gltf.get("nodes", [])
        held = scaled_nodes(gltf)
        below = {child for node in nodes for child in node.get("children", [])}
        waiting = [(i, np.eye(3)) for i in range(len(nodes)) if i not in below | held]
        drawn: list[tuple[Json, Matrix]] = []
        while waiting:
            index, pending = waiting.pop()
            node = nodes[index]
            pending = _without_scale(node, pending)
            if "mesh" in node:
                drawn.append((node, pending))
            waiting += [(child, pending) for child in node.get("children", [])]
        taken = {node["mesh"] for i, node in enumerate(nodes) if i in held and "mesh" in node}
        made: dict[tuple[int, bytes], int] = {}
        for node, matrix in sorted(drawn, key=lambda pair: _is_identity(pair[1]), reverse=True):
            node["mesh"] = self._mesh(node["mesh"], matrix, taken, made)
        if not self.added:
            return {"gltf": gltf}
        gltf["buffers"] = [*gltf.get("buffers", []), {"byteLength": len(self.added)}]
        return {"gltf": gltf, "buffers": [*self.buffers, bytes(self.added)]}

    def _mesh(
        self, number: int, matrix: Matrix, taken: set[int], made: dict[tuple[int, bytes], int]
    ) -> int:
        """The mesh that holds another's geometry by a matrix: itself for the first of its kind, a
        copy for others."""
        key = number, np.round(matrix / SAME).astype(np.int64).tobytes()
        if key in made:
            return made[key]
        made[key] = number
        meshes = self.gltf["meshes"]
        if _is_identity(matrix):
            taken.add(number)
            return number
        entry = copy.deepcopy(self.source["meshes"][number])
        entry["primitives"] = [self._primitive(p, matrix) for p in entry.get("primitives", [])]
        if number in taken:
            meshes.append(entry)
            made[key] = len(meshes) - 1
        else:
            taken.add(number)
            meshes[number] = entry
        return made[key]

    def _primitive(self, primitive: Json, matrix: Matrix) -> Json:
        values = self.accessors.attributes(primitive)
        count = len(values["POSITION"])
        mirrored = float(np.linalg.det(matrix)) < 0
        packed = DRACO in primitive.get("extensions", {})
        if mirrored or packed:
            corners = self.accessors.corners(primitive, count)
            primitive["indices"] = self._accessor(
                _wound(corners, primitive.get("mode", 4), mirrored)[:, None], "SCALAR", _UINT
            )
        if mirrored and primitive.get("mode", 4) in (4, 5, 6):
            primitive["mode"] = 4
        if packed:
            stored = self.accessors.stored_attributes(primitive)
            for name, index in primitive["attributes"].items():
                like = self.source["accessors"][index]
                primitive["attributes"][name] = self._stored(stored[name], like)
            del primitive["extensions"][DRACO]
        given = primitive["attributes"]
        given["POSITION"] = self._accessor(values["POSITION"][:, :3] @ matrix.T, "VEC3")
        if "NORMAL" in given:
            # Source: normals turn by the inverse transpose; its sign is that of the determinant.
            turned = normalise(values["NORMAL"][:, :3] @ np.linalg.inv(matrix))
            given["NORMAL"] = self._accessor(turned, "VEC3")
        if "TANGENT" in given:
            along = normalise(values["TANGENT"][:, :3] @ matrix.T)
            sign = values["TANGENT"][:, 3:] * (-1.0 if mirrored else 1.0)
            given["TANGENT"] = self._accessor(np.concatenate([along, sign], axis=1), "VEC4")
        return primitive

    def _accessor(self, values: NDArray[Any], kind: str, component: int = _FLOAT) -> int:
        plain = values.astype("<f4" if component == _FLOAT else "<u4")
        entry: Json = {"componentType": component, "type": kind}
        if kind == "VEC3":
            entry |= {"min": plain.min(axis=0).tolist(), "max": plain.max(axis=0).tolist()}
        return self._add(plain.tobytes(), entry, len(plain))

    def _stored(self, values: NDArray[Any], like: Json) -> int:
        kept = ("componentType", "type", "normalized", "min", "max", "name")
        entry = {key: like[key] for key in kept if key in like}
        return self._add(np.ascontiguousarray(values).tobytes(), entry, len(values))

    def _add(self, content: bytes, entry: Json, count: int) -> int:
        gltf = self.gltf
        self.added += bytes(-len(self.added) % 4)
        view = {
            "buffer": len(self.buffers),
            "byteOffset": len(self.added),
            "byteLength": len(content),
        }
        self.added += content
        gltf["bufferViews"] = [*gltf.get("bufferViews", []), view]
        gltf["accessors"].append(
            entry | {"bufferView": len(gltf["bufferViews"]) - 1, "count": count}
        )
        return len(gltf["accessors"]) - 1


def _wound(corners: NDArray[np.int64], mode: int, mirrored: bool) -> NDArray[np.int64]:
    """Vertex numbers in their running order, of single triangles and the other way round where they
    are mirrored."""
    if not mirrored or mode not in (4, 5, 6):
        return corners
    return triangles_of(corners, mode)[:, ::-1].reshape(-1)


def _is_identity(matrix: Matrix) -> bool:
    return bool(np.abs(matrix - np.eye(3)).max() <= SAME)


def _without_scale(node: Json, pending: Matrix) -> Matrix:
    """Take the scale out of a node below geometry that is still to be changed by `pending`; what is
    to be done to its own geometry, and below it."""
    local = local_matrix(node)
    axes, place = local[:3, :3], pending @ local[:3, 3]
    turn = local_matrix({"rotation": node.get("rotation", (0, 0, 0, 1))})[:3, :3]
    if "matrix" in node:
        # The turn that is nearest to it. Source: the polar decomposition, by singular values.
        left, _, right = np.linalg.svd(axes)
        turn = left @ np.diag([1.0, 1.0, np.sign(np.linalg.det(left @ right))]) @ right
        del node["matrix"]
        node["rotation"] = _quaternion(turn)
    node.pop("scale", None)
    if np.abs(place).max() > 0:
        node["translation"] = place.tolist()
    return np.asarray(turn.T @ pending @ axes)


def _quaternion(turn: Matrix) -> list[float]:
    from scipy.spatial.transform import Rotation

    return [float(value) for value in Rotation.from_matrix(turn).as_quat()]
