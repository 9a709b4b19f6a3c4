"""Occlusion of a mesh by itself, as a picture in its own UVs: for meshes that arrive without
one.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ektopos.errors import EktoposError
from ektopos.images import nearest_covered
from ektopos.meshes.mesh import Mesh, with_normals
from ektopos.meshes.rays import LIFT, RayScene, cosine_directions, flat_normals, ray_scene
from ektopos.meshes.uvs import SUBTEXEL, covered_cells
from ektopos.types import Float, Progress, Values, no_progress
from ektopos.vectors import normalise

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
    padding: int = 8,
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
    numbers = [mesh.slots.index(slot) for slot in slots]
    own = np.flatnonzero(
        np.isin(mesh.triangle_slot, numbers) & mesh.has_uv[mesh.triangles].all(axis=1)
    )
    if not len(own):
        raise EktoposError(
            "it has no UVs to bake into.", subject=", ".join(slots), hint="Unwrap it first."
        )
    cells, triangle, weights = _texels(mesh.corner_uvs()[own], size)
    if not len(cells):
        raise EktoposError(
            "its UVs cover no texel.",
            subject=", ".join(slots),
            hint="Bake a larger map, or pack the UVs.",
        )
    corners = mesh.triangles[own][triangle]
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
    return _painted(cells, open_share, size, padding)


def layouts(mesh: Mesh) -> list[list[str]]:
    """The slots that can be baked, together where they share one layout: those whose islands keep
    clear of each other. Slots without triangles or UVs are left out."""
    groups: list[tuple[list[str], NDArray[np.bool_]]] = []
    for number, slot in enumerate(mesh.slots):
        own = (mesh.triangle_slot == number) & mesh.has_uv[mesh.triangles].all(axis=1)
        if not own.any():
            continue
        cells, _, _ = _texels(mesh.corner_uvs()[own], _LAYOUT_GRID)
        covered = np.zeros(_LAYOUT_GRID**2, bool)
        covered[cells] = True
        for slots, taken in groups:
            shared = (covered & taken).sum()
            if shared <= _TOUCHING * min(covered.sum(), taken.sum()):
                slots.append(slot)
                taken |= covered
                break
        else:
            groups.append(([slot], covered))
    return [slots for slots, _ in groups]


def _texels(
    corner_uvs: NDArray[np.float64], size: int
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]:
    """Texels that triangles cover, wrapped into 0–1: cell, triangle, and the weights of its
    corners."""
    shift = np.floor(corner_uvs.mean(axis=1)).astype(int)
    found_cells, found_triangles = [], []
    for one in np.unique(shift, axis=0):
        those = np.flatnonzero((shift == one).all(axis=1))
        snapped = np.rint((corner_uvs[those] - one) * size * SUBTEXEL).astype(np.int64)
        for cell, owner in covered_cells(snapped, size):
            found_cells.append(cell)
            found_triangles.append(those[owner])
    if not found_cells:
        return np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros((0, 3))
    cells, triangles = np.concatenate(found_cells), np.concatenate(found_triangles)
    centre = np.stack([cells % size + 0.5, cells // size + 0.5], axis=1) / size + shift[triangles]
    a, b, c = np.moveaxis(corner_uvs[triangles], 1, 0)
    whole = _cross(b - a, c - a)
    second, third = _cross(centre - a, c - a) / whole, _cross(b - a, centre - a) / whole
    weights = np.clip(np.stack([1.0 - second - third, second, third], axis=1), 0.0, 1.0)
    return cells, triangles, weights / weights.sum(axis=1, keepdims=True)


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


def _painted(
    cells: NDArray[np.int64], values: NDArray[np.float32], size: int, padding: int
) -> Float:
    count = np.bincount(cells, minlength=size * size)
    total = np.bincount(cells, values, minlength=size * size)
    painted = (
        np.where(count > 0, total / np.maximum(count, 1), 1.0)
        .astype(np.float32)
        .reshape(size, size)
    )
    covered = (count > 0).reshape(size, size)
    return np.asarray(painted.ravel()[nearest_covered(covered, padding)], np.float32)


def _cross(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    return a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
