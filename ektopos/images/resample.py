"""Change the size of pictures whose values are already linear."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.types import Float, Wrap


def resize(values: Float, width: int, height: int) -> Float:
    """Values at another size: `(h, w)` or `(h, w, c)` float32 → `(height, width, …)` float32.

    Areas are averaged on the way down, texel centres interpolated linearly on the way up (the
    reconstruction that a linear texture filter makes). Colour must be in linear light; normals need
    renormalising afterwards.

    >>> resize(np.array([[0.0, 1.0], [0.0, 1.0]], np.float32), 1, 1).item()
    0.5
    """
    if values.shape[:2] == (height, width):
        return values
    if values.shape[0] == 1 and values.shape[1] == 1:
        return np.broadcast_to(values, (height, width, *values.shape[2:]))
    shrinks = width <= values.shape[1] and height <= values.shape[0]
    method = cv2.INTER_AREA if shrinks else cv2.INTER_LINEAR
    resized = cv2.resize(
        np.ascontiguousarray(values, np.float32), (width, height), interpolation=method
    )
    return np.asarray(resized, np.float32).reshape(height, width, *values.shape[2:])


def fit_within(width: int, height: int, longest: int) -> tuple[int, int]:
    """The largest size of the same shape whose longer side is at most `longest`, at least 1 × 1.

    >>> fit_within(4096, 1024, 2048)
    (2048, 512)
    """
    scale = min(1.0, longest / max(width, height))
    return max(1, round(width * scale)), max(1, round(height * scale))


def mip_sizes(width: int, height: int) -> list[tuple[int, int]]:
    """Width and height of every level down to 1 × 1, the picture itself first. Source: KTX 2.0, 3.5
    (halves rounded down).

    >>> mip_sizes(5, 2)
    [(5, 2), (2, 1), (1, 1)]
    """
    sizes = [(width, height)]
    while sizes[-1] != (1, 1):
        sizes.append((max(1, sizes[-1][0] // 2), max(1, sizes[-1][1] // 2)))
    return sizes


def keep_coverage(opacity: Float, cutoff: float, wanted: float) -> Float:
    """A smaller cut-out `(h, w)`, scaled so that as large a share of it passes `cutoff` as `wanted`
    of the whole one.

    Averages fall below the cut-off where holes are fine, and a grating vanishes with distance. A
    share of 0 or 1 keeps itself. Source: Castaño, “Computing Alpha Mipmaps”, 2010; his scale is
    searched for there, and taken from the order of values here.

    >>> level = np.array([[0.1, 0.2], [0.3, 0.4]], np.float32)
    >>> covered_share(keep_coverage(level, 0.5, 0.5), 0.5)
    0.5
    """
    passing = round(wanted * opacity.size)
    if not 0.0 < wanted < 1.0 or cutoff <= 0.0 or passing == 0:
        return opacity
    last = float(np.partition(opacity.ravel(), opacity.size - passing)[opacity.size - passing])
    return (
        opacity if last <= 0.0 else np.minimum(opacity * np.float32(cutoff / last), np.float32(1.0))
    )


def covered_share(opacity: Float, cutoff: float) -> float:
    """Share of a cut-out that passes its cut-off, 0–1.

    >>> covered_share(np.array([0.4, 0.5, 0.6, 0.2], np.float32), 0.5)
    0.5
    """
    return float((opacity >= cutoff).mean())


def wrapped(number: NDArray[np.int64], count: int, wrap: Wrap) -> NDArray[np.int64]:
    """The texels `0 … count − 1` that numbers beyond the border stand for.

    >>> [wrapped(np.arange(-2, 6), 3, wrap).tolist() for wrap in ("repeat", "clamp", "mirror")]
    [[1, 2, 0, 1, 2, 0, 1, 2], [0, 0, 0, 1, 2, 2, 2, 2], [1, 0, 0, 1, 2, 2, 1, 0]]
    """
    if wrap == "clamp":
        return np.asarray(np.clip(number, 0, count - 1))
    if wrap == "repeat":
        return np.asarray(number % count)
    folded = number % (2 * count)
    return np.asarray(np.minimum(folded, 2 * count - 1 - folded))
