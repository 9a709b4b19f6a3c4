"""Texture look-ups: wrapping, nearest or linear, with a chain of smaller pictures."""

from __future__ import annotations

import numpy as np

from ektopos.base.types import Float, Values, Wrap, WrapPair
from ektopos.images import mip_sizes, resize, wrapped


def texture_mips(values: Float) -> list[Float]:
    """A picture and its halvings down to one texel, each texel the mean of the area it stands for.

    `values` is `(h, w)` or `(h, w, 3)` in any unit, linear.
    """
    chain = [values]
    for size in mip_sizes(values.shape[1], values.shape[0])[1:]:
        chain.append(resize(chain[-1], *size))
    return chain


def sample(
    values: Float,
    uvs: Values,
    *,
    nearest: bool = False,
    level: Values | None = None,
    wrap: WrapPair = ("repeat", "repeat"),
) -> Float:
    """Values at UVs `(n, 2)`: `(n,)` or `(n, 3)`. `level` `(n,)` picks among the halvings, rounded;
    `wrap` says what lies beyond the borders.

    `values` is `(h, w)` or `(h, w, 3)` in any unit; UVs are in its own 0–1.
    """
    if values.shape[:2] == (1, 1):
        return np.broadcast_to(values[0, 0], (len(uvs), *values.shape[2:]))
    if level is None:
        return _look_up(values, uvs, nearest, wrap)
    chain = texture_mips(values)
    picked = np.clip(np.rint(level), 0, len(chain) - 1).astype(int)
    sampled = np.empty((len(uvs), *values.shape[2:]), np.float32)
    for number in np.unique(picked):
        those = picked == number
        sampled[those] = _look_up(chain[number], uvs[those], nearest, wrap)
    return sampled


def _look_up(values: Float, uvs: Values, nearest: bool, wrap: WrapPair) -> Float:
    height, width = values.shape[:2]
    u, v = (_near_zero(uvs[:, axis], wrap[axis]) for axis in (0, 1))
    x, y = u * width, v * height
    if nearest:
        columns = wrapped(np.floor(x).astype(int), width, wrap[0])
        return np.asarray(values[wrapped(np.floor(y).astype(int), height, wrap[1]), columns])
    x, y = x - 0.5, y - 0.5
    left, top = np.floor(x).astype(int), np.floor(y).astype(int)
    fx, fy = (x - left).astype(np.float32), (y - top).astype(np.float32)
    if values.ndim == 3:
        fx, fy = fx[:, None], fy[:, None]
    x0, x1 = wrapped(left, width, wrap[0]), wrapped(left + 1, width, wrap[0])
    y0, y1 = wrapped(top, height, wrap[1]), wrapped(top + 1, height, wrap[1])
    upper = values[y0, x0] * (1 - fx) + values[y0, x1] * fx
    lower = values[y1, x0] * (1 - fx) + values[y1, x1] * fx
    return np.asarray(upper * (1 - fy) + lower * fy, np.float32)


def _near_zero(coordinate: Values, wrap: Wrap) -> Values:
    """A coordinate that looks up the same, and is small enough to count texels in."""
    if wrap == "clamp":
        return np.clip(coordinate, -1.0, 2.0)
    return np.asarray(coordinate % (1.0 if wrap == "repeat" else 2.0))
