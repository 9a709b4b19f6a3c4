"""Cracks: points on open edges that lie so near to each other that one was meant."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ektopos.meshes.islands import connected
from ektopos.meshes.mesh import Mesh
from ektopos.meshes.rows import unique_rows

CRACK = 1e-4
"""Share of the mesh's size within which points are one; a hundred times what is one anyway."""


def without_cracks(mesh: Mesh, share: float = CRACK) -> NDArray[np.float64]:
    """Positions `(n, 3)`, metres, with the points of open edges that lie within a share of the
    mesh's size moved to their middle; the mesh's own where there are none. Where that would draw an
    edge together, nothing is moved.

    Cost: a sort of the edges, and a k-d tree over the points of open ones.
    """
    positions = mesh.positions
    if not len(mesh.triangles):
        return positions
    point = mesh.points
    corners = point[mesh.triangles]
    edges = np.sort(corners[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    edges = edges[edges[:, 0] != edges[:, 1]]
    first, edge = unique_rows(edges)
    open_ = edges[first[np.bincount(edge, minlength=len(first)) == 1]]
    border = np.unique(open_)
    if len(border) < 2:
        return positions
    # Loaded for meshes that have open edges.
    from scipy.spatial import cKDTree

    place = np.zeros((int(point.max()) + 1, 3))
    place[point] = positions
    reach = share * (float(np.ptp(positions, axis=0).max()) or 1.0)
    pairs = cKDTree(place[border]).query_pairs(reach, output_type="ndarray")
    if not len(pairs):
        return positions
    group = np.arange(len(place))
    joined = connected(pairs[:, 0], pairs[:, 1], len(border))
    group[border] = len(place) + joined
    drawn_together = group[edges[:, 0]] == group[edges[:, 1]]
    kept = np.isin(group, group[edges[drawn_together]])
    group[kept] = np.arange(len(place))[kept]
    number, which, size = np.unique(group, return_inverse=True, return_counts=True)
    summed = [np.bincount(which, place[:, axis], minlength=len(number)) for axis in range(3)]
    middle = np.stack(summed, axis=1) / size[:, None]
    several = (size > 1)[which][point]
    if not several.any():
        return positions
    moved = positions.copy()
    moved[several] = middle[which][point][several]
    return moved
