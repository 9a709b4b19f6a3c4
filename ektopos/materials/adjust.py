"""The arithmetic of a feed, on arrays of any size: an image, one texel, or a table of every code.

The order is that of `ektopos.document.Feed`. Each step but luminance, hue, saturation and layers
works on one channel alone, so the same functions applied to `decode_table` give the lookup table
that packing uses. Chains are computed in float64.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Channels, Encoding, Float, Pixels
from ektopos.base.vectors import normalise
from ektopos.document import COLOUR_INPUTS, UNCLIPPED, Feed, InputName, Layer
from ektopos.images import Image, as_float, decode_table, luminance
from ektopos.images.encodings import REC709_LUMINANCE

Source = Feed | Layer


def decode_channels(image: Image, channels: Channels, encoding: Encoding) -> Float:
    """A map's channels as linear values: `(h, w)` for one channel or luminance, `(h, w, 3)` for rgb
    and rgba.

    sRGB is decoded whatever the map feeds, alpha never; float images are linear already. A missing
    alpha is 1.
    """
    if channels == "a":
        alpha = image.channel("a")
        return (
            np.ones((image.height, image.width), np.float32) if alpha is None else as_float(alpha)
        )
    if channels == "luminance":
        return luminance(_decode(image.rgb(), encoding))
    if channels in ("rgb", "rgba"):
        return _decode(image.rgb(), encoding)
    picked = image.channel(channels)
    assert picked is not None  # only alpha can be missing
    return _decode(picked, encoding)


def adjust(values: Float, source: Source, name: InputName) -> Float:
    """Linear values after a source's own adjustments, without layers and strength.

    `values` is `(…)` for data, `(…, 3)` for colours and normals (a colour fed by one channel is
    grey). Returns the same shape, clipped to 0–1; emission and the index of refraction keep values
    above 1. Normals pass unchanged: none of the adjustments has a meaning for directions. `clipped`
    says how much a range loses.
    """
    if name == "normal":
        return values
    if not _is_changed(source):
        outside = values.size and (
            values.min() < 0.0 or (name not in UNCLIPPED and values.max() > 1.0)
        )
        return np.clip(values, 0.0, None if name in UNCLIPPED else 1.0) if outside else values
    exact = shape(np.asarray(values, np.float64), source)
    if name in COLOUR_INPUTS:
        exact = turn_colours(exact, source)
        exact = exact * np.asarray(source.tint, np.float64)
    return np.asarray(np.clip(exact, 0.0, None if name in UNCLIPPED else 1.0), np.float32)


_PLAIN = Feed(value=0.0)
ADJUSTMENTS = (
    "invert",
    "range_in",
    "gamma",
    "contrast",
    "multiply",
    "offset",
    "range",
    "hue",
    "saturation",
    "brightness",
    "tint",
)
"""Fields of a source that change values, in the order in which they do; `pivot` belongs to
`contrast`."""


def _is_changed(source: Source) -> bool:
    """Whether any adjustment is other than it is by default."""
    return any(getattr(source, step) != getattr(_PLAIN, step) for step in ADJUSTMENTS)


def shape(values: NDArray[np.float64], source: Source) -> NDArray[np.float64]:
    """The part of the adjustments that works on each value alone, in the order of the document's
    format.

    `(…)` 0–1 to `(…)`, not clipped.
    """
    if source.invert:
        values = 1.0 - values
    if source.range_in != (0.0, 1.0):
        low, high = source.range_in
        span = high - low if abs(high - low) > 1e-9 else 1e-9
        values = np.clip((values - low) / span, 0.0, 1.0)
    if source.gamma != 1.0:
        values = np.maximum(values, 0.0) ** source.gamma
    if source.contrast != 1.0:
        values = source.pivot + (values - source.pivot) * source.contrast
    if source.multiply != 1.0 or source.offset != 0.0:
        values = values * source.multiply + source.offset
    if source.range != (0.0, 1.0):
        low, high = source.range
        values = low + values * (high - low)
    return values


def turn_colours(colours: NDArray[np.float64], source: Source) -> NDArray[np.float64]:
    """Hue, saturation and brightness of linear colours `(…, 3)`.

    Hue turns about the grey axis, saturation scales the distance from the luminance (both leave
    greys alone), brightness multiplies. Source: Haeberli, “Matrix Operations for Image Processing”,
    1993.
    """
    if source.hue:
        cos, sin = math.cos(math.radians(source.hue)), math.sin(math.radians(source.hue))
        third, root = (1.0 - cos) / 3.0, math.sqrt(1.0 / 3.0) * sin
        turn = third + np.array([[cos, -root, root], [root, cos, -root], [-root, root, cos]])
        colours = colours @ turn.T
    if source.saturation != 1.0:
        grey = (colours @ np.asarray(REC709_LUMINANCE))[..., None]
        colours = grey + (colours - grey) * source.saturation
    return colours * source.brightness


def changes(feed: Feed) -> list[str]:
    """What a feed changes, in words, in the order it does it."""
    given: list[tuple[bool, str]] = [
        (feed.invert, "inverted"),
        (feed.range_in != (0.0, 1.0), f"from {feed.range_in[0]:g}–{feed.range_in[1]:g}"),
        (feed.gamma != 1.0, f"gamma {feed.gamma:g}"),
        (feed.contrast != 1.0, f"contrast {feed.contrast:g}"),
        (feed.multiply != 1.0 or feed.offset != 0.0, f"× {feed.multiply:g} {feed.offset:+g}"),
        (feed.range != (0.0, 1.0), f"range {feed.range[0]:g}–{feed.range[1]:g}"),
        (feed.hue != 0.0, f"hue {feed.hue:+g}°"),
        (feed.saturation != 1.0, f"saturation {feed.saturation:g}"),
        (feed.brightness != 1.0, f"brightness {feed.brightness:g}"),
        (feed.tint != (1.0, 1.0, 1.0), "tint"),
        (len(feed.laid) > 1, "covered"),
        (bool(feed.layers), f"{len(feed.layers)} layer{'s' if len(feed.layers) > 1 else ''}"),
    ]
    return [words for applies, words in given if applies]


def clipped(values: Float, source: Source) -> float:
    """Share of values 0–1 that `range_in` or the final clip cuts off.

    `values` is `(h, w)` or `(h, w, 3)`, as decoded, before the adjustments; the result is 0–1.
    """
    exact = np.asarray(values, np.float64)
    inverted = 1.0 - exact if source.invert else exact
    low, high = sorted(source.range_in)
    outside = (inverted < low - 1e-6) | (inverted > high + 1e-6)
    shaped = shape(exact, source)
    return float((outside | (shaped < -1e-6) | (shaped > 1.0 + 1e-6)).mean())


def combine_layers(under: Float, over: Float, op: str, weight: Float | float) -> Float:
    """A layer over what lies under it, `(h, w)` or `(h, w, 3)`: multiplied, added or mixed, as far
    as `weight` (0–1) says."""
    part = np.asarray(weight, np.float32)
    part = part[..., None] if part.ndim == 2 and under.ndim == 3 else part
    goal = under * over if op == "multiply" else under + over if op == "add" else over
    return np.asarray(under + (goal - under) * part, np.float32)


def apply_strength(values: Float, name: InputName, strength: float) -> Float:
    """Values after the strength that travels beside a map.

    Normals: x and y scaled, then unit length. Occlusion: 1 + strength · (occlusion − 1). Emission
    and height: multiplied. Other inputs have none. Source: glTF 2.0, 3.9.3 (normalTexture.scale,
    occlusionTexture.strength) and KHR_materials_emissive_strength.
    """
    if strength == 1.0:
        return values
    if name == "normal":
        return normalise(values * np.array([strength, strength, 1.0], np.float32))
    if name == "occlusion":
        return np.asarray(
            np.clip(1.0 + np.float32(strength) * (values - 1.0), 0.0, 1.0), np.float32
        )
    if name == "emission":
        return np.asarray(np.maximum(values * np.float32(strength), 0.0), np.float32)
    if name == "height":
        return np.asarray(np.clip(values * np.float32(strength), 0.0, 1.0), np.float32)
    return values


def _decode(pixels: Pixels, encoding: Encoding) -> Float:
    if not np.issubdtype(pixels.dtype, np.integer):
        return as_float(pixels)
    if encoding == "linear":
        return as_float(pixels)
    return decode_table(pixels.dtype.itemsize * 8, encoding)[pixels]


def feed_curves(feed: Feed) -> bool:
    """Whether a feed bends values, so that the result of a mean is not the mean of the results; a
    range alone does not."""
    if feed.converted is not None:
        return True
    straight = {"map", "value", "channels", "invert", "range", "tint", "strength"}
    return feed.map is not None and bool(feed.model_dump(exclude=straight, exclude_defaults=True))
