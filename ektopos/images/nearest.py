"""Carry what is covered on into its surroundings, so that filtering never reaches what lies
beyond.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray


def nearest_covered(covered: NDArray[np.bool_], texels: float) -> NDArray[np.int64]:
    """For every texel `(h, w)` the flat number of the one whose value it should hold.

    Covered ones hold their own; those at most `texels` away from one take the nearest; all others
    keep theirs too. Cost: linear.
    """
    own = np.arange(covered.size).reshape(covered.shape)
    if not covered.any():
        return own
    distance, label = cv2.distanceTransformWithLabels(
        (~covered).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    of_label = np.zeros(int(label.max()) + 1, np.int64)
    of_label[label[covered]] = own[covered]
    return np.where(distance <= texels, of_label[label], own)
