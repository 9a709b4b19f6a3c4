"""One USD mesh as parts, a part for every material on its faces.

Source: the UsdGeom schemas (Mesh, Primvar, Subset) and UsdShade's bindings.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ektopos.base.names import shortened
from ektopos.base.types import MAX_UV_SETS
from ektopos.meshes.mesh_builder import (
    Part,
    cofactors,
    no_colours,
    not_unit,
    triangulated,
    unit_normals,
    with_alpha,
)

if TYPE_CHECKING:
    from pxr import Usd, UsdGeom, UsdShade

_UV_NAMES = ("st", "UVMap", "map1", "uv", "st0", "st_0", "primvars:st")
_Array = NDArray[np.float64]
_Index = NDArray[np.int64]
Slots = dict[str, int]
"""The slot of every bound material, by its path; in the order of the slots."""


def mesh_parts(mesh: UsdGeom.Mesh, slots: Slots, names: list[str]) -> list[Part]:
    """A mesh's faces in its own space, one part for every material on them. Materials that are new
    get the next slot. Raises `ValueError` for damage."""
    from pxr import Usd, UsdGeom

    when = Usd.TimeCode.EarliestTime()
    positions = np.array(mesh.GetPointsAttr().Get(when), np.float64).reshape(-1, 3)
    counts, corners = _faces(mesh, when, positions)
    left = mesh.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded
    triangles = triangulated(counts, positions[corners])
    polygon = np.repeat(np.arange(len(counts)), np.maximum(counts - 2, 0))
    hole = np.zeros(len(counts), bool)
    hole[np.array(mesh.GetHoleIndicesAttr().Get(when) or [], np.int64)] = True
    given = _given(mesh, when, len(positions), counts, corners)
    owner = _owners(mesh, when, len(counts), slots, names)
    result = []
    for slot in dict.fromkeys(owner.tolist()):
        own = triangles[(owner[polygon] == slot) & ~hole[polygon]]
        own = own[:, ::-1] if left else own
        result.append(_part(slot, own, corners, positions, given, -1.0 if left else 1.0))
    if result:
        _keep_loose(result[0], positions, corners)
    return result


def placed(part: Part, matrices: _Array) -> Part:
    """A part at each of some places, by matrices `(k, 4, 4)` for column vectors: one part. Where a
    matrix mirrors, the faces still look outwards."""
    count, axes = len(matrices), matrices[:, :3, :3]
    world = np.einsum("kij,nj->kni", axes, part.positions) + matrices[:, None, :3, 3]
    turning = cofactors(axes)
    normals = np.einsum("kij,nj->kni", turning, part.normals).reshape(-1, 3)
    mirrored = np.linalg.det(axes) < 0
    triangles = np.where(mirrored[:, None, None], part.triangles[:, ::-1], part.triangles)
    first = np.arange(count)[:, None, None] * len(part.positions)
    return Part(
        part.slot,
        world.reshape(-1, 3),
        (triangles + first).reshape(-1, 3),
        unit_normals(normals),
        np.tile(part.uvs, (count, 1)),
        None if part.colours is None else np.tile(part.colours, (count, 1)),
        np.tile(part.unnormalised, count),
        part.uv_sets,
        tuple(np.tile(uvs, (count, 1)) for uvs in part.more_uvs),
    )


def divided(together: Part, part: Part, counts: list[int]) -> Iterator[Part]:
    """What `placed` gives of a part, cut into so many copies each."""
    vertices, faces, done = len(part.positions), len(part.triangles), 0
    for count in counts:
        v = slice(done * vertices, (done + count) * vertices)
        yield Part(
            part.slot,
            together.positions[v],
            together.triangles[done * faces : (done + count) * faces] - done * vertices,
            together.normals[v],
            together.uvs[v],
            None if together.colours is None else together.colours[v],
            together.unnormalised[v],
            part.uv_sets,
            tuple(uvs[v] for uvs in together.more_uvs),
        )
        done += count


def _faces(mesh: UsdGeom.Mesh, when: Usd.TimeCode, positions: _Array) -> tuple[_Index, _Index]:
    """How many corners each face has, and the points of all corners. Raises `ValueError`."""
    counts = np.array(mesh.GetFaceVertexCountsAttr().Get(when), np.int64)
    corners = np.array(mesh.GetFaceVertexIndicesAttr().Get(when), np.int64)
    if counts.sum() != len(corners) or (
        corners.size and (corners.min() < 0 or corners.max() >= len(positions))
    ):
        raise ValueError("a face points beyond the points")
    if not np.isfinite(positions).all():
        raise ValueError("a position is not a number")
    return counts, corners


_Given = dict[str, _Array]
"""What a mesh gives by face corner, `(c, width)`: `normals`, `colours`, UV sets by number."""


def _given(
    mesh: UsdGeom.Mesh, when: Usd.TimeCode, points: int, counts: _Index, corners: _Index
) -> _Given:
    def at_corners(stored: tuple[_Array, str] | None, width: int) -> _Array | None:
        return _on_corners(stored, points, counts, corners, width)

    tint = _primvar(mesh, "displayColor", when)
    # One colour for all is how a mesh is shown where it has no material, not a colour of its
    # vertices.
    own_tint = tint if tint and tint[1] not in ("constant", "uniform") else None
    given = {
        "normals": at_corners(_stored_normals(mesh, when), 3),
        "colours": at_corners(own_tint, 3),
    } | {
        str(number): at_corners(_primvar(mesh, name, when), 2)
        for number, name in enumerate(uv_set_names(mesh))
    }
    return {key: values for key, values in given.items() if values is not None}


def _owners(
    mesh: UsdGeom.Mesh, when: Usd.TimeCode, count: int, slots: Slots, names: list[str]
) -> _Index:
    """The slot of each of `count` faces."""
    from pxr import UsdShade

    binding = UsdShade.MaterialBindingAPI(mesh.GetPrim())
    owner = np.full(count, _slot(binding, slots, names), np.int64)
    for subset in binding.GetMaterialBindSubsets():
        faces = np.array(subset.GetIndicesAttr().Get(when), np.int64)
        owner[faces] = _slot(UsdShade.MaterialBindingAPI(subset.GetPrim()), slots, names)
    return owner


def _part(
    slot: int,
    triangles: _Index,
    corners: _Index,
    positions: _Array,
    given: _Given,
    facing: float,
) -> Part:
    """One slot's triangles `(t, 3)` of running corners; corners that agree in all become one
    vertex. `facing` is −1 where normals are to be turned round."""
    flat = triangles.reshape(-1)
    rows, columns = [corners[flat].astype(np.float64)[:, None]], {}
    width = 1
    for key, values in given.items():
        columns[key] = slice(width, width + values.shape[1])
        width += values.shape[1]
        rows.append(values[flat])
    kept, place = np.unique(np.concatenate(rows, axis=1), axis=0, return_inverse=True)
    used = kept[:, 0].astype(np.int64)

    def of(key: str, width: int, otherwise: float) -> _Array:
        return kept[:, columns[key]] if key in columns else np.full((len(used), width), otherwise)

    stored = of("normals", 3, 0.0)
    sets = [key for key in given if key.isdigit()]
    uvs = [of(str(n), 2, np.nan) * [1.0, -1.0] + [0.0, 1.0] for n in range(MAX_UV_SETS)]
    more = max((int(key) for key in sets if int(key) < MAX_UV_SETS), default=0)
    return Part(
        slot,
        positions[used],
        place.reshape(-1, 3),
        unit_normals(stored) * facing,
        uvs[0],
        with_alpha(kept[:, columns["colours"]]) if "colours" in columns else None,
        not_unit(stored),
        len(sets),
        tuple(uvs[1 : more + 1]),
    )


def _keep_loose(first: Part, world: _Array, corners: _Index) -> None:
    """Add the points that no face uses to a part: a fault that is looked for."""
    loose = np.setdiff1d(np.arange(len(world)), corners)
    if not len(loose):
        return
    without = np.full((len(loose), 2), np.nan)
    first.positions = np.concatenate([first.positions, world[loose]])
    first.normals = np.concatenate([first.normals, np.zeros((len(loose), 3))])
    first.uvs = np.concatenate([first.uvs, without])
    first.more_uvs = tuple(np.concatenate([uvs, without]) for uvs in first.more_uvs)
    first.unnormalised = np.concatenate([first.unnormalised, np.zeros(len(loose), bool)])
    if first.colours is not None:
        first.colours = np.concatenate([first.colours, no_colours(len(loose))])


def _slot(binding: UsdShade.MaterialBindingAPI, slots: dict[str, int], names: list[str]) -> int:
    """The slot of whatever material is bound; faces without one share a slot."""
    material = binding.ComputeBoundMaterial()[0]
    path = str(material.GetPath()) if material else ""
    if path not in slots:
        slots[path] = len(names)
        names.append(shortened(material.GetPrim().GetName()) if material else f"slot_{len(names)}")
    return slots[path]


def uv_set_names(mesh: UsdGeom.Mesh) -> list[str]:
    """Names of the primvars that hold a mesh's UVs, as its sets are numbered: the usual names
    first, then by their type."""
    from pxr import UsdGeom

    there = UsdGeom.PrimvarsAPI(mesh).GetPrimvarsWithValues()
    by_type = [
        str(primvar.GetPrimvarName())
        for kind in ("texCoord2f[]", "texCoord2d[]", "texCoord2h[]", "float2[]")
        for primvar in there
        if str(primvar.GetTypeName()) == kind
    ]
    return list(dict.fromkeys((*(name for name in _UV_NAMES if name in by_type), *by_type)))


def _stored_normals(mesh: UsdGeom.Mesh, when: Usd.TimeCode) -> tuple[_Array, str] | None:
    primvar = _primvar(mesh, "normals", when)
    if primvar is not None:
        return primvar
    stored = mesh.GetNormalsAttr().Get(when)
    if not stored:
        return None
    return np.array(stored, np.float64), str(mesh.GetNormalsInterpolation())


def _primvar(mesh: UsdGeom.Mesh, name: str, when: Usd.TimeCode) -> tuple[_Array, str] | None:
    """A primvar's values, one an element, and where they stand."""
    from pxr import UsdGeom

    primvar = UsdGeom.PrimvarsAPI(mesh).GetPrimvar(name)
    if not primvar or not primvar.HasValue():
        return None
    values = np.array(primvar.ComputeFlattened(when), np.float64)
    return values, str(primvar.GetInterpolation())


def _on_corners(
    stored: tuple[_Array, str] | None,
    points: int,
    counts: _Index,
    corners: _Index,
    width: int,
) -> _Array | None:
    """_Array by face corner, `(c, width)`, whatever they were given by; `None` if they do not
    fit.
    """
    if stored is None:
        return None
    values, where = stored
    values = values.reshape(-1, width)
    if where in ("vertex", "varying") and len(values) == points:
        return np.asarray(values[corners])
    if where == "faceVarying" and len(values) == len(corners):
        return values
    if where == "uniform" and len(values) == len(counts):
        return np.asarray(np.repeat(values, counts, axis=0))
    if where == "constant" and len(values):
        return np.asarray(np.repeat(values[:1], len(corners), axis=0))
    return None
