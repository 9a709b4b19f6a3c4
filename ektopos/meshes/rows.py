"""Equal rows of whole numbers, found by one number for each row: several times faster than
comparing rows."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_LARGEST = 2**62


def unique_rows(rows: NDArray[np.integer]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Of rows `(n, k)` of whole numbers: where each different row stands first, and which of those
    each row is, `(n,)`.

    Cost: n log n for each column at the most, usually once.
    """
    _, first, inverse = np.unique(row_numbers(rows), return_index=True, return_inverse=True)
    return first, inverse.reshape(-1)


def in_order(first: NDArray[np.int64], group: NDArray[np.int64]) -> NDArray[np.int64]:
    """The same groups `(n,)` numbered as they appear, by where each stands first: what is sorted or
    looked up by such numbers lies together in memory as the rows do."""
    rank = np.empty(len(first), np.int64)
    rank[np.argsort(first)] = np.arange(len(first))
    return rank[group]


def has_equal_rows(rows: NDArray[np.integer]) -> bool:
    """Whether any two rows `(n, k)` of whole numbers are equal; several times faster than to say
    which."""
    numbers = np.sort(row_numbers(rows))
    return bool((numbers[1:] == numbers[:-1]).any())


def row_numbers(rows: NDArray[np.integer]) -> NDArray[np.int64]:
    """A number for each row `(n, k)` of whole numbers, `(n,)`, the same for equal rows only."""
    numbers = np.zeros(len(rows), np.int64)
    reach = 1
    for column in rows.T:
        low = int(column.min()) if len(column) else 0
        width = (int(column.max()) if len(column) else 0) - low + 1
        if reach > _LARGEST // width:
            _, numbers = np.unique(numbers, return_inverse=True)
            numbers, reach = numbers.reshape(-1), len(rows)
        numbers = numbers * width + (column - low)
        reach *= width
    return numbers


def sorted_corners(points: NDArray[np.integer]) -> NDArray[np.integer]:
    """The numbers of triangles' corners `(t, 3)`, each row in order: column by column, because
    NumPy is slow at sorting short rows."""
    a, b, c = points.T
    low, high = np.minimum(np.minimum(a, b), c), np.maximum(np.maximum(a, b), c)
    return np.asarray(np.stack([low, a + b + c - low - high, high]).T)
