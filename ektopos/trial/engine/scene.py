"""What a glTF file draws and holds, as the stand-in engine sees it: triangles in the world by mesh
and slot, and the scene. Written apart from the core's own reader, so that one mistake cannot hide
in both. Source: glTF 2.0, sections 3.5 to 3.11; EXT_mesh_gpu_instancing.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Json
from ektopos.trial.engine.package import Drawn, ImportedScene, ImportedTriangles, Slots, joint_mark

Matrix = NDArray[np.float64]
SAMPLES = 10
"""Times that an animation is looked at."""
_KINDS = {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_PARTS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
INSTANCING = "EXT_mesh_gpu_instancing"


MAX_DRAWS, MAX_DEPTH, MAX_TRIANGLES = 10_000, 256, 10_000_000
"""What the engine draws at the most, and how deep its nodes lie: more was made to keep it busy."""


class File:
    """A glTF file with its buffers. Raises `ValueError` for one of more than the engine draws."""

    def __init__(self, gltf: Json, buffers: list[bytes]) -> None:
        self.gltf, self.buffers = gltf, buffers
        self.nodes: list[Json] = gltf.get("nodes", [])
        self.parent = {c: i for i, n in enumerate(self.nodes) for c in n.get("children", [])}
        self._check_depth()
        self._check_draws()

    def _check_depth(self) -> None:
        level = [node for node in range(len(self.nodes)) if node not in self.parent]
        for _ in range(MAX_DEPTH):
            level = [child for node in level for child in self.nodes[node].get("children", [])]
            if len(level) > len(self.nodes):
                break
            if not level:
                return
        raise ValueError(f"its nodes go round, or lie more than {MAX_DEPTH} deep")

    def _check_draws(self) -> None:
        draws = triangles = 0
        for node in self.nodes:
            if "mesh" in node:
                times = self._instance_count(node)
                draws += times
                triangles += times * self._triangle_count(self.gltf["meshes"][node["mesh"]])
        if draws > MAX_DRAWS or triangles > MAX_TRIANGLES:
            raise ValueError(
                f"it draws {draws:,} meshes of {triangles:,} triangles; {MAX_DRAWS:,} and "
                f"{MAX_TRIANGLES:,} are the most"
            )

    def _instance_count(self, node: Json) -> int:
        given = node.get("extensions", {}).get(INSTANCING, {}).get("attributes", {})
        return max([int(self.gltf["accessors"][index]["count"]) for index in given.values()] or [1])

    def _triangle_count(self, mesh: Json) -> int:
        """At the most."""
        which = [
            p["indices"] if "indices" in p else p["attributes"].get("POSITION")
            for p in mesh.get("primitives", [])
        ]
        return sum(int(self.gltf["accessors"][i]["count"]) // 3 for i in which if i is not None)

    def numbers(self, index: int) -> NDArray[np.float64]:
        """An accessor's elements `(count, parts)`; normalised integers as values."""
        accessor = self.gltf["accessors"][index]
        numbers = self._elements(accessor, accessor["count"], _PARTS[accessor["type"]])
        if "sparse" in accessor:
            few = accessor["sparse"]
            where = self._elements(few["indices"], few["count"], 1)[:, 0].astype(np.int64)
            put = few["values"] | {"componentType": accessor["componentType"]}
            numbers[where] = self._elements(put, few["count"], numbers.shape[1])
        if accessor.get("normalized") and accessor["componentType"] != 5126:
            largest = float(np.iinfo(np.dtype(_KINDS[accessor["componentType"]])).max)
            numbers = np.maximum(numbers / largest, -1.0)
        return numbers

    def _elements(self, said: Json, count: int, parts: int) -> NDArray[np.float64]:
        if "bufferView" not in said:
            return np.zeros((count, parts))
        view = self.gltf["bufferViews"][said["bufferView"]]
        kind = np.dtype(_KINDS[said["componentType"]])
        start = view.get("byteOffset", 0) + said.get("byteOffset", 0)
        step = view.get("byteStride") or kind.itemsize * parts
        raw = np.frombuffer(self.buffers[view["buffer"]], np.uint8)
        if count and start + step * (count - 1) + kind.itemsize * parts > len(raw):
            raise ValueError("an accessor reaches beyond its buffer")
        rows = np.lib.stride_tricks.as_strided(
            raw[start:], (count, kind.itemsize * parts), (step, 1), writeable=False
        )
        return np.ascontiguousarray(rows).view(kind).reshape(count, parts).astype(np.float64)

    def name(self, node: int) -> str:
        """A node's own name."""
        return str(self.nodes[node].get("name") or f"node {node}")

    def path(self, node: int) -> str:
        """The names from the root to a node."""
        names = [self.name(node)]
        while node in self.parent and len(names) < 1000:
            node = self.parent[node]
            names.append(self.name(node))
        return "/".join(reversed(names))

    def local(self, node: int) -> Matrix:
        """A node's own matrix."""
        raw = self.nodes[node]
        if "matrix" in raw:
            return np.array(raw["matrix"], np.float64).reshape(4, 4).T
        return _composed(
            raw.get("translation", [0, 0, 0]),
            raw.get("rotation", [0, 0, 0, 1]),
            raw.get("scale", [1, 1, 1]),
        )

    def world(self, node: int) -> Matrix:
        """A node's matrix to the world."""
        matrix = self.local(node)
        for _ in range(1000):
            if node not in self.parent:
                return matrix
            node = self.parent[node]
            matrix = self.local(node) @ matrix
        raise ValueError("its nodes go round in a circle")

    def shown(self) -> list[int]:
        """The nodes that the file's scene shows; none where it names none."""
        scenes = self.gltf.get("scenes", [])
        if not scenes:
            return []
        waiting = list(reversed(scenes[self.gltf.get("scene", 0)].get("nodes", [])))
        shown: list[int] = []
        while waiting and len(shown) <= len(self.nodes):
            node = waiting.pop()
            shown.append(node)
            waiting += reversed(self.nodes[node].get("children", []))
        return shown


