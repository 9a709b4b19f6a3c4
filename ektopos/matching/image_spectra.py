"""What is compared of a picture, kept as spectra: a sum over every place of a layout at once is one
product of spectra, and its spread over all places is one of their powers (Parseval's theorem)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import scipy.fft
from numpy.typing import NDArray

from ektopos.base.types import Float
from ektopos.matching.layout import GRID

Spectrum = NDArray[np.complex64]
BACKGROUND = 0.06
"""Share of one colour from which it is taken for background."""
PARTS = 16
"""Into how many parts of its side a pattern may fall at most."""
SAME = 0.9
"""Correlation from which edges are the same again."""
COARSE = 64
LOCAL = 25
"""Cells over which edges are held against their surroundings."""


@dataclass(frozen=True)
class ImageSpectra:
    """What is compared of one picture; spectra are flat, `GRID` × (`GRID` / 2 + 1) long."""

    edges: Spectrum
    """Strengths of edges, as logarithms."""
    local: Spectrum
    """The same against the mean around: fine edges of calm areas count as much as strong ones."""
    content: Spectrum
    """1 where it is not background; all 0 without one."""
    painted: NDArray[np.bool_]
    """Where it is not background; all true without one."""
    coarse: Float
    """Strengths of edges on a `COARSE`² grid, flat and standardised: for holding pictures against
    each other."""
    colours: NDArray[np.uint8]
    """The picture itself, `(GRID, GRID, 3)`."""

    @property
    def has_background(self) -> bool:
        """Whether it has a background."""
        return not bool(self.painted.all())


def spectrum(values: NDArray[Any]) -> Spectrum:
    """The flat half spectrum of real values `(GRID, GRID)`, with no mean: only differences between
    places count."""
    transformed = scipy.fft.rfft2(np.asarray(values, np.float32)).ravel()
    transformed[0] = 0
    return np.asarray(transformed, np.complex64)


def spectra_of(picture: Float) -> ImageSpectra:
    """The traits of a picture `(h, w)` or `(h, w, 3)`, 0–1, of any size. Cost: a few operations on
    `GRID`² cells."""
    colours = picture if picture.ndim == 3 else np.repeat(picture[..., None], 3, axis=2)
    method = cv2.INTER_AREA if max(picture.shape[:2]) >= GRID else cv2.INTER_LINEAR
    contiguous = np.ascontiguousarray(colours, np.float32)
    small = np.asarray(cv2.resize(contiguous, (GRID, GRID), interpolation=method), np.float32)
    padded = cv2.copyMakeBorder(small, 1, 1, 1, 1, cv2.BORDER_WRAP)
    across = (padded[1:-1, 2:] - padded[1:-1, :-2]) / 2
    down = (padded[2:, 1:-1] - padded[:-2, 1:-1]) / 2
    edges = np.log1p(20 * np.sqrt((across**2 + down**2).sum(axis=2)))
    painted = _painted(small)
    return ImageSpectra(
        spectrum(edges),
        spectrum(edges / (cv2.blur(edges, (LOCAL, LOCAL)) + 0.05)),
        spectrum(painted),
        painted,
        _coarse(small),
        np.asarray(np.clip(small * 255 + 0.5, 0, 255), np.uint8),
    )


def is_pattern(traits: ImageSpectra) -> bool:
    """Whether the edges of a picture are the same again a part of its side down and across, as
    those of checkers and grids are."""
    power = (traits.edges.real**2 + traits.edges.imag**2).reshape(GRID, GRID // 2 + 1)
    alike = scipy.fft.irfft2(power, (GRID, GRID))
    steps = np.unique([round(GRID / parts) for parts in range(2, PARTS + 1)])
    again = np.minimum(alike[steps, steps], alike[-steps, steps])
    return bool(again.max() > SAME * alike[0, 0])


def _coarse(small: Float) -> Float:
    grey = cv2.resize(small.mean(axis=2), (2 * COARSE, 2 * COARSE), interpolation=cv2.INTER_AREA)
    strength = np.hypot(np.diff(grey, axis=0)[:, :-1], np.diff(grey, axis=1)[:-1])
    reduced = cv2.resize(
        np.log1p(30 * strength).astype(np.float32), (COARSE, COARSE), interpolation=cv2.INTER_AREA
    )
    return np.asarray(
        (reduced - reduced.mean()) / max(float(reduced.std()), 1e-6), np.float32
    ).ravel()


def _painted(small: Float) -> NDArray[np.bool_]:
    codes = (small * 31 + 0.5).astype(np.int64)
    packed = codes[..., 0] * 1024 + codes[..., 1] * 32 + codes[..., 2]
    most = np.bincount(packed.ravel()).argmax()
    colour = np.median(small[packed == most], axis=0)
    away = np.abs(small - colour).max(axis=2) > 0.02
    return away if 1.0 - away.mean() > BACKGROUND else np.ones((GRID, GRID), np.bool_)
