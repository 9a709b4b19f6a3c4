"""Compare a texture with its map code by code, where no floating-point picture is needed for that.

As long as a feed changes each channel by itself, what a texel should be hangs on its code alone,
and so does what it became. Both are tables; the pictures are gone through in bands, on all cores.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import reduce

import cv2
import numpy as np

from ektopos.base.types import Float, NormalY, Pixels
from ektopos.base.vectors import decode_normals
from ektopos.document import COLOUR_INPUTS, WIDE_INPUTS, Feed, InputName
from ektopos.export.quantities import is_mixed
from ektopos.images import Image, decode_table, linear_to_srgb
from ektopos.maps.normals import lacks_blue
from ektopos.materials.adjust import adjust, apply_strength
from ektopos.materials.resolve import Decoded, default_channels, feed_result
from ektopos.trial.engine.package import ImportedInput
from ektopos.trial.measure import PICTURE, errors_of, imported_values, unit_of
from ektopos.trial.tolerances import TOLERANCE

_BAND = 256
"""Rows that are compared at once: their values stay in the cache."""


@dataclass(frozen=True)
class CodeComparison:
    """How far a texture is from its map: exact over all texels, pictures thinned evenly."""

    largest: float
    mean: float
    differing: float
    unit: str
    expected: Float
    actual: Float
    error: Float


def compare_codes(
    found: Decoded, feed: Feed, name: InputName, imported: ImportedInput
) -> CodeComparison | None:
    """The comparison of an input's map and texture, without its strength; `None` where it takes
    values instead of codes.

    Cost: a few table look-ups a texel, shared by the cores.
    """
    texture, image = imported.texture, found.image
    pixels = None if texture is None else texture.pixels
    if (
        pixels is None
        or pixels.dtype != np.uint8
        or image.pixels.dtype not in (np.uint8, np.uint16)
    ):
        return None
    if pixels.shape[:2] != (image.height, image.width) or is_mixed(imported.quantity):
        return None
    if (
        feed.layers
        or feed.hue != 0.0
        or feed.saturation != 1.0
        or feed.channels == "luminance"
        or name == "emission"
    ):
        return None
    if name == "normal" and lacks_blue(image.pixels):
        return None
    sources = _sources(image, feed, name)
    if sources is None or any(
        letter not in "rgba"[: pixels.shape[2]] for letter in imported.channels
    ):
        return None
    if name == "normal":
        if image.pixels.dtype != np.uint8 or imported.channels != "rgb":
            return None
        band = _normal_band(sources, pixels, found.normal_y, imported, feed)
    else:
        band = _table_band(sources, pixels, found, feed, name, imported)
    return _gathered(band, found, feed, name, imported)


Band = Callable[[slice], Float]
"""The error of some rows, `(rows, width)`."""


def _sources(image: Image, feed: Feed, name: InputName) -> list[Pixels] | None:
    """The map's channels that the input is fed from; `None` if one is not there."""
    channels = feed.channels or default_channels(name)
    wide = name in WIDE_INPUTS
    letters = "rgb" if channels in ("rgb", "rgba") else channels * (3 if wide else 1)
    planes = [image.channel(letter) for letter in letters]
    return (
        None
        if any(plane is None for plane in planes)
        else [plane for plane in planes if plane is not None]
    )


def _table_band(
    sources: list[Pixels],
    pixels: Pixels,
    found: Decoded,
    feed: Feed,
    name: InputName,
    imported: ImportedInput,
) -> Band:
    expected, actual = _expected_tables(found, feed, name), _actual_tables(name, imported)
    planes = [pixels[..., "rgba".index(letter)] for letter in imported.channels]
    scale = np.float32(1 if unit_of(name) == "units" else 255)

    def band(rows: slice) -> Float:
        channels = zip(sources, expected, planes, actual, strict=True)
        errors = [
            cv2.absdiff(_looked_up(s[rows], m), _looked_up(p[rows], c)) for s, m, p, c in channels
        ]
        return np.asarray(reduce(cv2.max, errors) * scale, np.float32)

    return band


