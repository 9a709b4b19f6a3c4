"""Measures of a map's pixels that tell roles apart. What they are taken to mean is in `ektopos.maps.evidence`.

Values are measured on an evenly thinned copy of about `SAMPLE` texels a side, and neighbourhoods (gradients, curl) on
full-size windows, so that judging a map costs a fraction of decoding it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ektopos.images import Image, as_float
from ektopos.types import Float, Pixels

SAMPLE = 384
WINDOW = 192
HISTOGRAM_BINS = 64
NEAR = 8.5 / 255
"""How near to 0 or 1 a value counts as being it: eight 8-bit steps, to allow for JPEG."""
UNIT_TOLERANCE = 0.04


@dataclass(frozen=True)
class ChannelFacts:
    """One channel, all values 0–1 as stored."""

    name: str
    low: float
    high: float
    mean: float
    deviation: float
    at_zero: float
    """Share of texels within `NEAR` of 0."""
    at_one: float
    """Share of texels within `NEAR` of 1."""
    levels: int
    """Different values among the sampled texels."""
    roughness_of_picture: float
    """Mean step between neighbours divided by the deviation: near 0 is smooth, near 1.1 is white noise."""
    histogram: tuple[float, ...]
    """Share of texels in `HISTOGRAM_BINS` equal steps from 0 to 1."""

    @property
    def two_valued(self) -> float:
        """Share of texels that are 0 or 1."""
        return self.at_zero + self.at_one

    @property
    def is_constant(self) -> bool:
        """Whether every texel is the same to within one 8-bit step."""
        return self.high - self.low <= 1.01 / 255


@dataclass(frozen=True)
class Curl:
    """Evidence for the direction of green: correlations of ∂p/∂y with ∂q/∂x, where p and q are the slopes in x and y.

    A height field has equal mixed derivatives, so one of the two signs correlates to 1 and the other to −1.
    """

    correlation: float
    """−1…1: positive when green points up (+Y), negative when it points down, near 0 when the field is no height."""
    strength: float
    """Root mean square of the mixed derivatives; near 0 there is nothing to judge."""


@dataclass(frozen=True)
class Statistics:
    """All measures of one map."""

    channels: tuple[ChannelFacts, ...]
    equal_channels: bool
    """Whether R, G and B are the same picture to within one step: a grey picture stored as colour."""
    colourfulness: float
    """Mean of the largest difference between R, G and B."""
    correlations: tuple[float | None, float | None, float | None]
    """R–G, R–B and G–B; `None` where a channel is constant."""
    unit_length: float
    """Share of texels whose RGB, read as a vector −1–1, has length 1."""
    upward: float
    """Share of texels whose blue, read −1–1, is above 0."""
    mean_direction: tuple[float, float, float]
    curl: Curl | None
    seam: tuple[float | None, float | None]
    """Step across the border divided by the step between neighbours inside, in x and y: near 1 where it repeats;
    `None` below 8 texels."""
    low_byte: bool
    """Whether a 16-bit file uses more than its upper 8 bits."""
    background: float
    """Share of the most frequent colour."""


def measure(image: Image) -> Statistics:
    """All measures of a decoded image. Cost: linear in the sampled texels, at most `SAMPLE`² + 4 · `WINDOW`²."""
    sample = _thinned(image.pixels)
    values = as_float(sample)
    if image.is_float:
        values = np.clip(values, 0.0, 1.0)
    windows = [as_float(window) for window in _windows(image.pixels)]
    names = {1: "r", 2: "ra", 3: "rgb", 4: "rgba"}[image.channels]
    facts = tuple(_channel(name, values[..., i], [window[..., i] for window in windows]) for i, name in enumerate(names))
    colour = values[..., :3] if image.channels >= 3 else None
    curl = None
    correlations: tuple[float | None, float | None, float | None] = (None, None, None)
    colourfulness, unit, upward, direction = 0.0, 0.0, 0.0, (0.0, 0.0, 0.0)
    if colour is not None:
        flat = colour.reshape(-1, 3)
        colourfulness = float((flat.max(axis=1) - flat.min(axis=1)).mean())
        correlations = (_correlation(flat, 0, 1), _correlation(flat, 0, 2), _correlation(flat, 1, 2))
        vectors = flat * 2.0 - 1.0
        lengths = np.sqrt((vectors**2).sum(axis=1))
        unit = float((np.abs(lengths - 1.0) < UNIT_TOLERANCE).mean())
        upward = float((vectors[:, 2] > 0).mean())
        mean = vectors.mean(axis=0)
        direction = (float(mean[0]), float(mean[1]), float(mean[2]))
        if unit > 0.5 or upward > 0.9:
            curl = measure_curl([window[..., :3] for window in windows])
    return Statistics(
        channels=facts,
        equal_channels=colour is not None and float(np.abs(colour - colour[..., :1]).max()) <= 1.01 / 255,
        colourfulness=colourfulness,
        correlations=correlations,
        unit_length=unit,
        upward=upward,
        mean_direction=direction,
        curl=curl,
        seam=_seam(image.pixels),
        low_byte=sample.dtype == np.uint16 and bool((sample // 257 * 257 != sample).any()),
        background=_background(sample),
    )


def measure_curl(windows: list[Float]) -> Curl:
    """The evidence for green's direction in windows of encoded normals, each `(h, w, 3)` 0–1.

    With slopes p = −x/z and q = −y/z of +Y normals (rows run down, so ∂/∂y turns its sign), a height field satisfies
    ∂p/∂y = ∂q/∂x. Source: equality of mixed partial derivatives (integrability), as in Frankot and Chellappa 1988.
    """
    across: list[Float] = []
    along: list[Float] = []
    for window in windows:
        if min(window.shape[:2]) < 8:
            continue
        vectors = window * 2.0 - 1.0
        height = np.maximum(vectors[..., 2], 0.15)
        slope_x, slope_y = -vectors[..., 0] / height, -vectors[..., 1] / height
        # Averaging 2 × 2 first takes off the block noise of JPEG and the rounding of 8 bits.
        slope_x, slope_y = (_halved(s - s.mean()) for s in (slope_x, slope_y))
        across.append(-(slope_x[2:, 1:-1] - slope_x[:-2, 1:-1]).ravel())
        along.append((slope_y[1:-1, 2:] - slope_y[1:-1, :-2]).ravel())
    if not across:
        return Curl(0.0, 0.0)
    p_y, q_x = np.concatenate(across), np.concatenate(along)
    strength = float(np.sqrt((p_y**2).mean() + (q_x**2).mean()))
    spread = float(np.sqrt((p_y**2).mean() * (q_x**2).mean()))
    correlation = float((p_y * q_x).mean() / spread) if spread > 1e-12 else 0.0
    return Curl(correlation, strength)


def _channel(name: str, values: Float, windows: list[Float]) -> ChannelFacts:
    counts, _ = np.histogram(values, bins=HISTOGRAM_BINS, range=(0.0, 1.0))
    steps = [np.abs(np.diff(window, axis=1)).mean() for window in windows if window.shape[1] > 1]
    deviation = float(values.std())
    return ChannelFacts(
        name=name,
        low=float(values.min()),
        high=float(values.max()),
        mean=float(values.mean()),
        deviation=deviation,
        at_zero=float((values <= NEAR).mean()),
        at_one=float((values >= 1.0 - NEAR).mean()),
        levels=int(np.unique(values).size),
        roughness_of_picture=float(np.mean(steps)) / deviation if steps and deviation > 1e-6 else 0.0,
        histogram=tuple(round(float(count) / values.size, 6) for count in counts),
    )


def _thinned(pixels: Pixels) -> Pixels:
    step = max(1, min(pixels.shape[0], pixels.shape[1]) // SAMPLE)
    return np.ascontiguousarray(pixels[step // 2 :: step, step // 2 :: step])


def _windows(pixels: Pixels) -> list[Pixels]:
    """Up to four full-size windows, one a quadrant; the whole picture where it is small."""
    height, width = pixels.shape[:2]
    if max(height, width) <= 2 * WINDOW:
        return [pixels]
    found = []
    for y in (height // 4, 3 * height // 4):
        for x in (width // 4, 3 * width // 4):
            top, left = max(0, y - WINDOW // 2), max(0, x - WINDOW // 2)
            found.append(pixels[top : top + WINDOW, left : left + WINDOW])
    return found


def _halved(slopes: Float) -> Float:
    height, width = slopes.shape[0] // 2 * 2, slopes.shape[1] // 2 * 2
    if min(height, width) < 16:
        return slopes
    even = slopes[:height, :width]
    return (even[::2, ::2] + even[1::2, ::2] + even[::2, 1::2] + even[1::2, 1::2]) / 4.0


def _correlation(flat: Float, i: int, j: int) -> float | None:
    first, second = flat[:, i] - flat[:, i].mean(), flat[:, j] - flat[:, j].mean()
    spread = float(np.sqrt((first**2).mean() * (second**2).mean()))
    return float((first * second).mean()) / spread if spread > 1e-6 else None


def _seam(pixels: Pixels) -> tuple[float | None, float | None]:
    found: list[float | None] = []
    for axis in (1, 0):
        turned = np.moveaxis(pixels, axis, 0)
        if turned.shape[0] < 8:
            found.append(None)
            continue
        first, second, last = (as_float(turned[i]) for i in (0, 1, -1))
        inner = float(np.abs(second - first).mean() + np.abs(last - as_float(turned[-2])).mean()) / 2
        found.append(float(np.abs(last - first).mean()) / max(inner, 0.5 / 255))
    return found[0], found[1]


def _background(sample: Pixels) -> float:
    coarse = (np.clip(as_float(sample), 0, 1) * 255).astype(np.uint32)
    packed = sum(coarse[..., i] << (8 * i) for i in range(coarse.shape[2]))
    _, counts = np.unique(np.asarray(packed), return_counts=True)
    return float(counts.max() / counts.sum())
