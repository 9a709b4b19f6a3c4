"""Why something arrived otherwise: each explanation says what would have arrived, and the first
that did is the cause."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import permutations
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float
from ektopos.images import linear_to_srgb, srgb_to_linear
from ektopos.trial.engine.package import ImportedInput, stored_channels
from ektopos.trial.tolerances import CODEC_LOSS

Cause = Literal[
    "missing-file",
    "unreadable-file",
    "slot-unassigned",
    "slot-missing",
    "slot-reassigned",
    "channels-swapped",
    "inverted",
    "green-flipped",
    "wrong-encoding",
    "constant-changed",
    "strength-lost",
    "alpha-mode-changed",
    "cutoff-changed",
    "sides-changed",
    "uv-transform-lost",
    "filter-changed",
    "resized",
    "compressed",
    "quantised",
    "shifted",
    "not-carried-by-target",
    "unknown",
    "uv-set-changed",
    "wrap-changed",
    "shading-changed",
    "mesh-missing",
    "mesh-added",
    "scaled",
    "axes-changed",
    "moved",
    "winding-reversed",
    "normals-changed",
    "normals-missing",
    "tangents-changed",
    "uvs-flipped",
    "uvs-changed",
    "mips-off",
    "vertex-colours-changed",
    "skin-changed",
    "skeleton-lost",
    "animation-lost",
    "morphs-lost",
    "hierarchy-changed",
    "extension-added",
    "extension-unknown",
    "not-the-listed-file",
    "channel-missing",
    "other-texture",
]

MESSAGES: dict[Cause, str] = {
    "missing-file": "The file that should carry it is missing.",
    "unreadable-file": "The file that carries it cannot be read.",
    "slot-unassigned": "The slot arrived without a material.",
    "slot-missing": "The slot did not arrive.",
    "slot-reassigned": "The slot arrived with another material.",
    "channels-swapped": "It arrived in another channel than it should.",
    "inverted": "Every texel is 1 − what was meant.",
    "green-flipped": "Green is flipped: y points the other way.",
    "wrong-encoding": (
        "It was encoded or decoded once too often or too seldom between sRGB and linear."
    ),
    "constant-changed": "The constant that arrived is not the one that was meant.",
    "strength-lost": "The strength that arrived is not the one that was meant.",
    "alpha-mode-changed": "The alpha mode that arrived is not the one that was meant.",
    "cutoff-changed": "The cut-off that arrived is not the one that was meant.",
    "sides-changed": "Single- or double-sided was not kept.",
    "uv-transform-lost": "The UV transform that arrived is not the one that was meant.",
    "filter-changed": "The texture filter that arrived is not the one that was meant.",
    "resized": "The picture arrived at another size.",
    "compressed": "The texels differ a little everywhere, as lossy compression does.",
    "quantised": "It was rounded to fewer steps than it had.",
    "shifted": "The picture is moved against what was meant.",
    "not-carried-by-target": "This target does not carry it.",
    "unknown": "The texels differ, and no single mistake explains it.",
    "uv-set-changed": "It arrived on another UV set than it should.",
    "wrap-changed": "What lies beyond its borders is not what was meant.",
    "shading-changed": "Standard or unlit was not kept.",
    "mesh-missing": "Triangles of it did not arrive.",
    "mesh-added": "More triangles arrived than were meant.",
    "scaled": "It arrived larger or smaller.",
    "axes-changed": "Its axes were exchanged.",
    "moved": "It arrived in another place.",
    "winding-reversed": "Its triangles are wound the other way: it is seen from behind.",
    "normals-changed": "Its normals are others.",
    "normals-missing": "Its normals did not arrive.",
    "tangents-changed": "Its tangents are others.",
    "uvs-flipped": "Its UVs arrived upside down.",
    "uvs-changed": "Its UVs are others.",
    "mips-off": "Its textures are seen without their smaller levels.",
    "vertex-colours-changed": "Its vertex colours are not those that were meant.",
    "skin-changed": "It hangs on other joints.",
    "skeleton-lost": "Its skeleton did not arrive.",
    "animation-lost": "An animation did not arrive.",
    "morphs-lost": "Its morph targets did not arrive.",
    "hierarchy-changed": "Its nodes are not those that were meant.",
    "extension-added": "It arrived with an extension that was not meant.",
    "extension-unknown": "It needs an extension that was not meant.",
    "channel-missing": "Its texture has not the channel that should carry it.",
    "other-texture": "It is wired to the texture of another input.",
    "not-the-listed-file": "Its file is not the one in the package list.",
}

EXPLAINED_STEPS = 2.0
"""An explanation holds when 99 % of texels agree to within this many 8-bit steps, as they are
stored …"""
EXPLAINED_SHARE = 0.99
_BETTER = 0.6
"""Of two readings of a lossy texture that which leaves less than this share of the other's error is
taken."""
_AREA, _BLOCK = 16, 4
"""Sides of the areas whose means compression keeps, and of the blocks it works in, in texels."""
NOISE_STEPS = 14.0
"""… and lossy compression when the mean difference stays below this, and the largest below
`NOISE_LARGEST`."""
NOISE_LARGEST = 150.0


def explain(
    name: str, expected: Float, imported: ImportedInput, shown: NDArray[np.bool_] | None = None
) -> Cause:
    """The cause of a difference in texels.

    `expected` is the authored input as it should be stored (encoded, 0–1, without strength):
    `(h, w)` or `(h, w, 3)`, at the arrived texture's size; of `shown` `(h, w)` only those texels
    count.
    Cost: a few passes over an evenly thinned copy.
    """
    stored = imported.stored()
    if stored is None or imported.texture is None or imported.texture.pixels is None:
        return "unknown"
    step = max(1, min(stored.shape[:2]) // 512)
    thin_expected, thin_stored = expected[::step, ::step], stored[::step, ::step]
    others = {
        c: stored_channels(imported.texture.pixels[::step, ::step], c)
        for c in "rgba"[: imported.texture.pixels.shape[2]]
    }
    within = None if shown is None else shown[::step, ::step]
    lossy = bool(imported.texture.lossy)
    if lossy and agrees(thin_expected, thin_stored, within):
        # What was meant comes before whatever else fits as well, as a channel that is nearly alike.
        return "compressed"
    nearest, least = None, mean_steps(thin_expected, thin_stored, within)
    for cause, predicted, seen in _explanations(
        name, thin_expected, thin_stored, others, imported.channels
    ):
        if agrees(predicted, seen, within):
            return cause
        left = mean_steps(predicted, seen, within) if lossy else least
        if comes_nearer(left, least):
            nearest, least = cause, left
    # Compression blurs a mistake as it does all else: nothing is meant exactly any more, so what
    # clearly comes nearer than the meaning does is the cause.
    if nearest is not None:
        return nearest
    if within is not None:
        thin_expected, thin_stored = (
            np.where(within if v.ndim == 2 else within[..., None], v, 0)
            for v in (thin_expected, thin_stored)
        )
    if _is_shifted(thin_expected, thin_stored):
        return "shifted"
    if lossy:
        codec = imported.texture.lossy
        return "compressed" if as_compressed(expected, stored, codec, shown) else "unknown"
    if _is_quantised(thin_expected, thin_stored):
        return "quantised"
    difference = np.abs(thin_expected - thin_stored) * 255
    if (
        difference.mean() < NOISE_STEPS
        and difference.max() <= NOISE_LARGEST
        and _correlated(thin_expected, thin_stored)
    ):
        return "compressed"
    return "unknown"


def as_compressed(
    expected: Float, stored: Float, codec: str, shown: NDArray[np.bool_] | None = None
) -> bool:
    """Whether a texture of a lossy format is what was meant but for its compression: near it in the
    mean, alike where it has any pattern, and off to either side. What moves all of an area one way
    was done by somebody, but for the step or two by which a block rounds the ends of its scale.
    Shapes and ranges as `explain`. Cost: a few passes.
    """
    if agrees(expected, stored, shown):
        return True
    off = (expected - stored) * 255
    if shown is not None:
        off = np.where(shown if off.ndim == 2 else shown[..., None], off, np.float32(0))
    mean, side = float(np.abs(off).mean(dtype=np.float64)), min(_AREA, *off.shape[:2])
    loss = CODEC_LOSS.get(codec, CODEC_LOSS[""])
    if mean >= loss.mean or side <= _BLOCK:
        return mean < loss.mean
    areas = np.abs(cv2.blur(off, (side, side), borderType=cv2.BORDER_REFLECT))
    if float(areas.mean()) > loss.area_mean * _AREA / side + loss.area_share * mean:
        return False
    if min(off.shape[:2]) < 4 * _AREA:
        return True  # Small levels have too few blocks to be alike in more than their means.
    alike = mean < EXPLAINED_STEPS or _correlated(expected, stored)
    return alike and float(areas.max()) <= loss.any_area


def _explanations(
    name: str, expected: Float, stored: Float, others: dict[str, Float], channel: str
) -> Iterator[tuple[Cause, Float, Float]]:
    """Candidates, most specific first: the cause, what it would have stored, and what is stored."""
    if name == "normal":
        yield (
            "green-flipped",
            np.stack([expected[..., 0], 1 - expected[..., 1], expected[..., 2]], axis=-1),
            stored,
        )
    for order in permutations(range(3)):
        if expected.ndim == 3 and order != (0, 1, 2):
            yield "channels-swapped", expected[..., order], stored
    yield "inverted", 1.0 - expected, stored
    curves: tuple[Callable[[Float], Float], ...] = (srgb_to_linear, linear_to_srgb)
    for curve in curves:
        yield "wrong-encoding", curve(expected), stored
    if expected.ndim == 2:
        for other, values in others.items():
            if other != channel:
                yield "channels-swapped", expected, values
        for other, values in others.items():
            if other != channel:
                yield "channels-swapped", 1.0 - expected, values


def agrees(predicted: Float, seen: Float, within: NDArray[np.bool_] | None = None) -> bool:
    """Whether texels as they are stored are those that an explanation predicts; of `within` only
    those count.

    All are of one shape; texels 0–1 as stored.
    """
    near = np.abs(predicted - seen) * 255 <= EXPLAINED_STEPS
    return bool((near if within is None else near[within]).mean() >= EXPLAINED_SHARE)


def comes_nearer(left: float, than: float) -> bool:
    """Whether one reading of a lossy texture explains it clearly better than another, by the mean
    steps that each leaves."""
    return left < _BETTER * than


def mean_steps(predicted: Float, seen: Float, within: NDArray[np.bool_] | None = None) -> float:
    """How many 8-bit steps texels as they are stored differ in the mean from those of a prediction;
    of `within` only those count. Shapes and ranges as `agrees`."""
    steps = np.abs(predicted - seen)
    chosen = steps if within is None else steps[within]
    return float(chosen.mean(dtype=np.float64)) * 255 if chosen.size else 0.0


def _is_shifted(expected: Float, stored: Float) -> bool:
    """Whether moving the picture round its borders makes it fit: the move is found by phase
    correlation."""
    if min(expected.shape[:2]) < 8:
        return False
    first = expected.mean(axis=2) if expected.ndim == 3 else expected
    second = stored.mean(axis=2) if stored.ndim == 3 else stored
    spectrum = np.fft.rfft2(second - second.mean()) * np.conj(np.fft.rfft2(first - first.mean()))
    peak = np.fft.irfft2(spectrum / np.maximum(np.abs(spectrum), 1e-9), s=first.shape)
    y, x = divmod(int(peak.argmax()), first.shape[1])
    if y == x == 0:
        return False
    moved = np.roll(expected, (y, x), (0, 1))
    near = float((np.abs(moved - stored) * 255 <= 12).mean()) > 0.8
    return near and comes_nearer(mean_steps(moved, stored), mean_steps(expected, stored))


def _is_quantised(expected: Float, stored: Float) -> bool:
    """Whether the picture is the meant one brought to far fewer steps, rounded or cut off."""
    levels = np.unique(stored)
    if len(levels) < 2 or len(levels) > 64:
        return False
    gap = float(np.diff(levels).max())
    return bool(np.abs(expected - stored).max() <= gap * 1.02 + 1e-3) and len(
        np.unique(expected)
    ) > 2 * len(levels)


def _correlated(expected: Float, stored: Float) -> bool:
    first, second = (cv2.blur(v, (3, 3)).ravel().astype(np.float64) for v in (expected, stored))
    spread = first.std() * second.std()
    return bool(
        spread > 0 and ((first - first.mean()) * (second - second.mean())).mean() / spread > 0.5
    )
