"""What a slot's surface says of its picture beyond where its islands lie.

Where the surface goes on across a seam, colours do too; where it is creased, what was baked, worn
or painted on it shows a line.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float
from ektopos.base.vectors import normalise
from ektopos.matching.layout import GRID
from ektopos.meshes.mesh import Mesh
from ektopos.meshes.rows import unique_rows

SAMPLES = 1000
"""Places along the seams of a slot where both sides are compared."""
INSET = 1.5 / GRID
"""How far from a seam colours are read, UV units: its own texels may hold background."""
APART = 1.0 / GRID
"""UV units that the two sides of an edge are apart at least to be a seam."""
CREASE = np.cos(np.radians(20.0))
"""Cosine between faces below which their edge is a crease."""
_FRACTION = 4
"""Bits of a cell in which lines are drawn."""


def _nowhere() -> tuple[Float, Float]:
    return np.zeros((0, 2), np.float32), np.zeros((0, 2), np.float32)


@dataclass(frozen=True)
class Surface:
    """Seams and creases of one slot, in its UVs."""

    seams: tuple[Float, Float] = field(default_factory=_nowhere)
    """The same places `(SAMPLES, 2)` on one side and on the other; `(0, 2)` without seams."""
    seam_length: float = 0.0
    """Of all seams, UV units."""
    creases: NDArray[np.bool_] = field(default_factory=lambda: np.zeros((GRID, GRID), np.bool_))
    """Cells that creases within the islands run through."""


def slot_surface(mesh: Mesh, slot: int) -> Surface:
    """Seams and creases of one slot. Cost: a sort of the slot's edges."""
    own = mesh.triangle_slot == slot
    uvs = mesh.corner_uvs()[own]
    mapped = np.isfinite(uvs).all(axis=(1, 2))
    triangles, uvs = mesh.triangles[own][mapped], uvs[mapped]
    first, second, faces, thirds = _shared_edges(mesh.points[triangles], uvs)
    if not len(first):
        return Surface()
    a, b, c = np.moveaxis(mesh.positions[triangles], 1, 0)
    normals = normalise(np.cross(b - a, c - a))
    bent = np.einsum("ij,ij->i", normals[faces[:, 0]], normals[faces[:, 1]]) < CREASE
    apart = np.abs(first - second).max(axis=(1, 2))
    seam = apart > APART
    seams, length = _sampled(first[seam], second[seam], thirds[seam])
    return Surface(seams, length, _drawn(first[bent & (apart < APART / 2)]))


def _shared_edges(
    points: NDArray[np.int64], uvs: Float
) -> tuple[Float, Float, NDArray[np.int64], Float]:
    """Edges that just two triangles share: their UVs in the one and in the other `(e, 2, 2)`, both
    in one order, the two faces `(e, 2)`, and the UVs of the corners across `(e, 2, 2)`."""
    ends = points[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    places = uvs[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2, 2)
    turned = ends[:, 0] > ends[:, 1]
    ends[turned], places[turned] = ends[turned, ::-1], places[turned, ::-1]
    _, edge = unique_rows(ends)
    order = np.argsort(edge, kind="stable")
    count = np.bincount(edge)
    starts = (np.cumsum(count) - count)[count == 2]
    one, other = order[starts], order[starts + 1]
    kept = ends[one, 0] != ends[one, 1]
    one, other = one[kept], other[kept]
    across = uvs[:, [2, 0, 1]].reshape(-1, 2)
    return (
        places[one],
        places[other],
        np.stack([one // 3, other // 3], axis=1),
        np.stack([across[one], across[other]], axis=1),
    )


def _sampled(first: Float, second: Float, thirds: Float) -> tuple[tuple[Float, Float], float]:
    """Places all along the seams, a little inside on either side, and the length of all."""
    lengths = np.minimum(
        *(np.linalg.norm(side[:, 1] - side[:, 0], axis=1) for side in (first, second))
    )
    whole = float(lengths.sum())
    if whole <= 0:
        return _nowhere(), 0.0
    # Evenly spread: the same share of the length between one place and the next.
    at = (np.arange(SAMPLES) + 0.5) / SAMPLES * whole
    ends = np.cumsum(lengths)
    picked = np.minimum(np.searchsorted(ends, at), len(lengths) - 1)
    along = np.clip((at - (ends - lengths)[picked]) / np.maximum(lengths[picked], 1e-12), 0.0, 1.0)
    sides = [
        _inside(side[picked], thirds[picked, number], along[:, None])
        for number, side in enumerate((first, second))
    ]
    return (sides[0], sides[1]), whole


def _inside(edges: Float, thirds: Float, along: Float) -> Float:
    start, way = edges[:, 0], edges[:, 1] - edges[:, 0]
    place = start + along * way
    normal = np.stack([-way[:, 1], way[:, 0]], axis=1)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    height = ((thirds - place) * normal).sum(axis=1, keepdims=True)
    inset = np.sign(height) * np.minimum(INSET, np.abs(height) / 2)
    return np.asarray(place + inset * normal, np.float32)


def _drawn(edges: Float) -> NDArray[np.bool_]:
    picture = np.zeros((GRID, GRID), np.uint8)
    wrapped = edges - np.floor(edges.mean(axis=1, keepdims=True))
    # OpenCV's centres of cells lie at whole numbers.
    cells = np.rint((wrapped * GRID - 0.5) * 2**_FRACTION).astype(np.int64)
    for start, end in np.clip(cells, -(2**20), 2**20).tolist():
        cv2.line(picture, start, end, 1, 1, cv2.LINE_8, _FRACTION)
    return picture > 0
