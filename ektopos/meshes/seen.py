"""Which sides of faces can be seen from outside, by rays."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ektopos.meshes.mesh import Mesh
from ektopos.vectors import normalise

RAYS = 32
MOST = 4096
"""Faces that rays are followed from; more are judged by a sample."""
_LIFT = 2e-6


def seen_shares(
    mesh: Mesh, faces: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Shares of the directions from the front and from the back of faces (`(n,)` triangle numbers)
    that meet nothing: `(n,)` each, 0–1. Cost: 2 × `RAYS` rays a face."""
    from embreex import rtcore_scene
    from embreex.mesh_construction import TriangleMesh

    # Rays are followed in single precision: about the middle of the mesh and at its own size.
    low, high = mesh.positions.min(axis=0), mesh.positions.max(axis=0)
    extent = float((high - low).max()) or 1.0
    positions = (mesh.positions - (low + high) / 2.0) / extent
    scene = rtcore_scene.EmbreeScene()
    TriangleMesh(scene, positions[mesh.triangles].astype(np.float32))
    a, b, c = np.moveaxis(positions[mesh.triangles[faces]], 1, 0)
    centre, flat = (a + b + c) / 3.0, normalise(np.cross(b - a, c - a))
    found = []
    for up in (flat, -flat):
        free = np.zeros(len(faces))
        for direction in _around(up):
            starts = (centre + up * _LIFT).astype(np.float32)
            met = scene.run(starts, direction.astype(np.float32), output=True)
            free += met["primID"] < 0
        found.append(free / RAYS)
    return found[0], found[1]


def _around(up: NDArray[np.float64]) -> list[NDArray[np.float64]]:
    """Cosine-weighted directions about `(n, 3)` normals."""
    helper = np.where(np.abs(up[:, 1:2]) < 0.95, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]])
    x_axis = normalise(np.cross(helper, up))
    y_axis = np.cross(up, x_axis)
    found = []
    for i in range(RAYS):
        share, around = (i + 0.5) / RAYS, 2 * np.pi * (i * 0.6180339887498949 % 1.0)
        across = np.sqrt(share)
        sideways = x_axis * (across * np.cos(around)) + y_axis * (across * np.sin(around))
        found.append(sideways + up * np.sqrt(1.0 - share))
    return found
