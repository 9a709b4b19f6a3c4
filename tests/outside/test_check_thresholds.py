"""Thresholds of checks against measured surfaces, and the quality of JPEG files against those who
wrote them."""

from __future__ import annotations

from pathlib import Path
from unittest import TestCase

import colour
import cv2
import mitsuba
import numpy as np
from PIL import Image

from ektopos.checks.thresholds import BRIGHTEST, DARKEST, DARKEST_METAL
from ektopos.images import jpeg_quality
from tests.samples import folder, noise

CONSTANTS = Path(mitsuba.__file__).parent / "data" / "ior"


def reflectance(metal: str) -> float:
    """Luminance that a metal reflects at normal incidence, by its measured constants. Source:
    Fresnel's equations, ((n − 1)² + k²) / ((n + 1)² + k²); tables of Palik's handbook and others as
    mitsuba carries them; colour matching of CIE 1931 by colour-science."""
    waves = np.arange(400, 701, 10)
    n, k = (
        np.interp(waves, *np.loadtxt(CONSTANTS / f"{metal}.{part}.spd", comments="#").T)
        for part in ("eta", "k")
    )
    reflected = ((n - 1) ** 2 + k**2) / ((n + 1) ** 2 + k**2)
    seen = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
    weights = np.array([seen[int(wave)][1] for wave in waves])
    return float((reflected * weights).sum() / weights.sum())


class Ranges(TestCase):
    def test_the_color_checker_lies_within_what_non_metals_have(self) -> None:
        # Source: X-Rite's measured values of 2005, in colour-science; Y of 24 patches.
        chart = colour.CCS_COLOURCHECKERS["ColorChecker 2005"]
        levels = [float(patch[2]) for patch in chart.data.values()]
        self.assertGreater(min(levels), DARKEST)
        self.assertLess(max(levels), BRIGHTEST)
        self.assertLess(min(levels), 0.05)

    def test_common_metals_are_brighter_than_the_limit(self) -> None:
        for metal in ("Ag", "Al", "Au", "Cr", "Cu", "Ir", "Rh", "W"):
            with self.subTest(metal):
                self.assertGreater(reflectance(metal), DARKEST_METAL)
        self.assertLess(reflectance("W"), 0.55)


class JpegQuality(TestCase):
    def test_it_is_what_two_writers_were_told(self) -> None:
        picture = noise(64, 1)
        with folder() as root:
            for quality in (10, 30, 49, 50, 75, 90, 95, 100):
                with self.subTest(quality):
                    path = root / "a.jpg"
                    Image.fromarray(picture).save(path, quality=quality)
                    self.assertEqual(jpeg_quality(path), quality)
                    cv2.imwrite(str(path), picture, [cv2.IMWRITE_JPEG_QUALITY, quality])
                    self.assertEqual(jpeg_quality(path), quality)

    def test_a_file_without_tables_has_none(self) -> None:
        with folder() as root:
            Image.fromarray(noise(8, 1)).save(root / "a.png")
            self.assertIsNone(jpeg_quality(root / "a.png"))
            (root / "b.jpg").write_bytes(b"\xff\xd8 nothing")
            self.assertIsNone(jpeg_quality(root / "b.jpg"))
