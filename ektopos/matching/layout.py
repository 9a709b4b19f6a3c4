"""Which pictures belong to which slot, from the UV layout alone.

A picture that was painted for a layout gives itself away: colours change where one island ends and
the next begins, detail lies inside the islands and padding outside. Each such sign is measured with
the layout where it is, and again with the layout moved elsewhere (round the borders); what counts
is by how many standard deviations the true place is better. A picture that was not painted for the
layout does as well anywhere, so repeating pictures speak for no slot.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.meshes.islands import uv_islands
from ektopos.meshes.mesh import Mesh
from ektopos.meshes.slots import TILED
from ektopos.meshes.uvs import SUBTEXEL, covered_cells
from ektopos.types import Float

Spectrum = NDArray[np.complexfloating[Any]]
GRID = 256
"""Side of the grid that layouts and pictures are compared on."""
SHIFTS = 16
FRAME = 9
NEAR = 8
"""Places nearer than this many cells are the true place still."""
AWAY = 8
"""Cells from the islands from which what is painted is not their padding any more."""
SHARED = 0.2
"""Share of a picture painted away from a slot's islands from which others may share it."""
BACKGROUND = 0.06
"""Share of one colour from which it is taken for background."""
CHANCE = 1.2
"""Deviations that come by chance, and count for nothing: with five signs some always are there."""
REPEATS_COST = 2.0
"""What it speaks against a set, in standard deviations, that its pictures repeat where the UVs do
not."""
COLOURS_WORTH = 2.0
"""How many deviations each further island can add by having colours of its own: two differ by
chance."""
NAME_WORTH = 2.5
"""What names that are alike are worth, in standard deviations."""


@dataclass(frozen=True)
class Layout:
    """Where a slot's islands lie: `(GRID, GRID)` island numbers from 1, 0 outside; wrapped into
    0–1."""

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
    ridges: float
    colours: float
    detail: float
    dilation: float
    background: float
    covered: float
    """Share of the islands that lies on the picture's content, where it has a background."""
    beyond: float
    """Share of the picture's content that lies away from the islands: others may use it."""

    @property
    def total(self) -> float:
        """All together; each counts only so far, so that one freak does not decide."""
        # A picture that is painted on outwards shows its edges halfway between islands, any other
        # at their borders.
        edges = max(self.borders, self.ridges)
        signs = (edges, self.colours, 0.5 * self.detail, 1.5 * self.dilation, 1.5 * self.background)
        return sum(
            float(np.clip(np.sign(sign) * max(abs(sign) - CHANCE, 0.0), -2.0, 12.0))
            for sign in signs
        )


def layout_of(mesh: Mesh, slot: int) -> Layout:
    """The layout of one slot. Islands are triangles joined by shared UV corners."""
    own = mesh.triangle_slot == slot
    corners = mesh.corner_uvs()[own]
    mapped = np.isfinite(corners).all(axis=(1, 2))
    corners = corners[mapped]
    islands = np.zeros((GRID, GRID), np.int32)
    if not len(corners):
        return Layout(islands, 0, tiles=False)
    reach = corners.reshape(-1, 2).max(axis=0) - corners.reshape(-1, 2).min(axis=0)
    island_of, number = uv_islands(corners)
    low = np.floor(corners.mean(axis=1)).astype(int)
    for shift in np.unique(low, axis=0):
        those = (low == shift).all(axis=1)
        snapped = np.rint((corners[those] - shift) * GRID * SUBTEXEL).astype(np.int64)
        flat = islands.reshape(-1)
        for cell, owner in covered_cells(snapped, GRID):
            flat[cell] = island_of[those][owner] + 1
    return Layout(islands, number, tiles=bool(reach.max() > TILED))


