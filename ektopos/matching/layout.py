"""Where the islands of a slot lie, on a grid that pictures are compared with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float
from ektopos.meshes.islands import uv_islands
from ektopos.meshes.mesh import Mesh
from ektopos.meshes.slots import TILED
from ektopos.meshes.uvs import SUBTEXEL, covered_cells

GRID = 256
"""Side of the grid that layouts and pictures are compared on."""
OVERLAP = 0.05
"""Share of a slot's cells up to which it only touches others."""
FULL = 0.95
"""Share of the square from which a layout covers all of it."""


@dataclass(frozen=True)
class Layout:
    """Where a slot's islands lie: `(GRID, GRID)` island numbers from 1, 0 outside; wrapped into
    0–1."""

    islands: NDArray[np.int32]
    count: int
    tiles: bool
    """Whether the UVs are laid out to repeat, so that the layout says nothing about the picture."""

    @property
    def share(self) -> float:
        """Share of the square that it covers, 0–1."""
        return float((self.islands > 0).mean())


def layout_of(mesh: Mesh, slot: int) -> Layout:
    """The layout of one slot. Islands are triangles joined by shared UV corners."""
    own = mesh.triangle_slot == slot
    corners = mesh.corner_uvs()[own]
    mapped = np.isfinite(corners).all(axis=(1, 2))
    corners = corners[mapped]
    islands = np.zeros((GRID, GRID), np.int32)
    if not len(corners):
        return Layout(islands, 0, tiles=False)
    island_of, number = uv_islands(corners)
    low = np.floor(corners.mean(axis=1)).astype(int)
    for shift in np.unique(low, axis=0):
        those = (low == shift).all(axis=1)
        snapped = np.rint((corners[those] - shift) * GRID * SUBTEXEL).astype(np.int64)
        flat = islands.reshape(-1)
        for cell, owner in covered_cells(snapped, GRID):
            flat[cell] = island_of[those][owner] + 1
    return Layout(islands, number, tiles=_repeats(corners, island_of, number))


def packed_together(layouts: Mapping[str, Layout]) -> list[tuple[list[str], Layout]]:
    """Slots that lie beside each other without overlapping, as in one atlas, and their islands as
    one layout; slots that are alone or repeat are left out."""
    groups: list[tuple[list[str], Layout]] = []
    laid = {name: layout for name, layout in layouts.items() if layout.count and not layout.tiles}
    for name in sorted(laid, key=lambda name: -int((laid[name].islands > 0).sum())):
        own = laid[name]
        covered = own.islands > 0
        for i, (names, whole) in enumerate(groups):
            if (covered & (whole.islands > 0)).sum() < OVERLAP * covered.sum():
                islands = np.where(covered, own.islands + whole.count, whole.islands)
                groups[i] = ([*names, name], Layout(islands, own.count + whole.count, tiles=False))
                break
        else:
            groups.append(([name], own))
    return [(names, whole) for names, whole in groups if len(names) > 1]


def shared_share(one: Layout, other: Layout) -> float:
    """Share of the cells that either layout covers which both cover, 0–1."""
    mine, theirs = one.islands > 0, other.islands > 0
    return float((mine & theirs).sum() / max(1, int((mine | theirs).sum())))


def _repeats(corners: Float, island_of: NDArray[np.integer[Any]], count: int) -> bool:
    """Whether most triangles lie on islands that are wider than the square, and so show a picture
    more than once; islands that only lie in other squares than the first do not."""
    low, high = np.full((count, 2), np.inf), np.full((count, 2), -np.inf)
    np.minimum.at(low, island_of, corners.min(axis=1))
    np.maximum.at(high, island_of, corners.max(axis=1))
    wide = (high - low).max(axis=1) > TILED
    return bool(wide[island_of].mean() > 0.5)
