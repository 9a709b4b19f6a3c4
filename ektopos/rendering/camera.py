"""The reference renderer's camera: a view, its rays, and how wide its pixels are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ektopos.base.types import Values
from ektopos.base.vectors import normalise
from ektopos.meshes.mesh import Mesh


@dataclass(frozen=True)
class View:
    """A camera: where it is, what it looks at, and its vertical field of view in degrees."""

    eye: tuple[float, float, float]
    target: tuple[float, float, float] = (0.0, 0.0, 0.0)
    fov: float = 32.0


def frame_view(
    mesh: Mesh, towards: tuple[float, float, float] = (0.85, 0.72, 1.5), room: float = 1.0
) -> View:
    """A view from a direction that holds the whole mesh."""
    return frame_points(mesh.positions[np.unique(mesh.triangles)], towards, room)


def frame_points(points: Values, towards: tuple[float, float, float], room: float = 1.0) -> View:
    """A view from a direction that holds all points `(n, 3)`, in metres."""
    used = points if len(points) else np.zeros((1, 3))
    centre = (used.min(axis=0) + used.max(axis=0)) / 2
    radius = float(np.linalg.norm(used - centre, axis=1).max()) or 1.0
    direction = np.asarray(towards) / np.linalg.norm(towards)
    eye = centre + direction * radius / np.sin(np.radians(16)) * room
    return View(tuple(eye), tuple(centre))


def camera_rays(view: View, width: int, height: int) -> tuple[Values, Values]:
    """Where the rays of a picture's pixels start and their unit directions, `(height · width, 3)`
    each, row by row from the top."""
    eye, target = np.asarray(view.eye, float), np.asarray(view.target, float)
    ahead = (target - eye) / np.linalg.norm(target - eye)
    right = np.cross(ahead, (0.0, 1.0, 0.0))
    right = (
        right / np.linalg.norm(right) if np.linalg.norm(right) > 1e-9 else np.array([1.0, 0.0, 0.0])
    )
    up = np.cross(right, ahead)
    scale = np.tan(np.radians(view.fov) / 2)
    x = ((np.arange(width) + 0.5) / width * 2 - 1) * scale * width / height
    y = (1 - (np.arange(height) + 0.5) / height * 2) * scale
    directions = ahead + x[None, :, None] * right + y[:, None, None] * up
    directions = normalise(directions).reshape(-1, 3)
    return np.broadcast_to(eye, directions.shape), directions


def footprint(view: View, distance: Values, height: int) -> Values:
    """The width of a pixel at a distance, in metres.

    `distance` `(n,)` is metres, `height` the picture's in pixels; `(n,)`.
    """
    return np.asarray(distance * 2 * np.tan(np.radians(view.fov) / 2) / height)
