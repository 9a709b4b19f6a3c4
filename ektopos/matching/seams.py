"""Whether the colours of a picture go on across the seams of a surface.

On the two sides of a seam the surface is one, so what was painted, baked or scanned is too. How far
it is, is the intraclass correlation of the colours on either side: 1 where both are the same, 0
where they have nothing to do with each other. It is held against the same seams turned, mirrored
and moved to other places of the picture, where it should be small.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float
from ektopos.matching.layout import GRID
from ektopos.matching.surface import Surface

LEAST = 0.3
"""Correlation across the seams from which colours may go on at all."""
ABOVE_TURNED = 0.1
"""By how much it must beat the seams turned and mirrored."""
CHANCE = 2.0
"""Deviations above other places that come by chance."""
LEAST_SPREAD = 0.03
MOVES = 12
TAILS = 0.03
"""Share of the darkest and brightest places that count no more than the rest: a few marks on a
plain picture would decide alone."""
EVEN = 1e-5
"""Variance of colours below which a picture is one colour along the seams."""


def seams_continued(surface: Surface, colours: NDArray[np.uint8]) -> NDArray[np.float32]:
    """By how many deviations colours go on across the seams better than elsewhere, `(pictures,)`: 0
    where they do not, less on short seams. `colours` are codes, `(pictures, GRID, GRID, 3)`. Cost:
    pictures × samples; a few times that for pictures that seem to go on."""
    first, second = surface.seams
    found = np.zeros(len(colours), np.float32)
    if not len(first):
        return found
    there = _correlation(colours, first, second)
    hopeful = np.flatnonzero(there > LEAST)
    if not len(hopeful):
        return found
    some = colours[hopeful]
    turned = np.stack([_correlation(some, one, two) for one, two in _turned(first, second)])
    moved = np.stack([_correlation(some, one, two) for one, two in _moved(first, second)])
    spread = np.maximum(moved.std(axis=0), LEAST_SPREAD)
    deviations = (there[hopeful] - moved.mean(axis=0)) / spread - CHANCE
    goes_on = there[hopeful] - np.maximum(turned.max(axis=0), 0.0) > ABOVE_TURNED
    found[hopeful] = np.where(goes_on, np.maximum(deviations, 0.0), 0.0)
    return found * np.float32(min(1.0, surface.seam_length))


def _correlation(colours: NDArray[np.uint8], first: Float, second: Float) -> NDArray[np.float64]:
    """Intraclass correlation of the colours at places and their partners, for every picture; 0
    where it has one colour there."""
    codes = np.concatenate([_at(colours, first), _at(colours, second)], axis=2)
    rank = [int(part * (codes.shape[2] - 1)) for part in (TAILS, 1 - TAILS)]
    ordered = np.partition(codes, rank, axis=2)
    low, high = (ordered[..., number, None] for number in rank)
    values = np.clip(codes, low, high).astype(np.float32) / 255
    one, two = values[..., : len(first)], values[..., len(first) :]
    apart = ((one - two) ** 2).sum(axis=1).mean(axis=1)
    spread = values.var(axis=2).sum(axis=1)
    even = np.maximum(spread, 1e-9)
    return np.where(spread > EVEN, 1.0 - apart / (2.0 * even), 0.0).astype(np.float64)


def _at(colours: NDArray[np.uint8], places: Float) -> NDArray[np.uint8]:
    """The codes at places, `(pictures, 3, places)`."""
    cells = np.floor((places % 1.0) * GRID).astype(np.int64) % GRID
    return np.ascontiguousarray(np.moveaxis(colours[:, cells[:, 1], cells[:, 0]], 2, 1))


def _turned(first: Float, second: Float) -> Iterator[tuple[Float, Float]]:
    for swapped in (False, True):
        for across in (False, True):
            for down in (False, True):
                if swapped or across or down:
                    mirror = np.array([across, down])
                    one, two = (
                        np.where(mirror, 1.0 - side, side)[:, :: -1 if swapped else 1]
                        for side in (first, second)
                    )
                    yield one, two


def _moved(first: Float, second: Float) -> Iterator[tuple[Float, Float]]:
    # Multiples of irrational numbers lie everywhere, and are the same each time.
    for number in range(1, MOVES + 1):
        by = np.array([number * 0.7548777, number * 0.5698403])
        yield first + by, second + by