def match(
    layouts: Mapping[str, Layout],
    pictures: Mapping[str, Sequence[Float]],
    repeating: Mapping[str, bool],
    alike: Mapping[tuple[str, str], float] | None = None,
) -> dict[str, list[Candidate]]:
    """Sets of pictures ranked for every slot, best first.

    `pictures` gives, by set, pictures `(h, w)` or `(h, w, 3)` 0–1 of any size; `repeating` whether
    a set's pictures repeat; `alike` how alike the names of a slot and a set are, 0–1, where they
    mean something. Cost: slots × pictures × `SHIFTS` × `GRID`².
    """
    from scipy.optimize import linear_sum_assignment

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
            each = [] if measure is None else [measure(p) for p in shrunk[name]]
            best = max(each, key=lambda s: s.total, default=None)
            signs[slot, name] = best
            if layout.tiles:
                worth[i, j] = 2.0 if repeating.get(name, False) else -2.0
            elif best is not None:
                # The best picture of many is good by chance; a layout shows in most pictures of its
                # set.
                worth[i, j] = (best.total + sum(s.total for s in each) / len(each)) / 2
                worth[i, j] -= REPEATS_COST * repeating.get(name, False)
            worth[i, j] += NAME_WORTH * known.get((slot, name), 0.0)
    # All slots together: the assignment that is best as a whole gets the benefit of the doubt.
    # Slots may still share a set.
    rows, columns = linear_sum_assignment(-worth) if worth.size else ((), ())
    for i, j in zip(rows, columns, strict=True):
        worth[i, j] += 0.5
    found = {}
    for i, slot in enumerate(slots):
        order = np.argsort(-worth[i], kind="stable")
        ranked = []
        for j in order:
            name = sets[j]
            reasons = _reasons(
                layouts[slot],
                signs.get((slot, name)),
                repeating.get(name, False),
                known.get((slot, name), 0.0),
            )
            ranked.append(
                Candidate(name, round(float(1.0 / (1.0 + np.exp(-0.35 * worth[i, j]))), 3), reasons)
            )
        found[slot] = ranked
    return found


@dataclass(frozen=True)
class _Picture:
    """What is compared of a picture; fields that are compared at every place are kept as
    spectra.
    """

    colours: Float
    """`(GRID, GRID, 3)`."""
    edges: Spectrum
    detail: Spectrum
    slopes: tuple[Spectrum, Spectrum, Spectrum]
    """Squared slopes in x, their product, and squared slopes in y, summed over the colours."""
    content: NDArray[np.bool_] | None
    """Where it is not background; `None` without a background."""
    content_spectrum: Spectrum | None


def _spectrum(values: NDArray[Any]) -> Spectrum:
    return np.asarray(np.fft.rfft2(values))


def _prepared(picture: Float) -> _Picture:
    colours = picture if picture.ndim == 3 else np.repeat(picture[..., None], 3, axis=2)
    method = cv2.INTER_AREA if max(picture.shape[:2]) >= GRID else cv2.INTER_LINEAR
    small = np.asarray(
        cv2.resize(np.ascontiguousarray(colours, np.float32), (GRID, GRID), interpolation=method)
    )
    padded = cv2.copyMakeBorder(small, 2, 2, 2, 2, cv2.BORDER_WRAP)
    across = (padded[2:-2, 3:-1] - padded[2:-2, 1:-3]) / 2
    down = (padded[3:-1, 2:-2] - padded[1:-3, 2:-2]) / 2
    edges = np.log1p(20 * np.sqrt((across**2 + down**2).sum(axis=2)))
    soft = cv2.blur(padded, (3, 3))[2:-2, 2:-2]
    detail = np.log1p(60 * np.abs(small - soft).sum(axis=2))
    codes = (small * 31 + 0.5).astype(np.int64)
    packed = codes[..., 0] * 1024 + codes[..., 1] * 32 + codes[..., 2]
    most = np.bincount(packed.ravel()).argmax()
    colour = np.median(small[packed == most], axis=0)
    away = np.abs(small - colour).max(axis=2) > 0.02
    content = away if 1.0 - away.mean() > BACKGROUND else None
    slopes = ((across**2).sum(axis=2), (across * down).sum(axis=2), (down**2).sum(axis=2))
    return _Picture(
        np.asarray(small, np.float32),
        _spectrum(edges),
        _spectrum(detail),
        (_spectrum(slopes[0]), _spectrum(slopes[1]), _spectrum(slopes[2])),
        content,
        None if content is None else _spectrum(content),
    )


