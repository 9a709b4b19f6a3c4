"""The value that every mesh in Ektopos is."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float, Index
from ektopos.base.vectors import cross_columns, lengths_of_columns, normalise
from ektopos.meshes.islands import weld

OTHER_WAY = [0, 2, 1]
"""The corners of a triangle in the order in which it faces the other way."""


@dataclass(frozen=True)
class Node:
    """A node that carries triangles, itself or below it."""

    name: str
    scale: tuple[float, float, float]
    """Lengths of its own matrix's axes."""
    mirrored: bool
    """Whether its own matrix turns the mesh inside out (negative determinant)."""
    held: bool = False
    """Whether animations, skeletons or the like hang on its scale, which then cannot be applied."""


@dataclass(frozen=True)
class Mesh:
    """A mesh as drawn: node transforms applied, every instance counted.

    Vertices are those of the file, so one corner position may stand several times. Windings are
    counter-clockwise as seen from the front, also under mirroring nodes.
    """

    name: str
    positions: NDArray[np.float64]
    """`(n, 3)` metres."""
    triangles: Index
    """`(t, 3)` vertex numbers."""
    triangle_slot: Index
    """`(t,)` slot numbers."""
    slots: tuple[str, ...]
    """Slot names, unique."""
    vertex_slot: Index
    """`(n,)` slot numbers."""
    normals: Float
    """`(n, 3)` unit; zero where the file has none."""
    uvs: Float
    """`(n, 2)`, v down; not a number where the file has none."""
    colours: Float
    """`(n, 4)` linear; not a number where the file gives the vertex no colour."""
    unnormalised: NDArray[np.bool_]
    """`(n,)` whether the file's normal is longer or shorter than 1."""
    loose: tuple[int, ...]
    """Vertices that no triangle uses, by slot."""
    uv_sets: tuple[int, ...]
    """Number of UV sets, by slot."""
    nodes: tuple[Node, ...] = ()
    more_uvs: tuple[Float, ...] = ()
    """The UV sets after the first, each as `uvs`."""
    notes: tuple[str, ...] = ()
    """What else is in the file, in plain words."""
    two_sided: tuple[str, ...] = ()
    """Slots whose materials the file draws from both sides."""
    objects: tuple[str, ...] = ()
    """Names of the objects that an OBJ divides its faces into; none where it is one."""
    triangle_object: Index | None = None
    """`(t,)` numbers of the objects."""

    @property
    def coloured(self) -> NDArray[np.bool_]:
        """`(n,)` whether the file gives each vertex a colour."""
        return np.asarray(np.isfinite(self.colours).all(axis=1))

    @property
    def has_uv(self) -> NDArray[np.bool_]:
        """`(n,)` whether each vertex has UVs."""
        return np.asarray(np.isfinite(self.uvs).all(axis=1))

    @property
    def has_normal(self) -> NDArray[np.bool_]:
        """`(n,)` whether each vertex has a normal."""
        return np.asarray((self.normals != 0).any(axis=1))

    def corners(self) -> NDArray[np.float64]:
        """Positions of every triangle's corners, `(t, 3, 3)`, each coordinate of each corner a
        column of its own in memory: what is worked out of them goes over long columns, several
        times as fast as over short rows."""
        return corners_of(self.positions, self.triangles)

    def uv_set(self, number: int) -> Float:
        """A UV set `(n, 2)`; not a number where the file has none."""
        sets = (self.uvs, *self.more_uvs)
        return sets[number] if number < len(sets) else np.full_like(self.uvs, np.nan)

    def corner_uvs(self, number: int = 0) -> NDArray[np.float64]:
        """UVs of every triangle's corners in a set, `(t, 3, 2)`, in memory as `corners`."""
        return corners_of(self.uv_set(number), self.triangles)

    def areas(self) -> NDArray[np.float64]:
        """Areas of the triangles, `(t,)`, square metres."""
        return areas_of(self.corners())

    @cached_property
    def points(self) -> NDArray[np.int64]:
        """Number of the point that each vertex lies at, `(n,)`, as `weld` tells."""
        return weld(self.positions)


def corners_of(values: NDArray[np.floating], triangles: Index) -> NDArray[np.float64]:
    """What vertices have, `(n, k)`, at every corner of triangles `(t, 3)`: `(t, 3, k)`, each a
    column of its own in memory."""
    axes = np.ascontiguousarray(values.T, np.float64)
    columns = np.stack([np.take(axes, corner, axis=1) for corner in triangles.T])
    return columns.transpose(2, 0, 1)


def areas_of(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """Areas of triangles `(t, 3, 3)`, `(t,)`."""
    a, b, c = np.moveaxis(corners, 0, 2)
    return np.asarray(lengths_of_columns(cross_columns(b - a, c - a)) / 2.0)


def face_normals(positions: NDArray[np.float64], triangles: Index) -> Float:
    """Vertex normals, `(n, 3)`, averaged from the faces by area: for meshes that bring none.

    `positions` `(n, 3)` are metres, `triangles` `(t, 3)` vertex numbers; unit vectors.
    """
    a, b, c = (positions[triangles[:, i]] for i in range(3))
    faces = np.cross(b - a, c - a)
    summed = np.zeros_like(positions)
    for corner in range(3):
        np.add.at(summed, triangles[:, corner], faces)
    return normalise(summed).astype(np.float32)


def with_normals(mesh: Mesh) -> Mesh:
    """The mesh as it is drawn: triangles without normals are flat, with vertices of their own.

    Source: glTF 2.0, 3.7.2.1: “When normals are not specified, client implementations MUST
    calculate flat normals”.
    """
    bare = ~mesh.has_normal[mesh.triangles].all(axis=1)
    if not bare.any():
        return mesh
    corners = mesh.triangles[bare].reshape(-1)
    a, b, c = np.moveaxis(mesh.positions[corners].reshape(-1, 3, 3), 1, 0)
    flat = normalise(np.cross(b - a, c - a)).astype(np.float32)
    gone = np.zeros(len(mesh.positions), bool)
    gone[corners] = True
    gone[mesh.triangles[~bare]] = False
    kept = np.flatnonzero(~gone)
    place = np.cumsum(~gone) - 1
    triangles = np.empty_like(mesh.triangles)
    triangles[~bare] = place[mesh.triangles[~bare]]
    triangles[bare] = len(kept) + np.arange(len(corners)).reshape(-1, 3)
    order = np.concatenate([kept, corners])
    normals = mesh.normals[order]
    normals[len(kept) :] = np.repeat(flat, 3, axis=0)
    return replace(
        mesh,
        positions=mesh.positions[order],
        triangles=triangles,
        vertex_slot=mesh.vertex_slot[order],
        normals=normals,
        uvs=mesh.uvs[order],
        colours=mesh.colours[order],
        unnormalised=mesh.unnormalised[order],
        more_uvs=tuple(uvs[order] for uvs in mesh.more_uvs),
    )
