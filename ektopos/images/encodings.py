"""The two encodings a map can have: sRGB for colour, linear for data."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Encoding, Float

REC709_LUMINANCE = (0.2126, 0.7152, 0.0722)
"""Weights of linear red, green and blue. Source: ITU-R BT.709-6, item 3.2."""


def srgb_to_linear(encoded: Float) -> Float:
    """Linear light of sRGB-encoded values.

    `encoded`: any shape, 0–1 (values outside are carried on by the same curve, negative ones as 0).
    Returns float32, same shape. Source: IEC 61966-2-1:1999, section 5.2. Example: 0.5 → 0.21404.

    >>> [round(float(srgb_to_linear(v)), 5) for v in (0.0, 0.5, 1.0)]
    [0.0, 0.21404, 1.0]
    """
    encoded = np.maximum(np.asarray(encoded, np.float32), 0.0)
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4).astype(
        np.float32
    )


def linear_to_srgb(linear: Float) -> Float:
    """sRGB encoding of linear light.

    `linear`: any shape, 0–1 (negative values as 0). Returns float32, same shape.
    Source: IEC 61966-2-1:1999, section 5.3. Example: 0.18 → 0.46136.

    >>> [round(float(linear_to_srgb(v)), 5) for v in (0.0, 0.18, 1.0)]
    [0.0, 0.46136, 1.0]
    """
    linear = np.maximum(np.asarray(linear, np.float32), np.float32(0))
    # In place: pictures are large, and every pass over one in memory costs as much as the power.
    encoded = np.power(linear, np.float32(1.0 / 2.4), out=np.empty(linear.shape, np.float32))
    np.multiply(encoded, np.float32(1.055), out=encoded)
    np.subtract(encoded, np.float32(0.055), out=encoded)
    np.multiply(linear, np.float32(12.92), out=encoded, where=linear <= np.float32(0.0031308))
    return encoded


@lru_cache(maxsize=8)
def decode_table(bits: int, encoding: Encoding) -> NDArray[np.float32]:
    """The value of every code of an integer image: `(2**bits,) float32`, 0–1 linear. Read-only,
    made once.

    >>> [round(float(decode_table(8, "srgb")[code]), 5) for code in (0, 55, 188, 255)]
    [0.0, 0.0382, 0.50289, 1.0]
    """
    codes = (np.arange(2**bits) / (2**bits - 1)).astype(np.float32)
    table = srgb_to_linear(codes) if encoding == "srgb" else codes
    table.setflags(write=False)
    return table


def luminance(linear_rgb: Float) -> Float:
    """Luminance of linear colours: `(..., 3)` → `(...)` float32. Source: ITU-R BT.709-6, item
    3.2.

    >>> [round(float(luminance(c)), 4) for c in ((1, 0, 0), (0, 1, 0), (0, 0, 1), (1, 1, 1))]
    [0.2126, 0.7152, 0.0722, 1.0]
    """
    weights = np.asarray(REC709_LUMINANCE, np.float32)
    return np.asarray(np.asarray(linear_rgb, np.float32) @ weights, np.float32)