class _Measure:
    """Measures pictures against one layout, where it is and at every other place (by spectra)."""

    def __init__(self, layout: Layout) -> None:
        self.islands = layout.islands
        inside = self.islands > 0
        kernel = np.ones((3, 3), np.uint8)
        numbered = self.islands.astype(np.uint16)
        grown = cv2.dilate(numbered, kernel).astype(np.int32)
        shrunk = cv2.erode(numbered, kernel).astype(np.int32)
        # The border: one cell either side of where an island ends.
        border = (grown != self.islands) | (inside & (shrunk != self.islands))
        self.inside = inside & ~border
        distance, nearest = cv2.distanceTransformWithLabels(
            (~inside).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
        )
        island_of = np.zeros(int(nearest.max()) + 1, np.int32)
        island_of[nearest[inside]] = self.islands[inside]
        owner = island_of[nearest].astype(np.uint16)
        # Halfway between islands: where pictures that were painted on outwards meet.
        ridge = (cv2.dilate(owner, kernel) != cv2.erode(owner, kernel)) & ~self.inside
        # Every layout ends near the edge of the square, so what happens there tells none apart.
        middle = np.zeros((GRID, GRID), bool)
        middle[FRAME:-FRAME, FRAME:-FRAME] = True
        border, ridge = border & middle, ridge & middle
        near_ridge = cv2.dilate(ridge.astype(np.uint8), kernel) > 0
        gap = ~inside & ~near_ridge & (distance > 1) & middle
        outside = (distance > 2) & ~near_ridge & middle
        self.few = float(outside.mean()) < 0.01
        self.away = distance > AWAY
        nx = cv2.Sobel(cv2.GaussianBlur(distance, (0, 0), 1.5), cv2.CV_32F, 1, 0)
        ny = cv2.Sobel(cv2.GaussianBlur(distance, (0, 0), 1.5), cv2.CV_32F, 0, 1)
        length = np.maximum(np.hypot(nx, ny), 1e-6)
        nx, ny = nx / length * gap, ny / length * gap
        self.masks = {
            "border": border,
            "padded": (distance > 1) & (distance <= 3) & middle,
            "wide": (distance > 3) & (distance <= 5) & middle,
            "inside": self.inside,
            "outside": outside,
            "ridge": ridge,
            "gap": gap,
            "xx": nx * nx,
            "xy": 2 * nx * ny,
            "yy": ny * ny,
        }
        self.spectra = {name: np.conj(_spectrum(mask)) for name, mask in self.masks.items()}
        self.sizes = {name: max(float(np.sum(mask)), 1.0) for name, mask in self.masks.items()}
        rng = np.random.default_rng(5)
        self.shifts = [
            (0, 0),
            *(
                (int(y), int(x))
                for y, x in rng.integers(GRID // 10, GRID - GRID // 10, (SHIFTS, 2))
            ),
        ]
        self.far = np.ones((GRID, GRID), bool)
        for y in (slice(0, NEAR), slice(-NEAR, None)):
            for x in (slice(0, NEAR), slice(-NEAR, None)):
                self.far[y, x] = False

    def sums(self, field: Spectrum, mask: str) -> NDArray[np.float64]:
        """The sum of a field under a mask, with the mask at every place."""
        return np.asarray(np.fft.irfft2(field * self.spectra[mask], s=(GRID, GRID)))

    def means(self, field: Spectrum, mask: str) -> NDArray[np.float64]:
        """The mean of a field under a mask, with the mask at every place."""
        return self.sums(field, mask) / self.sizes[mask]

    def better(self, measured: NDArray[np.float64]) -> float:
        """By how many deviations the true place beats the others."""
        others = measured[self.far]
        return float((measured[0, 0] - others.mean()) / max(float(others.std()), 1e-4))

    def __call__(self, picture: _Picture) -> _Signs:
        """How much better the true place is than others."""
        inside = self.means(picture.edges, "inside")
        # Padding moves the edge outwards, by as much as the picture was painted on.
        borders = max(
            self.better(self.means(picture.edges, mask) - inside)
            for mask in ("border", "padded", "wide")
        )
        ridges = self.better(self.means(picture.edges, "ridge") - inside)
        detail = self.better(
            self.means(picture.detail, "inside") - self.means(picture.detail, "outside")
        )
        along = sum(
            self.sums(slope, mask)
            for slope, mask in zip(picture.slopes, ("xx", "xy", "yy"), strict=True)
        )
        whole = self.sums(picture.slopes[0], "gap") + self.sums(picture.slopes[2], "gap")
        # Painted on outwards, a picture does not change along the way from the island.
        dilation = self.better(-np.asarray(along) / np.maximum(whole, 1e-3))
        background, covered, beyond = 0.0, 1.0, 0.0
        if picture.content is not None and picture.content_spectrum is not None:
            covered = float(picture.content[self.inside].mean()) if self.inside.any() else 0.0
            beyond = float((picture.content & self.away).sum() / max(1, picture.content.sum()))
            painted = self.means(picture.content_spectrum, "inside")
            alone = self.better(painted - self.means(picture.content_spectrum, "outside"))
            # A picture that several slots share is painted outside this one's islands too, but on
            # all of these.
            shared = self.better(painted) if covered > 0.97 else 0.0
            background = max(alone, shared)
        if self.few:
            detail = dilation = background = 0.0
        return _Signs(
            borders, ridges, self._colours(picture), detail, dilation, background, covered, beyond
        )

    def _colours(self, picture: _Picture) -> float:
        labels = self.islands[self.inside]
        if not len(labels):
            return 0.0
        found = np.array(
            [
                _between(np.roll(picture.colours, (-y, -x), (0, 1))[self.inside], labels)
                for y, x in self.shifts
            ]
        )
        better = float((found[0] - found[1:].mean()) / max(float(found[1:].std()), 0.01))
        return min(better, COLOURS_WORTH * (len(np.unique(labels)) - 1))


def _between(colours: Float, labels: NDArray[np.int32]) -> float:
    """Share of the colours' variance that lies between islands, not inside them."""
    if not len(labels):
        return 0.0
    count = np.bincount(labels)
    used = count > 0
    sums = (
        np.stack([np.bincount(labels, colours[:, i]) for i in range(3)], axis=1)[used]
        / count[used, None]
    )
    whole = colours.mean(axis=0)
    total = float(((colours - whole) ** 2).sum())
    between = float((count[used, None] * (sums - whole) ** 2).sum())
    return between / total if total > 1e-9 else 0.0


def _reasons(layout: Layout, signs: _Signs | None, repeats: bool, alike: float) -> list[str]:
    found = []
    if alike > 0:
        found.append("the names are alike")
    if layout.tiles:
        found.append(
            "the UVs repeat, and so does the picture"
            if repeats
            else "the UVs repeat, the picture does not"
        )
        return found
    if signs is None:
        return found or ["the slot has no UVs"]
    if signs.borders > 2:
        found.append(
            f"edges of the picture follow the island borders ({signs.borders:.1f} deviations "
            "above other places)"
        )
    if signs.colours > 2:
        found.append(f"each island has colours of its own ({signs.colours:.1f} deviations)")
    if signs.ridges > 2 and signs.borders <= 2:
        found.append(f"colours meet halfway between the islands ({signs.ridges:.1f} deviations)")
    if signs.dilation > 2:
        found.append("painted on outwards from the islands")
    if signs.detail > 2:
        found.append("detail lies inside the islands, padding outside")
    if signs.background > 2:
        found.append(
            f"its background lies outside the islands; {100 * signs.covered:.0f} % of them is "
            "painted"
        )
    if signs.beyond > SHARED and signs.covered > 0.9 and found:
        found.append(
            f"{100 * signs.beyond:.0f} % of what is painted lies beyond this slot's islands: "
            "others may share the maps"
        )
    if repeats and len(found) == 0:
        found.append("repeats in x and y: fits any layout, speaks for none")
    if signs.borders < -1 or signs.background < -2:
        found.append("seams and background cross the islands")
    return found or ["nothing in the picture follows this layout"]
