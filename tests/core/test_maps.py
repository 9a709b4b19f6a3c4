"""What maps are from their pixels: roles, contradictions, relations, and what else is said."""

from __future__ import annotations

from unittest import TestCase, mock

import cv2
import numpy as np

from ektopos.base.errors import EktoposError
from ektopos.document import Role
from ektopos.images import Image, ImageHeader, read_header, read_image
from ektopos.maps import (
    Facts,
    Verdict,
    identify,
    measure,
    pack_channels,
    recheck,
    relations,
    split_channels,
)
from ektopos.maps.verdict import channel_roles
from tests.samples import folder, noise, normals_of, save

SIZE = 256
HEIGHT = noise(SIZE, 5, 1)[..., 0].astype(np.float32) / 255


def facts(pixels: np.ndarray) -> Facts:
    pixels = pixels if pixels.ndim == 3 else pixels[..., None]
    header = ImageHeader(
        pixels.shape[1], pixels.shape[0], pixels.shape[2], pixels.dtype.itemsize * 8, False, "png"
    )
    return Facts(header, measure(Image(pixels)))


def codes(values: np.ndarray) -> np.ndarray:
    return np.round(np.clip(values, 0, 1) * 255).astype(np.uint8)


def judged(**maps: np.ndarray) -> dict[str, Verdict]:
    return {
        name: verdict
        for name, verdict, _ in identify({f"{name}.png": facts(p) for name, p in maps.items()})
    } | {}


def one(name: str, pixels: np.ndarray) -> Verdict:
    return judged(**{name: pixels})[f"{name}.png"]


def creases() -> np.ndarray:
    return np.clip(1 - 6 * np.clip(0.32 - HEIGHT, 0, 1), 0, 1)


def colour() -> np.ndarray:
    mix = HEIGHT[..., None]
    fine = noise(SIZE, 8, 1).astype(np.float32) / 255
    return codes(
        (1 - mix) * np.array([0.6, 0.35, 0.2])
        + mix * np.array([0.25, 0.4, 0.45])
        + 0.1 * (fine - 0.5)
    )


def metal() -> np.ndarray:
    return codes(np.clip((noise(SIZE, 9, 1)[..., 0] / 255 - 0.5) * 40 + 0.5, 0, 1))


def between() -> np.ndarray:
    rng = np.random.default_rng(4)
    return codes(
        0.5
        + 0.2 * (noise(SIZE, 6, 1)[..., 0] / 255 - 0.5)
        + 0.03 * rng.standard_normal((SIZE, SIZE))
    )


class Nameless(TestCase):
    def test_what_a_careful_person_could_tell(self) -> None:
        cases: dict[Role | str, np.ndarray] = {
            "normal": normals_of(HEIGHT, 16.0),
            "base_color": colour(),
            "metallic": metal(),
            "occlusion": codes(creases()),
            "packed": np.dstack([codes(creases()), between(), metal()]),
        }
        for role, pixels in cases.items():
            self.assertEqual(one("a1", pixels).role, role)

    def test_roughness_is_never_sure_without_a_name(self) -> None:
        found = one("a1", between())
        self.assertEqual(found.role, "roughness")
        self.assertLess(found.confidence, 0.6)
        self.assertIn("gloss", " ".join(found.doubts))

    def test_a_height_is_known_by_the_normals_beside_it(self) -> None:
        found = judged(a1=normals_of(HEIGHT, 16.0), a2=codes(HEIGHT), a3=between())
        self.assertEqual(found["a2.png"].role, "height")
        self.assertIn("a1.png", " ".join(found["a2.png"].evidence))

    def test_packed_channels_one_by_one(self) -> None:
        found = one("a1", np.dstack([codes(creases()), between(), metal()]))
        self.assertEqual(
            channel_roles(found.roles, 3),
            {"r": "occlusion", "g": "roughness", "b": "metallic", "a": None},
        )

    def test_alpha_with_sharp_areas_is_opacity_and_a_full_one_says_nothing(self) -> None:
        cut = np.dstack([colour(), metal()])
        self.assertEqual(one("a1", cut).roles.get("a"), "opacity")
        full = one("a1", np.dstack([colour(), np.full((SIZE, SIZE), 255, np.uint8)]))
        self.assertNotIn("a", full.roles)
        self.assertIn("says nothing", " ".join(full.doubts))


