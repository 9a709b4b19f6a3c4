"""Measures of UV layouts."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ektopos.base.vectors import bounds, middles
from ektopos.meshes.rows import sorted_corners, unique_rows

GRID = 1024
SUBTEXEL = 256
"""Corners are snapped to this fraction of a grid cell, so that edge tests are exact in integers."""
_MANY = 2**21
"""Rows of triangles that take longer to be drawn than to be looked through for equal triangles."""
_CHUNK = 2**19
"""Rows of triangles, or cells, that are worked on together."""


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


def uv_stretch(
    surface: NDArray[np.float64],
    signed: NDArray[np.float64],
    largest: NDArray[np.float64],
    smallest: NDArray[np.float64],
) -> tuple[float, float]:
    """Texture stretch (L2, L∞) of a set of triangles, by their areas on the surface and in UVs and
    their singular values, `(t,)` each; both 1 for an isometric unwrap at any scale, infinite where
    an area of the surface has no UV area, not a number for nothing.

    Γ and γ are the singular values of the map from UV to surface; per triangle
    L2 = √((Γ² + γ²) / 2) and L∞ = Γ; over the mesh L2 is the root mean square weighted by surface
    area, L∞ the largest; both are divided by the ideal of the whole, √(surface area / UV area).
    Source: Sander, Snyder, Gortler and Hoppe, “Texture Mapping Progressive Meshes”, 2001, section
    3.

    An isometric unwrap has none; a sheet drawn out to twice its length √1.25 and √2.

    >>> flat = np.array([[[0.0, 0, 0], [1, 0, 0], [0, 1, 0]]])
    >>> values = singular_values(flat * [2, 1, 1], flat[..., :2])
    >>> [round(v, 4) for v in uv_stretch(np.array([1.0]), signed_areas(flat[..., :2]), *values)]
    [1.118, 1.4142]
    """
    uv_area = np.abs(signed)
    kept = surface > 0
    if not kept.any() or not np.isfinite(uv_area[kept]).all():
        return float("nan"), float("nan")
    if (uv_area[kept] == 0).any():
        return float("inf"), float("inf")
    surface, largest, smallest = surface[kept], largest[kept], smallest[kept]
    ideal = np.sqrt(surface.sum() / uv_area[kept].sum())
    l2 = np.sqrt((((largest**2 + smallest**2) / 2.0) * surface).sum() / surface.sum())
    return float(l2 / ideal), float(largest.max() / ideal)


def singular_values(
    corners: NDArray[np.float64], corner_uvs: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Γ and γ of triangles, `(t,)`: the largest and smallest length on the surface of one UV unit;
    infinite without UV area.

    Source: Sander and others 2001, section 3.
    """
    (s1, t1), (s2, t2), (s3, t3) = np.moveaxis(corner_uvs, 0, 2)
    double = (s2 - s1) * (t3 - t1) - (s3 - s1) * (t2 - t1)
    a, b, c = np.zeros_like(double), np.zeros_like(double), np.zeros_like(double)
    with np.errstate(divide="ignore", invalid="ignore"):
        for q1, q2, q3 in corners.T:
            along_s = (q1 * (t2 - t3) + q2 * (t3 - t1) + q3 * (t1 - t2)) / double
            along_t = (q1 * (s3 - s2) + q2 * (s1 - s3) + q3 * (s2 - s1)) / double
            a += along_s * along_s
            b += along_s * along_t
            c += along_t * along_t
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