def drawn_triangles(file: File, owner: str, materials: list[str]) -> tuple[Slots, Drawn]:
    """Material by mesh and slot, and the triangles of each slot in the world, every instance
    counted. `owner` names the mesh for a file that holds one; else meshes go by their own names."""
    slots: Slots = {}
    pieces: dict[tuple[str, str], list[ImportedTriangles]] = {}
    for node in file.shown():
        raw = file.nodes[node]
        if "mesh" not in raw:
            continue
        mesh = file.gltf["meshes"][raw["mesh"]]
        name = owner or str(mesh.get("name") or f"mesh_{raw['mesh']}")
        for primitive in mesh.get("primitives", []):
            if (
                primitive.get("mode", 4) not in (4, 5, 6)
                or "POSITION" not in primitive["attributes"]
            ):
                continue
            number = primitive.get("material")
            material = None if number is None else materials[number]
            marked = primitive.get("extras")
            slot = (marked.get("slot") if isinstance(marked, dict) else None) or material
            slot = str(slot or f"slot_{len(slots.get(name, {}))}")
            slots.setdefault(name, {})[slot] = material
            pieces.setdefault((name, slot), []).extend(_placed(file, node, mesh, primitive))
    return slots, {key: joined(parts) for key, parts in pieces.items()}


def _placed(file: File, node: int, mesh: Json, primitive: Json) -> Iterator[ImportedTriangles]:
    """A primitive as a node draws it, once for each instance."""
    values = {name: file.numbers(index) for name, index in primitive["attributes"].items()}
    raw = file.nodes[node]
    weights: list[float] = raw.get("weights") or mesh.get("weights") or []
    for target, weight in zip(primitive.get("targets", []), weights, strict=False):
        for name in ("POSITION", "NORMAL"):
            if weight and name in target and name in values:
                values[name] = values[name] + weight * file.numbers(target[name])
    corners = _corners(file, primitive, len(values["POSITION"]))
    uvs = {
        int(name.removeprefix("TEXCOORD_")): stored[corners].astype(np.float32)
        for name, stored in values.items()
        if name.startswith("TEXCOORD_")
    }
    colours = values.get("COLOR_0")
    if colours is not None and colours.shape[1] == 3:
        colours = np.column_stack([colours, np.ones(len(colours))])
    influences = None
    placings: Iterator[Matrix] | list[Matrix]
    if "skin" in raw and "JOINTS_0" in values:
        blended, influences = _bound(file, raw["skin"], values)
        placings = [blended]
    else:
        placings = (file.world(node) @ one for one in _instances(file, raw))
    for placing in placings:
        axes, moved = placing[..., :3, :3], placing[..., :3, 3]
        world = _turned(axes, values["POSITION"]) + moved
        inside_out = np.linalg.det(axes) < 0
        flips = (
            inside_out[corners[:, :1]] if axes.ndim == 3 else np.full((len(corners), 1), inside_out)
        )
        order = np.where(flips, corners[:, ::-1], corners)
        normals = tangents = None
        if "NORMAL" in values:
            upright = np.linalg.inv(axes) if _is_sound(axes) else axes
            normals = _unit(_turned(np.swapaxes(upright, -1, -2), values["NORMAL"]))
        if "TANGENT" in values:
            along = _unit(_turned(axes, values["TANGENT"][:, :3]))
            tangents = np.column_stack([along, values["TANGENT"][:, 3]])
        yield ImportedTriangles(
            world[order],
            None if normals is None else normals[order],
            {k: np.where(flips[..., None], v[:, ::-1], v) for k, v in uvs.items()},
            None if colours is None else colours[order].astype(np.float32),
            None if tangents is None else tangents[order],
            None if influences is None else influences[order],
        )


