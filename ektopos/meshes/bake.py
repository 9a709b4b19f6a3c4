"""Occlusion of a mesh by itself, as a picture in its own UVs: for meshes that arrive without
one.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float, Progress, Values, no_progress
from ektopos.base.vectors import flat_normals, normalise
from ektopos.meshes.mesh import Mesh, with_normals
from ektopos.meshes.rays import LIFT, RayScene, cosine_directions, ray_scene
from ektopos.meshes.texels import PADDING, rasterise, slot_texels

SAMPLES = 64
_LAYOUT_GRID = 256
_TOUCHING = 0.02
"""Share of its cells that a slot may share with others of one layout: borders that touch."""
_BATCH = 16_384
"""Texels whose rays are followed at once."""


def bake_occlusion(
    mesh: Mesh,
    slots: list[str],
    size: int,
    *,
    samples: int = SAMPLES,
    reach: float | None = None,
    padding: int = PADDING,
    progress: Progress = no_progress,
) -> Float:
    """How open the surface of some slots is to the hemisphere above it, `(size, size)`: 1 open, 0
    closed.

    Cosine-weighted, so that even light from all round gives what occlusion says in glTF 2.0
    (3.9.3). The whole mesh throws shade, as far as `reach` metres (without it, however far). Around
    the islands, `padding` texels are filled with the nearest value; the rest is 1. Where islands
    share texels, the mean. Deterministic. Raises `EktoposError` without UVs. Cost: covered texels ×
    `samples` rays.
    """
    mesh = with_normals(mesh)
    texels = slot_texels(mesh, slots, size)
    cells, weights = texels.cells, texels.weights
    corners = mesh.triangles[texels.triangles]
    normals = mesh.normals
    rays = ray_scene(mesh.positions, mesh.triangles)
    reach = None if reach is None else reach / rays.extent
    open_share = np.empty(len(cells), np.float32)
    for start in range(0, len(cells), _BATCH):
        progress(start / len(cells), "following rays")
        part = slice(start, start + _BATCH)
        places = np.einsum("ij,ijk->ik", weights[part], rays.positions[corners[part]])
        up = normalise(
            np.einsum("ij,ijk->ik", weights[part], normals[corners[part]].astype(np.float64))
        )
        flat = flat_normals(rays.positions[corners[part]])
        lifted = places + flat * LIFT
        open_share[part] = _open(rays, lifted, up, flat, cells[part], samples, reach)
    return texels.painted(open_share, 1.0, padding)


def layouts(mesh: Mesh) -> list[list[str]]:
    """The slots that can be baked, together where they share one layout: those whose islands keep
    clear of each other. Slots without triangles or UVs are left out."""
    groups: list[tuple[list[str], NDArray[np.bool_]]] = []
    for number, slot in enumerate(mesh.slots):
        own = (mesh.triangle_slot == number) & mesh.has_uv[mesh.triangles].all(axis=1)
        if not own.any():
            continue
        cells, _, _ = rasterise(mesh.corner_uvs()[own], _LAYOUT_GRID)
        shown = np.zeros(_LAYOUT_GRID**2, bool)
        shown[cells] = True
        for slots, taken in groups:
            shared = (shown & taken).sum()
            if shared <= _TOUCHING * min(shown.sum(), taken.sum()):
                slots.append(slot)
                taken |= shown
                break
        else:
            groups.append(([slot], shown))
    return [slots for slots, _ in groups]


def _open(
    rays: RayScene,
    places: Values,
    up: Values,
    flat: Values,
    cells: NDArray[np.int64],
    samples: int,
    reach: float | None,
) -> NDArray[np.float32]:
    """Share of cosine-weighted directions in which nothing is met, for every place."""
    # Every texel turns the same pattern by an angle of its own: noise instead of bands.
    turn = (cells * 0.6180339887498949 % 1.0) * 2 * np.pi
    blocked = np.zeros(len(places), np.float32)
    for directions in cosine_directions(up, samples, turn):
        met = rays.meet(places, directions)
        hit = met["primID"] >= 0
        if reach is not None:
            hit &= met["tfar"] <= reach
        # Smooth normals tip some directions below the face itself: light cannot come from there.
        blocked += hit | (np.einsum("ij,ij->i", directions, flat) <= 0)
    return 1.0 - blocked / np.float32(samples)
