"""A mesh with some of its faces pointed out, seen from where most of them can be seen."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ektopos.base.vectors import flat_normals
from ektopos.meshes import Mesh
from ektopos.meshes.drawing import GROUND, hatched, outlook
from ektopos.meshes.rays import ray_scene
from ektopos.rendering.camera import camera_rays, frame_points

ROOM = 2.6
"""How much of the surroundings is seen, in sizes of what is pointed out."""


def draw_marked(mesh: Mesh, marked: NDArray[np.bool_], side: int) -> NDArray[np.uint8]:
    """A mesh with the triangles `marked` `(t,)` hatched, `(side, side, 3)` sRGB. Of the directions
    in which they look and the opposite, the one that shows more of them. Cost: two rays a pixel.
    """
    corners = mesh.corners()
    which = np.flatnonzero(marked)
    if not len(which):
        return np.full((side, side, 3), GROUND, np.uint8)
    scene = ray_scene(mesh.positions, mesh.triangles)
    normals = flat_normals(corners)
    ahead = outlook(corners, which)
    best: tuple[int, NDArray[np.uint8]] | None = None
    for towards in (ahead, -ahead):
        view = frame_points(corners[which].reshape(-1, 3), tuple(towards), ROOM)
        starts, directions = camera_rays(view, side, side)
        distance, triangle = scene.first(starts, directions)
        facing = np.abs(np.einsum("ij,ij->i", normals[triangle], directions))
        met = np.isfinite(distance)
        shade = np.where(met, 0.32 + 0.5 * facing, GROUND / 255).reshape(side, side)
        shown = (met & marked[triangle]).reshape(side, side)
        count = int(shown.sum())
        if best is None or count > best[0]:
            best = count, hatched(shown, shade)
    assert best is not None
    return best[1]
