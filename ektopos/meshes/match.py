"""Which pictures belong to which slot, from the UV layout alone.

A picture that was painted for a layout gives itself away: colours change where one island ends and the next begins, detail lies
inside the islands and padding outside. Each such sign is measured with the layout where it is, and again with the layout moved
elsewhere (round the borders); what counts is by how many standard deviations the true place is better. A picture that was not
painted for the layout does as well anywhere, so repeating pictures speak for no slot.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ektopos.meshes.mesh import Mesh
from ektopos.meshes.uvs import SUBTEXEL, covered_cells
from ektopos.types import Float

GRID = 256
"""Side of the grid that layouts and pictures are compared on."""
SHIFTS = 40
TILED = 1.5
"""UVs that reach over more than this many units are laid out to repeat."""
BACKGROUND = 0.06
"""Share of one colour from which it is taken for background."""
NAME_WORTH = 2.5
"""What names that are alike are worth, in standard deviations."""


@dataclass(frozen=True)
class Layout:
    """Where a slot's islands lie: `(GRID, GRID)` island numbers from 1, 0 outside; wrapped into 0–1."""

    islands: NDArray[np.int32]
    count: int
    tiles: bool
    """Whether the UVs are laid out to repeat, so that the layout says nothing about the picture."""


@dataclass(frozen=True)
class Candidate:
    """One set of pictures for a slot."""

    set: str
    score: float
    """0–1: how far it speaks for the slot; 0.5 says nothing."""
    reasons: list[str]


@dataclass(frozen=True)
class _Signs:
    """Standard deviations by which the layout's true place beats other places."""

    borders: float
    colours: float
    detail: float
    background: float
    covered: float
    """Share of the islands that lies on the picture's content, where it has a background."""

    @property
    def total(self) -> float:
        """All together; each counts only so far, so that one freak does not decide."""
        return sum(float(np.clip(sign, -3.0, 7.0)) for sign in (self.borders, self.colours, self.detail, 1.5 * self.background))


def layout_of(mesh: Mesh, slot: int) -> Layout:
    """The layout of one slot. Islands are triangles joined by shared UV corners."""
    own = mesh.triangle_slot == slot
    corners = mesh.corner_uvs()[own]
    mapped = np.isfinite(corners).all(axis=(1, 2))
    corners, triangles = corners[mapped], mesh.triangles[own][mapped]
    islands = np.zeros((GRID, GRID), np.int32)
    if not len(corners):
        return Layout(islands, 0, tiles=False)
    reach = corners.reshape(-1, 2).max(axis=0) - corners.reshape(-1, 2).min(axis=0)
    keys = np.round(corners.reshape(-1, 2) * 65536).astype(np.int64)
    _, points = np.unique(keys, axis=0, return_inverse=True)
    points = points.reshape(-1, 3)
    count = int(points.max()) + 1
    rows, columns = points[:, [0, 1]].ravel(), points[:, [1, 2]].ravel()
    graph = coo_matrix((np.ones(len(rows), np.int8), (rows, columns)), shape=(count, count))
    number, label = connected_components(graph, directed=False)
    island_of = label[points[:, 0]]
    low = np.floor(corners.mean(axis=1)).astype(int)
    for shift in np.unique(low, axis=0):
        those = (low == shift).all(axis=1)
        snapped = np.rint((corners[those] - shift) * GRID * SUBTEXEL).astype(np.int64)
        flat = islands.reshape(-1)
        for cell, owner in covered_cells(snapped, GRID):
            flat[cell] = island_of[those][owner] + 1
    del triangles
    return Layout(islands, int(number), tiles=bool(reach.max() > TILED))


