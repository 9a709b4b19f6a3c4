"""Change the size of pictures whose values are already linear."""

from __future__ import annotations

import cv2
import numpy as np

from ektopos.types import Float


def resize(values: Float, width: int, height: int) -> Float:
    """Values at another size: `(h, w)` or `(h, w, c)` float32 → `(height, width, …)` float32.

    Areas are averaged on the way down, texel centres interpolated linearly on the way up (the reconstruction that a
    linear texture filter makes). Colour must be in linear light; normals need renormalising afterwards.
    """
    if values.shape[:2] == (height, width):
        return values
    if values.shape[0] == 1 and values.shape[1] == 1:
        return np.broadcast_to(values, (height, width, *values.shape[2:]))
    shrinks = width <= values.shape[1] and height <= values.shape[0]
    method = cv2.INTER_AREA if shrinks else cv2.INTER_LINEAR
    resized = cv2.resize(np.ascontiguousarray(values, np.float32), (width, height), interpolation=method)
    return np.asarray(resized, np.float32).reshape(height, width, *values.shape[2:])


def fit_within(width: int, height: int, longest: int) -> tuple[int, int]:
    """The largest size of the same shape whose longer side is at most `longest`, at least 1 × 1."""
    scale = min(1.0, longest / max(width, height))
    return max(1, round(width * scale)), max(1, round(height * scale))
