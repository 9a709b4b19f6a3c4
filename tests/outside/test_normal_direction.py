"""Which way green points, on heights that `scikit-image` bundles, made into normals both ways.

Source: equality of mixed partial derivatives (integrability; Frankot and Chellappa 1988). Pictures:
`skimage.data` brick, gravel and grass, taken as heights; what a height field's slopes must do does
not depend on what the picture shows.
"""

from __future__ import annotations

from unittest import TestCase

import cv2
import numpy as np
from skimage import data

from ektopos.images import Image, ImageHeader
from ektopos.maps import Facts, judge
from ektopos.maps.names import NameReading
from ektopos.maps.statistics import measure
from tests.samples import normals_of

PICTURES = ("brick", "gravel", "grass")
NOTHING = NameReading({}, (), 0.0)


def verdict(pixels: np.ndarray):
    height, width, channels = pixels.shape
    header = ImageHeader(width, height, channels, 8, False, "png")
    return judge(Facts(header, measure(Image(pixels))), NOTHING)


def jpeg(pixels: np.ndarray, quality: int) -> np.ndarray:
    done, content = cv2.imencode(".jpg", pixels[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])
    assert done
    return cv2.imdecode(content, cv2.IMREAD_COLOR)[..., ::-1]


class GreenDirection(TestCase):
    def test_found_both_ways_at_several_strengths_and_sizes(self) -> None:
        for name in PICTURES:
            whole = getattr(data, name)().astype(np.float32) / 255
            for size in (512, 128):
                height = cv2.resize(whole, (size, size), interpolation=cv2.INTER_AREA)
                for strength in (1.0, 4.0, 12.0):
                    for sign, wanted in ((1, "+"), (-1, "-")):
                        with self.subTest(name, size=size, strength=strength, sign=sign):
                            found = verdict(normals_of(height, strength, sign))
                            self.assertEqual((found.role, found.normal_y), ("normal", wanted))

    def test_found_through_strong_jpeg_compression(self) -> None:
        for name in PICTURES:
            height = getattr(data, name)().astype(np.float32) / 255
            for quality in (75, 40):
                for sign, wanted in ((1, "+"), (-1, "-")):
                    with self.subTest(name, quality=quality, sign=sign):
                        found = verdict(jpeg(normals_of(height, 4.0, sign), quality))
                        self.assertEqual((found.role, found.normal_y), ("normal", wanted))

    def test_abstains_where_the_slopes_fit_no_height(self) -> None:
        rng = np.random.default_rng(3)
        tilts = rng.normal(0, 0.25, (16, 16, 2)).repeat(16, 0).repeat(16, 1)
        flakes = rng.normal(0, 0.3, (256, 256, 2))
        flat = np.zeros((256, 256, 2))
        for what, slopes in (("tiles tilted at random", tilts), ("noise", flakes), ("flat", flat)):
            vectors = np.dstack([slopes, np.ones(slopes.shape[:2])])
            vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
            with self.subTest(what):
                found = verdict(np.round((vectors * 0.5 + 0.5) * 255).astype(np.uint8))
                self.assertEqual((found.role, found.normal_y), ("normal", None))
                self.assertIn("cannot be told", " ".join(found.doubts))


class Pictures(TestCase):
    def test_bundled_photographs_are_base_colour_and_noise_is_not_sure(self) -> None:
        for name in ("astronaut", "coffee", "chelsea"):
            found = verdict(getattr(data, name)()[..., :3])
            self.assertEqual((found.role, found.encoding), ("base_color", "srgb"), name)
        noise = np.random.default_rng(1).integers(0, 256, (256, 256, 3), np.uint8)
        self.assertLess(verdict(noise).confidence, 0.6)

    def test_a_normal_map_saved_as_colour_is_noticed(self) -> None:
        height = data.gravel().astype(np.float32) / 255
        values = normals_of(height, 4.0) / 255
        saved = np.where(values <= 0.0031308, values * 12.92, 1.055 * values ** (1 / 2.4) - 0.055)
        found = verdict(np.round(saved * 255).astype(np.uint8))
        self.assertEqual((found.role, found.encoding), ("normal", "srgb"))
        self.assertIn("as if it were colour", " ".join(found.doubts))
