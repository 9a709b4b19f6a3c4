"""Comparing by codes gives just what comparing by values gives, for whatever a feed does."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ektopos.document import COLOUR_INPUTS, Feed
from ektopos.images import Image
from ektopos.materials.adjust import apply_strength
from ektopos.materials.resolve import Decoded, feed_result
from ektopos.trial.engine.package import ImportedInput, Picture, Texture
from ektopos.trial.integer_comparison import compare_codes
from ektopos.trial.measure import errors_of, imported_values, unit_of
from ektopos.trial.tolerances import TOLERANCE
from tests.samples import noise

share = st.floats(0, 1, allow_nan=False, width=32)
feeds = st.builds(
    dict,
    invert=st.booleans(),
    range=st.tuples(share, share),
    range_in=st.tuples(st.just(0.0), st.floats(0.2, 1.0)),
    gamma=st.floats(0.3, 3),
    contrast=st.floats(0.2, 2),
    multiply=st.floats(0, 2),
    offset=st.floats(-0.5, 0.5),
)


def arrived_of(pixels: np.ndarray, **more) -> ImportedInput:
    return ImportedInput(Texture("t.png", lambda: Picture((pixels,)), lambda: "content"), **more)


def by_values(found: Decoded, feed: Feed, name: str, imported: ImportedInput) -> np.ndarray:
    expected = feed_result(feed, name, lambda _: found, with_strength=False)  # type: ignore[arg-type]
    actual = imported_values(imported, name)  # type: ignore[arg-type]
    return errors_of(
        apply_strength(expected, name, feed.strength),
        apply_strength(actual, name, imported.strength),
        name,
        1.0,
    )[0]  # type: ignore[arg-type]


class Same(TestCase):
    def agree(self, found: Decoded, feed: Feed, name: str, imported: ImportedInput) -> None:
        quick = compare_codes(found, feed, name, imported)  # type: ignore[arg-type]
        self.assertIsNotNone(quick)
        error = by_values(found, feed, name, imported)
        self.assertAlmostEqual(quick.largest, float(error.max()), delta=2e-3)
        self.assertAlmostEqual(quick.mean, float(error.mean()), delta=1e-3)
        close = TOLERANCE[unit_of(name)][1]
        border = float(((error > close - 1e-2) & (error < close + 1e-2)).mean())
        self.assertAlmostEqual(
            quick.differing, float((error > close + 1e-3).mean()), delta=border + 1e-6
        )
        step = -(-max(error.shape) // 256)
        np.testing.assert_allclose(quick.error, error[::step, ::step], atol=2e-3)

    @settings(max_examples=40, deadline=None)
    @given(
        feeds,
        st.sampled_from("rgba"),
        st.sampled_from([np.uint8, np.uint16]),
        st.booleans(),
        st.integers(0, 9),
    )
    def test_data(self, change: dict, letter: str, deep: type, inverted: bool, seed: int) -> None:
        source = noise(24, seed, 4).astype(deep) * (257 if deep is np.uint16 else 1)
        feed = Feed(map="m", channels=letter, strength=0.7, **change)
        imported = arrived_of(
            noise(24, seed + 1, 3), channels="g", inverted=inverted, strength=0.6, factor=(0.9,)
        )
        for name in ("roughness", "occlusion", "opacity", "height"):
            self.agree(Decoded(Image(source), "linear", None), feed, name, imported)

    @settings(max_examples=25, deadline=None)
    @given(
        feeds,
        st.tuples(share, share, share),
        st.sampled_from(["srgb", "linear"]),
        st.sampled_from(["rgb", "r"]),
        st.integers(0, 9),
    )
    def test_colours(
        self, change: dict, tint: tuple, encoding: str, channels: str, seed: int
    ) -> None:
        feed = Feed(map="m", channels=channels, tint=tint, **change)
        found = Decoded(Image(noise(24, seed, 3)), encoding, None)  # type: ignore[arg-type]
        self.agree(
            found,
            feed,
            "base_color",
            arrived_of(noise(24, seed + 1, 4), encoding="srgb", factor=(1.0, 0.5, 1.0)),
        )

    def test_normals_of_either_direction_equal_and_not(self) -> None:
        pixels = noise(600, 3)
        turned = np.dstack([pixels[..., 0], 255 - pixels[..., 1], pixels[..., 2]])
        for normal_y, other, actual in (
            ("-", "+", turned),
            ("+", "+", pixels),
            ("+", "-", turned),
            ("-", "+", pixels),
        ):
            feed = Feed(map="m", channels="rgb", strength=0.8)
            imported = arrived_of(actual, normal_y=other, strength=0.8)
            found = Decoded(Image(pixels), "linear", normal_y)  # type: ignore[arg-type]
            self.agree(found, feed, "normal", imported)
            quick = compare_codes(found, feed, "normal", imported)
            self.assertEqual(
                quick.largest == 0.0, actual is turned if normal_y != other else actual is pixels
            )  # type: ignore[union-attr]

    def test_one_wrong_texel_in_a_large_map_is_seen(self) -> None:
        pixels = np.full((1000, 700, 3), 128, np.uint8)
        actual = pixels.copy()
        actual[777, 333, 1] = 90
        found, feed = Decoded(Image(pixels), "linear", None), Feed(map="m", channels="g")
        quick = compare_codes(found, feed, "roughness", arrived_of(actual, channels="g"))
        self.assertAlmostEqual(quick.largest, 38, places=4)  # type: ignore[union-attr]
        self.assertAlmostEqual(quick.differing * pixels[..., 0].size, 1, places=4)  # type: ignore[union-attr]

    def test_what_codes_cannot_tell_is_left_to_values(self) -> None:
        source, imported = (
            Decoded(Image(noise(8, 1)), "linear", None),
            arrived_of(noise(8, 1), channels="r"),
        )
        plain = Feed(map="m", channels="r")
        self.assertIsNotNone(compare_codes(source, plain, "roughness", imported))
        floats = Decoded(Image(noise(8, 1).astype(np.float32)), "linear", None)
        larger = Decoded(Image(noise(16, 1)), "linear", None)
        for found, feed, name, actual in (
            (floats, plain, "roughness", imported),
            (larger, plain, "roughness", imported),
            (source, Feed(map="m", channels="luminance"), "roughness", imported),
            (source, Feed(map="m", channels="a"), "roughness", imported),
            (source, Feed(map="m", channels="rgb", hue=20), "base_color", arrived_of(noise(8, 1))),
            (source, Feed(map="m", channels="rgb"), "emission", arrived_of(noise(8, 1))),
            (source, plain, "roughness", ImportedInput()),
            (source, plain, "metallic", arrived_of(noise(8, 1), quantity="specular")),
        ):
            self.assertIsNone(compare_codes(found, feed, name, actual))  # type: ignore[arg-type]
        self.assertIn("base_color", COLOUR_INPUTS)
