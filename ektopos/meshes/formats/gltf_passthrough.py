"""A glTF scene as it is, with other slots, UVs and materials: nodes, skins, animations, morph
targets, lights, cameras, extras and unknown extensions stay as their file has them.

Numbers keep the form in which they are stored; only compressed geometry is written out plain, and
integer UVs whose scale stood in the old material become the floats that were meant. Source: glTF
2.0, sections 3.5 to 3.11.
"""

from __future__ import annotations

import copy
from collections.abc import Container, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ektopos import __version__
from ektopos.base.types import Json
from ektopos.base.vectors import normalise
from ektopos.meshes.formats.glb import ARRAY, ELEMENT, Binary
from ektopos.meshes.formats.gltf import (
    Drawn,
    drawn_parts,
    influenced,
    is_quantised,
    triangles_of,
)
from ektopos.meshes.formats.gltf_accessors import DRACO, Accessors, view_bytes
from ektopos.meshes.mesh import OTHER_WAY, Mesh
from ektopos.meshes.rows import unique_rows

_GONE = ("buffers", "images", "textures", "samplers", "materials")
_VARIANTS = "KHR_materials_variants"
_OF_MATERIALS = ("KHR_materials_", "KHR_texture_", "EXT_texture_", "MSFT_texture_", DRACO)
_COMPONENT = {"int8": 5120, "uint8": 5121, "int16": 5122, "uint16": 5123, "uint32": 5125}
_KNOWN = {"EXT_mesh_gpu_instancing", "KHR_lights_punctual", "KHR_mesh_quantization"}


@dataclass(frozen=True)
class Original:
    """A glTF file and its numbers, as they were read."""

    gltf: Json
    buffers: list[bytes]
    mesh: Mesh
    """As it is drawn, before anything was done to it."""


def keep_scene(
    original: Original,
    mesh: Mesh,
    material_of: Mapping[str, int | None],
    *,
    colours: bool = False,
) -> tuple[Json, Binary]:
    """The glTF JSON and buffer of a file with the slots and UVs of `mesh`, which is the same file
    after whatever was done to it: the same triangles in the same order.

    `material_of` gives, by slot, the number of the material in the list that the caller will add. A
    primitive's `extras.slot` names its slot. Vertex colours stay only if asked.
    """
    return _Kept(original, mesh, material_of, colours).written()


