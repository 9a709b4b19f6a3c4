"""Measures of UV layouts."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ektopos.meshes.rows import unique_rows
from ektopos.vectors import bounds, middles

GRID = 1024
SUBTEXEL = 256
"""Corners are snapped to this fraction of a grid cell, so that edge tests are exact in integers."""
_CHUNK = 4_000_000


def signed_areas(corner_uvs: NDArray[np.float64]) -> NDArray[np.float64]:
    """Signed UV areas of triangles `(t, 3, 2)`, `(t,)`: positive where the UVs run with the face as
    seen.

    v points down, so a face that is counter-clockwise on the mesh and on the picture has a negative
    cross product.

    >>> signed_areas(np.array([[[0.0, 0.0], [0.0, 1.0], [1.0, 0.0]]])).tolist()
    [0.5]
    """
    a, b, c = np.moveaxis(corner_uvs, 1, 0)
    u, v = b - a, c - a
    return np.asarray(-(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]) / 2.0)


def stretch(corners: NDArray[np.float64], corner_uvs: NDArray[np.float64]) -> tuple[float, float]:
    """Texture stretch (L2, L∞) of a set of triangles; both 1 for an isometric unwrap at any scale,
    infinite where an area of the surface has no UV area, not a number for nothing.

    `corners` `(t, 3, 3)`, `corner_uvs` `(t, 3, 2)`. Γ and γ are the singular values of the map from
    UV to surface; per triangle L2 = √((Γ² + γ²) / 2) and L∞ = Γ; over the mesh L2 is the root mean
    square weighted by surface area, L∞ the largest; both are divided by the ideal of the whole,
    √(surface area / UV area). Source: Sander, Snyder, Gortler and Hoppe, “Texture Mapping
    Progressive Meshes”, 2001, section 3.

    An isometric unwrap has none; a sheet drawn out to twice its length √1.25 and √2.

    >>> flat = np.array([[[0.0, 0, 0], [1, 0, 0], [0, 1, 0]]])
    >>> [round(v, 4) for v in stretch(flat, flat[..., :2] * 0.1)]
    [1.0, 1.0]
    >>> [round(v, 4) for v in stretch(flat * [2, 1, 1], flat[..., :2])]
    [1.118, 1.4142]
    """
    surface = (
        np.linalg.norm(
            np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
        )
        / 2.0
    )
    uv_area = np.abs(signed_areas(corner_uvs))
    kept = surface > 0
    if not kept.any() or not np.isfinite(uv_area[kept]).all():
        return float("nan"), float("nan")
    if (uv_area[kept] == 0).any():
        return float("inf"), float("inf")
    largest, smallest = singular_values(corners[kept], corner_uvs[kept])
    area = surface[kept].sum()
    ideal = np.sqrt(area / uv_area[kept].sum())
    l2 = np.sqrt((((largest**2 + smallest**2) / 2.0) * surface[kept]).sum() / area)
    return float(l2 / ideal), float(largest.max() / ideal)


def singular_values(
    corners: NDArray[np.float64], corner_uvs: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Γ and γ of triangles, `(t,)`: the largest and smallest length on the surface of one UV unit;
    infinite without UV area.

    Source: Sander and others 2001, section 3.
    """
    q1, q2, q3 = (corners[:, i] for i in range(3))
    (s1, t1), (s2, t2), (s3, t3) = ((corner_uvs[:, i, :1], corner_uvs[:, i, 1:]) for i in range(3))
    double = (s2 - s1) * (t3 - t1) - (s3 - s1) * (t2 - t1)
    with np.errstate(divide="ignore", invalid="ignore"):
        along_s = (q1 * (t2 - t3) + q2 * (t3 - t1) + q3 * (t1 - t2)) / double
        along_t = (q1 * (s3 - s2) + q2 * (s1 - s3) + q3 * (s2 - s1)) / double
    a, b, c = (
        np.einsum("ij,ij->i", x, y)
        for x, y in ((along_s, along_s), (along_s, along_t), (along_t, along_t))
    )
    with np.errstate(invalid="ignore"):
        root = np.sqrt((a - c) ** 2 + 4 * b**2)
        return np.sqrt((a + c + root) / 2.0), np.sqrt(np.maximum(a + c - root, 0.0) / 2.0)


