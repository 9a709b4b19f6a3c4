"""Where the things of a scene stand.

Metres, y up. Source of the order of turns: intrinsic y, x, z, as the field of `SceneItem` says.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ektopos.base.names import free_name
from ektopos.document import Document, Scene, SceneItem

GAP = 0.25
"""Between two things, as a share of the wider one."""
LEAST_GAP = 0.02

Matrices = NDArray[np.float64]
Size = tuple[float, float, float]
NOWHERE: Size = (0.0, 0.0, 0.0)


def side_by_side(
    meshes: Sequence[str], sizes: Mapping[str, Size], scene: Scene | None = None
) -> dict[str, SceneItem]:
    """Meshes in a row along x, in that order: round the origin, or right of what stands in `scene`
    already; under names that it does not have.

    `sizes` are metres along x, y and z, by mesh; a mesh that is not among them counts as a point.
    """
    here = scene or Scene()
    widths = [sizes.get(mesh, NOWHERE)[0] for mesh in meshes]
    gaps = [max(LEAST_GAP, GAP * max(pair)) for pair in pairwise(widths)] + [0.0]
    ends = [right_end(item, sizes.get(item.mesh, NOWHERE)) for item in here.items.values()]
    at = max(ends) + max(LEAST_GAP, GAP * widths[0]) if ends else -(sum(widths) + sum(gaps)) / 2
    placed: dict[str, SceneItem] = {}
    for mesh, width, gap in zip(meshes, widths, gaps, strict=True):
        name = free_name(mesh, here.items.keys() | placed.keys())
        placed[name] = SceneItem(mesh=mesh, position=(round(at + width / 2, 3), 0.0, 0.0))
        at += width + gap
    return placed


def right_end(item: SceneItem, size: Size) -> float:
    """How far a thing reaches along x, in whatever way it is turned, metres."""
    reach = item.scale * float(np.hypot(size[0], size[2])) / 2
    if item.rotation == (0.0, item.rotation[1], 0.0) and item.rotation[1] % 180.0 == 0.0:
        reach = item.scale * size[0] / 2
    steps = (item.repeat[0] - 1) * item.every[0]
    return item.position[0] + max(0.0, steps) + reach


def standing(document: Document, sizes: Mapping[str, Size]) -> dict[str, SceneItem]:
    """What stands in a project's scene; all that leaves with it, side by side, where nothing does
    yet."""
    if document.scene.items:
        return dict(document.scene.items)
    return side_by_side([name for name in document.meshes if name in sizes], sizes)


def matrices(item: SceneItem, underside: tuple[float, float, float]) -> Matrices:
    """Where each repetition of a thing stands, `(n, 4, 4)`: from its mesh's own metres to the
    scene's, for columns of coordinates.

    `underside` is the middle of the mesh's underside, in its own metres.
    """
    x, y, z = np.radians(item.rotation)
    about_x = np.array([[1, 0, 0], [0, np.cos(x), -np.sin(x)], [0, np.sin(x), np.cos(x)]])
    about_y = np.array([[np.cos(y), 0, np.sin(y)], [0, 1, 0], [-np.sin(y), 0, np.cos(y)]])
    about_z = np.array([[np.cos(z), -np.sin(z), 0], [np.sin(z), np.cos(z), 0], [0, 0, 1]])
    turned = item.scale * (about_y @ about_x @ about_z)
    columns, rows = item.repeat
    placed = np.tile(np.eye(4), (columns * rows, 1, 1))
    placed[:, :3, :3] = turned
    steps = np.zeros((rows, columns, 3))
    steps[..., 0] = item.every[0] * np.arange(columns)
    steps[..., 2] = item.every[1] * np.arange(rows)[:, None]
    shift = np.array(item.position) - turned @ np.array(underside)
    placed[:, :3, 3] = steps.reshape(-1, 3) + shift
    return placed
