"""Texture look-ups: wrapping, nearest or linear, with a chain of smaller pictures."""

from __future__ import annotations

import numpy as np

from ektopos.images import mip_sizes, resize
from ektopos.types import Float, Values


def mip_chain(values: Float) -> list[Float]:
    """A picture and its halvings down to one texel, each texel the mean of the area it stands
    for.
    """
    chain = [values]
    for size in mip_sizes(values.shape[1], values.shape[0])[1:]:
        chain.append(resize(chain[-1], *size))
    return chain


def sample(
    values: Float, uvs: Values, *, nearest: bool = False, level: Values | None = None
) -> Float:
    """Values at UVs `(n, 2)`, repeating: `(n,)` or `(n, 3)`. `level` `(n,)` picks among the
    halvings, rounded."""
    if values.shape[:2] == (1, 1):
        return np.broadcast_to(values[0, 0], (len(uvs), *values.shape[2:]))
    if level is None:
        return _look_up(values, uvs, nearest)
    chain = mip_chain(values)
    picked = np.clip(np.rint(level), 0, len(chain) - 1).astype(int)
    found = np.empty((len(uvs), *values.shape[2:]), np.float32)
    for number in np.unique(picked):
        those = picked == number
        found[those] = _look_up(chain[number], uvs[those], nearest)
    return found


def _look_up(values: Float, uvs: Values, nearest: bool) -> Float:
    height, width = values.shape[:2]
    x, y = (uvs[:, 0] % 1.0) * width, (uvs[:, 1] % 1.0) * height
    if nearest:
        return np.asarray(values[y.astype(int) % height, x.astype(int) % width])
    x, y = x - 0.5, y - 0.5
    left, top = np.floor(x).astype(int), np.floor(y).astype(int)
    fx, fy = (x - left).astype(np.float32), (y - top).astype(np.float32)
    if values.ndim == 3:
        fx, fy = fx[:, None], fy[:, None]
    x0, x1, y0, y1 = left % width, (left + 1) % width, top % height, (top + 1) % height
    upper = values[y0, x0] * (1 - fx) + values[y0, x1] * fx
    lower = values[y1, x0] * (1 - fx) + values[y1, x1] * fx
    return np.asarray(upper * (1 - fy) + lower * fy, np.float32)
