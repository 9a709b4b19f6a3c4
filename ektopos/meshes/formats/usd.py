"""Read USD in every form (`.usd`, `.usda`, `.usdc`, `.usdz`) with Pixar's library: meshes in their
bind pose, transforms applied.

A slot is a bound material; faces that are bound one by one (subsets) go with theirs. Lengths are
brought to metres and the upright axis to Y. Source: the UsdGeom and UsdShade schemas.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ektopos.base.errors import UnreadableFile
from ektopos.base.names import shortened, unique_names
from ektopos.base.types import MAX_INSTANCES
from ektopos.base.usd_layers import Find, confined_layer, gathered, strangers
from ektopos.meshes.formats.usd_parts import divided, mesh_parts, placed
from ektopos.meshes.mesh import Mesh, Node
from ektopos.meshes.mesh_builder import MAX_TRIANGLES, Part, join_parts

if TYPE_CHECKING:
    from pxr import Usd, UsdGeom

_NOT_DRAWN = ("guide", "proxy")
USD_SUFFIXES = (".usd", ".usda", ".usdc", ".usdz")
_NOT_READ = ("Sphere", "Cube", "Cylinder", "Cone", "Capsule", "BasisCurves", "Points")


def read_usd(path: Path, find: Find, name: str) -> Mesh:
    """A mesh from a USD file and the layers beside it that it refers to. Raises `UnreadableFile`,
    or `ValueError` and its kin for damage."""
    with open_stage(path, find, name) as (stage, left_out):
        return _read(stage, left_out, name)


@contextlib.contextmanager
def open_stage(path: Path, find: Find, name: str) -> Iterator[tuple[Usd.Stage, list[str]]]:
    """The composed stage of a USD file, and what it refers to elsewhere, which is not followed.
    Raises `UnreadableFile`."""
    from pxr import Tf, Usd

    with gathered(path, find, name) as (root, beside):
        try:
            layer, left_out = confined_layer(root, beside)
            if left_out and root.suffix == ".usdz":
                raise UnreadableFile(
                    f"it refers to {left_out[0]}, which is not in the package.",
                    subject=name,
                    hint="Pack it again with all that it refers to.",
                )
            stage = Usd.Stage.Open(layer) if layer else None
        except Tf.ErrorException:
            stage = None
        allowed = {place.resolve() for place in (root, *(root.parent / one for one in beside))}
        if stage is None or strangers(stage, allowed):
            raise UnreadableFile(
                "this is not a USD file, or it is damaged.", subject=name, hint="Export it again."
            )
        yield stage, left_out


def _read(stage: Usd.Stage, left_out: list[str], name: str) -> Mesh:
    from pxr import Usd, UsdGeom

    world = np.eye(4)
    world[:3, :3] *= UsdGeom.GetStageMetersPerUnit(stage)
    if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z:
        world[:3, :3] = world[:3, :3] @ np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]])
    cache = UsdGeom.XformCache(Usd.TimeCode.EarliestTime())
    slots: dict[str, int] = {}
    names: list[str] = []
    notes = [f"refers to {other}, which is not followed" for other in left_out]
    nodes: dict[str, Node | None] = {}
    known: dict[str, list[Part]] = {}
    drawn: list[tuple[str, int]] = []
    where: dict[str, list[NDArray[np.float64]]] = {}
    triangles = draws = 0
    for prim, places in _drawn(stage, cache, notes):
        draws += len(places)
        if draws > MAX_INSTANCES:
            raise ValueError(f"it draws more than {MAX_INSTANCES:,} meshes")
        for above in prim.GetPath().GetPrefixes():
            if str(above) not in nodes:
                nodes[str(above)] = _node(stage.GetPrimAtPath(above), cache)
        # Instances share what they are made of, which is read once.
        origin = prim.GetPrimInPrototype() if prim.IsInstanceProxy() else prim
        source = str(origin.GetPath())
        if source not in known:
            known[source] = mesh_parts(UsdGeom.Mesh(prim), slots, names)
            notes += _remarks(UsdGeom.Mesh(prim))
        triangles += len(places) * sum(len(part.triangles) for part in known[source])
        if triangles > MAX_TRIANGLES:
            raise ValueError(f"more than {MAX_TRIANGLES:,} triangles are drawn")
        drawn.append((source, len(places)))
        where.setdefault(source, []).append(world @ places)
    parts = _in_order(drawn, known, where)
    if not parts:
        raise UnreadableFile(
            "there is no mesh in it.", subject=name, hint="Export it again with its meshes."
        )
    return join_parts(
        Path(name).stem,
        parts,
        unique_names(names),
        tuple(node for node in nodes.values() if node is not None),
        tuple(dict.fromkeys(notes)),
    )


def _in_order(
    drawn: list[tuple[str, int]],
    known: dict[str, list[Part]],
    where: dict[str, list[NDArray[np.float64]]],
) -> list[Part]:
    """What is drawn, in the order of the file: of what is drawn again and again all places at once,
    and then one after the other."""
    copies: dict[str, list[Iterator[Part]]] = {}
    for source, places in where.items():
        together = np.concatenate(places)
        counts = [len(one) for one in places]
        copies[source] = [divided(placed(part, together), part, counts) for part in known[source]]
    return [next(one) for source, _ in drawn for one in copies[source]]


def _drawn(
    stage: Usd.Stage, cache: UsdGeom.XformCache, notes: list[str]
) -> Iterator[tuple[Usd.Prim, NDArray[np.float64]]]:
    """Every mesh that is drawn, with its places `(k, 4, 4)`; what is left out is noted."""
    from pxr import Usd, UsdGeom

    prims = iter(Usd.PrimRange(stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()))
    for prim in prims:
        if prim.GetTypeName() in _NOT_READ:
            notes.append(f"a {prim.GetTypeName()} is in it, and left out")
        if prim.IsA(UsdGeom.PointInstancer):
            # What stands below it is drawn where it says, and nowhere else.
            prims.PruneChildren()
            if _is_seen(prim, notes):
                yield from _scattered(UsdGeom.PointInstancer(prim), cache, notes)
        elif prim.IsA(UsdGeom.Mesh) and _is_seen(prim, notes):
            yield prim, _placed(prim, cache)[None]


def _is_seen(prim: Usd.Prim, notes: list[str]) -> bool:
    """Whether something is drawn; a guide or a proxy is noted."""
    from pxr import UsdGeom

    shown = UsdGeom.Imageable(prim)
    if shown.ComputeVisibility() == UsdGeom.Tokens.invisible:
        return False
    purpose = shown.ComputePurpose()
    if purpose in _NOT_DRAWN:
        notes.append(f"{prim.GetName()} is a {purpose}, and left out")
    return purpose not in _NOT_DRAWN


def _scattered(
    instancer: UsdGeom.PointInstancer, cache: UsdGeom.XformCache, notes: list[str]
) -> Iterator[tuple[Usd.Prim, NDArray[np.float64]]]:
    """The meshes of a point instancer's prototypes at each of its points. Source: UsdGeom's
    PointInstancer, “Transforms”; its mask of hidden points is followed. Raises `ValueError`."""
    from pxr import Usd, UsdGeom

    when = Usd.TimeCode.EarliestTime()
    indices = np.array(instancer.GetProtoIndicesAttr().Get(when) or [], np.int64)
    if len(indices) > MAX_INSTANCES:
        raise ValueError(f"it has {len(indices):,} instances; at most {MAX_INSTANCES:,} are read")
    mask = np.array(instancer.ComputeMaskAtTime(when) or np.ones(len(indices)), bool)
    given = instancer.ComputeInstanceTransformsAtTime(
        when, when, applyMask=UsdGeom.PointInstancer.IgnoreMask
    )
    own = np.array(cache.GetLocalToWorldTransform(instancer.GetPrim())).T
    places = np.array(given).reshape(-1, 4, 4).transpose(0, 2, 1)
    if len(places) != len(indices):
        raise ValueError("its instances do not agree in number")
    stage = instancer.GetPrim().GetStage()
    for number, path in enumerate(instancer.GetPrototypesRel().GetForwardedTargets()):
        prototype = stage.GetPrimAtPath(path)
        here = np.flatnonzero((indices == number) & mask)
        if not prototype or not len(here):
            continue
        # An instance's transform has its prototype's own in it already.
        back = np.linalg.inv(np.array(cache.GetLocalToWorldTransform(prototype)).T)
        for prim in Usd.PrimRange(prototype, Usd.TraverseInstanceProxies()):
            if prim.IsA(UsdGeom.Mesh) and _is_seen(prim, notes):
                within = back @ np.array(cache.GetLocalToWorldTransform(prim)).T
                yield prim, own @ places[here] @ within


def _placed(prim: Usd.Prim, cache: UsdGeom.XformCache) -> NDArray[np.float64]:
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


def _remarks(mesh: UsdGeom.Mesh) -> list[str]:
    """What of a mesh is not drawn as its file would have it."""
    remarks = []
    if mesh.GetPrim().HasRelationship("skel:skeleton"):
        remarks.append("it has a skeleton, and is measured in its bind pose")
    scheme = mesh.GetSubdivisionSchemeAttr()
    if scheme.HasAuthoredValue() and scheme.Get() != "none":
        remarks.append(
            f"{mesh.GetPrim().GetName()} is for subdivision ({scheme.Get()}), not applied"
        )
    if mesh.GetHoleIndicesAttr().Get():
        remarks.append(f"{mesh.GetPrim().GetName()} has holes, whose faces are left out")
    return remarks


def _node(prim: Usd.Prim, cache: UsdGeom.XformCache) -> Node | None:
    from pxr import UsdGeom

    if not prim.IsA(UsdGeom.Xformable):
        return None
    axes = np.array(cache.GetLocalTransformation(prim)[0]).T[:3, :3]
    x, y, z = (float(length) for length in np.linalg.norm(axes, axis=0))
    return Node(shortened(prim.GetName()), (x, y, z), bool(np.linalg.det(axes) < 0))
