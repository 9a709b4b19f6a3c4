"""Read USD in every form (`.usd`, `.usda`, `.usdc`, `.usdz`) with Pixar's library: meshes in their
bind pose, transforms applied.

A slot is a bound material; faces that are bound one by one (subsets) go with theirs. Lengths are
brought to metres and the upright axis to Y. Source: the UsdGeom and UsdShade schemas.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ektopos.errors import UnreadableFile
from ektopos.meshes.formats.usd_layers import Find, confined_layer, gathered
from ektopos.meshes.mesh import Mesh, Node
from ektopos.meshes.parts import (
    Part,
    cofactor,
    join_parts,
    no_colours,
    triangulated,
    unit_normals,
    with_alpha,
)
from ektopos.names import unique_names

_NOT_DRAWN = ("guide", "proxy")
USD_SUFFIXES = (".usd", ".usda", ".usdc", ".usdz")
_UV_NAMES = ("st", "UVMap", "map1", "uv", "st0", "st_0", "primvars:st")


def read_usd(path: Path, find: Find, name: str) -> Mesh:
    """A mesh from a USD file and the layers beside it that it refers to. Raises `UnreadableFile`,
    or `ValueError` and its kin for damage."""
    with open_stage(path, find, name) as (stage, left_out):
        return _read(stage, left_out, name)


@contextlib.contextmanager
def open_stage(path: Path, find: Find, name: str) -> Iterator[tuple[Any, list[str]]]:
    """The composed stage of a USD file, and what it refers to elsewhere, which is not followed.
    Raises `UnreadableFile`."""
    from pxr import Tf, Usd

    with gathered(path, find, name) as (root, beside):
        try:
            layer, left_out = confined_layer(root, beside)
            stage = Usd.Stage.Open(layer) if layer else None
        except Tf.ErrorException:
            stage = None
        if stage is None:
            raise UnreadableFile(
                "this is not a USD file, or it is damaged.", subject=name, hint="Export it again."
            )
        yield stage, left_out


def _read(stage: Any, left_out: list[str], name: str) -> Mesh:
    from pxr import Usd, UsdGeom

    world = np.eye(4)
    world[:3, :3] *= UsdGeom.GetStageMetersPerUnit(stage)
    if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z:
        world[:3, :3] = world[:3, :3] @ np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]])
    cache = UsdGeom.XformCache(Usd.TimeCode.EarliestTime())
    slots: dict[str, int] = {}
    names: list[str] = []
    parts: list[Part] = []
    notes = [f"refers to {other}, which is not followed" for other in left_out]
    nodes: dict[str, Node] = {}
    for prim in Usd.PrimRange(stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()):
        kind = prim.GetTypeName()
        if kind in (
            "Sphere",
            "Cube",
            "Cylinder",
            "Cone",
            "Capsule",
            "BasisCurves",
            "Points",
            "PointInstancer",
        ):
            notes.append(f"a {kind} is in it, and left out")
        if (
            not prim.IsA(UsdGeom.Mesh)
            or UsdGeom.Imageable(prim).ComputeVisibility() == UsdGeom.Tokens.invisible
        ):
            continue
        if UsdGeom.Imageable(prim).ComputePurpose() in _NOT_DRAWN:
            notes.append(
                f"{prim.GetName()} is a {UsdGeom.Imageable(prim).ComputePurpose()}, and left out"
            )
            continue
        matrix = world @ _placed(prim, cache)
        for above in prim.GetPath().GetPrefixes():
            node = _node(stage.GetPrimAtPath(above), cache)
            if node is not None:
                nodes[str(above)] = node
        parts += _parts(UsdGeom.Mesh(prim), matrix, slots, names)
        notes += _remarks(UsdGeom.Mesh(prim))
    if not parts:
        raise UnreadableFile(
            "there is no mesh in it.", subject=name, hint="Export it again with its meshes."
        )
    return join_parts(
        Path(name).stem,
        parts,
        unique_names(names),
        tuple(nodes.values()),
        tuple(dict.fromkeys(notes)),
    )


def _placed(prim: Any, cache: Any) -> NDArray[np.float64]:
    """The matrix that puts a mesh into the world. A skinned one is bound by its own bind transform,
    in its skeleton's space, and stands there in its bind pose. Source: the UsdSkel schemas,
    “Skinning a Point”."""
    from pxr import UsdSkel

    binding = UsdSkel.BindingAPI(prim)
    skeleton = binding.GetInheritedSkeleton()
    if not skeleton or not binding.GetJointIndicesAttr().HasAuthoredValue():
        return np.asarray(np.array(cache.GetLocalToWorldTransform(prim)).T)
    bound = binding.GetGeomBindTransformAttr().Get()
    own = np.eye(4) if bound is None else np.array(bound).T
    return np.asarray(np.array(cache.GetLocalToWorldTransform(skeleton.GetPrim())).T @ own)


def _remarks(mesh: Any) -> list[str]:
    """What of a mesh is not drawn as its file would have it."""
    found = []
    if mesh.GetPrim().HasRelationship("skel:skeleton"):
        found.append("it has a skeleton, and is measured in its bind pose")
    scheme = mesh.GetSubdivisionSchemeAttr()
    if scheme.HasAuthoredValue() and scheme.Get() != "none":
        found.append(f"{mesh.GetPrim().GetName()} is for subdivision ({scheme.Get()}), not applied")
    if mesh.GetHoleIndicesAttr().Get():
        found.append(f"{mesh.GetPrim().GetName()} has holes, whose faces are left out")
    return found


def _node(prim: Any, cache: Any) -> Node | None:
    from pxr import UsdGeom

    if not prim.IsA(UsdGeom.Xformable):
        return None
    axes = np.array(cache.GetLocalTransformation(prim)[0]).T[:3, :3]
    x, y, z = (float(length) for length in np.linalg.norm(axes, axis=0))
    return Node(prim.GetName(), (x, y, z), bool(np.linalg.det(axes) < 0))


def _parts(
    mesh: Any, matrix: NDArray[np.float64], slots: dict[str, int], names: list[str]
) -> list[Part]:
    """One part for every material on a mesh's faces."""
    from pxr import Usd, UsdGeom, UsdShade

    when = Usd.TimeCode.EarliestTime()
    positions = np.array(mesh.GetPointsAttr().Get(when), np.float64).reshape(-1, 3)
    counts = np.array(mesh.GetFaceVertexCountsAttr().Get(when), np.int64)
    corners = np.array(mesh.GetFaceVertexIndicesAttr().Get(when), np.int64)
    if counts.sum() != len(corners) or (
        corners.size and (corners.min() < 0 or corners.max() >= len(positions))
    ):
        raise ValueError("a face points beyond the points")
    if not np.isfinite(positions).all():
        raise ValueError("a position is not a number")
    normals = _on_corners(_stored_normals(mesh, when), len(positions), counts, corners, 3)
    found_uvs = _primvar(mesh, _uv_names(mesh), when)
    uvs = _on_corners(found_uvs, len(positions), counts, corners, 2)
    tint = _primvar(mesh, ("displayColor",), when)
    # One colour for all is how a mesh is shown where it has no material, not a colour of its
    # vertices.
    tints = (
        _on_corners(tint, len(positions), counts, corners, 3)
        if tint and tint[1] not in ("constant", "uniform")
        else None
    )
    axes = matrix[:3, :3]
    world = positions @ axes.T + matrix[:3, 3]
    left = mesh.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded
    turned = bool(np.linalg.det(axes) < 0) != left
    triangles = triangulated(counts, positions[corners])
    polygon = np.repeat(np.arange(len(counts)), np.maximum(counts - 2, 0))
    owner = np.full(
        len(counts), _slot(UsdShade.MaterialBindingAPI(mesh.GetPrim()), slots, names), np.int64
    )
    for subset in UsdShade.MaterialBindingAPI(mesh.GetPrim()).GetMaterialBindSubsets():
        faces = np.array(subset.GetIndicesAttr().Get(when), np.int64)
        owner[faces] = _slot(UsdShade.MaterialBindingAPI(subset.GetPrim()), slots, names)
    uv_sets = sum(
        str(primvar.GetTypeName()) in ("texCoord2f[]", "float2[]")
        for primvar in UsdGeom.PrimvarsAPI(mesh).GetPrimvarsWithValues()
    )
    hole = np.zeros(len(counts), bool)
    hole[np.array(mesh.GetHoleIndicesAttr().Get(when) or [], np.int64)] = True
    result = []
    for slot in dict.fromkeys(owner.tolist()):
        own = triangles[(owner[polygon] == slot) & ~hole[polygon]]
        own = own[:, ::-1] if turned else own
        flat = own.reshape(-1)
        rows = corners[flat].astype(np.float64)[:, None]
        for extra in (normals, uvs, tints):
            if extra is not None:
                rows = np.concatenate([rows, extra[flat]], axis=1)
        kept, place = np.unique(rows, axis=0, return_inverse=True)
        used = kept[:, 0].astype(np.int64)
        stored = kept[:, 1:4] if normals is not None else np.zeros((len(used), 3))
        _, unnormalised = unit_normals(stored)
        unit, _ = unit_normals(stored @ cofactor(axes).T * (-1.0 if left else 1.0))
        here = np.full((len(used), 2), np.nan)
        first_uv = 1 if normals is None else 4
        if uvs is not None:
            here = np.stack([kept[:, first_uv], 1.0 - kept[:, first_uv + 1]], axis=1)
        colours = None if tints is None else with_alpha(kept[:, -3:])
        place = place.reshape(-1, 3)
        result.append(Part(slot, world[used], place, unit, here, colours, unnormalised, uv_sets))
    loose = np.setdiff1d(np.arange(len(positions)), corners)
    if len(loose) and result:
        first = result[0]
        first.positions = np.concatenate([first.positions, world[loose]])
        first.normals = np.concatenate([first.normals, np.zeros((len(loose), 3))])
        first.uvs = np.concatenate([first.uvs, np.full((len(loose), 2), np.nan)])
        first.unnormalised = np.concatenate([first.unnormalised, np.zeros(len(loose), bool)])
        if first.colours is not None:
            first.colours = np.concatenate([first.colours, no_colours(len(loose))])
    return result


