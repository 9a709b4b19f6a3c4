"""How far a map is painted on beyond the islands that use it."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Pixels
from ektopos.meshes.uvs import SUBTEXEL, covered_cells

_PAINTED = 0.97
"""Share of the texels at a distance from which all there counts as painted."""
_BACKGROUND = 0.5
"""Share of the texels far from all islands that must have one colour to be a background."""
_FAR = 24
_STEPS = 3
"""Codes of 255 that background may differ by."""


def padding_of(pixels: Pixels, corner_uvs: NDArray[np.float64]) -> int | None:
    """Texels round a layout's islands that are painted like them, not background; `None` where
    there is no background.

    `pixels` `(h, w, c)` of 8 or 16 bits or float 0–1, `corner_uvs` `(t, 3, 2)` of every slot that
    uses the map. Without a background a map is painted on everywhere, or repeats.
    """
    height, width = pixels.shape[:2]
    size = max(height, width)
    square = (
        pixels
        if height == width
        else cv2.resize(pixels, (size, size), interpolation=cv2.INTER_NEAREST)
    )
    scale = 255.0 / (np.iinfo(square.dtype).max if np.issubdtype(square.dtype, np.integer) else 1.0)
    codes = np.asarray(square, np.float32).reshape(size, size, -1)[..., :3] * np.float32(scale)
    shift = np.floor(corner_uvs.mean(axis=1))[:, None]
    covered = np.zeros(size * size, bool)
    for cell, _ in covered_cells(
        np.rint((corner_uvs - shift) * size * SUBTEXEL).astype(np.int64), size
    ):
        covered[cell] = True
    distance = cv2.distanceTransform(
        (~covered.reshape(size, size)).astype(np.uint8), cv2.DIST_L2, 5
    )
    far = codes[distance > min(_FAR, float(distance.max()) * 0.5)]
    if not covered.any() or not len(far):
        return None
    background = np.median(far, axis=0)
    if (np.abs(far - background).max(axis=1) <= _STEPS).mean() < _BACKGROUND:
        return None
    painted = np.abs(codes - background).max(axis=2) > _STEPS
    ring = np.ceil(distance).astype(np.int64)
    total = np.bincount(ring.ravel())
    painted_texels = np.bincount(
        ring.ravel(), painted.ravel().astype(np.float64), minlength=len(total)
    )
    if painted_texels[0] < _PAINTED * total[0]:
        # Something of the islands themselves is as the background is; then nothing can be told of
        # what lies beyond.
        return None
    whole = painted_texels >= _PAINTED * np.maximum(total, 1)
    return int(np.argmin(whole)) - 1 if not whole.all() else len(whole) - 1
