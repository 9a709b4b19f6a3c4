"""Measure what arrived against what was meant: canonical values, errors in their own units, small
pictures."""

from __future__ import annotations

import numpy as np

from ektopos.base.types import Float
from ektopos.base.vectors import decode_normals, encode_normals, normalise
from ektopos.document import COLOUR_INPUTS, UNCLIPPED, UNIT_INPUTS, WIDE_INPUTS, InputName
from ektopos.images import linear_to_srgb
from ektopos.trial.engine.package import ImportedInput, decode_srgb, linear_channels

WHITE_FROM = {"8-bit steps": 8.0, "degrees": 5.0, "units": 0.05}
"""What white is in the picture of a difference, at least: what is within rounding stays dark."""
PICTURE = 256
"""Longest side of the small pictures kept for the screen."""


def imported_values(imported: ImportedInput, name: InputName) -> Float:
    """An input as the engine holds it, canonical, without strength; one texel for a constant."""
    stored = imported.stored()
    factor = np.asarray(imported.factor, np.float32)
    if stored is None:
        if name in WIDE_INPUTS:
            wide = np.broadcast_to(factor, (1, 1, 3)).astype(np.float32)
            return normalise(wide) if name == "normal" else wide
        return factor[:1].reshape(1, 1)
    if name == "normal":
        read = decode_srgb(stored) if imported.encoding == "srgb" else stored
        read = _computed(read, imported)
        return decode_normals(read, "-" if imported.normal_y == "-" else "+")
    values = linear_channels(imported, stored) if imported.encoding == "srgb" else stored
    values = _computed(values, imported)
    values = 1.0 - values if imported.inverted else values
    if (factor != 1.0).any():
        values = values * (factor if values.ndim == 3 else factor[0])
    return values if name in UNCLIPPED else np.clip(values, 0.0, 1.0)


def _computed(values: Float, imported: ImportedInput) -> Float:
    """Decoded texels after the arithmetic that the file asks for."""
    if not imported.scale:
        return values
    scale, bias = (
        np.asarray(numbers if values.ndim == 3 else numbers[0], np.float32)
        for numbers in (imported.scale, imported.bias)
    )
    return np.asarray(values * scale + bias, np.float32)


def errors_of(expected: Float, actual: Float, name: InputName, scale: float) -> tuple[Float, str]:
    """Error per texel, and its unit: degrees for normals, 8-bit steps (of sRGB for colours) for
    shares of 1, else units.

    `expected` and `actual` are canonical, `(h, w)` or `(h, w, 3)`; the errors `(h, w)`.
    """
    if name == "normal":
        # The chord is exact for small angles, where the arc cosine of a dot product is not.
        apart = expected - actual
        chord = np.sqrt(np.einsum("hwi,hwi->hw", apart, apart))
        return np.degrees(2.0 * np.arcsin(np.clip(chord / 2.0, 0.0, 1.0))).astype(
            np.float32
        ), unit_of(name)
    if np.array_equal(expected, actual):
        return np.zeros(expected.shape[:2], np.float32), unit_of(name)
    if name in COLOUR_INPUTS:
        difference = linear_to_srgb(expected / np.float32(scale)) - linear_to_srgb(
            actual / np.float32(scale)
        )
        # Three planes are compared many times as fast as a last axis of three.
        np.abs(difference, out=difference)
        largest = np.maximum(difference[..., 0], difference[..., 1])
        np.maximum(largest, difference[..., 2], out=largest)
        return largest * np.float32(255), unit_of(name)
    return np.abs(expected - actual).reshape(expected.shape[:2]) * np.float32(
        1 if unit_of(name) == "units" else 255
    ), unit_of(name)


def unit_of(name: str) -> str:
    """What an input's error is measured in: quantities that are no share of 1 are compared as they
    are."""
    return "degrees" if name == "normal" else "units" if name in UNIT_INPUTS else "8-bit steps"


def as_stored(values: Float, name: InputName, imported: ImportedInput) -> Float:
    """Canonical values as they should stand in the file, 0–1.

    `(h, w)` or `(h, w, 3)`, same shape.
    """
    if name == "normal":
        return encode_normals(values, "-" if imported.normal_y == "-" else "+")
    if name == "emission":
        values = values / max(1.0, float(values.max()))
    values = 1.0 - values if imported.inverted else values
    return linear_to_srgb(values) if imported.encoding == "srgb" else values


def white_at(largest: float, unit: str) -> float:
    """The error that is white in the picture of a difference: the largest there is, and no less
    than `WHITE_FROM` says. Black is no error at all."""
    return max(largest, WHITE_FROM[unit])


def small_pictures(
    expected: Float, actual: Float, error: Float, name: InputName, white: float, scale: float
) -> dict[str, Float]:
    """Both sides and their difference for the screen, thinned evenly, 0–1 as they are stored.

    `expected` and `actual` are canonical, `(h, w)` or `(h, w, 3)`, `error` `(h, w)`; errors of
    `white` are white.
    """
    step = max(1, -(-max(expected.shape[:2]) // PICTURE))

    def shown(values: Float) -> Float:
        small = values[::step, ::step]
        if name == "normal":
            return encode_normals(small)
        if name in COLOUR_INPUTS:
            return linear_to_srgb(small / np.float32(scale))
        return small

    return {
        "meant": shown(expected),
        "arrived": shown(actual),
        "difference": np.clip(error[::step, ::step] / np.float32(white), 0.0, 1.0),
    }


def in_numbers(values: Float) -> str:
    """A constant as people read it."""
    return " ".join(f"{float(value):.3g}" for value in np.asarray(values).reshape(-1)[:3])


def by_words(size: tuple[int, int]) -> str:
    """A picture's width and height as people read it."""
    return f"{size[0]} × {size[1]}"
