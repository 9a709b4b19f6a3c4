"""Measures of a map's pixels that tell roles apart. What they are taken to mean is in
`ektopos.maps.evidence`.

Values are measured on an evenly thinned copy of about `SAMPLE` texels a side, and neighbourhoods
(gradients, curl) on full-size windows, so that judging a map costs a fraction of decoding it.
"""

from __future__ import annotations

import base64
from dataclasses import dataclass
from itertools import combinations
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float, Pixels
from ektopos.base.vectors import raw_vectors
from ektopos.images import Image, as_float, srgb_to_linear

SAMPLE = 256
WINDOW = 96
LIVELY = 8
"""Windows that the direction of green is read from."""
CURL_FINE = 0.2
CURL_COARSE = 0.25
"""Correlations from which neighbours, and means of 2 × 2 and 4 × 4, say which way green points;
means can be misled by patterns of few texels, and so have to say it louder."""
THUMBNAIL = 32
VERSION = 6
"""Raised when the measures change, so that facts kept of older ones are measured again."""
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
    median: float
    deviation: float
    skew: float
    """Third standardised moment: negative where most is bright and the rest trails into the dark.
    """
    at_zero: float
    """Share of texels within `NEAR` of 0."""
    at_one: float
    """Share of texels within `NEAR` of 1."""
    levels: int
    """Different values among the sampled texels."""
    roughness_of_picture: float
    """Mean step between neighbours divided by the deviation: near 0 is smooth, near 1.1 is white
    noise."""
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

    @property
    def is_blank(self) -> bool:
        """Whether it is black or white all over, but for the noise of compression."""
        return self.deviation < 0.025 and (self.mean < 0.03 or self.mean > 0.97)


@dataclass(frozen=True)
class Curl:
    """Evidence for the direction of green: correlations of ∂p/∂y with ∂q/∂x, where p and q are the
    slopes in x and y.

    A height field has equal mixed derivatives, so one of the two signs correlates to 1 and the
    other to −1.
    """

    correlation: float
    """−1…1: positive when green points up (+Y), negative when it points down, near 0 when the field
    is no height."""
    strength: float
    """Root mean square of the mixed derivatives; near 0 there is nothing to judge."""


@dataclass(frozen=True)
class Statistics:
    """All measures of one map."""

    channels: tuple[ChannelFacts, ...]
    equal_channels: bool
    """Whether R, G and B are the same picture to within one step: a grey picture stored as colour.
    """
    colourfulness: float
    """Mean of the largest difference between R, G and B."""
    saturation: float
    """The same, over the mean of the largest of the three: how coloured what is not black is."""
    correlations: tuple[float | None, float | None, float | None]
    """R–G, R–B and G–B; `None` where a channel is constant."""
    edges: float | None
    """Mean correlation of the strengths of edges between the channels that vary: near 1 in a
    coloured picture, whose channels show the same things, and low in a packed map, whose channels
    are different pictures. `None` below two such channels."""
    independence: float
    """Least eigenvalue of the correlations between the slopes of R, G and B: near 0 where two
    pigments mix to all colours, up to 1 where the three have nothing in common. 0 where a channel
    does not vary."""
    unit_length: float
    """Share of texels whose RGB, read as a vector −1–1, has length 1."""
    unit_error: float
    """Difference of that length from 1 that three quarters of the texels stay below."""
    unit_error_decoded: float
    """The same after decoding from sRGB: small for a normal map that was saved as colour."""
    upward: float
    """Share of texels whose blue, read −1–1, is above 0."""
    mean_direction: tuple[float, float, float]
    """Their mean. These five leave out the background, where that is no vector."""
    curl: Curl | None
    seam: tuple[float | None, float | None]
    """Step across the border divided by the step between neighbours inside, in x and y: near 1
    where it repeats; `None` below 8 texels."""
    low_byte: bool
    """Whether a 16-bit file uses more than its upper 8 bits."""
    background: float
    """Share of the most frequent colour."""
    background_colour: tuple[int, ...]
    """The most frequent colour, in 8-bit steps a channel."""
    large_scale: float
    """How much brightness differs between large areas: spread of the means of an 8 × 8 division,
    over their mean."""
    thumbnail: str
    """A picture of `THUMBNAIL`² texels, all channels as bytes, base64: for comparing maps with each
    other."""
    version: int = VERSION


