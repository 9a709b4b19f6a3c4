"""The texels that a mesh's islands cover: which point of the surface each is of, and pictures
painted through them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ektopos.base.errors import EktoposError
from ektopos.base.types import Float, Values
from ektopos.images import nearest_covered
from ektopos.meshes.mesh import Mesh
from ektopos.meshes.uvs import SUBTEXEL, covered_cells

PADDING = 8
"""Texels round an island that take the nearest value inside."""

OVERLAP = 0.005
"""The share of texels that faces may share before nothing can be painted on each alone: triangles
that meet share a few along their edges."""

_ONE_COLOUR = 4 / 255
"""Colours that differ by less are one."""


@dataclass(frozen=True)
class Texels:
    """Texels `(n,)` of a square picture that some triangles cover; one that several cover stands
    here several times."""

    size: int
    cells: NDArray[np.int64]
    """row · size + column."""
    triangles: NDArray[np.int64]
    """Of the mesh."""
    weights: Values
    """Of the triangle's corners, `(n, 3)`, 0–1."""

    @property
    def overlap(self) -> float:
        """The share of covered texels that several triangles cover, 0–1."""
        count = np.bincount(self.cells)
        covered_once = int((count > 0).sum())
        return float((count > 1).sum()) / covered_once if covered_once else 0.0

    def of_vertices(self, mesh: Mesh, values: NDArray[np.floating]) -> Values:
        """What vertices have, `(v, m)`, at every texel, `(n, m)`."""
        corners = values[mesh.triangles[self.triangles]].astype(np.float64)
        return np.asarray(np.einsum("ij,ijk->ik", self.weights, corners))

    def painted(self, values: Float, empty: float, padding: int = PADDING) -> Float:
        """A picture `(size, size)` or `(size, size, m)` of values `(n,)` or `(n, m)`: means where
        islands share texels, the nearest value in the padding, `empty` elsewhere."""
        flat = values.reshape(len(self.cells), -1)
        count = np.bincount(self.cells, minlength=self.size**2)
        nearest = nearest_covered((count > 0).reshape(self.size, self.size), padding)
        planes = []
        for plane in flat.T:
            total = np.bincount(self.cells, plane, minlength=self.size**2)
            mean = np.where(count > 0, total / np.maximum(count, 1), empty).astype(np.float32)
            planes.append(mean[nearest])
        stacked = np.stack(planes, axis=-1)
        return np.asarray(stacked if values.ndim == 2 else stacked[..., 0], np.float32)


def slot_texels(mesh: Mesh, slots: list[str], size: int) -> Texels:
    """The texels of some slots' islands, wrapped into 0–1. Raises `EktoposError` without UVs, and
    where these cover no texel."""
    numbers = [mesh.slots.index(slot) for slot in slots]
    own = np.flatnonzero(
        np.isin(mesh.triangle_slot, numbers) & mesh.has_uv[mesh.triangles].all(axis=1)
    )
    if not len(own):
        raise EktoposError(
            "it has no UVs to bake into.", subject=", ".join(slots), hint="Unwrap it first."
        )
    cells, triangle, weights = rasterise(mesh.corner_uvs()[own], size)
    if not len(cells):
        raise EktoposError(
            "its UVs cover no texel.",
            subject=", ".join(slots),
            hint="Bake a larger map, or pack the UVs.",
        )
    return Texels(size, cells, own[triangle], weights)


def rasterise(
    corner_uvs: NDArray[np.float64], size: int
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]:
    """Texels that triangles `(t, 3, 2)` cover, wrapped into 0–1: cell, triangle, and the weights of
    its corners."""
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


def paint_faces(
    mesh: Mesh, slots: list[str], faces: NDArray[np.integer], size: int, padding: int = PADDING
) -> Float:
    """A mask in the UVs of some slots, `(size, size)`: 1 on triangles `faces` of the mesh, 0 on the
    others. Raises as `slot_texels`, and where other faces share the texels of these."""
    texels = slot_texels(mesh, slots, size)
    chosen = np.zeros(len(mesh.triangles), np.float32)
    chosen[faces] = 1.0
    is_chosen = chosen[texels.triangles] > 0
    inside, outside = (np.unique(texels.cells[those]) for those in (is_chosen, ~is_chosen))
    shared = len(np.intersect1d(inside, outside, assume_unique=True))
    if shared > OVERLAP * len(inside):
        raise EktoposError(
            f"other faces share {shared / len(inside):.0%} of the texels of those that you picked, "
            "and would be masked too.",
            subject=", ".join(slots),
            hint="Unwrap it first, so that every face has texels of its own.",
        )
    return texels.painted(chosen[texels.triangles], 0.0, padding)


def paint_colours(mesh: Mesh, slots: list[str], size: int, padding: int = PADDING) -> Float:
    """The vertex colours of some slots in their UVs, `(size, size, 4)`: linear RGBA 0–1, white
    where there is none. Raises as `slot_texels`, and without vertex colours."""
    numbers = [mesh.slots.index(slot) for slot in slots]
    used = mesh.triangles[np.isin(mesh.triangle_slot, numbers)]
    if not mesh.coloured[used].any():
        raise EktoposError(
            "it has no vertex colours.", subject=", ".join(slots), hint="Choose another slot."
        )
    texels = slot_texels(mesh, slots, size)
    colours = np.where(mesh.coloured[:, None], mesh.colours, 1.0)
    values = np.clip(texels.of_vertices(mesh, colours), 0.0, 1.0).astype(np.float32)
    painted = texels.painted(values, 1.0, padding)
    off = np.abs(painted.reshape(-1, 4)[texels.cells] - values).max(axis=1) > _ONE_COLOUR
    if off.mean() > OVERLAP:
        raise EktoposError(
            "its UVs overlap, and the faces that share texels have different colours.",
            subject=", ".join(slots),
            hint="Unwrap it first.",
        )
    return painted


def _cross(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    return a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
