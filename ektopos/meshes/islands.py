"""What belongs together on a mesh: connected parts of its surface, islands of its UVs, and the room
between those."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Index, Values
from ektopos.base.vectors import bounds
from ektopos.meshes.rows import has_equal_rows, in_order, sorted_corners, unique_rows
from ektopos.meshes.uvs import SUBTEXEL, covered_cells, distinct_triangles, signed_areas

WELD = 1e-6
"""Corners nearer than this share of the mesh's size are one point."""
FINE = 64
"""Steps of that distance within which places are as good as equal."""
COARSE = 32
"""Side of a coarse cell, in those distances."""
_CELLS = 2**16
"""More than there are coarse cells along a side."""
UV_STEPS = 65536
"""UVs nearer than one of so many steps are one point: a sixteenth of a texel at 4096."""
_GRID = 1024
CROWDED = 4.0
"""Different triangles with so many times the area of the square that they lie in overlap, wherever
they lie."""
_CANDIDATES = 96
"""Narrow places that are measured exactly."""


def weld(positions: NDArray[np.float64]) -> NDArray[np.int64]:
    """Number of the point that each vertex `(n, 3)` lies at, `(n,)`: one for all that are nearer to
    each other than `WELD` of the mesh's size, wherever a grid's lines would lie. Cost: a few
    sorts of the different places, and a k-d tree over those that have company.

    Positions are metres.
    """
    if not len(positions):
        return np.zeros(0, np.int64)
    low, high = bounds(positions)
    reach = WELD * (float((high - low).max()) or 1.0)
    # Those that are as good as equal are one place; the tree makes up for what that moves them.
    fine = reach / FINE
    first, point = unique_rows(np.rint((positions - low) / fine).astype(np.int64))
    point = in_order(first, point)
    places = positions[np.sort(first)] - low
    some = np.flatnonzero(_in_company(places, reach))
    if not len(some):
        return point
    # Imported here, because it takes longer than most commands do, and most meshes need none.
    from scipy.spatial import cKDTree

    near = some[cKDTree(places[some]).query_pairs(reach + 2.0 * fine, output_type="ndarray")]
    if not len(near):
        return point
    return connected(near[:, 0], near[:, 1], len(places)).astype(np.int64)[point]


def _in_company(places: NDArray[np.float64], reach: float) -> NDArray[np.bool_]:
    """Which places `(n, 3)`, from 0 up, may have another within `reach`: those that share a cell of
    a coarse grid. Of grids that are moved by half a cell in some axes, one has both in a cell."""
    joined = np.zeros(len(places), bool)
    scaled = places.T / (COARSE * reach)
    steps = [
        [np.floor(axis + moved).astype(np.int64) * width for moved in (0.0, 0.5)]
        for axis, width in zip(scaled, (_CELLS**2, _CELLS, 1), strict=True)
    ]
    for x, y, z in itertools.product(*steps):
        cell = x + y + z
        # Most meshes have none: that is told by sorting alone, which is much faster than an order.
        by_number = np.sort(cell)
        shared = by_number[1:][by_number[1:] == by_number[:-1]]
        if len(shared):
            joined |= np.isin(cell, shared)
    return joined


def connected(first: NDArray[Any], second: NDArray[Any], count: int) -> NDArray[np.int32]:
    """The connected group that each of `count` things belongs to, by pairs that hang together.

    `first` and `second` `(pairs,)` number the things; `(count,)` numbers of groups from 0.
    """
    # Imported here, because it takes longer than most commands do.
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    graph = coo_matrix((np.ones(len(first), np.int8), (first, second)), shape=(count, count))
    return np.asarray(connected_components(graph, directed=False)[1], np.int32)


def joined_faces(points: NDArray[np.int64]) -> tuple[Index, int]:
    """Groups of triangles that share corners: a number from 0 for each, and how many there are.
    `points` `(t, 3)`."""
    if not len(points):
        return np.zeros(0, np.int32), 0
    label = connected(points[:, [0, 1]].ravel(), points[:, [1, 2]].ravel(), int(points.max()) + 1)
    _, group = np.unique(label[points[:, 0]], return_inverse=True)
    return group.reshape(-1).astype(np.int32), int(group.max()) + 1


