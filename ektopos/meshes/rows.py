"""Equal rows of whole numbers, found by one number for each row: several times faster than
comparing rows."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_LARGEST = 2**62


def unique_rows(rows: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Of rows `(n, k)` of whole numbers: where each different row stands first, and which of those
    each row is, `(n,)`.

    Cost: n log n for each column at the most, usually once.
    """
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
    _, first, inverse = np.unique(numbers, return_index=True, return_inverse=True)
    return first, inverse.reshape(-1)
