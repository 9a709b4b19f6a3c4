"""Pictures at another size, as a trial makes them: with matrices of its own, so that a mistake of
the packing's resampling cannot hide in both."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float, Wrap, WrapPair
from ektopos.base.vectors import normalise
from ektopos.document import InputName
from ektopos.images import covered_share, keep_coverage


def resampled(
    values: Float,
    name: InputName,
    width: int,
    height: int,
    *,
    cutoff: float | None = None,
    wrap: WrapPair = ("clamp", "clamp"),
    seen: Float | None = None,
) -> Float:
    """An input `(h, w)` or `(h, w, 3)` at another size: areas averaged on the way down, texel
    centres interpolated on the way up, colour counted as far as it is `seen`, a cut-out with its
    coverage, normals unit."""
    if values.shape[:2] == (height, width):
        return values
    shrinks = width <= values.shape[1] and height <= values.shape[0]
    if name == "base_color" and seen is not None and shrinks:
        weight = _moved(seen, values.shape[1], values.shape[0], wrap)
        counted = _moved(values * weight[..., None], width, height, wrap)
        share = _moved(weight, width, height, wrap)[..., None]
        plain = _moved(values, width, height, wrap)
        return np.asarray(np.where(share > 1e-4, counted / np.maximum(share, 1e-4), plain))
    sized = _moved(values, width, height, wrap)
    if name == "opacity" and cutoff is not None and sized.size < values.size:
        return keep_coverage(sized, cutoff, covered_share(values, cutoff))
    return normalise(sized) if name == "normal" else sized


def _moved(values: Float, width: int, height: int, wrap: WrapPair) -> Float:
    """Both sides by a matrix each; a side that shrinks goes first, where there is less to do."""
    if values.shape[:2] == (1, 1):
        return np.broadcast_to(values, (height, width, *values.shape[2:]))
    tall, wide = values.shape[:2]
    rows, columns = _matrix(tall, height, wrap[1]), _matrix(wide, width, wrap[0])
    flat = np.asarray(rows @ values.reshape(tall, -1)).reshape(height, wide, -1)
    turned = flat.transpose(1, 0, 2).reshape(wide, -1)
    moved = np.asarray(columns @ turned).reshape(width, height, -1).transpose(1, 0, 2)
    return np.ascontiguousarray(moved, np.float32).reshape(height, width, *values.shape[2:])


def _matrix(before: int, after: int, wrap: Wrap):  # type: ignore[no-untyped-def]
    """What each of `after` texels takes of `before`, as a sparse matrix whose rows sum to 1."""
    from scipy.sparse import csr_matrix

    number = np.arange(after)
    if after <= before:
        ratio = before / after
        start, end = number * ratio, (number + 1) * ratio
        reach = int(np.ceil(ratio)) + 1
        texel = np.floor(start).astype(int)[:, None] + np.arange(reach)
        share = np.minimum(texel + 1, end[:, None]) - np.maximum(texel, start[:, None])
        share = np.clip(share, 0.0, None) / ratio
        texel = np.minimum(texel, before - 1)
    else:
        place = (number + 0.5) * before / after - 0.5
        low = np.floor(place).astype(int)
        share = np.stack([1.0 - (place - low), place - low], axis=1)
        texel = _within(np.stack([low, low + 1], axis=1), before, wrap)
    owner = np.repeat(number, texel.shape[1])
    parts = (share.reshape(-1).astype(np.float32), (owner, texel.reshape(-1)))
    return csr_matrix(parts, shape=(after, before))


def _within(texel: NDArray[np.int64], count: int, wrap: Wrap) -> NDArray[np.int64]:
    """Texels inside the picture for those beyond its borders, at most one beyond."""
    if wrap == "repeat":
        return np.asarray(np.where(texel < 0, count - 1, np.where(texel >= count, 0, texel)))
    # The last texel lies beside itself, clamped or mirrored.
    return np.clip(texel, 0, count - 1)
