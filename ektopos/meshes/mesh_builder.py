"""Pieces of a mesh while a file is being read, and the mesh that they make."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

from ektopos.images.encodings import srgb_to_linear
from ektopos.meshes.mesh import Mesh, Node
from ektopos.meshes.uvs import spread

UNNORMALISED_BY = 0.01
"""How far a normal's length may be from 1."""


MAX_SLOTS = 1024
MAX_TRIANGLES = 10_000_000
"""Of all instances together; a million take about 1 GB while they are measured."""


def check_slots(count: int) -> None:
    """Raises `ValueError` for more slots than can be measured one by one."""
    if count > MAX_SLOTS:
        raise ValueError(f"it has {count:,} materials; at most {MAX_SLOTS:,} are read")


@dataclass
class Part:
    """Triangles of one slot as one node draws them, in world space."""

    slot: int
    positions: NDArray[np.float64]
    triangles: NDArray[np.int64]
    normals: NDArray[np.float64]
    """Unit, zero where there is none."""
    uvs: NDArray[np.float64]
    """v down; not a number where there is none."""
    colours: NDArray[np.float64] | None
    """`(n, 4)` linear, or `None`."""
    unnormalised: NDArray[np.bool_]
    uv_sets: int
    more_uvs: tuple[NDArray[np.float64], ...] = ()
    """The UV sets after the first."""


def no_colours(count: int) -> NDArray[np.float64]:
    """Colours of vertices that have none."""
    return np.full((count, 4), np.nan)


def with_alpha(colours: NDArray[np.float64]) -> NDArray[np.float64]:
    """Colours `(n, 3 or 4)` with alpha 1 where there is none.

    `(n, 4)`, 0–1, linear as the input is.
    """
    return colours if colours.shape[1] == 4 else np.column_stack([colours, np.ones(len(colours))])


