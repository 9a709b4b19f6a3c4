"""Normals as a person asks for them: every face flat, or smooth over edges up to an angle."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ektopos.base.vectors import flat_normals, normalise
from ektopos.meshes.mesh import Mesh
from ektopos.meshes.uvs import spread

MOST_PAIRS = 4_000_000
"""Pairs of corners that are looked at together: what they take is a few hundred megabytes."""


def corner_normals(mesh: Mesh, faces: NDArray[np.integer], angle: float) -> NDArray[np.float64]:
    """Unit normals at the corners of some faces, `(f, 3, 3)`: at each corner those of all faces
    round its point that lean less than `angle` degrees from its own, each counted by its angle
    there; with 0 only its own.

    `faces` `(f,)` are triangle numbers. Cost: the corners round a point, squared, for every point.
    Source: Thürmer and Wüthrich, “Computing Vertex Normals from Polygonal Facets”, 1998.
    """
    corners = mesh.corners()
    own = flat_normals(corners)
    if angle <= 0:
        return np.repeat(own[faces][:, None], 3, axis=1)
    weights = _angles(corners).reshape(-1)
    points = mesh.points[mesh.triangles].reshape(-1)
    order = np.argsort(points, kind="stable")
    starts = np.searchsorted(points[order], np.arange(points.max(initial=-1) + 2))
    wanted = (3 * np.asarray(faces)[:, None] + np.arange(3)).reshape(-1)
    found = np.zeros((len(wanted), 3))
    near = np.cos(np.radians(min(angle, 180.0))) - 1e-9
    counts = np.diff(starts)[points[wanted]]
    ends = np.cumsum(counts)
    begin = 0
    while begin < len(wanted):
        past = ends[begin - 1] if begin else 0
        end = max(begin + 1, int(np.searchsorted(ends, past + MOST_PAIRS, side="right")))
        whose, number = spread(counts[begin:end])
        others = order[starts[points[wanted[begin:end]]][whose] + number]
        face, other = wanted[begin:end][whose] // 3, others // 3
        leaning = (own[face] * own[other]).sum(axis=1) >= near
        rows = whose[leaning]
        summed = own[other[leaning]] * weights[others[leaning]][:, None]
        for axis in range(3):
            found[begin:end, axis] = np.bincount(rows, summed[:, axis], minlength=end - begin)
        begin = end
    return np.asarray(normalise(found)).reshape(-1, 3, 3)


def _angles(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """The angle of every triangle at every corner, `(t, 3)` radians."""
    ahead = normalise(np.roll(corners, -1, axis=1) - corners)
    back = normalise(np.roll(corners, 1, axis=1) - corners)
    return np.asarray(np.arccos(np.clip((ahead * back).sum(axis=2), -1.0, 1.0)))
