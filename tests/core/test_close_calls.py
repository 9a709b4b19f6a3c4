"""Close calls: where the evidence is weak it is said, a guess never takes the place of a name, and
names stay as they are spelt."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from unittest import TestCase

import cv2
import numpy as np

from ektopos.document import Document, MapEntry
from ektopos.maps import Facts, facts_of, identify
from ektopos.maps.edge_grouping import group_by_edges
from ektopos.maps.names import read_names
from ektopos.maps.sets import place
from ektopos.maps.verdict import SURE, Verdict
from ektopos.materials.from_map_set import material_from_set
from tests.samples import coloured, folder, noise, normals_of, save

SIDE = 256


def judged(pictures: Mapping[str, np.ndarray]) -> dict[str, tuple[Verdict, str]]:
    """The verdict and the set of each picture, all judged together."""
    with folder() as root:
        facts: dict[str, Facts] = {}
        for name, pixels in pictures.items():
            facts[name] = facts_of(save(root / name, pixels))
        return {name: (verdict, set_) for name, verdict, set_ in identify(facts)}


def islands(seed: int, count: int = 24) -> np.ndarray:
    """Which island each texel is of, 0 for the background: rectangles that overlap nowhere."""
    rng = np.random.default_rng(seed)
    owner = np.zeros((SIDE, SIDE), np.int64)
    for number in range(1, count + 1):
        height, width = rng.integers(20, 60, 2)
        y, x = rng.integers(0, SIDE - height), rng.integers(0, SIDE - width)
        if not owner[y : y + height, x : x + width].any():
            owner[y : y + height, x : x + width] = number
    return owner


def parted(
    owner: np.ndarray, seed: int, low: float, high: float, grain: float = 0.06
) -> np.ndarray:
    """A quantity that is another on every island, with some grain, 0–1; 0 round them."""
    rng = np.random.default_rng(seed)
    levels = np.concatenate([[0.0], rng.uniform(low, high, owner.max())])
    fine = noise(SIDE, seed, 1)[..., 0] / 255.0 - 0.5
    return np.where(owner > 0, np.clip(levels[owner] + grain * fine, 0, 1), 0.0)


def grey(values: np.ndarray) -> np.ndarray:
    return np.round(values * 255).astype(np.uint8)


class PackedOrColour(TestCase):
    def test_packed_maps_of_an_atlas_are_never_sure_to_be_base_colours(self) -> None:
        """Common practice: the islands of an atlas have borders in every channel."""
        for seed in range(6):
            owner = islands(seed)
            packed = np.stack(
                [
                    parted(owner, seed + 50, 0.7, 1.0),
                    parted(owner, seed + 60, 0.2, 0.9),
                    parted(owner, seed + 70, 0.1, 0.9),
                ],
                axis=-1,
            )
            (verdict, _), *_ = judged({"7fa1c2e4.png": grey(packed)}).values()
            with self.subTest(seed):
                if verdict.roles == {"rgb": "base_color"}:
                    self.assertLess(verdict.confidence, SURE)
                    self.assertIn("packed", " ".join(verdict.doubts))

    def test_a_picture_of_two_pigments_stays_sure(self) -> None:
        (verdict, _), *_ = judged({"9bc2d1aa.png": coloured(SIDE, 3)}).values()
        self.assertEqual(verdict.roles, {"rgb": "base_color"})
        self.assertGreaterEqual(verdict.confidence, SURE)

    def test_a_small_palette_is_a_base_colour_beside_maps_that_are_named(self) -> None:
        rng = np.random.default_rng(4)
        palette = rng.integers(0, 255, (16, 16, 3)).astype(np.uint8)
        found = judged(
            {
                "robot/robot.png": palette,
                "robot/robot_roughness.png": noise(64, 3, 1),
                "robot/robot_metalness.png": np.where(noise(64, 5, 1) > 128, 255, 0).astype(
                    np.uint8
                ),
            }
        )
        self.assertEqual(found["robot/robot.png"][0].roles, {"rgb": "base_color"})
        self.assertEqual(found["robot/robot_roughness.png"][0].role, "roughness")
        self.assertEqual(found["robot/robot_metalness.png"][0].role, "metallic")

    def test_a_guess_yields_to_names(self) -> None:
        """A packed map without a name, in a set whose maps are called what it would hold."""
        metal = np.where(noise(SIDE, 8, 1) > 140, 255, 0).astype(np.uint8)
        guess = np.dstack([255 - noise(SIDE, 1, 1) // 3, noise(SIDE, 2, 1), metal])
        found = judged(
            {
                "crate/crate_x.png": guess,
                "crate/crate_roughness.png": noise(SIDE, 3, 1),
                "crate/crate_metallic.png": metal,
            }
        )
        verdict, set_ = found["crate/crate_x.png"]
        self.assertEqual(set_, "crate")
        self.assertFalse({"roughness", "metallic"} & set(verdict.roles.values()))


class AlphaAndMasks(TestCase):
    def test_a_dark_colour_with_a_soft_alpha_is_a_base_colour(self) -> None:
        for colour in ((4, 4, 6), (40, 0, 0), (0, 0, 0)):
            flat = np.zeros((SIDE, SIDE, 4), np.uint8)
            flat[..., :3] = colour
            flat[..., :3] += (noise(SIDE, 2, 1) // 120).astype(np.uint8)
            flat[..., 3] = noise(SIDE, 7, 1)[..., 0]
            (verdict, _), *_ = judged({"a1b2c3d4.png": flat}).values()
            with self.subTest(colour):
                self.assertEqual(verdict.roles.get("rgb"), "base_color")

    def test_a_two_valued_grey_mask_is_no_base_colour(self) -> None:
        dirt = np.repeat(np.where(noise(SIDE, 5, 1) > 150, 255, 0).astype(np.uint8), 3, axis=2)
        found = judged({"props/dirt/dirt.png": dirt})
        self.assertNotIn("base_color", found["props/dirt/dirt.png"][0].roles.values())

    def test_a_solid_alpha_is_nothing(self) -> None:
        solid = np.dstack([coloured(SIDE, 3), np.full((SIDE, SIDE), 255, np.uint8)])
        found = judged({"sign_color_alpha.png": solid})
        roles = found["sign_color_alpha.png"][0].roles
        self.assertEqual(roles, {"rgb": "base_color"})
        entry = MapEntry(file="sign_color_alpha.png", encoding="srgb", roles=roles)
        made = material_from_set(Document(maps={"sign_color_alpha": entry}), "sign")
        self.assertIsNone(made.alpha_mode)

    def test_what_is_called_bump_feeds_no_height_beside_a_parallax_map(self) -> None:
        maps = {
            "wall_bump": MapEntry(file="wall_bump.png", roles={"r": "height"}),
            "wall_parallax": MapEntry(file="wall_parallax.png", roles={"r": "height"}),
        }
        made = material_from_set(Document(maps=maps), "wall")
        self.assertEqual(made.inputs["height"].map, "wall_parallax")


class SetsAsTheyAreSpelt(TestCase):
    def test_a_sets_name_is_what_its_files_have_in_common(self) -> None:
        for files, name in (
            (["net2_col.png", "net2_alpha_opac.png", "net2_nrm.png"], "net2"),
            (["concrete_2m_albedo.png", "concrete_2m_rough.png"], "concrete_2m"),
            (["Wall-03_Rough.png", "Wall-03_Metal.png"], "Wall-03"),
            (["Copper Dome col.png", "Copper Dome nrm.png"], "Copper Dome"),
            (["Straße7_col.png", "Straße7_nrm.png"], "Straße7"),
        ):
            with self.subTest(name):
                self.assertEqual(set(place(files, read_names(files))), {name})

    def test_one_role_said_twice_is_one_role(self) -> None:
        (reading,) = read_names(["net2_alpha_opac.png"])
        self.assertEqual((reading.roles, reading.set_words), ({"rgb": "opacity"}, ("net", "2")))

    def test_hexadecimal_names_with_the_same_islands_are_proposed_as_one_set(self) -> None:
        first, second = islands(1), islands(2)
        pictures = {}
        for number, owner in enumerate((first, second)):
            base = np.stack([parted(owner, 10 * number + i, 0.1, 0.9, 0.4) for i in range(3)], -1)
            fine = noise(SIDE, 90 + number, 1)[..., 0] / np.float32(255)
            bumps = normals_of(cv2.GaussianBlur(fine, (0, 0), 2), 20.0)
            bumps[owner == 0] = (128, 128, 255)
            rough = parted(owner, 10 * number + 5, 0.3, 0.31, 0.5)
            pictures |= {
                f"{number}a7c3e9f{number}.png": grey(base),
                f"{number}d41b8ca{number}.png": bumps,
                f"{number}b90e27d{number}.png": grey(rough)[..., None],
            }
        with folder() as root:
            facts = {name: facts_of(save(root / name, p)) for name, p in pictures.items()}
        names = list(facts)
        sets = {Path(name).stem: [name] for name in names}
        roles = {
            name: {"rgb": role}
            for name, role in zip(names, ("base_color", "normal", "roughness") * 2, strict=True)
        }
        groups = {frozenset(one.maps) for one in group_by_edges(sets, facts, roles)}
        self.assertEqual(groups, {frozenset(names[:3]), frozenset(names[3:])})
