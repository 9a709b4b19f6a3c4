"""Find the triangles of one mesh among those of another, in whatever order they are listed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Corners = NDArray[np.float64]
"""Positions of triangles' corners, `(t, 3, 3)`."""
ROLLS = np.array([[0, 1, 2], [1, 2, 0], [2, 0, 1]])


@dataclass(frozen=True)
class Match:
    """Which triangle is which, and which corner."""

    order: NDArray[np.int64]
    """`(t,)`: the triangle of the other mesh that each one is."""
    roll: NDArray[np.int64]
    """`(t,)`: the row of `ROLLS` that turns its corners to these."""

    def of(self, values: NDArray[Any]) -> NDArray[Any]:
        """The other mesh's values `(t, 3, n)` in this one's order."""
        return np.asarray(values[self.order[:, None], ROLLS[self.roll]])


def match_triangles(
    one: Corners,
    other: Corners,
    tolerance: float,
    told_apart: tuple[Corners, Corners] | None = None,
) -> Match | None:
    """Triangles of equal corners and winding, each of one with one of the other; `None` where some
    have no fellow. Those that lie on each other are told apart by further values `(t, 3, n)`.

    Cost: a look through all where the order is the same, else n log n.
    """
    if len(one) != len(other):
        return None
    if np.abs(one - other).max(initial=0.0) <= tolerance:
        here = np.arange(len(one))
        return Match(here, np.zeros(len(one), np.int64))
    order = _nearest(one, other, told_apart)
    if order is None:
        return None
    matched = other[order]
    errors = np.stack([np.abs(one - matched[:, roll]).max(axis=(1, 2)) for roll in ROLLS])
    roll = errors.argmin(axis=0)
    if errors.min(axis=0).max(initial=0.0) > tolerance:
        return None
    return Match(order, roll)


def places_of(corners: Corners, size: float) -> NDArray[np.float64]:
    """Where triangles are and which way they face, `(t, 6)`: middle, and area along the normal as a
    length for a mesh of this size."""
    sides = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return np.concatenate([corners.mean(axis=1), sides / size], axis=1)


def _nearest(
    one: Corners, other: Corners, told_apart: tuple[Corners, Corners] | None
) -> NDArray[np.int64] | None:
    """The triangle of the other mesh that lies nearest to each, by middle and by area and side;
    `None` unless each is taken once."""
    # Imported here, because it takes longer than most commands do.
    from scipy.spatial import cKDTree

    size = float(np.ptp(one.reshape(-1, 3), axis=0).max(initial=0.0)) or 1.0

    mine, theirs = places_of(one, size), places_of(other, size)
    tree = cKDTree(theirs)
    group, group_of_other = tree.query(mine)[1], tree.query(theirs)[1]
    if len(np.unique(group)) == len(group):
        return np.asarray(group, np.int64)
    # Triangles that lie on each other have one nearest: they are sorted alike on both sides.
    ties = [np.zeros(len(one)), np.zeros(len(one))]
    if told_apart is not None:
        ties = [np.round(values.sum(axis=(1, 2)), 4) for values in told_apart]
    first, second = np.lexsort((ties[0], group)), np.lexsort((ties[1], group_of_other))
    if not np.array_equal(group[first], group_of_other[second]):
        return None
    order = np.empty(len(one), np.int64)
    order[first] = second
    return order