class _Kept:
    """One file while it is written."""

    def __init__(
        self, original: Original, mesh: Mesh, material_of: Mapping[str, int | None], colours: bool
    ) -> None:
        self.source, self.before, self.mesh = original.gltf, original.mesh, mesh
        self.material_of, self.colours = material_of, colours
        self.backwards = turned_faces(self.before, mesh)
        self.shaded = shaded_slots(self.before, mesh)[mesh.triangle_slot]
        self.shifted = shifted_faces(self.before, mesh, self.backwards)
        self.accessors = Accessors(original.gltf, original.buffers)
        self.gltf = copy.deepcopy({k: v for k, v in original.gltf.items() if k not in _GONE})
        self.binary = Binary()

    def written(self) -> tuple[Json, Binary]:
        gltf = self.gltf
        gltf["asset"] = gltf["asset"] | {"generator": f"ektopos {__version__}"}
        drawn = self._drawn()
        for number, entry in enumerate(gltf.get("meshes", [])):
            primitives: list[Json] = []
            for place, primitive in enumerate(entry.get("primitives", [])):
                primitives += self._primitive(primitive, drawn.get((number, place)))
            entry["primitives"] = primitives
        self._forget_materials()
        self._keep_numbers()
        return gltf, self.binary

    def _drawn(self) -> dict[tuple[int, int], tuple[int, int, int, Drawn]]:
        """By mesh and primitive, the first triangle and vertex that the drawn mesh has of it, how
        many triangles, and how it is drawn: of its first instance."""
        drawn: dict[tuple[int, int], tuple[int, int, int, Drawn]] = {}
        triangle = vertex = 0
        for how, which, primitive in drawn_parts(self.source, self.accessors):
            count = _triangle_count(self.source, primitive)
            drawn.setdefault(which, (triangle, vertex, count, how))
            triangle += count
            position = primitive["attributes"]["POSITION"]
            vertex += int(self.source["accessors"][position]["count"])
        return drawn

    def _primitive(
        self, primitive: Json, drawn: tuple[int, int, int, Drawn] | None
    ) -> Iterator[Json]:
        """A primitive with its new material; apart by slot, and with vertices of its own, where
        that has to be."""
        if not self.colours:
            for name in [n for n in primitive["attributes"] if n.startswith("COLOR_")]:
                del primitive["attributes"][name]
        (primitive.get("extensions") or {}).pop(_VARIANTS, None)
        if drawn is None:
            yield self._dressed(primitive, self._slot_elsewhere(primitive))
            return
        first, vertex, count, how = drawn
        those = slice(first, first + count)
        slots = self.mesh.triangle_slot[those]
        uvs = self.mesh.corner_uvs()[those]
        moved = not np.array_equal(uvs, self.before.corner_uvs()[those], equal_nan=True)
        backwards = self.backwards[those]
        packed = DRACO in primitive.get("extensions", {})
        scaled = is_quantised(self.source, primitive)
        several = len(np.unique(slots)) > 1
        shaded = self.shaded[those]
        shifted = bool(self.shifted[those].any())
        anew = moved or packed or scaled or several or shifted
        if count and (anew or backwards.any() or shaded.any()):
            corners = self.before.triangles[those] - vertex
            normals = places = None
            if shifted:
                as_now = np.where(backwards[:, None], corners[:, OTHER_WAY], corners)
                places = self._places(primitive, how, vertex, as_now, those)
            if shaded.any():
                as_now = np.where(backwards[:, None], corners[:, OTHER_WAY], corners)
                axes = self._axes(primitive, how)[as_now]
                normals = _back(axes, self.mesh.normals[self.mesh.triangles[those]])
            yield from self._anew(
                primitive, corners, slots, uvs, moved or scaled, backwards, shaded, normals, places
            )
        else:
            slot = self.mesh.slots[slots[0]] if count else self._slot_elsewhere(primitive)
            yield self._dressed(primitive, slot)

    def _places(
        self,
        primitive: Json,
        how: Drawn,
        vertex: int,
        corners: NDArray[Any],
        those: slice,
    ) -> NDArray[np.float32]:
        """Where the file has to have a primitive's vertices so that they are drawn where they are
        now, `(v, 3)`; of its first instance. `corners` `(t, 3)` are its vertices' numbers."""
        count = int(self.source["accessors"][primitive["attributes"]["POSITION"]]["count"])
        places = self.before.positions[vertex : vertex + count].copy()
        places[corners.reshape(-1)] = self.mesh.corners()[those].reshape(-1, 3)
        back = np.linalg.inv(how.matrix[:3, :3])
        return np.asarray((places - how.matrix[:3, 3]) @ back.T, np.float32)

    def _axes(self, primitive: Json, how: Drawn) -> NDArray[np.float64]:
        """What turns each vertex of a primitive as it is drawn, `(v, 3, 3)`."""
        count = int(self.source["accessors"][primitive["attributes"]["POSITION"]]["count"])
        if how.joints is None:
            return np.broadcast_to(how.matrix[:3, :3], (count, 3, 3))
        values = self.accessors.attributes(primitive)
        return influenced(values, how.joints[:, :3, :3].reshape(-1, 9)).T.reshape(-1, 3, 3)

    def _slot_elsewhere(self, primitive: Json) -> str | None:
        """The slot of a primitive that is not drawn: that of others with its material."""
        number = primitive.get("material")
        those = self.mesh.triangle_slot[self.before.triangle_slot == number]
        if number is None or not len(those):
            return None
        return self.mesh.slots[int(np.bincount(those).argmax())]

    def _dressed(self, primitive: Json, slot: str | None) -> Json:
        primitive.pop("material", None)
        material = None if slot is None else self.material_of.get(slot)
        if material is not None:
            primitive["material"] = material
        extras = primitive.get("extras", {})
        if slot is not None and isinstance(extras, dict):
            primitive["extras"] = extras | {"slot": slot}
        return primitive

    def _anew(
        self,
        primitive: Json,
        corners: NDArray[Any],
        slots: NDArray[np.int32],
        uvs: NDArray[np.float64],
        moved: bool,
        backwards: NDArray[np.bool_],
        shaded: NDArray[np.bool_],
        normals: NDArray[np.float32] | None,
        places: NDArray[np.float32] | None,
    ) -> Iterator[Json]:
        """A primitive written again, one for each slot; `corners` `(t, 3)` are vertex numbers as
        they were drawn, where mirroring nodes turn the winding; `backwards` `(t,)` are triangles
        that face the other way now, `shaded` `(t,)` such as have other `normals` `(t, 3, 3)`, at
        the corners as they are drawn now; `places` `(v, 3)` where the vertices are now."""
        stored = self.accessors.stored_attributes(primitive)
        count = len(stored["POSITION"])
        raw = triangles_of(self.accessors.corners(primitive, count), primitive.get("mode", 4))
        turned = (corners != raw).any(axis=1)
        raw = np.where(backwards[:, None], raw[:, OTHER_WAY], raw)
        uvs = _as_stored(uvs, turned, backwards).astype(np.float32)
        if normals is not None:
            normals = _as_stored(normals, turned, backwards)
        stored_of = self.accessors.stored
        targets = [
            {name: stored_of(index) for name, index in target.items()}
            for target in primitive.get("targets", [])
        ]
        unchanged = _without_compression(primitive)
        for number in np.unique(slots):
            those = slots == number
            backs = np.repeat(backwards[those], 3)[:, None]
            lies = uvs[those].reshape(-1, 2)
            lean = None
            if normals is not None and shaded[those].any():
                lean = np.ascontiguousarray(normals[those].reshape(-1, 3), np.float32)
            told_apart = [raw[those].reshape(-1, 1), backs]
            told_apart += [lies.view(np.uint32)] if moved else []
            told_apart += [lean.view(np.uint32)] if lean is not None else []
            keys = np.concatenate(told_apart, axis=1).astype(np.int64)
            first, place = unique_rows(keys)
            vertices, away = keys[first, 0], backs[first, 0]
            dropped = () if lean is None else _OF_NORMALS
            attributes = self._picked(stored, primitive["attributes"], vertices, away, dropped)
            if places is not None:
                attributes["POSITION"] = self._bounded(places[vertices])
            if lean is not None:
                attributes["NORMAL"] = self._plain(lean[first], "VEC3")
            if moved and np.isfinite(lies).all():
                attributes["TEXCOORD_0"] = self._plain(lies[first], "VEC2")
            wide = np.uint16 if len(vertices) < 65535 else np.uint32
            indices = self._plain(place.astype(wide), "SCALAR", ELEMENT)
            one = copy.deepcopy(unchanged) | {"attributes": attributes, "indices": indices}
            if targets:
                one["targets"] = [
                    self._picked(morphed, target, vertices, away, dropped)
                    for morphed, target in zip(targets, primitive["targets"], strict=True)
                ]
            yield self._dressed(one, self.mesh.slots[number])

    def _picked(
        self,
        stored: Mapping[str, NDArray[Any]],
        accessors: Mapping[str, int],
        vertices: NDArray[np.int64],
        away: NDArray[np.bool_],
        dropped: Container[str],
    ) -> dict[str, int]:
        """Attributes of some vertices, in the form that they had, without the `dropped` ones;
        `away` are vertices that face the other way now."""
        return {
            name: self._accessor(values, vertices, accessors[name], _facing(name, away))
            for name, values in stored.items()
            if name in accessors and name not in dropped
        }

    def _accessor(
        self, values: NDArray[Any], vertices: NDArray[np.int64], like: int, signs: NDArray[np.int8]
    ) -> int:
        """An accessor of some vertices' values, in the form of another; its number. `signs`
        `(v, 1)` or wider turn them round."""
        entry = self.source["accessors"][like]
        picked = np.ascontiguousarray(values[vertices])
        if (signs < 0).any():
            picked = np.ascontiguousarray(picked * signs[:, : picked.shape[1]]).astype(values.dtype)
        made = {key: entry[key] for key in ("normalized", "name", "extras") if key in entry} | {
            "componentType": entry["componentType"],
            "type": entry["type"],
        }
        if "min" in entry:
            made |= {"min": picked.min(axis=0).tolist(), "max": picked.max(axis=0).tolist()}
        return self._add(picked, made, ARRAY)

    def _bounded(self, places: NDArray[np.float32]) -> int:
        bounds = {"min": places.min(axis=0).tolist(), "max": places.max(axis=0).tolist()}
        plain = np.ascontiguousarray(places)
        return self._add(plain, {"componentType": 5126, "type": "VEC3"} | bounds, ARRAY)

    def _plain(self, values: NDArray[Any], kind: str, target: int = ARRAY) -> int:
        component = _COMPONENT.get(str(values.dtype), 5126)
        return self._add(
            np.ascontiguousarray(values), {"componentType": component, "type": kind}, target
        )

    def _add(self, values: NDArray[Any], entry: Json, target: int) -> int:
        """An accessor and its view. Each element begins at a multiple of four bytes. Source: glTF
        2.0, 3.6.2.4."""
        size = values.itemsize * (values.shape[1] if values.ndim == 2 else 1)
        stride = -(-size // 4) * 4
        content = values.tobytes()
        if target == ARRAY and stride != size:
            rows = np.zeros((len(values), stride), np.uint8)
            rows[:, :size] = values.view(np.uint8).reshape(len(values), size)
            content = rows.tobytes()
        view = self.binary.add(content, target)
        if target == ARRAY and stride != size:
            self.binary.views[view]["byteStride"] = stride
        self.gltf["accessors"].append(entry | {"bufferView": _NEW + view, "count": len(values)})
        return len(self.gltf["accessors"]) - 1

    def _forget_materials(self) -> None:
        """Extensions of materials and textures go with these; what animates materials as well."""
        gltf = self.gltf
        gltf.get("extensions", {}).pop(_VARIANTS, None)
        if not gltf.get("extensions"):
            gltf.pop("extensions", None)
        for key in ("extensionsUsed", "extensionsRequired"):
            kept = [e for e in gltf.get(key, []) if not e.startswith(_OF_MATERIALS)]
            gltf.pop(key, None)
            if kept:
                gltf[key] = kept
        for animation in gltf.get("animations", []):
            animation["channels"] = [
                channel for channel in animation["channels"] if not _moves_a_material(channel)
            ]
        gltf["animations"] = [a for a in gltf.get("animations", []) if a["channels"]]
        if not gltf["animations"]:
            gltf.pop("animations")

    def _keep_numbers(self) -> None:
        """Drop the accessors that nothing refers to any more, and bring the others' bytes along."""
        gltf = self.gltf
        if not set(gltf.get("extensionsUsed", [])) - _KNOWN:
            _prune(gltf)
        views: dict[int, int] = {}
        for holder in _holders(gltf, "bufferView"):
            number = holder["bufferView"]
            if number >= _NEW:
                holder["bufferView"] = number - _NEW
                continue
            if number not in views:
                views[number] = self._view(number)
            holder["bufferView"] = views[number]
        gltf.pop("bufferViews", None)
        if not gltf.get("accessors"):
            gltf.pop("accessors", None)

    def _view(self, number: int) -> int:
        """A view of the source as one of the new buffer; its number."""
        entry = self.source["bufferViews"][number]
        made = self.binary.add(view_bytes(self.source, self.accessors.buffers, number))
        beside = ("target", "byteStride", "name", "extras")
        self.binary.views[made] |= {key: entry[key] for key in beside if key in entry}
        return made


def _facing(name: str, away: NDArray[Any]) -> NDArray[np.int8]:
    """What an attribute of vertices is multiplied by where faces were turned, `(v, 4)`: normals
    point the other way, and so that bitangents stay, the sign of tangents changes."""
    signs = np.ones((len(away), 4), np.int8)
    if name == "NORMAL":
        signs[away.astype(bool), :3] = -1
    elif name == "TANGENT":
        signs[away.astype(bool), 3] = -1
    return signs


_OF_NORMALS = ("NORMAL", "TANGENT")
"""What other normals replace, or leave without a meaning: engines make tangents as glTF says."""


def _back(axes: NDArray[np.float64], normals: NDArray[Any]) -> NDArray[np.float32]:
    """Normals as a file has to have them so that they are drawn as they are: `axes` `(t, 3, 3, 3)`
    turn the corners of `normals` `(t, 3, 3)`. Source: normals turn by the inverse transpose."""
    held = np.einsum("tcij,tci->tcj", axes, normals.astype(np.float64))
    return np.asarray(normalise(held), np.float32)


def shaded_slots(before: Mesh, after: Mesh) -> NDArray[np.bool_]:
    """Which slots of a mesh have other normals after a recipe than turning faces gives them,
    `(slots,)`."""
    was, now = (mesh.normals[mesh.triangles] for mesh in (before, after))
    if was.shape == now.shape and np.array_equal(was, now):
        return np.zeros(len(after.slots), bool)
    backwards = turned_faces(before, after)
    was = np.where(backwards[:, None, None], -was[:, OTHER_WAY], was)
    other = (np.abs(was - now) > 1e-6).any(axis=(1, 2))
    slots = np.zeros(len(after.slots), bool)
    slots[np.unique(after.triangle_slot[other])] = True
    return slots


def turned_faces(before: Mesh, after: Mesh) -> NDArray[np.bool_]:
    """Which triangles of a mesh face the other way after a recipe, `(t,)`."""
    if np.array_equal(before.triangles, after.triangles):
        return np.zeros(len(before.triangles), bool)
    # Corners may have been moved a little besides: what counts is which order is nearer.
    was, now = before.corners(), after.corners()
    here, there = (np.abs(one - now).sum(axis=(1, 2)) for one in (was, was[:, OTHER_WAY]))
    return np.asarray(there < here)


def shifted_faces(before: Mesh, after: Mesh, backwards: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which triangles of a mesh have corners elsewhere after a recipe, `(t,)`; being turned does
    not count."""
    if before.positions is after.positions and not backwards.any():
        return np.zeros(len(before.triangles), bool)
    was = before.corners()
    was = np.where(backwards[:, None, None], was[:, OTHER_WAY], was)
    return np.asarray((was != after.corners()).any(axis=(1, 2)))


_NEW = 1 << 40
"""Added to the numbers of new views until those of the source have theirs."""


def _triangle_count(gltf: Json, primitive: Json) -> int:
    which = primitive.get("indices", primitive["attributes"]["POSITION"])
    corners = int(gltf["accessors"][which]["count"])
    return corners // 3 if primitive.get("mode", 4) == 4 else max(0, corners - 2)


def _moves_a_material(channel: Json) -> bool:
    target = channel.get("target", {})
    pointer = target.get("extensions", {}).get("KHR_animation_pointer", {}).get("pointer", "")
    return str(pointer).startswith("/materials/")


def _holders(value: Any, key: str) -> Iterator[Json]:
    """Every object in a JSON value that has a number under a key."""
    if isinstance(value, dict):
        if isinstance(value.get(key), int):
            yield value
        for name, inner in value.items():
            if name != "extras":
                yield from _holders(inner, key)
    elif isinstance(value, list):
        for inner in value:
            yield from _holders(inner, key)


def _prune(gltf: Json) -> None:
    """Number the accessors anew, without those that nothing refers to. Source: glTF 2.0's places
    for them; EXT_mesh_gpu_instancing."""
    places: list[tuple[Any, Any]] = []
    for mesh in gltf.get("meshes", []):
        for primitive in mesh.get("primitives", []):
            for group in (primitive["attributes"], *primitive.get("targets", [])):
                places += [(group, name) for name in group]
            if "indices" in primitive:
                places.append((primitive, "indices"))
    places += [
        (s, "inverseBindMatrices") for s in gltf.get("skins", []) if "inverseBindMatrices" in s
    ]
    for animation in gltf.get("animations", []):
        places += [(one, key) for one in animation["samplers"] for key in ("input", "output")]
    for node in gltf.get("nodes", []):
        given = node.get("extensions", {}).get("EXT_mesh_gpu_instancing", {}).get("attributes", {})
        places += [(given, name) for name in given]
    used = sorted({holder[key] for holder, key in places})
    number = {old: new for new, old in enumerate(used)}
    for holder, key in places:
        holder[key] = number[holder[key]]
    if "accessors" in gltf:
        gltf["accessors"] = [gltf["accessors"][old] for old in used]


def _as_stored(
    values: NDArray[Any], turned: NDArray[np.bool_], backwards: NDArray[np.bool_]
) -> NDArray[Any]:
    """Values at the corners `(t, 3, …)` as they are drawn, in the order of the file's corners:
    `turned` where mirroring nodes turn the winding, `backwards` where triangles face away now."""
    values = np.where(backwards[:, None, None], values[:, OTHER_WAY], values)
    values = np.where(turned[:, None, None], values[:, ::-1], values)
    return np.where(backwards[:, None, None], values[:, OTHER_WAY], values)


def _without_compression(primitive: Json) -> Json:
    """What of a primitive stays when its vertices are written anew."""
    stays = {key: value for key, value in primitive.items() if key not in ("indices", "mode")}
    extensions = {k: v for k, v in (stays.pop("extensions", None) or {}).items() if k != DRACO}
    return stays | ({"extensions": extensions} if extensions else {})