def match(
    layouts: Mapping[str, Layout], pictures: Mapping[str, Sequence[Float]], repeating: Mapping[str, bool],
    alike: Mapping[tuple[str, str], float] | None = None,
) -> dict[str, list[Candidate]]:  # fmt: skip
    """Sets of pictures ranked for every slot, best first.

    `pictures` gives, by set, pictures `(h, w)` or `(h, w, 3)` 0–1 of any size; `repeating` whether a set's pictures repeat;
    `alike` how alike the names of a slot and a set are, 0–1, where they mean something.
    Cost: slots × pictures × `SHIFTS` × `GRID`².
    """
    known = alike or {}
    shrunk = {name: [_prepared(picture) for picture in of_set] for name, of_set in pictures.items()}
    slots, sets = list(layouts), list(pictures)
    signs: dict[tuple[str, str], _Signs | None] = {}
    worth = np.zeros((len(slots), len(sets)))
    for i, slot in enumerate(slots):
        layout = layouts[slot]
        if layout.count == 0:
            continue
        measure = None if layout.tiles else _Measure(layout)
        for j, name in enumerate(sets):
            best = None if measure is None else max((measure(p) for p in shrunk[name]), key=lambda s: s.total, default=None)
            signs[slot, name] = best
            if layout.tiles:
                worth[i, j] = 2.0 if repeating.get(name, False) else -2.0
            elif best is not None:
                worth[i, j] = best.total
            worth[i, j] += NAME_WORTH * known.get((slot, name), 0.0)
    # All slots together: the assignment that is best as a whole gets the benefit of the doubt. Slots may still share a set.
    rows, columns = linear_sum_assignment(-worth) if worth.size else ((), ())
    for i, j in zip(rows, columns, strict=True):
        worth[i, j] += 0.5
    found = {}
    for i, slot in enumerate(slots):
        order = np.argsort(-worth[i], kind="stable")
        ranked = []
        for j in order:
            name = sets[j]
            reasons = _reasons(layouts[slot], signs.get((slot, name)), repeating.get(name, False), known.get((slot, name), 0.0))
            ranked.append(Candidate(name, round(float(1.0 / (1.0 + np.exp(-0.35 * worth[i, j]))), 3), reasons))
        found[slot] = ranked
    return found


@dataclass(frozen=True)
class _Picture:
    colours: Float
    """`(GRID, GRID, 3)`."""
    edges: Float
    detail: Float
    content: NDArray[np.bool_] | None
    """Where it is not background; `None` without a background."""


def _prepared(picture: Float) -> _Picture:
    colours = picture if picture.ndim == 3 else np.repeat(picture[..., None], 3, axis=2)
    method = cv2.INTER_AREA if max(picture.shape[:2]) >= GRID else cv2.INTER_LINEAR
    small = np.asarray(cv2.resize(np.ascontiguousarray(colours, np.float32), (GRID, GRID), interpolation=method))
    padded = cv2.copyMakeBorder(small, 2, 2, 2, 2, cv2.BORDER_WRAP)
    across = (padded[2:-2, 3:-1] - padded[2:-2, 1:-3]) / 2
    down = (padded[3:-1, 2:-2] - padded[1:-3, 2:-2]) / 2
    edges = np.sqrt((across**2 + down**2).sum(axis=2))
    soft = cv2.blur(padded, (3, 3))[2:-2, 2:-2]
    detail = np.abs(small - soft).sum(axis=2)
    codes = (small * 31 + 0.5).astype(np.int64)
    packed = codes[..., 0] * 1024 + codes[..., 1] * 32 + codes[..., 2]
    most = np.bincount(packed.ravel()).argmax()
    colour = np.median(small[packed == most], axis=0)
    away = np.abs(small - colour).max(axis=2) > 0.02
    content = away if 1.0 - away.mean() > BACKGROUND else None
    steep, fine = (np.asarray(np.log1p(k * v), np.float32) for k, v in ((20, edges), (60, detail)))
    return _Picture(np.asarray(small, np.float32), steep, fine, content)


