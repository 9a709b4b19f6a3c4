"""Procedural painting: everything repeats in x and y and comes from a seed."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float
from ektopos.images import quantise, write_image


def clouds(size: int, seed: int, smoothness: float = 1.8, largest: float = 1.0) -> Float:
    """Smooth random clouds, `(size, size)` 0–1, that repeat: noise whose power falls with
    frequency."""
    rng = np.random.default_rng(seed)
    frequency = np.hypot(np.fft.fftfreq(size)[:, None], np.fft.rfftfreq(size)[None, :]) * size
    power = np.where(frequency > 0, np.maximum(frequency, largest) ** -smoothness, 0.0)
    phase = np.exp(2j * np.pi * rng.random(power.shape))
    field = np.fft.irfft2(power * phase, s=(size, size))
    low, high = np.percentile(field, (0.5, 99.5))
    return np.clip((field - low) / (high - low), 0, 1).astype(np.float32)


def scratches(size: int, seed: int, count: int, length: float = 0.2) -> Float:
    """Thin straight scratches, 0–1."""
    rng = np.random.default_rng(seed)
    picture = np.zeros((size, size), np.uint8)
    for _ in range(count):
        start = rng.random(2) * size
        angle, reach = rng.random() * np.pi, rng.random() * length * size
        end = start + reach * np.array([np.cos(angle), np.sin(angle)])
        for dx in (-size, 0, size):
            for dy in (-size, 0, size):
                a, b = (
                    (int(start[0] + dx), int(start[1] + dy)),
                    (int(end[0] + dx), int(end[1] + dy)),
                )
                cv2.line(picture, a, b, int(rng.integers(60, 255)), 1, cv2.LINE_AA)
    return picture.astype(np.float32) / 255


def rivets(size: int, rows: int, edge: float, radius: float) -> Float:
    """Round rivet heads along the borders of `rows` × `rows` panels, height 0–1."""
    axis = (np.arange(size) + 0.5) / size * rows % 1.0
    picture = np.zeros((size, size), np.float32)
    steps = 9
    along = (axis * steps) % 1.0 - 0.5
    for near, run in ((axis[:, None], along[None, :]), (axis[None, :], along[:, None])):
        for offset in (edge, 1 - edge):
            distance = np.hypot((near - offset) * steps, run) / steps
            picture = np.maximum(picture, np.sqrt(np.clip(1 - (distance / radius) ** 2, 0, 1)))
    return picture


def seams(size: int, rows: int, width: float) -> Float:
    """Grooves between `rows` × `rows` panels, depth 0–1."""
    axis = np.abs(((np.arange(size) + 0.5) / size * rows + 0.5) % 1.0 - 0.5) / width
    groove = np.clip(1 - axis, 0, 1)
    return np.maximum(groove[:, None], groove[None, :]).astype(np.float32)


def patches(
    size: int, islands: Sequence[tuple[float, float, float, float]], margin: float = 0.008
) -> NDArray[np.bool_]:
    """Where UV islands (u0, v0, u1, v1) lie, with a margin around them, `(size, size)`."""
    at = (np.arange(size) + 0.5) / size
    found = np.zeros((size, size), bool)
    for u0, v0, u1, v1 in islands:
        across, down = (
            (at > u0 - margin) & (at < u1 + margin),
            (at > v0 - margin) & (at < v1 + margin),
        )
        found |= down[:, None] & across[None, :]
    return found


def blend(first: Float, second: Float, mask: Float) -> Float:
    """`first` where the mask is 0, `second` where it is 1."""
    return first + (second - first) * (
        mask[..., None] if first.ndim > mask.ndim or second.ndim > mask.ndim else mask
    )


def colour(red: float, green: float, blue: float) -> Float:
    """One sRGB colour, to be broadcast."""
    return np.array([[[red, green, blue]]], np.float32)


def step(values: Float, threshold: float, softness: float = 0.02) -> Float:
    """0 below the threshold, 1 above, smooth between."""
    t = np.clip((values - threshold) / softness + 0.5, 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)


def save(path: Path, *planes: Float, bits: int = 8) -> None:
    """Write pictures side by side as the channels of one integer file."""
    stacked = np.concatenate([p if p.ndim == 3 else p[..., None] for p in planes], axis=2)
    path.parent.mkdir(parents=True, exist_ok=True)
    write_image(path, quantise(stacked, bits))
