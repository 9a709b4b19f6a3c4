"""Change the size of pictures whose values are already linear."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float, Wrap, WrapPair


def resize(values: Float, width: int, height: int, wrap: WrapPair = ("clamp", "clamp")) -> Float:
    """Values at another size: `(h, w)` or `(h, w, c)` float32 → `(height, width, …)` float32.

    Areas are averaged on the way down, texel centres interpolated linearly on the way up (the
    reconstruction that a linear texture filter makes), each side for itself; `wrap` says what lies
    beyond the borders that are interpolated over. Colour must be in linear light; normals need
    renormalising afterwards.

    >>> resize(np.array([[0.0, 1.0], [0.0, 1.0]], np.float32), 1, 1).item()
    0.5
    >>> resize(np.array([[0.0, 1.0]], np.float32), 4, 1, ("repeat", "repeat")).tolist()
    [[0.25, 0.25, 0.75, 0.75]]
    """
    if values.shape[:2] == (height, width):
        return values
    if values.shape[0] == 1 and values.shape[1] == 1:
        return np.broadcast_to(values, (height, width, *values.shape[2:]))
    less = min(values.shape[1], width), min(values.shape[0], height)
    if less != values.shape[1::-1]:
        shrunk = cv2.resize(
            np.ascontiguousarray(values, np.float32), less, interpolation=cv2.INTER_AREA
        )
        values = np.asarray(shrunk, np.float32).reshape(less[1], less[0], *values.shape[2:])
    for axis, count in ((0, height), (1, width)):
        if values.shape[axis] != count:
            values = _enlarged(values, axis, count, wrap[1 - axis])
    return np.asarray(values, np.float32)


def _enlarged(values: Float, axis: int, count: int, wrap: Wrap) -> Float:
    """Values with more texels along an axis, interpolated linearly between texel centres."""
    before = values.shape[axis]
    place = (np.arange(count) + 0.5) * before / count - 0.5
    low = np.floor(place).astype(np.int64)
    shape = [1] * values.ndim
    shape[axis] = count
    share = (place - low).astype(np.float32).reshape(shape)
    one = np.take(values, wrapped(low, before, wrap), axis=axis)
    other = np.take(values, wrapped(low + 1, before, wrap), axis=axis)
    return np.asarray(one + (other - one) * share, np.float32)


def shrink_seen(values: Float, seen: Float, width: int, height: int) -> Float:
    """Colours `(h, w, 3)` at a smaller size, each texel counted by how much of it is seen, `(h, w)`
    0–1: what lies under holes does not bleed into what is left. Where nothing is seen, plain means.

    >>> leaf = np.array([[[0.0, 1, 0], [0.0, 0, 0]]], np.float32)
    >>> shrink_seen(leaf, np.array([[1.0, 0.0]], np.float32), 1, 1).tolist()
    [[[0.0, 1.0, 0.0]]]
    """
    weight = resize(seen, width, height)[..., None]
    counted = resize(values * seen[..., None], width, height)
    plain = resize(values, width, height)
    return np.asarray(np.where(weight > 1e-4, counted / np.maximum(weight, 1e-4), plain))


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
    share of 0 or 1 keeps itself. Of texels that are alike, those pass that lie among more opaque
    ones. Source: Castaño, “Computing Alpha Mipmaps”, 2010; his scale is searched for there, and
    taken from the order of values here.

    >>> level = np.array([[0.1, 0.2], [0.3, 0.4]], np.float32)
    >>> covered_share(keep_coverage(level, 0.5, 0.5), 0.5)
    0.5
    >>> covered_share(keep_coverage(np.full((8, 8), 0.5, np.float32), 0.5, 0.25), 0.5)
    0.25
    """
    passing = round(wanted * opacity.size)
    if not 0.0 < wanted < 1.0 or cutoff <= 0.0 or passing == 0:
        return opacity
    last = float(np.partition(opacity.ravel(), opacity.size - passing)[opacity.size - passing])
    if last <= 0.0:
        return opacity
    scaled = np.minimum(opacity * np.float32(cutoff / last), np.float32(1.0))
    # Rounding takes no texel to the other side of the cut-off.
    edge, passes = np.float32(cutoff), opacity >= last
    scaled[passes] = np.maximum(scaled[passes], edge)
    scaled[~passes] = np.minimum(scaled[~passes], np.nextafter(edge, np.float32(0.0)))
    excess = int((opacity >= last).sum()) - passing
    if excess > 0:
        tied = np.flatnonzero(opacity == last)
        around = cv2.blur(opacity, (3, 3)).ravel()[tied]
        dropped = tied[np.argsort(around, kind="stable")[:excess]]
        # Two steps of eight bits below: no rounding brings them back.
        scaled.ravel()[dropped] = max(0.0, cutoff - 2 / 255)
    return np.asarray(scaled, np.float32)


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