def _expected_tables(found: Decoded, feed: Feed, name: InputName) -> list[Float]:
    """By channel, what each code of the map should become, as errors are measured."""
    is_alpha = (feed.channels or default_channels(name)) == "a"
    values = decode_table(found.image.bits, "linear" if is_alpha else found.encoding)
    wide = name in COLOUR_INPUTS
    table = adjust(np.repeat(values[:, None], 3, axis=1) if wide else values, feed, name)
    table = apply_strength(table, name, feed.strength)
    return list(np.ascontiguousarray(linear_to_srgb(table).T)) if wide else [table]


def _actual_tables(name: InputName, imported: ImportedInput) -> list[Float]:
    """By channel, what each code of the texture is to the engine, as errors are measured."""
    assert imported.texture is not None
    every = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 4, axis=2)
    values = imported_values(replace(imported, texture=imported.texture.showing(every)), name)[0]
    values = apply_strength(values, name, imported.strength)
    return list(np.ascontiguousarray(linear_to_srgb(values).T)) if values.ndim == 2 else [values]


def _looked_up(codes: Pixels, table: Float) -> Float:
    if codes.dtype == np.uint8:
        return np.asarray(cv2.LUT(np.ascontiguousarray(codes), table), np.float32)
    return table[codes]


def _normal_band(
    sources: list[Pixels],
    pixels: Pixels,
    normal_y: NormalY | None,
    imported: ImportedInput,
    feed: Feed,
) -> Band:
    turned = (normal_y or "+") != imported.normal_y
    green: NormalY = "-" if imported.normal_y == "-" else "+"

    def band(rows: slice) -> Float:
        own = [source[rows] for source in sources]
        if turned:
            own[1] = cv2.bitwise_not(np.ascontiguousarray(own[1]))
        same = all(np.array_equal(one, pixels[rows, :, i]) for i, one in enumerate(own))
        if same and imported.strength == feed.strength:
            return np.zeros(own[0].shape, np.float32)
        stored = [np.dstack(own), pixels[rows, :, :3]]
        expected, actual = (
            decode_normals(part.astype(np.float32) / np.float32(255), green) for part in stored
        )
        strengths = (feed.strength, imported.strength)
        expected, actual = (
            apply_strength(v, "normal", s)
            for v, s in zip((expected, actual), strengths, strict=True)
        )
        return errors_of(expected, actual, "normal", 1.0)[0]

    return band


def _gathered(
    band: Band, found: Decoded, feed: Feed, name: InputName, imported: ImportedInput
) -> CodeComparison:
    height, width = found.image.height, found.image.width
    step = max(1, -(-max(height, width) // PICTURE))
    close = TOLERANCE[unit_of(name)][1] + 1e-3

    def one(top: int) -> tuple[float, float, int, Float]:
        error = band(slice(top, min(height, top + _BAND)))
        return (
            float(error.max()),
            float(error.sum(dtype=np.float64)),
            int((error > close).sum()),
            error[-top % step :: step, ::step],
        )

    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        parts = list(pool.map(one, range(0, height, _BAND)))
    assert imported.texture is not None and imported.texture.pixels is not None
    thin = replace(found, image=Image(found.image.pixels[::step, ::step]))
    texture = imported.texture.showing(imported.texture.pixels[::step, ::step])
    return CodeComparison(
        largest=max(part[0] for part in parts),
        mean=sum(part[1] for part in parts) / (height * width),
        differing=sum(part[2] for part in parts) / (height * width),
        unit=unit_of(name),
        expected=feed_result(feed, name, lambda _: thin, with_strength=False),
        actual=imported_values(replace(imported, texture=texture), name),
        error=np.concatenate([part[3] for part in parts]),
    )
