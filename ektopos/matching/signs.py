"""Signs that a picture was painted for a layout.

Edges of the picture follow the borders of islands, or lie a little outside where it was painted on
outwards, or halfway between islands where it was painted on as far as it goes; background lies
outside the islands, or inside where what is flat was painted. Each sign is measured with the layout
where it is, in standard deviations above the same layout at all other places (moved round the
borders): a picture that was not painted for the layout does as well anywhere.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.matching.layout import GRID, Layout
from ektopos.matching.traits import Traits, spectrum

FRAME = 9
"""Every layout ends near the edge of the square, so what happens there tells none apart."""
AWAY = 8
"""Cells from the islands from which what is painted is not their padding any more."""
CHANCE = 1.2
"""Deviations that come by chance, and count for nothing; more where a whole pile shows more."""
PILE = 20
"""Pictures from which a pile tells what comes by chance."""
MOST_CHANCE = 3.0
FREAK = 14.0
"""Deviations that a sign can count at most."""

_WEIGHT = np.full((GRID, GRID // 2 + 1), 2.0, np.float32)
_WEIGHT[:, 0] = _WEIGHT[:, -1] = 1.0
WEIGHT = _WEIGHT.ravel()
"""How often each value of a half spectrum stands in the whole."""


@dataclass(frozen=True)
class Signs:
    """Standard deviations of one picture, or a set's best."""

    borders: float
    """Edges along the borders of islands, or at the end of their padding."""
    ridges: float
    """Edges halfway between islands."""
    background: float
    """Content inside the islands and background outside; negative the other way round."""
    covered: float
    """Share of the islands that lies on the picture's content, where it has a background."""
    beyond: float
    """Share of the picture's content that lies away from the islands: others may use it."""

    @property
    def edges(self) -> float:
        """The stronger of the signs of edges: a picture shows one of them."""
        return max(self.borders, self.ridges)

    def total(self, chance: float = CHANCE) -> float:
        """All together, above what comes by chance."""
        # What lies on islands or off them as a whole says less than where edges run.
        return _counted(self.edges, chance) + 0.5 * abs(_counted(self.background, chance))


def chance_of(signs: Sequence[Signs]) -> float:
    """Deviations that edges reach by chance in a pile of pictures: what nine of ten stay below, for
    few of a pile belong to one slot."""
    if len(signs) < PILE:
        return CHANCE
    reached = float(np.percentile([sign.edges for sign in signs], 90))
    return float(np.clip(reached, CHANCE, MOST_CHANCE))


def _counted(deviations: float, chance: float) -> float:
    return float(np.sign(deviations) * np.clip(abs(deviations) - chance, 0.0, FREAK))


def measure_signs(layout: Layout, pictures: Sequence[Traits]) -> list[Signs]:
    """The signs of every picture for a layout. Cost: pictures × signs × `GRID`² products."""
    if not pictures:
        return []
    masks = _Masks(layout)
    edges = _Fields(np.stack([picture.edges for picture in pictures]))
    local = _Fields(np.stack([picture.local for picture in pictures]))
    content = _Fields(np.stack([picture.content for picture in pictures]))
    followed = [
        np.maximum(edges.above(mask), local.above(mask))
        for mask in (masks.border, masks.padded, masks.wide)
    ]
    ridges = np.maximum(edges.above(masks.ridge), local.above(masks.ridge))
    inside = content.above(masks.inside)
    signs = []
    for i, picture in enumerate(pictures):
        covered, beyond = masks.shares(picture)
        signs.append(
            Signs(
                float(max(sign[i] for sign in followed)),
                float(ridges[i]),
                0.0 if masks.fills else float(inside[i]),
                covered,
                beyond,
            )
        )
    return signs


class _Fields:
    """One trait of many pictures: spectra and their powers, `(pictures, values)`."""

    def __init__(self, spectra: NDArray[np.complex64]) -> None:
        self.spectra = spectra
        self.powers = spectra.real**2 + spectra.imag**2

    def above(self, mask: NDArray[np.complex64]) -> NDArray[np.float32]:
        """By how many deviations the mask's true place beats all places, for every picture."""
        here = (self.spectra @ (np.conj(mask) * WEIGHT)).real / GRID**2
        spread = np.sqrt(self.powers @ (np.abs(mask) ** 2 * WEIGHT)) / GRID**2
        return np.asarray(here / np.maximum(spread, 1e-5), np.float32)


class _Masks:
    """Where a layout says that something should be seen: means over cells, as spectra."""

    def __init__(self, layout: Layout) -> None:
        inside = layout.islands > 0
        kernel = np.ones((3, 3), np.uint8)
        numbered = layout.islands.astype(np.uint16)
        grown, shrunk = cv2.dilate(numbered, kernel), cv2.erode(numbered, kernel)
        # The border: one cell either side of where an island ends.
        border = (grown != numbered) | (inside & (shrunk != numbered))
        self.core = inside & ~border
        distance, nearest = cv2.distanceTransformWithLabels(
            (~inside).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
        )
        island_of = np.zeros(int(nearest.max()) + 1, np.uint16)
        island_of[nearest[inside]] = numbered[inside]
        owner = island_of[nearest]
        ridge = (cv2.dilate(owner, kernel) != cv2.erode(owner, kernel)) & ~self.core
        middle = np.zeros((GRID, GRID), bool)
        middle[FRAME:-FRAME, FRAME:-FRAME] = True
        outside = (distance > 2) & middle
        self.away = distance > AWAY
        self.fills = float(outside.mean()) < 0.01
        core = _mean_over(self.core)
        self.border = spectrum(_mean_over(border & middle) - core)
        self.padded = spectrum(_mean_over((distance > 1) & (distance <= 3) & middle) - core)
        self.wide = spectrum(_mean_over((distance > 3) & (distance <= 5) & middle) - core)
        self.ridge = spectrum(_mean_over(ridge & middle) - core)
        self.inside = spectrum(core - _mean_over(outside))

    def shares(self, picture: Traits) -> tuple[float, float]:
        """`Signs.covered` and `beyond`."""
        if not picture.has_background:
            return 1.0, 0.0
        covered = float(picture.painted[self.core].mean()) if self.core.any() else 0.0
        beyond = (picture.painted & self.away).sum() / max(1, picture.painted.sum())
        return covered, float(beyond)


def _mean_over(mask: NDArray[Any]) -> NDArray[np.float32]:
    return np.asarray(mask, np.float32) / np.float32(max(1, mask.sum()))