class Packed(TestCase):
    def test_blank_channels_fill_places_or_say_all_metal_or_none(self) -> None:
        # glTF 2.0, 3.9.2: roughness in G, metallic in B; R is free.
        blank, full = np.zeros((SIZE, SIZE), np.uint8), np.full((SIZE, SIZE), 255, np.uint8)
        for red in (blank, full):
            for blue in (metal(), blank, full):
                found = one("a1", np.dstack([red, between(), blue]))
                self.assertEqual(found.roles, {"g": "roughness", "b": "metallic"})
                self.assertEqual(found.encoding, "linear")

    def test_names_in_either_order_and_where_the_pixels_put_them(self) -> None:
        blank = np.zeros((SIZE, SIZE), np.uint8)
        usual = np.dstack([blank, between(), metal()])
        for name in ("dome_roughnessMetallic", "dome_MetallicRoughness", "dome-mr", "dome_RM"):
            found = one(name, usual)
            self.assertEqual(found.roles, {"g": "roughness", "b": "metallic"}, name)
            self.assertGreater(found.confidence, 0.75)
        literal = one("dome_RoughnessMetallic", np.dstack([between(), metal(), blank]))
        self.assertEqual(literal.roles, {"r": "roughness", "g": "metallic"})

    def test_vague_names_leave_it_to_the_pixels(self) -> None:
        pixels = np.dstack([codes(creases()), between(), metal()])
        for name in ("dome_mix", "dome_mask", "dome_comp"):
            found = one(name, pixels)
            self.assertEqual(
                found.roles, {"r": "occlusion", "g": "roughness", "b": "metallic"}, name
            )
            self.assertFalse(found.conflict)

    def test_a_red_label_is_a_picture(self) -> None:
        label = np.full((SIZE, SIZE, 3), (214, 22, 30), np.uint8)
        label[60:120, 30:220] = 245
        label[150:200, 90:160] = (40, 10, 12)
        noisy = np.clip(label + noise(SIZE, 5, 1).astype(int) // 12, 0, 255).astype(np.uint8)
        self.assertEqual(one("soda", noisy).role, "base_color")

    def test_grey_metal_and_unpainted_roughness_lie_where_they_usually_do(self) -> None:
        white, greys = np.full_like(HEIGHT, 255, np.uint8), codes(0.1 + 0.5 * HEIGHT)
        verdict = one("9b3e1f", np.stack([white, between(), greys], axis=-1))
        self.assertEqual(dict(verdict.roles), {"g": "roughness", "b": "metallic"})

    def test_a_yellow_picture_with_hardly_any_blue_is_coloured(self) -> None:
        # Where it has edges lies between the windows that these are looked for in.
        yellow = np.full((3 * SIZE, 3 * SIZE, 3), (253, 232, 5), np.uint8)
        yellow[:130, 260:500] = (214, 90, 10)
        yellow[330:360, 300:340] = (12, 8, 10)
        self.assertEqual(dict(one("duck", yellow).roles), {"rgb": "base_color"})

    def test_three_quantities_bound_to_one_rust_are_no_sure_colour(self) -> None:
        # Every pair of channels follows the same mask: by its pixels it could be either.
        rust = HEIGHT
        packed = np.stack([1 - 0.3 * rust, 0.3 + 0.6 * rust, 0.9 - 0.8 * rust], axis=-1)
        verdict = one("9b3e1f", codes(packed))
        self.assertLess(verdict.confidence, 0.7)
        self.assertIn("several quantities", " ".join(verdict.doubts))
        # A name that says colour is believed.
        self.assertGreater(one("rust_basecolor", codes(packed)).confidence, 0.9)

    def test_an_order_that_would_make_everything_dark_is_not_sure(self) -> None:
        black = np.zeros_like(HEIGHT, np.uint8)
        verdict = one("ao_met_rough", np.stack([black, metal(), between()], axis=-1))
        self.assertLess(verdict.confidence, 0.7)
        self.assertTrue(any("too dark for occlusion" in doubt for doubt in verdict.doubts))


class Company(TestCase):
    def test_dark_colours_with_marks_alone_are_told_from_light_by_their_colour(self) -> None:
        marks = np.where(HEIGHT > 0.7, HEIGHT, 0.02 * HEIGHT)
        grey = one("7e41c2", codes(np.repeat(marks[..., None], 3, axis=2)))
        self.assertEqual(dict(grey.roles), {"rgb": "base_color"})
        self.assertLess(grey.confidence, 0.7)
        self.assertIn("emission", " ".join(grey.doubts))
        lit = one(
            "7e41c2", codes(marks[..., None] * np.array([1.0, 0.5, 0.1]) * (marks > 0.5)[..., None])
        )
        self.assertEqual(dict(lit.roles), {"rgb": "emission"})

    def test_a_grey_picture_is_the_base_colour_of_a_set_without_one(self) -> None:
        grey = np.repeat(between()[..., None], 3, 2)
        found = judged(dome=grey, dome_n=normals_of(HEIGHT, 16.0), dome_ao=codes(creases()))
        verdict = found["dome.png"]
        self.assertEqual((verdict.role, verdict.encoding), ("base_color", "srgb"))
        self.assertLess(verdict.confidence, 0.75)
        self.assertIn("no base colour", " ".join(verdict.evidence))
        with_one = judged(dome_col=colour(), dome=grey, dome_n=normals_of(HEIGHT, 16.0))
        self.assertNotEqual(with_one["dome.png"].role, "base_color")

    def test_two_that_could_be_it_are_left_open(self) -> None:
        grey = np.repeat(between()[..., None], 3, 2)
        pictures = {"lamp/0": grey, "lamp/1": 255 - grey, "lamp/2": normals_of(HEIGHT, 16.0)}
        found = judged(**pictures)
        self.assertNotIn("base_color", {verdict.role for verdict in found.values()})

    def test_even_colours_with_a_cut_alpha_and_panoramas(self) -> None:
        leaf = np.dstack([np.full((SIZE, SIZE, 3), 255, np.uint8), metal()])
        self.assertEqual(one("leaf", leaf).roles, {"rgb": "base_color", "a": "opacity"})
        sky = np.random.default_rng(1).random((64, 128, 3)).astype(np.float32) * 4
        header = ImageHeader(128, 64, 3, 32, True, "hdr")
        ((_, verdict, _),) = identify({"sky.hdr": Facts(header, measure(Image(sky)))})
        self.assertEqual(verdict.role, "unknown")
        self.assertIn("panorama", " ".join(verdict.evidence))


class Misleading(TestCase):
    def test_contradictions_are_said_and_pixels_win_or_confidence_falls(self) -> None:
        cases = {
            "dome_roughness": normals_of(HEIGHT, 16.0),
            "dome_normal": colour(),
            "dome_metallic": between(),
            "dome_albedo": normals_of(HEIGHT, 16.0),
            "dome_ao": colour(),
            "dome_ORM": codes(np.repeat(HEIGHT[..., None], 3, 2)),
            "dome_height": metal(),
            "dome_basecolor": np.dstack([codes(creases()), between(), metal()]),
        }
        for name, pixels in cases.items():
            with self.subTest(name):
                found = one(name, pixels)
                self.assertTrue(found.conflict)
                self.assertTrue(found.doubts)
                self.assertLessEqual(found.confidence, 0.8)

    def test_right_names_are_sure(self) -> None:
        cases = {
            "dome_roughness": between(),
            "dome_normal": normals_of(HEIGHT, 16.0),
            "dome_metallic": metal(),
            "dome_albedo": colour(),
            "dome_ao": codes(creases()),
            "dome_ORM": np.dstack([codes(creases()), between(), metal()]),
            "dome_height": codes(HEIGHT),
        }
        for name, pixels in cases.items():
            found = one(name, pixels)
            self.assertGreater(found.confidence, 0.75, name)
            self.assertFalse(found.conflict, name)


class Remarks(TestCase):
    def test_depth_channels_and_light_are_remarked(self) -> None:
        wide = between().astype(np.uint16) * 257
        self.assertIn("only 8 bits", " ".join(one("a_rough", wide).doubts))
        self.assertIn(
            "one grey channel",
            " ".join(one("a_rough", np.repeat(between()[..., None], 3, 2)).doubts),
        )
        x = np.linspace(0.3, 1.0, SIZE)[None, :, None]
        self.assertIn(
            "light or shadow", " ".join(one("a_albedo", (colour() * x).astype(np.uint8)).doubts)
        )
        self.assertNotIn("light or shadow", " ".join(one("a_albedo", colour()).doubts))

    def test_what_repeats_and_what_does_not(self) -> None:
        self.assertTrue(all(s is not None and s < 2.5 for s in facts(colour()).statistics.seam))
        ramp = codes(np.tile(np.linspace(0, 1, SIZE), (SIZE, 1)))
        across, down = facts(ramp).statistics.seam
        self.assertGreater(across or 0, 20)
        self.assertEqual(down, 0.0)

    def test_a_correction_is_rechecked_against_the_pixels(self) -> None:
        agrees = recheck(facts(metal()), {"r": "metallic"}, "linear", None)
        self.assertIn("two-valued", " ".join(agrees.evidence))
        against = recheck(facts(between()), {"r": "metallic"}, "linear", None)
        self.assertIn("lie between", " ".join(against.doubts))
        self.assertEqual(against.role, "metallic")


class Channels(TestCase):
    def test_split_and_pack_are_inverse(self) -> None:
        with folder() as root:
            image = read_image(save(root / "a.png", noise(32, 3, 4)))
            parts = split_channels(image)
            self.assertEqual(list(parts), ["r", "g", "b", "a"])
            again = pack_channels({letter: part.pixels[..., 0] for letter, part in parts.items()})
            np.testing.assert_array_equal(again.pixels, image.pixels)
            self.assertEqual(read_header(root / "a.png").channels, 4)

    def test_packing_refuses_what_would_need_resampling(self) -> None:
        with self.assertRaises(EktoposError):
            pack_channels({"r": np.zeros((2, 2), np.uint8), "g": np.zeros((4, 4), np.uint8)})
        with self.assertRaises(EktoposError):
            pack_channels({"r": np.zeros((2, 2), np.uint8), "g": np.zeros((2, 2), np.uint16)})


class ManyMapsWithoutSets(TestCase):
    def test_each_is_looked_at_once_and_finds_its_own_height(self) -> None:
        """Not once a pair: a folder of a thousand such maps has forty thousand pairs."""
        names, known = [], []
        for number in range(12):
            blurred = cv2.GaussianBlur(noise(128, number, 1).astype(np.float32), (0, 0), 5)
            height = (blurred - blurred.min()) / np.ptp(blurred)
            green = 1 if number % 2 else -1
            for kind, pixels in (
                ("h", np.round(height[..., None] * 255).astype(np.uint8)),
                ("n", normals_of(height, 20.0, green)),
            ):
                names.append(f"{number}{kind}.png")
                known.append(facts(pixels))
        with (
            mock.patch.object(relations, "_slopes", wraps=relations._slopes) as normals,
            mock.patch.object(
                relations, "_slopes_of_height", wraps=relations._slopes_of_height
            ) as heights,
        ):
            found = relations.relate(names, [str(i) for i in range(len(names))], known)
        self.assertEqual((normals.call_count, heights.call_count), (12, 12))
        for number in range(12):
            height, normal = found[2 * number], found[2 * number + 1]
            self.assertEqual(height.other, f"{number}n.png")
            self.assertEqual((normal.other, normal.normal_y), (f"{number}h.png", "-+"[number % 2]))