def coverage(corner_uvs: NDArray[np.float64]) -> float:
    """Share of the 0–1 square that triangles `(t, 3, 2)` cover, sampled on a `GRID`² grid.

    >>> coverage(np.array([[[0.0, 0.0], [0.0, 1.0], [1.0, 0.0]]])).__round__(2)
    0.5
    """
    return float((cover_counts(corner_uvs, (0.0, 0.0), (1.0, 1.0)) > 0).mean())


def tile_numbers(corner_uvs: NDArray[np.float64]) -> NDArray[np.int64]:
    """The UDIM tile that each triangle lies on by its middle, `(t,)`, of corners `(t, 3, 2)` in UV
    units, v down; 0 where it has no UVs or lies on no tile.

    Common practice: 1001 + u + 10 v for the square at (u, v), v up, with ten squares a row.

    >>> tile_numbers(np.array([[[0.1, 0.1], [0.9, 0.1], [0.5, 0.9]]]) + [1.0, -1.0]).tolist()
    [1012]
    """
    middle = middles(corner_uvs)
    there = np.asarray(np.isfinite(middle).all(axis=1))
    u, v = np.where(there[:, None], np.floor(middle * [1, -1] + [0, 1]), -1).astype(np.int64).T
    return np.where((u >= 0) & (u < 10) & (v >= 0) & (v < 100), 1001 + u + 10 * v, 0)


def overlap(corner_uvs: NDArray[np.float64]) -> float:
    """Share of the covered UV area that is covered more than once, wherever it lies; 0 for nothing.

    `corner_uvs` is `(t, 3, 2)` in UV units; the share is 0–1.
    """
    if not len(corner_uvs):
        return 0.0
    flat = corner_uvs.reshape(-1, 2)
    low, high = bounds(flat)
    if (high - low).min() <= 0:
        return 0.0
    counts = cover_counts(corner_uvs, (low[0], low[1]), (high[0], high[1]))
    covered = int((counts > 0).sum())
    return float((counts > 1).sum() / covered) if covered else 0.0


def cover_counts(
    corner_uvs: NDArray[np.float64],
    low: tuple[float, float],
    high: tuple[float, float],
    grid: int = GRID,
) -> NDArray[np.int32]:
    """How many triangles cover each centre of a grid over a UV rectangle: `(grid, grid)`, rows
    along v.

    Edges belong to one side only (the top-left rule), so neighbours never count twice. Every
    triangle adds one where its span of a row begins and takes one where it ends; a running sum over
    the row gives the counts. Cost: linear in the rows of different triangles, however often they
    lie on each other, and in the cells of the grid.
    """
    size = np.maximum(np.array(high) - np.array(low), 1e-30)
    places = (corner_uvs - np.array(low)) * (grid / size) * SUBTEXEL
    snapped = np.asarray(np.rint(places).clip(-(2**28), 2**28), np.int64)
    first, times = distinct_triangles(snapped)
    wide = grid + 1
    steps = np.zeros(grid * wide, np.int64)
    for y, left, right, owner in covered_spans(snapped[first], grid):
        weight = times[owner]
        steps += np.bincount(y * wide + left, weight, minlength=len(steps)).astype(np.int64)
        steps -= np.bincount(y * wide + right, weight, minlength=len(steps)).astype(np.int64)
    return np.cumsum(steps.reshape(grid, wide), axis=1)[:, :grid].astype(np.int32)


