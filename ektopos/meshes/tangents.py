"""Tangent frames for normal maps, as glTF requires where a mesh brings none: MikkTSpace.

Source: glTF 2.0, 3.7.2.1; Mikkelsen, “Simulation of Wrinkled Surfaces Revisited”, 2008.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float, Index
from ektopos.base.vectors import normalise


def vertex_tangents(
    positions: NDArray[np.float64], normals: Float, uvs: Float, triangles: Index
) -> Float:
    """Tangents of every corner, `(t, 3, 4)`: unit xyz, and the sign of the bitangent in w.

    `positions` `(n, 3)`, `normals` `(n, 3)` unit, `uvs` `(n, 2)` with v down as in glTF,
    `triangles` `(t, 3)`. Corners with equal position, normal and UV share a frame where their
    triangles are mapped the same way round; each triangle counts by the angle at the corner. Where
    UVs have no area the frame is any.
    """
    if not len(triangles):
        return np.zeros((0, 3, 4), np.float32)
    keys = np.concatenate([positions, normals, uvs], axis=1).astype(np.float32)
    _, welded = np.unique(keys, axis=0, return_inverse=True)
    corner_vertex = welded.reshape(-1)[triangles]
    p = positions[triangles]
    # MikkTSpace works with v up.
    t = np.stack([uvs[..., 0], 1.0 - uvs[..., 1]], axis=-1).astype(np.float64)[triangles]
    d1, d2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    t1, t2 = t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]
    area = t1[:, 0] * t2[:, 1] - t1[:, 1] * t2[:, 0]
    along = t2[:, 1:2] * d1 - t1[:, 1:2] * d2
    sign = np.where(area > 0, 1.0, -1.0)
    along = along * sign[:, None]
    usable = (np.abs(area) > 1e-12) & (np.linalg.norm(along, axis=1) > 1e-12)
    n = normals[triangles].astype(np.float64)
    projected = along[:, None] - n * np.einsum("tci,ti->tc", n, along)[..., None]
    projected = _unit(projected)
    group = corner_vertex * 2 + (area > 0)[:, None]
    weight = _corner_angles(p, n) * usable[:, None]
    summed = np.zeros((int(group.max()) + 1, 3))
    for corner in range(3):
        np.add.at(summed, group[:, corner], projected[:, corner] * weight[:, corner, None])
    tangents = _unit(summed[group])
    lost = np.linalg.norm(tangents, axis=2) < 0.5
    if lost.any():
        axis = np.where(np.abs(n[lost][:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
        tangents[lost] = _unit(np.cross(axis, n[lost]))
    return np.concatenate(
        [tangents, np.broadcast_to(sign[:, None, None], (*tangents.shape[:2], 1))], axis=2
    ).astype(np.float32)


def _corner_angles(
    corners: NDArray[np.float64], normals: NDArray[np.float64]
) -> NDArray[np.float64]:
    """The angle of every triangle at its corners, in the plane of the corner's normal, `(t, 3)`
    radians."""
    to_next, to_last = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    flat = [
        _unit(edge - normals * np.einsum("tci,tci->tc", normals, edge)[..., None])
        for edge in (to_next, to_last)
    ]
    return np.asarray(np.arccos(np.clip(np.einsum("tci,tci->tc", *flat), -1.0, 1.0)))


def _unit(vectors: NDArray[np.float64]) -> NDArray[np.float64]:
    return normalise(vectors, (0.0, 0.0, 0.0))