def seen_colours(colours: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear colours `(n, 3 or 4)` of those in formats that do not say how they are encoded: as
    they are seen on a screen, sRGB, with alpha as it is. Common practice."""
    linear = srgb_to_linear(colours[:, :3].astype(np.float32)).astype(np.float64)
    return np.concatenate([linear, colours[:, 3:]], axis=1)


def unit_normals(stored: NDArray[np.float64]) -> NDArray[np.float64]:
    """A file's normals `(n, 3)` at unit length; zero stays zero."""
    length = _lengths(stored)
    return np.asarray(stored / np.where(length > 0, length, 1.0)[:, None])


def not_unit(stored: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which of a file's normals `(n, 3)` are there and not of unit length, `(n,)`."""
    length = _lengths(stored)
    return np.asarray((np.abs(length - 1.0) > UNNORMALISED_BY) & (length > 0))


def _lengths(vectors: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(np.sqrt(np.einsum("ni,ni->n", vectors, vectors)))


def triangulated(counts: NDArray[np.int64], places: NDArray[np.float64]) -> NDArray[np.int64]:
    """Triangles of polygons, `(t, 3)` numbers of corners in their running order, `count − 2` for
    each.

    `counts` `(p,)` says how many corners each has, `places` `(c, 3)` where they are. Convex ones
    become fans; the others are cut by ears in the plane that fits them best. Cost: linear but for
    those.
    """
    triangles = fans(counts)
    starts = np.cumsum(counts) - counts
    first_triangle = np.cumsum(np.maximum(counts - 2, 0)) - np.maximum(counts - 2, 0)
    for polygon in np.flatnonzero(_is_dented(counts, starts, places)):
        corners = slice(starts[polygon], starts[polygon] + counts[polygon])
        ears = _ears(places[corners])
        if len(ears) == counts[polygon] - 2:
            here = first_triangle[polygon]
            triangles[here : here + len(ears)] = ears + starts[polygon]
    return triangles


def _is_dented(
    counts: NDArray[np.int64], starts: NDArray[np.int64], places: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """Which polygons `(p,)` turn inwards at a corner, against the normal that Newell’s sum gives
    them."""
    dented = np.zeros(len(counts), bool)
    if not (counts > 3).any():
        return dented
    owner, step = spread(counts)
    following = starts[owner] + (step + 1) % counts[owner]
    before = starts[owner] + (step - 1) % counts[owner]
    normals = np.zeros((len(counts), 3))
    np.add.at(normals, owner, np.cross(places, places[following]))
    turn = np.cross(places - places[before], places[following] - places)
    inwards = np.einsum("ij,ij->i", turn, normals[owner])
    least = -1e-9 * np.einsum("ij,ij->i", normals, normals)[owner]
    np.logical_or.at(dented, owner, (inwards < least) & (counts[owner] > 3))
    return dented


def _ears(corners: NDArray[np.float64]) -> NDArray[np.int64]:
    """Triangles of one polygon `(c, 3)`, `(t, 3)`, wound as it is."""
    normal = np.cross(corners, np.roll(corners, -1, axis=0)).sum(axis=0)
    dropped = int(np.abs(normal).argmax())
    flat = np.delete(corners, dropped, axis=1)
    ears = mapbox_earcut.triangulate_float64(flat, np.array([len(corners)], np.uint32))
    triangles = np.asarray(ears, np.int64).reshape(-1, 3)
    a, b, c = np.moveaxis(corners[triangles], 1, 0)
    along = np.einsum("ij,j->i", np.cross(b - a, c - a), normal).sum()
    return triangles[:, ::-1] if along < 0 else triangles


def fans(counts: NDArray[np.int64]) -> NDArray[np.int64]:
    """Triangles of polygons with so many corners each, `(t, 3)` numbers of corners in their running
    order: right for convex ones.

    >>> fans(np.array([4, 3])).tolist()
    [[0, 1, 2], [0, 2, 3], [4, 5, 6]]
    """
    starts = np.cumsum(counts) - counts
    polygon, step = spread(np.maximum(counts - 2, 0))
    first = starts[polygon]
    return np.stack([first, first + step + 1, first + step + 2], axis=1)


def cofactors(axes: NDArray[np.float64]) -> NDArray[np.float64]:
    """The same as `cofactor` for many `(k, 3, 3)` at once."""
    x, y, z = np.moveaxis(axes, 2, 0)
    turned = np.stack([np.cross(y, z), np.cross(z, x), np.cross(x, y)], axis=2)
    return np.asarray(np.where(np.linalg.det(axes) < 0, -1.0, 1.0)[:, None, None] * turned)


def cofactor(axes: NDArray[np.float64]) -> NDArray[np.float64]:
    """The matrix that turns normals where `axes` `(3, 3)` turns positions: right also where that
    cannot be inverted.

    `(3, 3)`, for column vectors, not scaled to unit length.
    """
    return np.asarray(cofactors(axes[None])[0])


def join_parts(
    name: str,
    parts: list[Part],
    slots: tuple[str, ...],
    nodes: tuple[Node, ...],
    notes: tuple[str, ...],
) -> Mesh:
    """The mesh of all parts; vertices and triangles keep their order."""
    starts = np.cumsum([0, *(len(part.positions) for part in parts)])
    more_sets = max((len(part.more_uvs) for part in parts), default=0)
    loose = [0] * len(slots)
    uv_sets = [0] * len(slots)
    for part in parts:
        used = np.zeros(len(part.positions), bool)
        used[part.triangles.ravel()] = True
        loose[part.slot] += int((~used).sum())
        uv_sets[part.slot] = max(uv_sets[part.slot], part.uv_sets)

    def joined(arrays: list[NDArray[Any]], width: tuple[int, ...], kind: Any) -> NDArray[Any]:
        return np.concatenate(arrays).astype(kind) if arrays else np.zeros((0, *width), kind)

    return Mesh(
        name=name,
        positions=joined([p.positions for p in parts], (3,), np.float64),
        triangles=joined(
            [p.triangles + s for p, s in zip(parts, starts, strict=False)], (3,), np.int32
        ),
        triangle_slot=joined([np.full(len(p.triangles), p.slot) for p in parts], (), np.int32),
        slots=slots,
        vertex_slot=joined([np.full(len(p.positions), p.slot) for p in parts], (), np.int32),
        normals=joined([p.normals for p in parts], (3,), np.float32),
        uvs=joined([p.uvs for p in parts], (2,), np.float32),
        colours=joined(
            [no_colours(len(p.positions)) if p.colours is None else p.colours for p in parts],
            (4,),
            np.float32,
        ),
        unnormalised=joined([p.unnormalised for p in parts], (), bool),
        loose=tuple(loose),
        uv_sets=tuple(uv_sets),
        nodes=nodes,
        more_uvs=tuple(
            joined([_further_uvs(part, number) for part in parts], (2,), np.float32)
            for number in range(more_sets)
        ),
        notes=notes,
    )


def _further_uvs(part: Part, number: int) -> NDArray[np.float64]:
    known = number < len(part.more_uvs)
    return part.more_uvs[number] if known else np.full((len(part.positions), 2), np.nan)
