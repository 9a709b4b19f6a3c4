"""Padding of maps, painted here with so many texels."""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np

from ektopos.meshes.padding import padding_of
from tests.core.test_islands import square

LAYOUT = np.concatenate([square(0.125, 0.125, 0.25), square(0.5, 0.5, 0.375)])


def painted(size: int, padding: int, *, kind: type = np.uint8, background: int = 0) -> np.ndarray:
    """A map of that size with colour in the islands of `LAYOUT` and so many texels beyond."""
    mask = np.zeros((size, size), np.uint8)
    for x, y, side in ((0.125, 0.125, 0.25), (0.5, 0.5, 0.375)):
        mask[int(y * size) : int((y + side) * size), int(x * size) : int((x + side) * size)] = 1
    mask = cv2.dilate(
        mask, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * padding + 1, 2 * padding + 1))
    )
    noise = np.random.default_rng(4).integers(90, 220, (size, size, 3))
    codes = np.where(mask[..., None] > 0, noise, background)
    return codes.astype(np.uint8) if kind is np.uint8 else (codes.astype(np.uint16) * 257)


class Padding(TestCase):
    def test_so_many_texels_are_found_as_were_painted(self) -> None:
        for size, padding in ((256, 0), (256, 4), (512, 8), (1024, 16)):
            for kind in (np.uint8, np.uint16):
                with self.subTest(size=size, padding=padding, kind=kind):
                    self.assertAlmostEqual(
                        padding_of(painted(size, padding, kind=kind), LAYOUT), padding, delta=1
                    )

    def test_any_one_colour_is_a_background(self) -> None:
        self.assertAlmostEqual(padding_of(painted(512, 6, background=255), LAYOUT), 6, delta=1)

    def test_a_map_that_is_painted_on_everywhere_has_no_padding_to_tell(self) -> None:
        everywhere = np.random.default_rng(1).integers(0, 255, (256, 256, 3)).astype(np.uint8)
        self.assertIsNone(padding_of(everywhere, LAYOUT))

    def test_islands_as_black_as_the_background_leave_it_open(self) -> None:
        self.assertIsNone(padding_of(np.zeros((256, 256, 3), np.uint8), LAYOUT))

    def test_a_map_that_is_not_square_is_measured_on_its_longer_side(self) -> None:
        wide = cv2.resize(painted(512, 8), (512, 256), interpolation=cv2.INTER_NEAREST)
        self.assertAlmostEqual(padding_of(wide, LAYOUT), 8, delta=2)