def measure(image: Image) -> Statistics:
    """All measures of a decoded image. Cost: linear in the sampled texels, at most `SAMPLE`² + 4 ·
    `WINDOW`²."""
    sample = np.moveaxis(_thinned(image.pixels), 2, 0)
    planes = np.ascontiguousarray(sample)
    values = as_float(planes)
    if image.is_float:
        values = np.clip(values, 0.0, 1.0)
    windows = [as_float(window) for window in _windows(image.pixels)]
    names = {1: "r", 2: "ra", 3: "rgb", 4: "rgba"}[image.channels]
    steps = _steps(windows, len(names))
    facts = tuple(_channel(name, planes[i], steps[i]) for i, name in enumerate(names))
    share, background = _background(values)
    vectors = None
    if image.channels >= 3:
        vectors = _vector_facts(values[:3], windows, background if share > 0.04 else None)
        if vectors is not None and (vectors["upward"] > 0.5 or float(values[2].max()) < 0.01):
            # Of two-channel normal maps blue may be 0 all over; z is the same in all texels then.
            vectors["curl"] = measure_curl(_lively_windows(image.pixels))
    return Statistics(
        channels=facts,
        equal_channels=image.channels >= 3 and vectors is None,
        seam=_seam(image.pixels),
        low_byte=planes.dtype == np.uint16 and bool((planes // 257 * 257 != planes).any()),
        background=share,
        background_colour=background,
        large_scale=_large_scale(values, background if share > 0.1 else None),
        thumbnail=_thumbnail(values),
        **(vectors or _GREY),
    )


_GREY: dict[str, Any] = {
    "colourfulness": 0.0,
    "saturation": 0.0,
    "correlations": (None, None, None),
    "edges": None,
    "independence": 0.0,
    "unit_length": 0.0,
    "unit_error": 1.0,
    "unit_error_decoded": 1.0,
    "upward": 0.0,
    "mean_direction": (0.0, 0.0, 0.0),
    "curl": None,
}
"""What is measured of colours and vectors, where there are none."""


def _vector_facts(
    colours: Float, windows: list[Float], background: tuple[int, ...] | None
) -> dict[str, Any] | None:
    """What is measured of R, G and B together, `(3, h, w)`; `None` where they are one picture.
    `background` is the most frequent colour in 8-bit steps, where there is one."""
    brightest = np.maximum(np.maximum(colours[0], colours[1]), colours[2])
    spread = brightest - np.minimum(np.minimum(colours[0], colours[1]), colours[2])
    if float(spread.max()) <= 1.01 / 255:
        return None
    flat = colours.reshape(3, -1)
    some = np.ascontiguousarray(flat[:, :: max(1, flat.shape[1] // 25_000)])
    edges, independence = _edges([window[..., :3] for window in windows])
    content = _content(some, background)
    lengths, decoded = (
        np.abs(np.sqrt((raw_vectors(v) ** 2).sum(axis=0)) - 1.0)
        for v in (content, srgb_to_linear(content))
    )
    x, y, z = (float(mean) for mean in raw_vectors(content.mean(axis=1)))
    return {
        "colourfulness": float(spread.mean()),
        "saturation": float(spread.mean()) / max(float(brightest.mean()), 1e-3),
        "correlations": _correlations(some),
        "edges": edges,
        "independence": independence,
        "unit_length": float((lengths < UNIT_TOLERANCE).mean()),
        "unit_error": float(np.percentile(lengths, 75)),
        "unit_error_decoded": float(np.percentile(decoded, 75)),
        "upward": float((content[2] > 0.5).mean()),
        "mean_direction": (x, y, z),
        "curl": None,
    }


def _content(colours: Float, background: tuple[int, ...] | None) -> Float:
    """Those of the colours `(3, texels)` that are not background; all, where the background could
    be a normal itself, or hardly anything else is left."""
    if background is None:
        return colours
    colour = np.array(background[:3], np.float32) / np.float32(255)
    if abs(float(np.linalg.norm(raw_vectors(colour))) - 1.0) < 2 * UNIT_TOLERANCE:
        return colours
    away = (np.abs(colours - colour[:, None]) > 2.5 / 255).any(axis=0)
    return colours[:, away] if float(away.mean()) > 0.02 else colours


def measure_curl(windows: list[Float]) -> Curl:
    """The evidence for green's direction in windows of encoded normals, each `(h, w, 3)` 0–1.

    With slopes p = −x/z and q = −y/z of +Y normals (rows run down, so ∂/∂y turns its sign), a
    height field satisfies ∂p/∂y = ∂q/∂x. Source: equality of mixed partial derivatives
    (integrability), as in Frankot and Chellappa 1988.

    Differences of neighbours tell even of a pattern that is four texels wide; where the noise of
    compression hides them, those of means are asked, unless the finer ones lean the other way.
    """
    slopes = [_slopes_of(window) for window in windows]
    finest = _agreement_of([_mixed(planes) for planes in slopes])
    if abs(finest.correlation) >= CURL_FINE:
        return finest
    for _ in range(2):
        slopes = [np.stack([_halved(plane) for plane in planes]) for planes in slopes]
        agreement = _agreement_of([_mixed_wide(planes) for planes in slopes])
        if abs(agreement.correlation) >= CURL_COARSE:
            contradicts = finest.correlation * agreement.correlation < 0
            return finest if contradicts and abs(finest.correlation) > 0.05 else agreement
    return finest


def _slopes_of(window: Float) -> Float:
    """Slopes in x and y, and 1 where there is a normal at all, 0 as between the islands of an
    atlas: `(3, h, w)`."""
    x, y, z = np.ascontiguousarray(np.moveaxis(raw_vectors(window), 2, 0))
    height = np.maximum(z, 0.15)
    if float(z.max()) < -0.98:
        normal = np.ones(height.shape, np.float32)
    else:
        length = np.sqrt(x**2 + y**2 + z**2)
        normal = ((z > 0.02) & (np.abs(length - 1.0) < 0.5)).astype(np.float32)
    return np.stack([-x / height, -y / height, normal])


def _mixed(slopes: Float) -> tuple[Float, Float]:
    """∂p/∂y and ∂q/∂x at the corners between four texels, where all four are normals."""
    p, q, normal = slopes
    p_y, q_x = p[:-1] - p[1:], q[:, 1:] - q[:, :-1]
    whole = normal > 0.99
    sound = whole[1:, 1:] & whole[1:, :-1] & whole[:-1, 1:] & whole[:-1, :-1]
    return ((p_y[:, 1:] + p_y[:, :-1]) / 2)[sound], ((q_x[1:] + q_x[:-1]) / 2)[sound]


def _mixed_wide(slopes: Float) -> tuple[Float, Float]:
    """The same over two steps, which noise hides less."""
    p, q, normal = slopes
    if min(p.shape) < 3:
        return np.zeros(0, np.float32), np.zeros(0, np.float32)
    whole = normal > 0.99
    sound = whole[2:, 1:-1] & whole[:-2, 1:-1] & whole[1:-1, 2:] & whole[1:-1, :-2]
    return (p[:-2, 1:-1] - p[2:, 1:-1])[sound], (q[1:-1, 2:] - q[1:-1, :-2])[sound]


def _agreement_of(mixed: list[tuple[Float, Float]]) -> Curl:
    """The correlation over all windows; steps beyond all but 2 % of the others, as at the borders
    of islands, count no more than those."""
    if sum(len(p_y) for p_y, _ in mixed) < 32:
        return Curl(0.0, 0.0)
    p_y, q_x = (np.concatenate(values) for values in zip(*mixed, strict=True))
    most = float(np.percentile(np.abs(np.concatenate([p_y, q_x])), 98)) + 1e-6
    p_y, q_x = np.clip(p_y, -most, most), np.clip(q_x, -most, most)
    strength = float(np.sqrt((p_y**2).mean() + (q_x**2).mean()))
    spread = float(np.sqrt((p_y**2).mean() * (q_x**2).mean()))
    correlation = float((p_y * q_x).mean() / spread) if spread > 1e-12 else 0.0
    return Curl(correlation, strength)


def _lively_windows(pixels: Pixels) -> list[Float]:
    """The full-size windows of a picture where both slopes of its normals differ most, up to
    `LIVELY`, each `(WINDOW, WINDOW, 3)` 0–1; the whole picture where it is small. Atlases are flat
    or empty over much of their area, so windows at fixed places may see nothing."""
    height, width = pixels.shape[:2]
    if max(height, width) <= 2 * WINDOW:
        return [as_float(pixels[..., :3])]
    step = max(1, WINDOW // 12)
    places = []
    for top in range(0, max(1, height - WINDOW + 1), WINDOW):
        band = as_float(np.ascontiguousarray(pixels[top : top + WINDOW : step, ::step, :2]))
        across = WINDOW // step
        count = max(1, band.shape[1] // across)
        parts = band[:, : count * across].reshape(len(band), count, -1, 2)
        spreads = parts.std(axis=(0, 2)).prod(axis=1).tolist()
        places += [(spread, top, i * across * step) for i, spread in enumerate(spreads)]
    places.sort(key=lambda place: -place[0])
    return [
        as_float(np.ascontiguousarray(pixels[top : top + WINDOW, left : left + WINDOW, :3]))
        for _, top, left in places[:LIVELY]
    ]


def _steps(windows: list[Float], channels: int) -> list[float]:
    """The mean step between neighbours in a row, for every channel; 0 where there are none."""
    means = [
        cv2.mean(cv2.absdiff(window[:, 1:], window[:, :-1]))[:channels]
        for window in windows
        if window.shape[1] > 1
    ]
    return np.mean(means, axis=0).tolist() if means else [0.0] * channels


def _channel(name: str, plane: Pixels, step: float) -> ChannelFacts:
    """The facts of one channel, from the counts of its codes: floats are counted in 4,095 steps
    from 0 to 1. `step` is its mean step between neighbours."""
    if np.issubdtype(plane.dtype, np.integer):
        codes, largest = plane, int(np.iinfo(plane.dtype).max)
    else:
        # Half floats would be rounded to their own steps.
        values = np.clip(plane.astype(np.float32), 0.0, 1.0)
        codes, largest = (values * 4095 + 0.5).astype(np.uint16), 4095
    counts = cv2.calcHist([codes], [0], None, [largest + 1], [0, largest + 1]).ravel()
    used = np.flatnonzero(counts)
    weight = counts[used].astype(np.float64) / codes.size
    value = used / largest
    mean = float(weight @ value)
    variance = float(weight @ (value - mean) ** 2)
    deviation = variance**0.5
    skew = float(weight @ (value - mean) ** 3) / deviation**3 if deviation > 1e-6 else 0.0
    bins = np.bincount(
        np.minimum((value * HISTOGRAM_BINS).astype(int), HISTOGRAM_BINS - 1), weight, HISTOGRAM_BINS
    )
    return ChannelFacts(
        name=name,
        low=float(value[0]),
        high=float(value[-1]),
        mean=mean,
        median=float(value[min(int(np.searchsorted(np.cumsum(weight), 0.5)), len(value) - 1)]),
        deviation=deviation,
        skew=skew,
        at_zero=float(weight[value <= NEAR].sum()),
        at_one=float(weight[value >= 1.0 - NEAR].sum()),
        levels=len(used),
        roughness_of_picture=step / deviation if deviation > 1e-6 else 0.0,
        histogram=tuple(np.round(bins, 6).tolist()),
    )


def _thinned(pixels: Pixels) -> Pixels:
    step = max(1, min(pixels.shape[0], pixels.shape[1]) // SAMPLE)
    return np.ascontiguousarray(pixels[step // 2 :: step, step // 2 :: step])


def _windows(pixels: Pixels) -> list[Pixels]:
    """Up to four full-size windows, one a quadrant; the whole picture where it is small."""
    height, width = pixels.shape[:2]
    if max(height, width) <= 2 * WINDOW:
        return [pixels]
    windows = []
    for y in (height // 4, 3 * height // 4):
        for x in (width // 4, 3 * width // 4):
            top, left = max(0, y - WINDOW // 2), max(0, x - WINDOW // 2)
            windows.append(pixels[top : top + WINDOW, left : left + WINDOW])
    return windows


def _halved(slopes: Float) -> Float:
    height, width = slopes.shape[0] // 2 * 2, slopes.shape[1] // 2 * 2
    if min(height, width) < 16:
        return slopes
    even = slopes[:height, :width]
    return (even[::2, ::2] + even[1::2, ::2] + even[::2, 1::2] + even[1::2, 1::2]) / 4.0


def _covariance(planes: Pixels) -> NDArray[np.float64]:
    """Of planes `(n, values)` with each other, `(n, n)`."""
    covariance, _ = cv2.calcCovarMatrix(
        planes, np.empty(0), cv2.COVAR_NORMAL | cv2.COVAR_COLS | cv2.COVAR_SCALE
    )
    return np.asarray(covariance, np.float64)


def _correlations(planes: Pixels) -> tuple[float | None, ...]:
    """Of each plane of `(n, values)` with each later one; `None` where one is constant."""
    covariance = _covariance(planes)
    spread = np.sqrt(np.outer(covariance.diagonal(), covariance.diagonal()))
    return tuple(
        float(covariance[i, j] / spread[i, j]) if spread[i, j] > 1e-6 else None
        for i, j in combinations(range(len(planes)), 2)
    )


def _seam(pixels: Pixels) -> tuple[float | None, float | None]:
    seams: list[float | None] = []
    for axis in (1, 0):
        turned = np.moveaxis(pixels, axis, 0)
        if turned.shape[0] < 8:
            seams.append(None)
            continue
        first, second, last = (as_float(turned[i]) for i in (0, 1, -1))
        inner = (
            float(np.abs(second - first).mean() + np.abs(last - as_float(turned[-2])).mean()) / 2
        )
        seams.append(float(np.abs(last - first).mean()) / max(inner, 0.5 / 255))
    return seams[0], seams[1]


def _background(values: Float) -> tuple[float, tuple[int, ...]]:
    """Share and 8-bit codes of the most frequent colour of `(channels, h, w)`, told apart in 64
    steps a channel."""
    codes = (values.reshape(len(values), -1)[:, ::3] * 255 + 0.5).astype(np.uint32)
    packed = codes[0] >> 2
    for plane in codes[1:]:
        packed = packed << 6 | plane >> 2
    counts = np.bincount(packed) if len(values) <= 3 else None
    if counts is None:
        _, inverse, counts = np.unique(packed, return_inverse=True, return_counts=True)
        packed = inverse
    of_it = packed == counts.argmax()
    return float(of_it.mean()), tuple(int(np.median(plane[of_it])) for plane in codes)


def _edges(windows: list[Float]) -> tuple[float | None, float]:
    """`Statistics.edges` and `independence`, over windows of full-size texels."""
    across: list[Float] = []
    along: list[Float] = []
    for window in windows:
        if min(window.shape[:2]) < 8:
            return None, 0.0
        soft = np.ascontiguousarray(np.moveaxis(cv2.GaussianBlur(window, (0, 0), 1.0), 2, 0))
        here = soft[:, :-1, :-1]
        across.append((soft[:, :-1, 1:] - here).reshape(3, -1))
        along.append((soft[:, 1:, :-1] - here).reshape(3, -1))
    slopes = np.concatenate([*across, *along], axis=1)
    strengths = cv2.magnitude(*np.split(slopes, 2, axis=1))
    # A channel without edges of its own, or with those of compression only, has nothing to compare.
    varying = [
        i
        for i in range(3)
        if float(strengths[i].max()) > 6 / 255 or float(strengths[i].std()) > 0.5 / 255
    ]
    pairs = _correlations(strengths[varying]) if len(varying) > 1 else ()
    known = [pair for pair in pairs if pair is not None]
    independence = 0.0
    if len(varying) == 3:
        covariance = _covariance(slopes)
        spread = np.sqrt(np.diag(covariance))
        independence = float(np.linalg.eigvalsh(covariance / np.outer(spread, spread))[0])
    return (float(np.mean(known)) if known else None), independence


def _large_scale(values: Float, background: tuple[int, ...] | None) -> float:
    """Spread of the means of an 8 × 8 division of `(channels, h, w)` over their mean; the
    background (padding) is left out."""
    colours = values[:3] if len(values) >= 3 else values[:1]
    if min(colours.shape[1:]) < 16:
        return 0.0
    kept = np.ones(colours.shape[1:], np.float32)
    if background is not None:
        away = np.zeros(colours.shape[1:], bool)
        for plane, code in zip(colours, background, strict=False):
            away |= np.abs(plane * 255 - np.float32(code)) > 2.5
        kept = away.astype(np.float32)
    weight = cv2.resize(kept, (8, 8), interpolation=cv2.INTER_AREA)
    summed = cv2.resize(colours.mean(axis=0) * kept, (8, 8), interpolation=cv2.INTER_AREA)
    means = (summed / np.maximum(weight, 1e-6))[weight > 0.3]
    if means.size < 8:
        return 0.0
    low, high = np.percentile(means, (5, 95))
    return float(high - low) / max(float(means.mean()), 0.02)


def _thumbnail(values: Float) -> str:
    size = (THUMBNAIL, THUMBNAIL)
    small = np.stack(
        [cv2.resize(plane, size, interpolation=cv2.INTER_AREA) for plane in values], axis=-1
    )
    return base64.b64encode(np.round(small * 255).astype(np.uint8).tobytes()).decode()


def thumbnail_of(s: Statistics) -> Float:
    """The kept picture, `(THUMBNAIL, THUMBNAIL, channels)` 0–1."""
    return picture_of(s.thumbnail, len(s.channels))


def picture_of(thumbnail: str, channels: int) -> Float:
    """The picture that a kept text holds, `(THUMBNAIL, THUMBNAIL, channels)` 0–1."""
    codes = np.frombuffer(base64.b64decode(thumbnail), np.uint8)
    return codes.reshape(THUMBNAIL, THUMBNAIL, channels).astype(np.float32) / np.float32(255)
