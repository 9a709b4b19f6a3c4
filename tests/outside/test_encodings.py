"""sRGB against IEC 61966-2-1 as `colour-science` implements it."""

from __future__ import annotations

import warnings
from unittest import TestCase

import numpy as np

from ektopos.images import decode_table, linear_to_srgb, luminance, srgb_to_linear

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour


class Srgb(TestCase):
    def test_whole_range_against_colour_science(self) -> None:
        """Source: `colour-science`, eotf_sRGB and eotf_inverse_sRGB."""
        values = np.linspace(0, 1, 65536)
        np.testing.assert_allclose(
            srgb_to_linear(values), colour.models.eotf_sRGB(values), atol=2e-6
        )
        np.testing.assert_allclose(
            linear_to_srgb(values), colour.models.eotf_inverse_sRGB(values), atol=2e-6
        )

    def test_handbook_values(self) -> None:
        """Values as the design gives them for IEC 61966-2-1: 0.5 → 0.21404, 0.18 → 0.46136."""
        self.assertAlmostEqual(float(srgb_to_linear(np.float32(0.5))), 0.21404, places=5)
        self.assertAlmostEqual(float(linear_to_srgb(np.float32(0.18))), 0.46136, places=5)

    def test_every_code_comes_back(self) -> None:
        for bits in (8, 16):
            codes = np.arange(2**bits)
            back = np.round(linear_to_srgb(decode_table(bits, "srgb")) * (2**bits - 1))
            np.testing.assert_array_equal(back, codes)

    def test_luminance_weights(self) -> None:
        """Source: ITU-R BT.709-6 through `colour-science`'s RGB to XYZ matrix, second row (rounded
        to four digits there)."""
        weights = colour.RGB_COLOURSPACES["ITU-R BT.709"].matrix_RGB_to_XYZ[1]
        np.testing.assert_allclose(luminance(np.eye(3, dtype=np.float32)), weights, atol=1e-4)