def faces_joined_by_edges(
    points: NDArray[np.int64], normals: Values | None = None, least: float = -1.0
) -> tuple[Index, int]:
    """Groups of triangles that share edges: a number from 0 for each, and how many there are.
    Triangles that touch in one point only are apart. `points` `(t, 3)`. With unit `normals`
    `(t, 3)`, only edges join whose sides have a cosine of at `least` so much between them."""
    if not len(points):
        return np.zeros(0, np.int32), 0
    edges = edges_of(points)
    several = edges.times > 1
    others = np.repeat(edges.faces[edges.begins[several]], edges.times[several])
    faces = edges.faces[np.repeat(several, edges.times)]
    if normals is not None:
        even = np.einsum("ij,ij->i", normals[faces], normals[others]) >= least
        faces, others = faces[even], others[even]
    group = connected(faces, others, len(points))
    return group, int(group.max()) + 1


@dataclass(frozen=True)
class Edges:
    """The edges of triangles, equal ones together: three for each triangle."""

    faces: Index
    """`(3 t,)` whose each is."""
    forward: NDArray[np.bool_]
    """`(3 t,)` whether its triangle runs along it from the lower point to the higher."""
    begins: NDArray[np.int64]
    """`(e,)` where each different edge begins in those."""
    times: NDArray[np.int64]
    """`(e,)` how often it is there."""