def distinct_triangles(snapped: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Which triangles `(t, 3, 2)` differ in their corners, whatever their order, and how often each
    is there: `(d,)` both.

    Cards, leaves and bolts lie on the same few triangles thousands of times; whatever is drawn is
    drawn once.
    """
    corners = unique_rows(snapped.reshape(-1, 2))[1].reshape(-1, 3)
    first, group = unique_rows(np.sort(corners, axis=1))
    return first, np.bincount(group, minlength=len(first)).astype(np.int64)


def covered_texels(
    corner_uvs: NDArray[np.float64], width: int, height: int
) -> NDArray[np.bool_] | None:
    """Which texels of a map `(height, width)` have their centres in triangles `(t, 3, 2)`; `None`
    where UVs leave 0–1, for then the map repeats and all of it may show.

    Triangles that lie in another square as a whole count as lying in the first.
    """
    moved = corner_uvs - np.floor(corner_uvs.mean(axis=1, keepdims=True))
    reach = 0.5 / np.array([width, height])
    if (
        not len(moved)
        or not np.isfinite(moved).all()
        or (moved < -reach).any()
        or (moved > 1 + reach).any()
    ):
        return None
    grid = max(width, height)
    covered = np.zeros(grid * grid, bool)
    snapped = np.rint(moved * [width, height] * SUBTEXEL).astype(np.int64)
    for cell, _ in covered_cells(snapped[distinct_triangles(snapped)[0]], grid):
        covered[cell] = True
    return covered.reshape(grid, grid)[:height, :width]


def covered_cells(
    snapped: NDArray[np.int64], grid: int
) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64]]]:
    """Cells of a grid whose centres lie in triangles, in chunks: cell numbers (row · grid + column)
    and triangle numbers.

    `snapped` is `(t, 3, 2)` in `SUBTEXEL`ths of a cell. Cost: linear in the triangles' rows and in
    the cells found.
    """
    for y, left, right, owner in covered_spans(snapped, grid, _CHUNK):
        line, step = spread(right - left)
        yield y[line] * grid + left[line] + step, owner[line]


def covered_spans(
    snapped: NDArray[np.int64], grid: int, most: int | None = None
) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]]:
    """The same by rows: row, first column, the column behind the last, and triangle number, in
    chunks of at most `most` cells, or of `_CHUNK` rows. Cost: linear in the triangles' rows.

    Each array is `(spans,)`, in cells of the grid.
    """
    a, b, c = (snapped[:, i] for i in range(3))
    double = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    b, c = np.where(double[:, None] < 0, c, b), np.where(double[:, None] < 0, b, c)
    half = SUBTEXEL // 2
    # Pairwise, because NumPy is slow at reducing a short axis.
    lowest, highest = np.minimum(np.minimum(a, b), c), np.maximum(np.maximum(a, b), c)
    low = np.clip(-(-(lowest - half) // SUBTEXEL), 0, grid)
    high = np.clip((highest - half) // SUBTEXEL + 1, 0, grid)
    size = np.maximum(high - low, 0)
    rows = size[:, 1] * (size[:, 0] > 0) * (double != 0)
    cost = rows * size[:, 0] if most else rows
    numbers = np.flatnonzero(cost)
    while len(numbers):
        upto = max(1, int(np.searchsorted(np.cumsum(cost[numbers]), most or _CHUNK)))
        chosen, numbers = numbers[:upto], numbers[upto:]
        owner, step = spread(rows[chosen])
        owner = chosen[owner]
        y = low[owner, 1] + step
        py = y * SUBTEXEL + half
        left, right = np.zeros(len(y), np.int64), np.full(len(y), grid - 1, np.int64)
        for start, end in ((a, b), (b, c), (c, a)):
            dx, dy = (end[:, 0] - start[:, 0])[owner], (end[:, 1] - start[:, 1])[owner]
            # A centre is inside where dx · (py − sy) − dy · (px − sx) > 0, or = 0 on an edge that
            # owns its points.
            owns = (dy < 0) | ((dy == 0) & (dx > 0))
            reach = dx * (py - start[owner, 1]) - ~owns
            along = reach // np.maximum(np.abs(dy), 1)
            sx = start[owner, 0]
            right = np.where(dy > 0, np.minimum(right, (sx + along - half) // SUBTEXEL), right)
            left = np.where(dy < 0, np.maximum(left, -((half - sx + along) // SUBTEXEL)), left)
            right = np.where((dy == 0) & (reach < 0), -1, right)
        kept = right >= left
        yield y[kept], left[kept], right[kept] + 1, owner[kept]


def spread(counts: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Each number of a list as often as its count says, and the running number within each.

    `counts` is `(n,)`, the results `(counts.sum(),)`.
    """
    whose = np.repeat(np.arange(len(counts)), counts)
    return whose, np.arange(len(whose)) - np.repeat(np.cumsum(counts) - counts, counts)