class _Measure:
    """Measures pictures against one layout, where it is and moved elsewhere."""

    def __init__(self, layout: Layout) -> None:
        self.islands = layout.islands
        inside = self.islands > 0
        kernel = np.ones((3, 3), np.uint8)
        grown = cv2.dilate(self.islands.astype(np.uint16), kernel).astype(np.int32)
        shrunk = cv2.erode(np.where(inside, self.islands, 0).astype(np.uint16), kernel).astype(np.int32)
        # The border: one cell either side of where an island ends.
        self.border = (grown != self.islands) | (inside & (shrunk != self.islands))
        self.inside = inside & ~self.border
        self.outside = cv2.dilate(inside.astype(np.uint8), np.ones((7, 7), np.uint8)) == 0
        rng = np.random.default_rng(5)
        self.shifts = [(0, 0), *((int(y), int(x)) for y, x in rng.integers(GRID // 10, GRID - GRID // 10, (SHIFTS, 2)))]

    def __call__(self, picture: _Picture) -> _Signs:
        """How much better the true place is than others."""
        border, inside, outside = (np.flatnonzero(mask) for mask in (self.border, self.inside, self.outside))
        labels = self.islands[self.inside]
        measured = []
        for y, x in self.shifts:
            edges = np.roll(picture.edges, (-y, -x), (0, 1)).ravel() if y or x else picture.edges.ravel()
            detail = np.roll(picture.detail, (-y, -x), (0, 1)).ravel() if y or x else picture.detail.ravel()
            colours = np.roll(picture.colours, (-y, -x), (0, 1)).reshape(-1, 3) if y or x else picture.colours.reshape(-1, 3)
            borders = _mean(edges, border) - _mean(edges, inside)
            content = 0.0
            if picture.content is not None:
                there = np.roll(picture.content, (-y, -x), (0, 1)).ravel()
                content = _mean(there, inside) - _mean(there, outside)
            measured.append(
                (borders, _between(colours[inside], labels), _mean(detail, inside) - _mean(detail, outside), content)
            )
        table = np.array(measured)
        spread = np.maximum(table[1:].std(axis=0), (0.01, 0.01, 0.01, 0.02))
        z = (table[0] - table[1:].mean(axis=0)) / spread
        covered = 1.0 if picture.content is None else float(picture.content[self.inside].mean()) if len(inside) else 0.0
        few = len(outside) < 0.03 * GRID * GRID
        background = 0.0 if picture.content is None or few else float(z[3])
        return _Signs(float(z[0]), float(z[1]), 0.0 if few else float(z[2]), background, covered)


def _mean(values: NDArray[np.generic], where: NDArray[np.intp]) -> float:
    return float(values[where].mean()) if len(where) else 0.0


def _between(colours: Float, labels: NDArray[np.int32]) -> float:
    """Share of the colours' variance that lies between islands, not inside them."""
    if not len(labels):
        return 0.0
    count = np.bincount(labels)
    used = count > 0
    sums = np.stack([np.bincount(labels, colours[:, i]) for i in range(3)], axis=1)[used] / count[used, None]
    whole = colours.mean(axis=0)
    total = float(((colours - whole) ** 2).sum())
    between = float((count[used, None] * (sums - whole) ** 2).sum())
    return between / total if total > 1e-9 else 0.0


def _reasons(layout: Layout, signs: _Signs | None, repeats: bool, alike: float) -> list[str]:
    found = []
    if alike > 0:
        found.append("the names are alike")
    if layout.tiles:
        found.append("the UVs repeat, and so does the picture" if repeats else "the UVs repeat, the picture does not")
        return found
    if signs is None:
        return found or ["the slot has no UVs"]
    if signs.borders > 2:
        found.append(f"edges of the picture follow the island borders ({signs.borders:.1f} deviations above other places)")
    if signs.colours > 2:
        found.append(f"each island has colours of its own ({signs.colours:.1f} deviations)")
    if signs.detail > 2:
        found.append("detail lies inside the islands, padding outside")
    if signs.background > 2:
        found.append(f"its background lies outside the islands; {100 * signs.covered:.0f} % of them is painted")
    if repeats and len(found) == 0:
        found.append("repeats in x and y: fits any layout, speaks for none")
    if signs.borders < -1 or signs.background < -2:
        found.append("seams and background cross the islands")
    return found or ["nothing in the picture follows this layout"]
