"""A mesh as it was meant and as it arrived, drawn over each other: where they differ is tinted and
hatched."""

from __future__ import annotations

import numpy as np

from ektopos.base.types import Float, Values
from ektopos.base.vectors import flat_normals
from ektopos.meshes import Mesh
from ektopos.meshes.rays import ray_scene
from ektopos.rendering.camera import camera_rays, frame_points

NEAR = 1e-4
"""How far apart along a ray two surfaces are drawn as one, in sizes of all that is seen: finer than
single precision tells apart, and far below a pixel."""
GROUND = 0.46
"""sRGB of 18 % grey, as the stage's backdrop."""
ONLY_MEANT = (0.42, 0.77, 0.74)
ONLY_ARRIVED = (0.90, 0.66, 0.25)
ELSEWHERE = (0.78, 0.32, 0.27)
"""sRGB: verdigris, amber and brick, as elsewhere in the interface."""


def overlay(meant: Mesh, arrived: Mesh, towards: tuple[float, float, float], side: int) -> Float:
    """Both meshes from one direction, `(side, side, 3)` sRGB 0–1.

    Grey is where both have a surface in one place. Level strokes are what only was meant, slanting
    ones what only arrived, a grid where both are, but not in one place. Cost: two rays a pixel.
    """
    corners = np.concatenate([mesh.corners().reshape(-1, 3) for mesh in (meant, arrived)])
    rays = camera_rays(frame_points(corners, towards), side, side)
    (near, facing), (far, facing_far) = (
        tuple(plane.reshape(side, side) for plane in _seen(mesh, *rays))
        for mesh in (meant, arrived)
    )
    has_meant, has_arrived = np.isfinite(near), np.isfinite(far)
    size = float(np.ptp(corners, axis=0).max()) if len(corners) else 1.0
    both = has_meant & has_arrived
    apart = np.zeros_like(both)
    apart[both] = np.abs(near[both] - far[both]) > NEAR * size
    shade = 0.35 + 0.55 * np.where(near <= far, facing, facing_far)
    y, x = np.indices((side, side))
    picture = np.full((side, side, 3), GROUND, np.float32)
    picture[both & ~apart] = shade[both & ~apart, None]
    for where, strokes, tint in (
        (has_meant & ~has_arrived, y % 6 < 2, ONLY_MEANT),
        (has_arrived & ~has_meant, (x + y) % 6 < 2, ONLY_ARRIVED),
        (apart, (x % 6 < 2) | (y % 6 < 2), ELSEWHERE),
    ):
        light = (0.45 + 0.6 * shade) * np.where(strokes, 0.7, 1.0)
        picture[where] = np.clip(light[where, None] * np.array(tint), 0.0, 1.0)
    return picture


def _seen(mesh: Mesh, starts: Values, directions: Values) -> tuple[Values, Values]:
    """How far each ray goes to the mesh, infinite for nothing, and how squarely it meets it,
    0–1."""
    if not len(mesh.triangles):
        return np.full(len(starts), np.inf), np.zeros(len(starts))
    distance, triangle = ray_scene(mesh.positions, mesh.triangles).first(starts, directions)
    normals = flat_normals(mesh.corners())[triangle]
    return distance, np.abs(np.einsum("ij,ij->i", normals, directions))
