"""What the arithmetic behind a shader's input means: every chain of nodes that an importer follows
ends as `scale · texel + bias` per channel, and the forms that the trade has words for (strength,
flipped green, gloss) are told apart from the rest.

An engine evaluates all of it. Whatever is left once the known forms are recognised stays in the
input as arithmetic, and changes its values.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ektopos.trial.engine.package import ImportedInput

_NEAR = 2e-6
"""How far numbers in a text may be from those that they stand for: it has seven digits."""


def with_arithmetic(
    imported: ImportedInput, name: str, scale: tuple[float, ...], bias: tuple[float, ...]
) -> ImportedInput:
    """An input whose texture is scaled and shifted, per channel, after decoding.

    `scale` and `bias` have one number a channel that is read. For `normal` they act on stored
    texels (0–1); unit vectors come of `2 · value − 1`.
    """
    scales, biases = np.asarray(scale, np.float64), np.asarray(bias, np.float64)
    if name == "normal":
        return _normal(imported, scales, biases)
    if name == "occlusion" and _is(scales + biases, 1.0) and scales[0] >= 0.0:
        return replace(imported, strength=imported.strength * float(scales[0]))
    if name == "emission" and _is(biases, 0.0) and _is(scales, scales[0]):
        return replace(imported, strength=imported.strength * float(scales[0]))
    if len(scales) == 1 and _is(scales, -1.0) and _is(biases, 1.0):
        return replace(imported, inverted=not imported.inverted)
    if _is(biases, 0.0):
        factor = np.broadcast_to(np.asarray(imported.factor, np.float64), scales.shape) * scales
        return replace(imported, factor=_numbers(factor))
    return _left_over(imported, scales, biases)


def _normal(
    imported: ImportedInput, scales: np.ndarray[tuple[int], np.dtype[np.float64]], biases: object
) -> ImportedInput:
    """Strength and green direction of a normal: its vector is `2 · (scale · texel + bias) − 1`."""
    shifts = np.asarray(biases, np.float64)
    if len(scales) != 3:
        return _left_over(imported, scales, shifts)
    strength, green = float(scales[0]), float(np.sign(scales[1]))
    flat = scales * 0.5 + shifts
    """What becomes of a texel that points straight up, stored as 0.5."""
    if _is(np.abs(scales[:2]), strength) and _is(scales[2:], 1.0) and _is(flat, 0.5):
        flipped = {"+": "-", "-": "+"}[imported.normal_y] if green < 0 else imported.normal_y
        return replace(imported, strength=imported.strength * strength, normal_y=flipped)
    return _left_over(imported, scales, shifts)


def _left_over(imported: ImportedInput, scales: object, biases: object) -> ImportedInput:
    return replace(imported, scale=_numbers(scales), bias=_numbers(biases))


def _is(values: object, wanted: float) -> bool:
    off = np.abs(np.asarray(values, np.float64) - wanted)
    return bool((off <= _NEAR * max(1.0, abs(wanted))).all())


def _numbers(values: object) -> tuple[float, ...]:
    return tuple(float(value) for value in np.atleast_1d(np.asarray(values, np.float64)))
