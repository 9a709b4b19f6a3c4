"""Texture look-ups: wrapping, nearest or linear, with a chain of smaller pictures."""

from __future__ import annotations

import cv2
import numpy as np

from ektopos.document import UvTransform
from ektopos.types import Float, Values


def transform_uvs(uvs: Values, uv: UvTransform) -> Values:
    """uv' = offset + rotation · (tiling · uv), `(…, 2)`. Source: KHR_texture_transform."""
    u, v = uvs[..., 0] * uv.tiling[0], uvs[..., 1] * uv.tiling[1]
    cos, sin = np.cos(uv.rotation), np.sin(uv.rotation)
    return np.stack([cos * u + sin * v + uv.offset[0], -sin * u + cos * v + uv.offset[1]], axis=-1)


def mip_chain(values: Float) -> list[Float]:
    """A picture and its halvings down to one texel, each texel the mean of the area it stands for."""
    chain = [values]
    while max(chain[-1].shape[:2]) > 1:
        height, width = (max(1, side // 2) for side in chain[-1].shape[:2])
        small = cv2.resize(chain[-1], (width, height), interpolation=cv2.INTER_AREA)
        chain.append(np.asarray(small, np.float32).reshape(height, width, *values.shape[2:]))
    return chain


def sample(values: Float, uvs: Values, *, nearest: bool = False, level: Values | None = None) -> Float:
    """Values at UVs `(n, 2)`, repeating: `(n,)` or `(n, 3)`. `level` `(n,)` picks among the halvings, rounded."""
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
