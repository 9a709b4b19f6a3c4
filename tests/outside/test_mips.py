"""Smaller levels against closed forms and published properties, dithering against its published
matrix."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from ektopos.images import covered_share, keep_coverage, mip_sizes, quantise_spread
from ektopos.images.write import _bayer
from ektopos.maps.normals import roughen
from ektopos.materials.mips import material_mips


class Roughness(TestCase):
    """Source: Toksvig, “Mipmapping Normal Maps”, 2005: the factor |N| / (|N| + s (1 − |N|)) on a
    Blinn-Phong exponent s."""

    def test_two_directions_in_closed_form(self) -> None:
        # Two unit normals, each θ from their mean, have a mean of length cos θ.
        for degrees in (1.0, 10.0, 30.0):
            theta = np.radians(degrees)
            pair = np.array(
                [[[np.sin(theta), 0, np.cos(theta)], [-np.sin(theta), 0, np.cos(theta)]]],
                np.float32,
            )
            normals = np.tile(pair, (2, 1, 1))
            for roughness in (0.1, 0.5, 0.9):
                level = material_mips(
                    np.full((2, 2), roughness, np.float32), "roughness", normals=normals
                )[1][0, 0]
                s = 2 / roughness**4 - 2
                grown = np.cos(theta) * s / (np.cos(theta) + s * (1 - np.cos(theta)))
                self.assertAlmostEqual(float(level), (2 / (grown + 2)) ** 0.25, places=5)

    def test_agreeing_normals_change_nothing_and_full_disagreement_is_rough(self) -> None:
        roughness = np.linspace(0.05, 1, 20, dtype=np.float32)
        np.testing.assert_array_equal(roughen(roughness, np.ones(20, np.float32)), roughness)
        np.testing.assert_allclose(roughen(roughness, np.zeros(20, np.float32)), 1.0, atol=1e-3)
        lengths = np.linspace(0, 1, 50, dtype=np.float32)
        self.assertTrue((np.diff(roughen(np.full(50, 0.4, np.float32), lengths)) <= 1e-6).all())


class Coverage(TestCase):
    """Source: Castaño, “Computing Alpha Mipmaps”, 2010: every level's share above the cut-off stays
    that of the first."""

    def test_within_one_per_cent_at_every_level_that_can_show_it(self) -> None:
        rng = np.random.default_rng(4)
        field = rng.random((512, 512)).astype(np.float32)
        for cutoff, power in ((0.5, 1.0), (0.3, 3.0), (0.7, 0.4)):
            opacity = field**power
            wanted = covered_share(opacity, cutoff)
            plain = material_mips(opacity, "opacity")
            kept = material_mips(opacity, "opacity", cutoff=cutoff)
            for level, bare in zip(kept[1:6], plain[1:6], strict=True):
                self.assertAlmostEqual(covered_share(level, cutoff), wanted, delta=0.01)
                self.assertLess(np.abs(level).max(), 1 + 1e-6)
                self.assertEqual(level.shape, bare.shape)
        # Without it, fine holes close or all of it vanishes: what the paper is about.
        self.assertGreater(
            abs(
                covered_share(material_mips(field**3, "opacity")[5], 0.3)
                - covered_share(field**3, 0.3)
            ),
            0.2,
        )

    def test_what_is_whole_or_empty_stays_so(self) -> None:
        for value in (0.0, 1.0):
            level = keep_coverage(np.full((4, 4), value, np.float32), 0.5, value)
            np.testing.assert_array_equal(level, value)


class Levels(TestCase):
    def test_sizes_are_halves_rounded_down(self) -> None:
        """Source: KTX 2.0, section 3.5, of a picture 5 × 3."""
        self.assertEqual(mip_sizes(5, 3), [(5, 3), (2, 1), (1, 1)])
        self.assertEqual(len(mip_sizes(4096, 4096)), 13)

    def test_colours_are_averaged_in_linear_light(self) -> None:
        checker = np.indices((8, 8)).sum(0)[..., None] % 2 * np.ones(3, np.float32)
        for level in material_mips(checker.astype(np.float32), "base_color")[1:]:
            np.testing.assert_allclose(level, 0.5, atol=1e-6)


class Dithering(TestCase):
    """Source: Bayer, “An optimum method for two-level rendition of continuous-tone pictures”, 1973."""

    def test_the_matrix_is_bayers(self) -> None:
        # His 2 × 2 matrix, and the top row of the 4 × 4 one, from memory of the paper.
        np.testing.assert_array_equal(_bayer(2) * 4 - 0.5, [[0, 2], [3, 1]])
        np.testing.assert_array_equal((_bayer(4) * 16 - 0.5)[0], [0, 8, 2, 10])

    def test_a_slow_slope_keeps_its_mean_where_rounding_makes_bands(self) -> None:
        slope = np.tile(np.linspace(0.5, 0.508, 256, dtype=np.float32), (256, 1))
        spread = quantise_spread(slope).astype(np.float64) / 255
        blocks = (spread - slope).reshape(32, 8, 32, 8).mean(axis=(1, 3))
        self.assertLess(np.abs(blocks).max() * 255, 0.05)
        self.assertLess(np.abs(spread - slope).max() * 255, 1.0)

    def test_what_is_a_code_already_stays_it(self) -> None:
        codes = np.tile(np.arange(256, dtype=np.float32) / 255, (16, 1))
        np.testing.assert_array_equal(quantise_spread(codes), np.tile(np.arange(256), (16, 1)))
