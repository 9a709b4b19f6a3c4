"""The arithmetic of a feed, on arrays of any size: an image, one texel, or a table of every code.

Order: decode → channels → invert → range → tint → clip → strength. Because each step but `luminance` works on one
channel alone, the same functions applied to `decode_table` give the lookup table that packing uses.
"""

from __future__ import annotations

import numpy as np

from ektopos.document import Feed, InputName
from ektopos.images import Image, as_float, decode_table, luminance
from ektopos.types import Channels, Encoding, Float, NormalY, Pixels


def decode_channels(image: Image, channels: Channels, encoding: Encoding) -> Float:
    """A map's channels as linear values: `(h, w)` for one channel or luminance, `(h, w, 3)` for rgb and rgba.

    sRGB is decoded whatever the map feeds, alpha never; float images are linear already. A missing alpha is 1.
    """
    if channels == "a":
        alpha = image.channel("a")
        return np.ones((image.height, image.width), np.float32) if alpha is None else as_float(alpha)
    if channels == "luminance":
        return luminance(_decode(image.rgb(), encoding))
    if channels in ("rgb", "rgba"):
        return _decode(image.rgb(), encoding)
    picked = image.channel(channels)
    assert picked is not None  # only alpha can be missing
    return _decode(picked, encoding)


def adjust(values: Float, feed: Feed, name: InputName) -> Float:
    """Linear values after the feed's own adjustments, without its strength.

    `values` is `(…)` for data, `(…, 3)` for colours and normals (a colour fed by one channel is grey). Returns the same
    shape, clipped to 0–1; emission keeps values above 1. Normals pass unchanged: invert, range and tint have no meaning
    for directions.
    """
    if name == "normal":
        return values
    if feed.invert:
        values = 1.0 - values
    low, high = feed.range
    if (low, high) != (0.0, 1.0):
        values = low + values * np.float32(high - low)
    if feed.tint != (1.0, 1.0, 1.0) and name in ("base_color", "emission"):
        values = values * np.asarray(feed.tint, np.float32)
    return np.asarray(np.clip(values, 0.0, None if name == "emission" else 1.0), np.float32)


def apply_strength(values: Float, name: InputName, strength: float) -> Float:
    """Values after the strength that travels beside a map.

    Normals: x and y scaled, then unit length. Occlusion: 1 + strength · (occlusion − 1). Emission and height: multiplied.
    Other inputs have none. Source: glTF 2.0, 3.9.3 (normalTexture.scale, occlusionTexture.strength) and
    KHR_materials_emissive_strength.
    """
    if strength == 1.0:
        return values
    if name == "normal":
        return normalise(values * np.array([strength, strength, 1.0], np.float32))
    if name == "occlusion":
        return np.asarray(np.clip(1.0 + np.float32(strength) * (values - 1.0), 0.0, 1.0), np.float32)
    if name == "emission":
        return np.asarray(np.maximum(values * np.float32(strength), 0.0), np.float32)
    if name == "height":
        return np.asarray(np.clip(values * np.float32(strength), 0.0, 1.0), np.float32)
    return values


def decode_normals(encoded: Float, normal_y: NormalY | None) -> Float:
    """Unit normals, +Y, of encoded ones: `(…, 3)` 0–1 → `(…, 3)` −1–1. A zero vector becomes flat.

    Source: glTF 2.0, 3.9.3: red, green and blue 0–1 map to x, y and z −1–1.
    """
    normals = encoded * 2.0 - 1.0
    if normal_y == "-":
        normals[..., 1] *= -1.0
    return normalise(normals)


def normalise(vectors: Float) -> Float:
    """Vectors `(…, 3)` at unit length; those without any length become (0, 0, 1)."""
    length = np.sqrt(np.einsum("...i,...i->...", vectors, vectors))[..., None]
    flat = np.array([0.0, 0.0, 1.0], np.float32)
    return np.where(length > 1e-6, vectors / np.maximum(length, 1e-6), flat).astype(np.float32)


def _decode(pixels: Pixels, encoding: Encoding) -> Float:
    if not np.issubdtype(pixels.dtype, np.integer):
        return as_float(pixels)
    if encoding == "linear":
        return as_float(pixels)
    return decode_table(pixels.dtype.itemsize * 8, encoding)[pixels]