def _slot(binding: Any, slots: dict[str, int], names: list[str]) -> int:
    """The slot of whatever material is bound; faces without one share a slot."""
    material = binding.ComputeBoundMaterial()[0]
    path = str(material.GetPath()) if material else ""
    if path not in slots:
        slots[path] = len(names)
        names.append(material.GetPrim().GetName() if material else f"slot_{len(names)}")
    return slots[path]


def _uv_names(mesh: Any) -> tuple[str, ...]:
    """Names of primvars that hold UVs, the likeliest first: by the usual names, then by their
    type."""
    from pxr import UsdGeom

    there = UsdGeom.PrimvarsAPI(mesh).GetPrimvarsWithValues()
    by_type = [
        primvar.GetPrimvarName()
        for kind in ("texCoord2f[]", "texCoord2d[]", "texCoord2h[]", "float2[]")
        for primvar in there
        if str(primvar.GetTypeName()) == kind
    ]
    return (*(name for name in _UV_NAMES if name in by_type), *by_type)


def _stored_normals(mesh: Any, when: Any) -> tuple[NDArray[np.float64], str] | None:
    found = _primvar(mesh, ("normals",), when)
    if found is not None:
        return found
    stored = mesh.GetNormalsAttr().Get(when)
    if not stored:
        return None
    return np.array(stored, np.float64), str(mesh.GetNormalsInterpolation())


def _primvar(
    mesh: Any, names: tuple[str, ...], when: Any
) -> tuple[NDArray[np.float64], str] | None:
    """The first primvar of these names that is there: its values, one an element, and where they
    stand."""
    from pxr import UsdGeom

    for name in names:
        primvar = UsdGeom.PrimvarsAPI(mesh).GetPrimvar(name)
        if primvar and primvar.HasValue():
            return np.array(primvar.ComputeFlattened(when), np.float64), str(
                primvar.GetInterpolation()
            )
    return None


def _on_corners(
    found: tuple[NDArray[np.float64], str] | None,
    points: int,
    counts: NDArray[np.int64],
    corners: NDArray[np.int64],
    width: int,
) -> NDArray[np.float64] | None:
    """Values by face corner, `(c, width)`, whatever they were given by; `None` if they do not
    fit.
    """
    if found is None:
        return None
    values, where = found
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
