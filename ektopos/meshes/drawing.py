"""Drawings of a mesh that point something out: faces on its surface, and how its UVs lie."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float
from ektopos.meshes.mesh import Mesh

GROUND, SURFACE, STROKE = 118, 176, 40
"""sRGB codes: 18 % grey, as the stage's backdrop; a sheet on it; lines."""
MARKED = (163, 48, 42)
"""sRGB of what is pointed out, as in the interface; hatched as well, so that it is more than a
colour."""
MOST_LINES = 60_000


def draw_uvs(mesh: Mesh, slot: int, side: int) -> NDArray[np.uint8]:
    """The UVs of a slot as lines, `(side, side, 3)` sRGB, over the square 0–1, which is lighter.
    All of them are in the picture, however far they reach. Cost: its triangles, at most
    `MOST_LINES` of them."""
    corners = mesh.corner_uvs()[mesh.triangle_slot == slot]
    corners = corners[np.isfinite(corners).all(axis=(1, 2))]
    corners = corners[:: max(1, len(corners) // MOST_LINES)]
    low = np.minimum(0.0, corners.reshape(-1, 2).min(axis=0)) if len(corners) else np.zeros(2)
    high = np.maximum(1.0, corners.reshape(-1, 2).max(axis=0)) if len(corners) else np.ones(2)
    room = float((high - low).max()) * 1.06
    scale = side / room
    shift = (room - (high - low)) / 2 - low

    def placed(points: Float) -> NDArray[np.int32]:
        return np.asarray(np.round((points + shift) * scale), np.int32)

    picture = np.full((side, side, 3), GROUND, np.uint8)
    square = placed(np.array([[0.0, 0.0], [1.0, 1.0]]))
    cv2.rectangle(picture, square[0].tolist(), square[1].tolist(), (SURFACE,) * 3, -1)
    cv2.polylines(picture, list(placed(corners)), True, (STROKE,) * 3, 1, lineType=cv2.LINE_AA)
    return picture


def hatched(where: NDArray[np.bool_], shade: Float) -> NDArray[np.uint8]:
    """A shaded picture `(h, w)` 0–1 as sRGB codes `(h, w, 3)`, with some of it pointed out."""
    grey = np.clip(shade * 255, 0, 255)
    picture = np.repeat(grey[..., None], 3, axis=2)
    y, x = np.indices(shade.shape)
    light = np.where((x + y) % 6 < 2, 1.25, 0.9) * (0.6 + 0.5 * shade)
    picture[where] = np.clip(light[where, None] * np.array(MARKED, np.float32), 0, 255)
    return picture.astype(np.uint8)


def outlook(corners: NDArray[np.float64], marked: NDArray[np.intp]) -> NDArray[np.float64]:
    """The direction in which most of some faces look, by their area; from above where they look in
    all directions. `(3,)`, not of length 1."""
    first, second, third = (corners[marked, i] for i in range(3))
    whole = np.cross(second - first, third - first).sum(axis=0)
    if np.linalg.norm(whole) < 1e-9 * max(1e-30, float(np.ptp(corners)) ** 2):
        return np.array([0.85, 0.72, 1.5])
    # A little from the side and above, so that the surface is not seen flat.
    return np.asarray(whole / np.linalg.norm(whole) + np.array([0.25, 0.3, 0.2]))