def coverage_and_overlap(corner_uvs: NDArray[np.float64]) -> tuple[float, float]:
    """Share of the 0–1 square that triangles `(t, 3, 2)` cover, and the share of the covered UV
    area, wherever it lies, that is covered more than once; 0 for nothing.

    What lies within 0–1 is drawn once for both, on a grid over its own bounds.

    >>> a, b, c, d = (0.0, 0.0), (0.0, 0.5), (0.5, 0.5), (0.5, 0.0)
    >>> half = np.array([[a, b, c], [a, c, d]])
    >>> coverage_and_overlap(half), coverage_and_overlap(np.concatenate([half, half]))
    ((0.25, 0.0), (0.25, 1.0))
    """
    if not len(corner_uvs):
        return 0.0, 0.0
    low, high = bounds(corner_uvs)
    if (high - low).min() <= 0:
        return coverage(corner_uvs), 0.0
    counts = cover_counts(corner_uvs, (low[0], low[1]), (high[0], high[1]))
    covered = int((counts > 0).sum())
    inside = (low >= 0).all() and (high <= 1).all()
    return (
        float(covered / counts.size * (high - low).prod()) if inside else coverage(corner_uvs),
        float((counts > 1).sum() / covered) if covered else 0.0,
    )


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
    snapped = np.asarray(np.rint(places).clip(-(2**26), 2**26), np.int64)
    times: NDArray[np.int64] | None = None
    v = snapped[..., 1].T
    if int((-_least(-v) - _least(v)).sum()) > _MANY * SUBTEXEL:
        first, times = distinct_triangles(snapped)
        snapped = snapped[first]
    wide = grid + 1
    steps = np.zeros(grid * wide, np.int64)
    for y, left, right, owner in covered_spans(snapped, grid):
        weight = None if times is None else times[owner]
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
    first, group = unique_rows(sorted_corners(corners))
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
    x, y = snapped.T
    double = (x[1] - x[0]) * (y[2] - y[0]) - (y[1] - y[0]) * (x[2] - x[0])
    x, y = (
        np.stack([a, np.where(double < 0, c, b), np.where(double < 0, b, c)]) for a, b, c in (x, y)
    )
    half = SUBTEXEL // 2
    dx, dy = np.roll(x, -1, axis=0) - x, np.roll(y, -1, axis=0) - y
    # A row through the centres of cells is none of a triangle's where it runs along its last edge.
    ends_flat = ((dy == 0) & (dx < 0)).any(axis=0)
    first = np.clip(-(-(_least(x) - half) // SUBTEXEL), 0, grid)
    columns = np.clip((-_least(-x) - half) // SUBTEXEL + 1, 0, grid) - first
    low = np.clip(-(-(_least(y) - half) // SUBTEXEL), 0, grid)
    high = np.clip((-_least(-y) - ends_flat - half) // SUBTEXEL + 1, 0, grid)
    rows = np.maximum(high - low, 0) * (columns > 0) * (double != 0)
    cost = rows * columns if most else rows
    numbers = np.flatnonzero(cost)
    two_right, lines = _lines(x[:, numbers], y[:, numbers], grid)
    upto = np.cumsum(cost[numbers])
    start = 0
    while start < len(numbers):
        past = upto[start - 1] if start else 0
        end = max(start + 1, int(np.searchsorted(upto, past + (most or _CHUNK))))
        here, start = slice(start, end), end
        counts = rows[numbers[here]]
        whose, step = spread(counts)
        row = np.repeat(low[numbers[here]], counts) + step
        alone, second, third = (
            np.floor(
                (np.repeat(at[here], counts) + np.repeat(slope[here], counts) * row)
                / np.repeat(steep[here], counts)
            )
            for at, slope, steep in lines
        )
        both, right_has_two = np.minimum(second, third), np.repeat(two_right[here], counts)
        left = np.maximum(-np.where(right_has_two, alone, both), 0)
        right = np.minimum(np.where(right_has_two, both, alone), grid - 1)
        kept = np.flatnonzero(right >= left)
        left, right = left[kept].astype(np.int64), right[kept].astype(np.int64) + 1
        yield row[kept], left, right, numbers[here][whose[kept]]


def _least(corners: NDArray[np.int64]) -> NDArray[np.int64]:
    """The least of `(3, t)`; pairwise, because NumPy is slow at reducing a short axis."""
    return np.asarray(np.minimum(np.minimum(corners[0], corners[1]), corners[2]))


_Line = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]


def _lines(
    x: NDArray[np.int64], y: NDArray[np.int64], grid: int
) -> tuple[NDArray[np.bool_], list[_Line]]:
    """The edges of triangles `(3, t)` that bound their rows, the one that is alone on its side
    first; and whether the two others are on the right, `(t,)`.

    Each is three numbers `(t,)`: (0th + 1st · row) / 2nd, rounded down, is the last column of that
    row on the right, and minus the first one on the left. A centre is inside where
    dx · (py − sy) − dy · (px − sx) > 0, or = 0 on an edge that owns its points: one that runs up,
    or to the right along a row. They are whole numbers; in floats, which divide much faster, no
    quotient rounds over one while they are below 2⁵³.
    """
    rises, falls = y[[1, 2, 0]] > y, y[[1, 2, 0]] < y
    two_right = rises.sum(axis=0) == 2
    alone = np.where(two_right, falls, rises)
    x, y = (
        np.stack(
            [
                np.where(alone[1], of[(i + 1) % 3], np.where(alone[2], of[(i + 2) % 3], of[i]))
                for i in range(3)
            ]
        )
        for of in (x.astype(np.float64), y.astype(np.float64))
    )
    half = SUBTEXEL // 2
    lines: list[_Line] = []
    for i in range(3):
        sx, sy, dx, dy = x[i], y[i], x[(i + 1) % 3] - x[i], y[(i + 1) % 3] - y[i]
        # Left edges are turned round, so that one rule rounds both; a flat one bounds no row.
        steep = np.maximum(np.abs(dy), 1.0)
        at = dx * (half - sy) - (dy >= 0) + steep * np.where(dy > 0, sx - half, half - sx)
        slope = dx * SUBTEXEL
        at[dy == 0], slope[dy == 0] = 2 * grid * SUBTEXEL, 0
        lines.append((at, slope, steep * SUBTEXEL))
    return two_right, lines


def spread(counts: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Each number of a list as often as its count says, and the running number within each.

    `counts` is `(n,)`, the results `(counts.sum(),)`.
    """
    whose = np.repeat(np.arange(len(counts)), counts)
    return whose, np.arange(len(whose)) - np.repeat(np.cumsum(counts) - counts, counts)