def edges_of(points: NDArray[np.integer]) -> Edges:
    """The edges of triangles by the points of their corners, `(t, 3)`. Cost: one sort."""
    start, end = points.ravel(), points[:, [1, 2, 0]].ravel()
    forward = start < end
    width = int(points.max(initial=0)) + 1
    keys = np.where(forward, start, end).astype(np.int64) * width + np.where(forward, end, start)
    order = np.argsort(keys, kind="stable")
    keys = keys[order]
    begins = np.flatnonzero(np.concatenate([[True], keys[1:] != keys[:-1]])[: len(keys)])
    times = np.diff(np.append(begins, len(keys)))
    return Edges((order // 3).astype(np.int32), forward[order], begins, times)


def uv_points(uvs: NDArray[np.floating]) -> NDArray[np.int64]:
    """Number of the UV point of every corner or vertex, `(…)`, of UVs `(…, 2)`."""
    keys = np.rint(uvs.reshape(-1, 2).T.astype(np.float64) * UV_STEPS).astype(np.int64).T
    return unique_rows(keys)[1].reshape(uvs.shape[:-1])


def uv_islands(
    corner_uvs: NDArray[np.float64], points: NDArray[np.int64] | None = None
) -> tuple[Index, int]:
    """UV islands: triangles joined by shared UV edges. A number from 0 for each triangle, and how
    many there are.

    With the surface's `points` `(t, 3)`, corners must also be one point there, so that stacked
    islands are told apart.
    """
    corners = uv_points(corner_uvs)
    if points is not None:
        corners = of_both(corners.reshape(-1), points.reshape(-1)).reshape(-1, 3)
    return faces_joined_by_edges(corners)


def of_both(first: NDArray[np.int64], second: NDArray[np.int64]) -> NDArray[np.int64]:
    """A number for each pair of numbers `(n,)`, from 0 up."""
    return in_order(*unique_rows(np.stack([first, second]).T))


def twins(areas: NDArray[np.float64], corners: NDArray[np.int64]) -> tuple[float, float]:
    """Shares of the UV area whose triangles lie exactly on others: (turned the same way, mirrored),
    0–1. `areas` `(t,)` are signed, `corners` `(t, 3)` the UV points of the triangles.

    Such are laid so on purpose; what overlaps otherwise usually is a mistake. The first of each
    group does not count.
    """
    total = float(np.abs(areas).sum())
    keys = sorted_corners(corners)
    if total == 0 or not has_equal_rows(keys):
        return 0.0, 0.0
    first, group = unique_rows(keys)
    extra = np.ones(len(keys), bool)
    extra[first] = False
    same_way = np.sign(areas) == np.sign(areas[first][group])
    area = np.abs(areas)
    return float(area[extra & same_way].sum() / total), float(area[extra & ~same_way].sum() / total)


def smallest_gap(corner_uvs: NDArray[np.float64], island: Index) -> float | None:
    """The smallest distance between two islands, UV units; 0 where they overlap, `None` with less
    than two.

    `corner_uvs` is `(t, 3, 2)`, `island` `(t,)` numbers the island of each triangle.

    Narrow places are found on a grid over the islands, then measured exactly from edge to edge.
    Islands that lie exactly on others do not count against each other.
    """
    flat = corner_uvs.reshape(-1, 2)
    low, high = bounds(flat)
    size = float((high - low).max())
    if island.max(initial=0) == 0 or size <= 0:
        return None
    snapped = np.rint((corner_uvs - low) / size * (_GRID - 1) * SUBTEXEL).astype(np.int64)
    distinct = distinct_triangles(snapped)[0]
    corner_uvs, island, snapped = corner_uvs[distinct], island[distinct], snapped[distinct]
    if np.abs(signed_areas(corner_uvs)).sum() > CROWDED * size * size:
        return 0.0
    first, second = np.full(_GRID * _GRID, -1, np.int64), np.full(_GRID * _GRID, -1, np.int64)
    for cell, owner in covered_cells(snapped, _GRID):
        first[cell] = island[owner]
    for cell, owner in covered_cells(snapped, _GRID):
        other = island[owner] != first[cell]
        second[cell[other]] = island[owner][other]
    covered = first >= 0
    pairs, times = np.unique(
        np.stack([first, second], axis=1)[covered & (second >= 0)], axis=0, return_counts=True
    )
    alone = np.bincount(first[covered & (second < 0)], minlength=int(island.max()) + 1)
    for (one, two), count in zip(pairs, times, strict=True):
        # Twins cover each other wholly; a few cells are only the grid's roughness.
        if count > 2 and min(alone[one], alone[two]) > 0.02 * count:
            return 0.0
    return _narrowest(corner_uvs, island, first.reshape(_GRID, _GRID), low, size)


def _narrowest(
    corner_uvs: NDArray[np.float64],
    island: Index,
    grid: NDArray[np.int64],
    low: NDArray[np.float64],
    size: float,
) -> float | None:
    """The exact distance at the narrowest of the places where two islands' surroundings meet."""
    covered = grid >= 0
    distance, nearest = cv2.distanceTransformWithLabels(
        (~covered).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    of_label = np.full(int(nearest.max()) + 1, -1, np.int64)
    of_label[nearest[covered]] = grid[covered]
    owner = of_label[nearest]
    edges, edge_island = _border_edges(corner_uvs, island)
    best: float | None = None
    for along in (0, 1):
        here = (slice(None, -1), slice(None)) if along == 0 else (slice(None), slice(None, -1))
        next_ = (slice(1, None), slice(None)) if along == 0 else (slice(None), slice(1, None))
        meeting = np.argwhere(owner[here] != owner[next_])
        if not len(meeting):
            continue
        width = (distance[here] + distance[next_])[tuple(meeting.T)]
        for place in meeting[np.argsort(width, kind="stable")[:_CANDIDATES]]:
            y, x = int(place[0]), int(place[1])
            one, two = int(owner[y, x]), int(owner[y + (along == 0), x + (along == 1)])
            reach = (float(distance[y, x]) + 4) / (_GRID - 1) * size
            centre = low + np.array([x, y]) / (_GRID - 1) * size
            near = _passes(edges, centre, reach)
            a, b = edges[near & (edge_island == one)], edges[near & (edge_island == two)]
            if len(a) and len(b):
                narrowest = min(_between(a, b), _between(b, a))
                best = narrowest if best is None else min(best, narrowest)
    return best


def _border_edges(
    corner_uvs: NDArray[np.float64], island: Index
) -> tuple[NDArray[np.float64], Index]:
    """Edges that only one triangle of an island has: `(e, 2, 2)`, and whose they are."""
    points = uv_points(corner_uvs)
    ends = np.sort(
        np.stack([points[:, [0, 1]], points[:, [1, 2]], points[:, [2, 0]]], axis=1).reshape(-1, 2),
        axis=1,
    )
    owner = np.repeat(island, 3).astype(np.int64)
    _, group = unique_rows(np.concatenate([ends, owner[:, None]], axis=1))
    lonely = np.bincount(group)[group] == 1
    places = np.stack(
        [corner_uvs[:, [0, 1]], corner_uvs[:, [1, 2]], corner_uvs[:, [2, 0]]], axis=1
    ).reshape(-1, 2, 2)
    return places[lonely], owner[lonely].astype(np.int32)


def _passes(
    edges: NDArray[np.float64], centre: NDArray[np.float64], reach: float
) -> NDArray[np.bool_]:
    """Which edges' bounding boxes come within reach of a place."""
    low, high = np.minimum(edges[:, 0], edges[:, 1]), np.maximum(edges[:, 0], edges[:, 1])
    return np.asarray(((low - reach <= centre) & (high + reach >= centre)).all(axis=1))


def _between(points: NDArray[np.float64], edges: NDArray[np.float64]) -> float:
    """The smallest distance from ends of some edges to other edges."""
    ends = points.reshape(-1, 2)[:, None]
    start, along = edges[None, :, 0], edges[None, :, 1] - edges[None, :, 0]
    length = np.maximum((along**2).sum(axis=-1), 1e-30)
    part = np.clip(((ends - start) * along).sum(axis=-1) / length, 0.0, 1.0)
    return float(np.sqrt((((start + part[..., None] * along) - ends) ** 2).sum(axis=-1)).min())
