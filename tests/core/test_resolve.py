"""Feeds to surfaces: the arithmetic of adjustments, exactly."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from ektopos.base.errors import EktoposError
from ektopos.base.vectors import decode_normals
from ektopos.document import Feed
from ektopos.images import Image
from ektopos.materials import (
    MapLoader,
    adjust,
    apply_strength,
    decode_channels,
    resolve_inheritance,
    resolve_input,
)
from ektopos.materials.preview import feed_preview
from ektopos.materials.resolve import reduce_image
from tests.samples import noise, project


class Adjusting(TestCase):
    def test_invert_comes_before_range(self) -> None:
        values = np.array([0.0, 0.25, 1.0], np.float32)
        np.testing.assert_allclose(
            adjust(values, Feed(map="m", invert=True, range=(0.2, 0.6)), "roughness"),
            [0.6, 0.5, 0.2],
        )

    def test_only_emission_keeps_values_above_one(self) -> None:
        bright = np.full((1, 3), 3.0, np.float32)
        self.assertEqual(adjust(bright, Feed(map="m"), "emission").max(), 3.0)
        self.assertEqual(adjust(bright, Feed(map="m"), "base_color").max(), 1.0)

    def test_tint_multiplies_linear_colour(self) -> None:
        got = adjust(
            np.full((1, 3), 0.5, np.float32), Feed(map="m", tint=(0.5, 1.0, 0.25)), "base_color"
        )
        np.testing.assert_allclose(got, [[0.25, 0.5, 0.125]])

    def test_occlusion_strength_is_the_specifications_formula(self) -> None:
        """Source: glTF 2.0, 5.20.2: 1 + strength · (occlusion − 1)."""
        np.testing.assert_allclose(
            apply_strength(np.array([0.2], np.float32), "occlusion", 0.5), [0.6]
        )

    def test_normal_strength_scales_x_and_y_and_stays_unit(self) -> None:
        """Source: glTF 2.0, 3.9.3: normalize((sample · 2 − 1) · (scale, scale, 1))."""
        normal = np.array([[0.6, 0.0, 0.8]], np.float32)
        got = apply_strength(normal, "normal", 0.5)
        np.testing.assert_allclose(got, [[0.3, 0.0, 0.8]] / np.hypot(0.3, 0.8), rtol=1e-6)

    def test_alpha_is_never_decoded_and_an_srgb_map_always(self) -> None:
        image = Image(np.full((1, 1, 4), 128, np.uint8))
        self.assertAlmostEqual(
            float(decode_channels(image, "a", "srgb")[0, 0]), 128 / 255, places=6
        )
        self.assertAlmostEqual(float(decode_channels(image, "g", "srgb")[0, 0]), 0.21586, places=4)
        self.assertAlmostEqual(
            float(decode_channels(image, "luminance", "srgb")[0, 0]), 0.21586, places=4
        )

    def test_luminance_is_of_linear_values(self) -> None:
        image = Image(np.array([[[255, 0, 0]], [[0, 255, 0]]], np.uint8))
        np.testing.assert_allclose(
            decode_channels(image, "luminance", "srgb")[:, 0], [0.2126, 0.7152], atol=1e-6
        )

    def test_minus_y_normals_are_turned_and_zero_vectors_are_flat(self) -> None:
        encoded = np.array([[[0.5, 0.2, 0.9], [0.5, 0.5, 0.5]]], np.float32)
        up, down = decode_normals(encoded.copy(), "+"), decode_normals(encoded.copy(), "-")
        self.assertAlmostEqual(float(up[0, 0, 1]), -float(down[0, 0, 1]), places=6)
        np.testing.assert_allclose(up[0, 1], [0, 0, 1])


class Resolving(TestCase):
    def test_every_input_of_a_material(self) -> None:
        with project() as opened:
            loader = MapLoader(opened)
            tile = resolve_inheritance(opened.document, "tile")
            orm = noise(64, 3).astype(np.float32) / 255
            np.testing.assert_allclose(
                resolve_input(loader, tile.feeds, "metallic"), orm[..., 2], atol=1e-6
            )
            np.testing.assert_allclose(
                resolve_input(loader, tile.feeds, "roughness"), 0.1 + 0.7 * orm[..., 1], atol=1e-6
            )
            np.testing.assert_allclose(
                resolve_input(loader, tile.feeds, "occlusion"),
                1 + 0.5 * (orm[..., 0] - 1),
                atol=1e-6,
            )
            emission = resolve_input(loader, tile.feeds, "emission")
            self.assertGreater(emission.max(), 3.5)
            normals = resolve_input(loader, tile.feeds, "normal")
            np.testing.assert_allclose(np.linalg.norm(normals, axis=2), 1, atol=1e-5)
            dull = resolve_input(
                loader, resolve_inheritance(opened.document, "tile_dull").feeds, "roughness"
            )
            np.testing.assert_allclose(dull, 1 - noise(64, 4, 1)[..., 0] / 255, atol=1e-6)

    def test_a_data_input_takes_one_channel(self) -> None:
        with project() as opened, self.assertRaises(EktoposError):
            resolve_input(
                MapLoader(opened), {"roughness": Feed(map="tile_orm", channels="rgb")}, "roughness"
            )

    def test_facts_of_what_an_input_gives(self) -> None:
        facts = feed_preview(np.array([[0.0, 0.5], [0.5, 1.0]], np.float32), "roughness")
        self.assertEqual((facts.low, facts.high, facts.mean), (0.0, 1.0, 0.5))
        self.assertAlmostEqual(sum(facts.histogram), 1.0, places=4)
        tilted = feed_preview(np.array([[[0.0, np.sin(0.5), np.cos(0.5)]]], np.float32), "normal")
        self.assertAlmostEqual(tilted.high, np.degrees(0.5), places=3)

    def test_a_reduced_copy_averages_colour_in_linear_light(self) -> None:
        board = np.zeros((64, 64, 3), np.uint8)
        board[::2, ::2] = board[1::2, 1::2] = 255
        small = reduce_image(Image(board), "srgb", 8)
        np.testing.assert_allclose(small.pixels, 0.5, atol=0.01)
