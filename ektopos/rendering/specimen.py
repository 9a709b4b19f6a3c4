"""The specimen: a low dome rising from a bevelled slab, so that flat, curved, edge and grazing
views are there at once."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from ektopos.base.types import MAX_UV_SETS
from ektopos.meshes.mesh import Mesh, face_normals
from ektopos.rendering.camera import View
from ektopos.rendering.raycast import Geometry, HitBuffer

GRID, DOME, RISE, BEVEL, THICK = 72, 0.66, 0.46, 0.09, 0.16


@lru_cache(maxsize=1)
def specimen() -> Mesh:
    """The specimen as a mesh of one slot, about 2 m across, UVs once over it (v down)."""
    reach = GRID // 2 + 4
    column, row = np.meshgrid(np.arange(-reach, reach + 1), np.arange(-reach, reach + 1))
    x, y = (np.clip(a / (GRID / 2), -1, 1) for a in (column, row))
    over = np.maximum(np.abs(column), np.abs(row)) - GRID / 2
    edge = np.maximum(np.abs(x), np.abs(y))
    r = np.hypot(x, y) / DOME
    cap = np.sqrt(np.clip(1 - r * r, 0, 1))
    fillet = 0.055 * np.clip(1 - np.abs(r - 1) / 0.12, 0, 1) ** 2
    height = np.where(r < 1.12, RISE * np.maximum(cap, fillet), 0.0)
    height = (
        height
        - np.where(edge > 1 - BEVEL, (edge - (1 - BEVEL)) * 0.8, 0.0)
        - np.where(over > 0, over / 4 * THICK, 0.0)
    )
    positions = np.stack([x, height - 0.12, y], -1).reshape(-1, 3).astype(np.float64)
    uvs = np.stack([0.5 + x / 2, 0.5 + y / 2], -1).reshape(-1, 2).astype(np.float32)
    side = 2 * reach + 1
    number = np.arange(side * side).reshape(side, side)
    a, b, c, d = number[:-1, :-1], number[:-1, 1:], number[1:, :-1], number[1:, 1:]
    triangles = (
        np.stack([np.stack([a, c, b], -1), np.stack([b, c, d], -1)], axis=2)
        .reshape(-1, 3)
        .astype(np.int32)
    )
    count = len(positions)
    return Mesh(
        name="specimen",
        positions=positions,
        triangles=triangles,
        triangle_slot=np.zeros(len(triangles), np.int32),
        slots=("specimen",),
        vertex_slot=np.zeros(count, np.int32),
        normals=face_normals(positions, triangles),
        uvs=uvs,
        colours=np.full((count, 4), np.nan, np.float32),
        unnormalised=np.zeros(count, bool),
        more_uvs=(uvs,) * (MAX_UV_SETS - 1),
        loose=(0,),
        uv_sets=(1,),
    )


SPECIMEN_VIEW = View((2.05, 1.6, 3.62), (0.0, -0.17, 0.0))
"""A view that shows all of the specimen in a square picture."""


@lru_cache(maxsize=4)
def specimen_hits(side: int) -> HitBuffer:
    """The specimen before that camera, in a picture of so many pixels a side."""
    return HitBuffer(Geometry(specimen()), SPECIMEN_VIEW, side, side)
