"""Which sides of faces can be seen from outside, by rays."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Values
from ektopos.base.vectors import flat_normals
from ektopos.meshes.mesh import Mesh

RAYS = 32
MOST = 4096
"""Faces that rays are followed from; more are judged by a sample."""


def seen_shares(
    mesh: Mesh, faces: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Shares of the directions from the front and from the back of faces (`(n,)` triangle numbers)
    that meet nothing: `(n,)` each, 0–1. Cost: 2 × `RAYS` rays a face."""
    # Loaded when rays are wanted: it is the one part of reading a mesh that needs the ray library.
    from ektopos.meshes.rays import LIFT, cosine_directions, ray_scene

    rays = ray_scene(mesh.positions, mesh.triangles)
    corners = rays.positions[mesh.triangles[faces]]
    centre, front = corners.mean(axis=1), flat_normals(corners)

    def free(up: Values) -> NDArray[np.float64]:
        starts = centre + up * LIFT
        clear = np.zeros(len(faces))
        for directions in cosine_directions(up, RAYS):
            clear += rays.meet(starts, directions)["primID"] < 0
        return clear / RAYS

    return free(front), free(-front)
