"""Signs that a picture was painted for a layout.

Edges of the picture follow the borders of islands, or lie a little outside where it was painted on
outwards, or halfway between islands where it was painted on as far as it goes; background lies
outside the islands, or inside where what is flat was painted. Each sign is measured with the layout
where it is, in standard deviations above the same layout at all other places (moved round the
borders): a picture that was not painted for the layout does as well anywhere. What it shows as well
with the layout mirrored counts less.

Two more signs come from the surface: colours that go on across its seams, and edges of the picture
along its creases.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.matching.image_spectra import ImageSpectra, spectrum
from ektopos.matching.layout import GRID, Layout
from ektopos.matching.seams import seams_continued
from ektopos.matching.surface import Surface

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
FREAK_SURFACE = 10.0
"""The same for what only the surface tells."""
MIRRORED = 0.7
"""Share of what a picture shows with the layout mirrored that counts against it: large shapes
around the middle follow many layouts."""
OWN_MIRROR = 0.5
"""Correlation from which a layout is its own mirror image."""
FEW = 20
"""Cells that creases have to run through before they say anything."""

_WEIGHT = np.full((GRID, GRID // 2 + 1), 2.0, np.float32)
_WEIGHT[:, 0] = _WEIGHT[:, -1] = 1.0
WEIGHT = _WEIGHT.ravel()
"""How often each value of a half spectrum stands in the whole."""
MIRRORS = ((1, 1), (1, -1), (-1, 1), (-1, -1))
"""Steps down and across that mirror a layout; the first leaves it."""


@dataclass(frozen=True)
class LayoutScores:
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
    creases: float = 0.0
    """Edges along the creases of the surface."""
    seams: float = 0.0
    """Colours that go on across its seams; 0 where they do not."""

    @property
    def edges(self) -> float:
        """The stronger of the signs of edges: a picture shows one of them."""
        return max(self.borders, self.ridges)

    def total(self, chance: float = CHANCE) -> float:
        """All together, above what comes by chance."""
        # What lies on islands or off them as a whole says less than where edges run.
        return (
            max(_counted(self.edges, chance), -1.0)
            + 0.5 * abs(_counted(self.background, chance))
            + min(max(_counted(self.creases, CHANCE), 0.0), FREAK_SURFACE)
            + min(self.seams, FREAK_SURFACE)
        )


def chance_of(signs: Sequence[LayoutScores]) -> float:
    """Deviations that edges reach by chance in a pile of pictures: what nine of ten stay below, for
    few of a pile belong to one slot."""
    if len(signs) < PILE:
        return CHANCE
    reached = float(np.percentile([sign.edges for sign in signs], 90))
    return float(np.clip(reached, CHANCE, MOST_CHANCE))


def _counted(deviations: float, chance: float) -> float:
    return float(np.sign(deviations) * np.clip(abs(deviations) - chance, 0.0, FREAK))


class Pile:
    """Pictures that layouts are held against, stacked once for all of them."""

    def __init__(self, pictures: Sequence[ImageSpectra]) -> None:
        self.pictures = pictures
        self.edges = [
            _Fields(np.stack([getattr(picture, trait) for picture in pictures]))
            for trait in ("edges", "local")
        ]
        self.content = _Fields(np.stack([picture.content for picture in pictures]))
        self.colours = np.stack([picture.colours for picture in pictures])
        painted = np.stack([picture.painted.ravel() for picture in pictures])
        self._has_background = ~painted.all(axis=1)
        self._painted = painted[self._has_background].astype(np.float32)

    def shares(
        self, core: NDArray[np.bool_], away: NDArray[np.bool_]
    ) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """`Signs.covered` and `beyond` of every picture, for islands without their borders and for
        what lies away from them."""
        covered = np.ones(len(self.pictures), np.float32)
        beyond = np.zeros(len(self.pictures), np.float32)
        regions = np.stack([core.ravel(), away.ravel(), np.ones(core.size, bool)])
        inside, outside, whole = (self._painted @ regions.T.astype(np.float32)).T
        covered[self._has_background] = inside / max(1, core.sum())
        beyond[self._has_background] = outside / np.maximum(whole, 1.0)
        return covered, beyond


def measure_layout_scores(
    layout: Layout, pile: Pile, surface: Surface | None = None
) -> list[LayoutScores]:
    """The signs of every picture for a layout, and for a surface where one is given. Cost: pictures
    × signs × `GRID`² products."""
    masks = _Masks(layout, surface or Surface())
    groups = [(masks.border, masks.padded, masks.wide), (masks.ridge,)]
    groups += [] if masks.crease is None else [(masks.crease,)]
    borders, ridges, *rest = _follows(pile.edges, groups)
    none = np.zeros_like(ridges)
    creases = rest[0] if rest else none
    inside = none if masks.fills else pile.content.above(spectrum(masks.inside)[None])[:, 0]
    seams = none if surface is None else seams_continued(surface, pile.colours)
    columns = (borders, ridges, inside, *pile.shares(masks.core, masks.away), creases, seams)
    return [LayoutScores(*row) for row in np.stack(columns, axis=1).astype(np.float64).tolist()]


def _follows(
    fields: Sequence[_Fields], groups: Sequence[Sequence[NDArray[np.float32]]]
) -> list[NDArray[np.float32]]:
    """By how many deviations pictures have edges where one mask of a group says, less what they
    have where its mirror images say; for every group. All masks are one product for each field: a
    pile is large, and is gone through once."""
    turned = np.stack(
        [
            spectrum(mask[::down, ::across])
            for masks in groups
            for mask in masks
            for down, across in MIRRORS
        ]
    )
    found = np.max([field.above(turned) for field in fields], axis=0)
    spectra = turned.reshape(-1, len(MIRRORS), turned.shape[1])
    powers = ((spectra * np.conj(spectra[:, :1])).real @ WEIGHT).astype(np.float32)
    differs = powers < OWN_MIRROR * powers[:, :1]
    by_mask = found.reshape(len(found), -1, len(MIRRORS))
    followed, start = [], 0
    for masks in groups:
        own = slice(start, start := start + len(masks))
        best = by_mask[:, own].max(axis=1)
        rivals = np.max(best[:, differs[own].any(axis=0)], axis=1, initial=CHANCE)
        followed.append(np.asarray(best[:, 0] - MIRRORED * (rivals - CHANCE), np.float32))
    return followed


class _Fields:
    """One trait of many pictures: spectra and their powers, `(pictures, values)`."""

    def __init__(self, spectra: NDArray[np.complex64]) -> None:
        self.spectra = spectra
        self.powers = spectra.real**2 + spectra.imag**2

    def above(self, masks: NDArray[np.complex64]) -> NDArray[np.float32]:
        """By how many deviations each mask's true place beats all places, `(pictures, masks)`."""
        # The real part of a product with a conjugate: as pairs of reals half the work.
        here = self.spectra.view(np.float32) @ (masks * WEIGHT).view(np.float32).T / GRID**2
        powers = (masks.real**2 + masks.imag**2) * WEIGHT
        spread = np.sqrt(self.powers @ powers.T) / GRID**2
        return np.asarray(here / np.maximum(spread, 1e-5), np.float32)


class _Masks:
    """Where a layout and its surface say that something should be seen: means over cells."""

    def __init__(self, layout: Layout, surface: Surface) -> None:
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
        self.border = _mean_over(border & middle) - core
        self.padded = _mean_over((distance > 1) & (distance <= 3) & middle) - core
        self.wide = _mean_over((distance > 3) & (distance <= 5) & middle) - core
        self.ridge = _mean_over(ridge & middle) - core
        self.inside = core - _mean_over(outside)
        # Borders have a sign of their own, with the cells beside them.
        crease = surface.creases & ~(cv2.dilate(border.astype(np.uint8), kernel) > 0)
        plain = self.core & ~crease
        tell = min(crease.sum(), plain.sum()) > FEW
        self.crease = _mean_over(crease) - _mean_over(plain) if tell else None


def _mean_over(mask: NDArray[Any]) -> NDArray[np.float32]:
    return np.asarray(mask, np.float32) / np.float32(max(1, mask.sum()))
