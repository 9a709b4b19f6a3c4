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

    Cost: a look through all where the order is the same, a sort where the numbers are, else
    a search for the nearest.
    """
    if len(one) != len(other):
        return None
    if np.array_equal(one, other):
        return _in_order(one)
    # Equal numbers come before near ones: where triangles are smaller than the tolerance, those
    # beside each other are near too.
    order = _equal(one, other, told_apart)
    match = None if order is None else _turned(one, other, order, 0.0)
    if match is not None:
        return match
    if np.abs(one - other).max(initial=0.0) <= tolerance:
        return _in_order(one)
    order = _nearest(one, other, told_apart)
    return None if order is None else _turned(one, other, order, tolerance)


def _in_order(one: Corners) -> Match:
    return Match(np.arange(len(one)), np.zeros(len(one), np.int64))


def _turned(
    one: Corners, other: Corners, order: NDArray[np.int64], tolerance: float
) -> Match | None:
    """How each triangle's fellow is turned to lie on it; `None` where one does not."""
    matched = other[order]
    errors = np.stack([np.abs(one - matched[:, roll]).max(axis=(1, 2)) for roll in ROLLS])
    if errors.min(axis=0).max(initial=0.0) > tolerance:
        return None
    return Match(order, errors.argmin(axis=0))


def places_of(corners: Corners, size: float) -> NDArray[np.float64]:
    """Where triangles are and which way they face, `(t, 6)`: middle, and area along the normal as a
    length for a mesh of this size."""
    sides = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return np.concatenate([corners.mean(axis=1), sides / size], axis=1)


def _equal(
    one: Corners, other: Corners, told_apart: tuple[Corners, Corners] | None
) -> NDArray[np.int64] | None:
    """The triangle of the other mesh that has the same numbers as each, whichever corner comes
    first; `None` unless all have one. Files that were only re-ordered keep their numbers."""
    marks, marks_of_other = _marks(one), _marks(other)
    if marks.sum() != marks_of_other.sum():
        return None
    ties, ties_of_other = _ties(len(one), told_apart)
    first = np.lexsort((ties, marks))
    second = np.lexsort((ties_of_other, marks_of_other))
    if not np.array_equal(marks[first], marks_of_other[second]):
        return None
    order = np.empty(len(one), np.int64)
    order[first] = second
    return order


def _marks(corners: Corners) -> NDArray[np.uint64]:
    """A number for every triangle that equal ones share, `(t,)`: the sum of its corners', each
    mixed from the bits of its coordinates. Whoever uses it looks at the triangles afterwards.
    """
    # Adding 0 makes one of the two zeros; the factors are the odd ones of a common 64-bit mixer.
    bits = (corners + 0.0).view(np.uint64)
    with np.errstate(over="ignore"):
        mixed = np.zeros(corners.shape[:2], np.uint64)
        for axis in range(3):
            mixed = (mixed ^ bits[..., axis]) * np.uint64(0xBF58476D1CE4E5B9)
            mixed ^= mixed >> np.uint64(31)
            mixed *= np.uint64(0x94D049BB133111EB)
            mixed ^= mixed >> np.uint64(29)
        return np.asarray(mixed.sum(axis=1), np.uint64)


def _ties(
    count: int, told_apart: tuple[Corners, Corners] | None
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What tells triangles apart that lie on each other, for both meshes, `(t,)`."""
    if told_apart is None:
        return np.zeros(count), np.zeros(count)
    one, other = (np.round(values.sum(axis=(1, 2)), 4) for values in told_apart)
    return one, other


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
    group, group_of_other = (tree.query(places, workers=-1)[1] for places in (mine, theirs))
    if len(np.unique(group)) == len(group):
        return np.asarray(group, np.int64)
    # Triangles that lie on each other have one nearest: they are sorted alike on both sides.
    ties = _ties(len(one), told_apart)
    first, second = np.lexsort((ties[0], group)), np.lexsort((ties[1], group_of_other))
    if not np.array_equal(group[first], group_of_other[second]):
        return None
    order = np.empty(len(one), np.int64)
    order[first] = second
    return order