def _turned(axes: Matrix, vectors: NDArray[np.float64]) -> NDArray[np.float64]:
    """Vectors `(n, 3)` under one matrix, or under one each."""
    if axes.ndim == 2:
        return np.asarray(vectors @ axes.T)
    return np.asarray(np.einsum("nij,nj->ni", axes, vectors))


def _is_sound(axes: Matrix) -> bool:
    return bool((np.abs(np.linalg.det(axes)) > 1e-30).all())


def _unit(vectors: NDArray[np.float64]) -> NDArray[np.float64]:
    length = np.linalg.norm(vectors, axis=-1, keepdims=True)
    return np.asarray(vectors / np.maximum(length, 1e-30))


def _corners(file: File, primitive: Json, count: int) -> NDArray[np.int64]:
    """The triangles `(t, 3)` of a primitive. Source: glTF 2.0, 3.7.2.1."""
    if "indices" in primitive:
        run = file.numbers(primitive["indices"])[:, 0].astype(np.int64)
    else:
        run = np.arange(count)
    if run.size and (run.max() >= count or run.min() < 0):
        raise ValueError("an index points beyond the vertices")
    mode = primitive.get("mode", 4)
    if mode == 4:
        return run[: len(run) // 3 * 3].reshape(-1, 3)
    number = np.arange(max(0, len(run) - 2))
    if mode == 6:
        return np.stack([np.full(len(number), run[0]), run[number + 1], run[number + 2]], axis=1)
    odd = number % 2
    return np.stack([run[number], run[number + 1 + odd], run[number + 2 - odd]], axis=1)


def _bound(
    file: File, skin: int, values: dict[str, NDArray[np.float64]]
) -> tuple[Matrix, NDArray[np.float64]]:
    """By vertex, the blended matrix of its joints, and the marks of their names. Source: glTF 2.0,
    3.7.3.3."""
    raw = file.gltf["skins"][skin]
    joints = [file.world(joint) for joint in raw["joints"]]
    if "inverseBindMatrices" in raw:
        stored = file.numbers(raw["inverseBindMatrices"]).reshape(-1, 4, 4)
        joints = [one @ bind.T for one, bind in zip(joints, stored, strict=False)]
    moved = np.stack(joints)
    marks = np.stack([joint_mark(file.name(joint)) for joint in raw["joints"]])
    count = len(values["POSITION"])
    blended, marked = np.zeros((count, 4, 4)), np.zeros((count, 4))
    for number in range(8):
        if f"JOINTS_{number}" not in values:
            break
        for column in range(4):
            which = values[f"JOINTS_{number}"][:, column].astype(np.int64)
            weight = values[f"WEIGHTS_{number}"][:, column]
            used = weight != 0
            blended[used] += weight[used, None, None] * moved[which[used]]
            marked[used] += weight[used, None] * marks[which[used]]
    return blended, marked


def _instances(file: File, node: Json) -> Iterator[Matrix]:
    given = node.get("extensions", {}).get(INSTANCING, {}).get("attributes", {})
    columns = {name: file.numbers(index) for name, index in given.items()}
    count = len(next(iter(columns.values()))) if columns else 1
    for number in range(count):
        part = {name: values[number] for name, values in columns.items()}
        yield _composed(
            part.get("TRANSLATION", (0, 0, 0)),
            part.get("ROTATION", (0, 0, 0, 1)),
            part.get("SCALE", (1, 1, 1)),
        )


def _composed(translation: Any, rotation: Any, scale: Any) -> Matrix:
    """Translation · rotation · scale."""
    x, y, z, w = (float(v) for v in rotation)
    matrix = np.eye(4)
    turn = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    matrix[:3, :3] = np.array(turn) @ np.diag([float(v) for v in scale])
    matrix[:3, 3] = translation
    return matrix


def joined(parts: list[ImportedTriangles]) -> ImportedTriangles:
    """Triangles one after the other. What some of them lack stands as an engine takes it: flat
    normals, white, no tangents, no joints."""

    def all_of(found: list[Any], plain: list[Any]) -> Any:
        if all(one is None for one in found):
            return None
        pairs = zip(found, plain, strict=True)
        return np.concatenate([other if one is None else one for one, other in pairs])

    flat = []
    for part in parts:
        a, b, c = np.moveaxis(part.positions, 1, 0)
        flat.append(np.repeat(_unit(np.cross(b - a, c - a))[:, None], 3, axis=1))
    none = [np.zeros((len(part.positions), 3, 4)) for part in parts]
    sets = set.intersection(*(set(part.uvs) for part in parts))
    return ImportedTriangles(
        np.concatenate([part.positions for part in parts]),
        all_of([part.normals for part in parts], flat),
        {number: np.concatenate([part.uvs[number] for part in parts]) for number in sets},
        all_of([part.colours for part in parts], [np.float32(one + 1.0) for one in none]),
        all_of([part.tangents for part in parts], none),
        all_of([part.influences for part in parts], none),
    )


def scene_of(file: File, *, edited: bool) -> ImportedScene:
    """What a file holds besides its triangles."""
    gltf = file.gltf
    lights = gltf.get("extensions", {}).get("KHR_lights_punctual", {}).get("lights", [])
    holders = [("", gltf.get("scenes", [])), ("", file.nodes), ("mesh ", gltf.get("meshes", []))]
    return ImportedScene(
        nodes=tuple(
            (file.path(node), tuple(file.local(node).T.reshape(-1))) for node in file.shown()
        ),
        skins=tuple(_skin(file, skin) for skin in gltf.get("skins", [])),
        animations={
            str(one.get("name") or f"animation {i}"): _animation(file, one)
            for i, one in enumerate(gltf.get("animations", []))
        },
        morphs=tuple(_morphs(file)),
        lights=tuple(json.dumps(one, sort_keys=True) for one in lights),
        cameras=tuple(json.dumps(one, sort_keys=True) for one in gltf.get("cameras", [])),
        extras=tuple(
            json.dumps([kind + str(one.get("name", "")), one["extras"]], sort_keys=True)
            for kind, group in holders
            for one in group
            if one.get("extras")
        ),
        extensions=tuple(sorted(gltf.get("extensionsUsed", []))),
        required=tuple(sorted(gltf.get("extensionsRequired", []))),
        scenes=len(gltf.get("scenes", [])),
        edited=edited,
    )


def _skin(file: File, skin: Json) -> tuple[tuple[str, ...], Matrix | None]:
    names = tuple(file.name(joint) for joint in skin["joints"])
    if "inverseBindMatrices" not in skin:
        return names, None
    stored = file.numbers(skin["inverseBindMatrices"]).reshape(-1, 4, 4)
    return names, stored.transpose(0, 2, 1)[: len(names)]


def _morphs(file: File) -> Iterator[tuple[str, int, tuple[float, ...], NDArray[np.float64]]]:
    for mesh in file.gltf.get("meshes", []):
        for primitive in mesh.get("primitives", []):
            targets = primitive.get("targets", [])
            if targets:
                furthest = [
                    float(np.abs(file.numbers(t["POSITION"])).max(initial=0.0))
                    if "POSITION" in t
                    else 0.0
                    for t in targets
                ]
                weights = tuple(float(w) for w in mesh.get("weights", ()))
                yield str(mesh.get("name", "")), len(targets), weights, np.array(furthest)


def _animation(file: File, said: Json) -> dict[tuple[str, str], NDArray[np.float64]]:
    """Every channel at `SAMPLES` times from the first key of the animation to its last."""
    times = [file.numbers(sampler["input"])[:, 0] for sampler in said["samplers"]]
    low = min((t[0] for t in times if len(t)), default=0.0)
    high = max((t[-1] for t in times if len(t)), default=0.0)
    at = np.linspace(low, high, SAMPLES)
    channels = {}
    for channel in said["channels"]:
        target, sampler = channel["target"], said["samplers"][channel["sampler"]]
        where = file.path(target["node"]) if "node" in target else json.dumps(target)
        channels[where, str(target.get("path"))] = _sampled(
            times[channel["sampler"]],
            file.numbers(sampler["output"]),
            str(sampler.get("interpolation", "LINEAR")),
            at,
            turns=target.get("path") == "rotation",
        )
    return channels


def _sampled(
    times: NDArray[np.float64],
    values: NDArray[np.float64],
    how: str,
    at: NDArray[np.float64],
    *,
    turns: bool,
) -> NDArray[np.float64]:
    """Values `(len(at), n)` of a channel. Source: glTF 2.0, appendix C."""
    keys = len(times)
    width = 3 if how == "CUBICSPLINE" else 1
    values = values.reshape(keys, width, -1)
    low = np.clip(np.searchsorted(times, at, "right") - 1, 0, keys - 1)
    high = np.minimum(low + 1, keys - 1)
    span = np.maximum(times[high] - times[low], 1e-30)
    share = np.clip((at - times[low]) / span, 0.0, 1.0)[:, None]
    start, end = values[low, width // 2], values[high, width // 2]
    if how == "STEP":
        return np.asarray(start)
    if how == "CUBICSPLINE":
        t, long = share, np.where(high > low, span, 0.0)[:, None]
        sampled = (
            (2 * t**3 - 3 * t**2 + 1) * start
            + long * (t**3 - 2 * t**2 + t) * values[low, 2]
            + (-2 * t**3 + 3 * t**2) * end
            + long * (t**3 - t**2) * values[high, 0]
        )
        return _unit(sampled) if turns else np.asarray(sampled)
    if not turns:
        return np.asarray(start + (end - start) * share)
    cosine = np.einsum("ni,ni->n", start, end)[:, None]
    end, cosine = np.where(cosine < 0, -end, end), np.minimum(np.abs(cosine), 1.0)
    angle = np.arccos(cosine)
    small = angle < 1e-6
    sine = np.where(small, 1.0, np.sin(angle))
    first = np.where(small, 1 - share, np.sin((1 - share) * angle) / sine)
    second = np.where(small, share, np.sin(share * angle) / sine)
    return _unit(first * start + second * end)
