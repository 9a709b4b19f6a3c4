"""Nameless maps of one surface, and maps of a set whose last word means nothing."""

from __future__ import annotations

from pathlib import Path
from unittest import TestCase

import cv2
import numpy as np

from ektopos.document import Role
from ektopos.maps import Facts, facts_of
from ektopos.maps.edge_grouping import LEAST, group_by_edges
from ektopos.maps.names import read_names
from ektopos.maps.sets import place
from tests.samples import folder, normals_of, save

ROLES: dict[str, Role] = {
    "colour": "base_color",
    "rough": "roughness",
    "normal": "normal",
    "open": "occlusion",
    "high": "height",
}


def surface(root: Path, seed: int, code: str) -> dict[str, dict[str, Role]]:
    """Five maps of one surface, a wall of stones, under names that say nothing; their roles."""
    rng = np.random.default_rng(seed)
    places = rng.integers(0, 256, (60, 2))
    dots = np.full((256, 256), 255, np.uint8)
    dots[places[:, 0], places[:, 1]] = 0
    far, which = cv2.distanceTransformWithLabels(
        np.tile(dots, (3, 3)), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    far, which = far[256:512, 256:512], which[256:512, 256:512]
    height = np.clip(1 - far / 24, 0, 1).astype(np.float32)
    tone = rng.random(which.max() + 1)[which]
    colour = np.stack([0.4 + 0.4 * tone, 0.35 + 0.3 * tone, 0.3 + 0.1 * height], -1)
    pictures = {
        "colour": np.round(255 * colour).astype(np.uint8),
        "rough": np.round(255 * (0.9 - 0.5 * height * tone)).astype(np.uint8)[..., None],
        "normal": normals_of(height, 8.0),
        "open": np.round(255 * np.clip(0.3 + 1.6 * height, 0, 1)).astype(np.uint8)[..., None],
        "high": np.round(255 * height).astype(np.uint8)[..., None],
    }
    roles: dict[str, dict[str, Role]] = {}
    for number, (kind, picture) in enumerate(pictures.items()):
        name = f"{code}{number}"
        save(root / f"{name}.png", picture)
        roles[name] = {"r" if picture.shape[2] == 1 else "rgb": ROLES[kind]}
    return roles


class Nameless(TestCase):
    def found(self, *seeds: int) -> list[set[str]]:
        with folder() as root:
            roles: dict[str, dict[str, Role]] = {}
            for number, seed in enumerate(seeds):
                roles |= surface(root, seed, f"7f{number}a")
            facts: dict[str, Facts] = {name: facts_of(root / f"{name}.png") for name in roles}
        groups = group_by_edges({name: [name] for name in roles}, facts, roles)
        self.assertTrue(all(group.correlation >= LEAST for group in groups))
        return [set(group.maps) for group in groups]

    def test_five_maps_of_one_surface_are_one_group(self) -> None:
        self.assertEqual(self.found(1), [{f"7f0a{i}" for i in range(5)}])

    def test_three_surfaces_are_three_groups_and_never_mixed(self) -> None:
        found = self.found(1, 2, 3)
        self.assertEqual({len({name[:4] for name in group}) for group in found}, {1})
        self.assertGreaterEqual(sum(map(len, found)), 12)

    def test_a_surface_that_is_there_twice_is_left_open(self) -> None:
        # Each of one fits both of the other kind: nothing can be said.
        self.assertEqual(self.found(4, 4), [])

    def test_maps_whose_names_speak_are_left_alone(self) -> None:
        with folder() as root:
            roles = surface(root, 1, "7f0a")
            facts = {name: facts_of(root / f"{name}.png") for name in roles}
        named = {f"{name} wall": [name] for name in roles}
        self.assertEqual(group_by_edges(named, facts, roles), [])
        self.assertEqual(group_by_edges({"x": list(roles)}, facts, roles), [])
        self.assertEqual(group_by_edges({}, {}, {}), [])


class Prefix(TestCase):
    def placed(self, *names: str) -> list[str]:
        return place(names, read_names(list(names)))

    def test_an_ending_that_means_nothing_joins_the_set_before_it(self) -> None:
        names = ("lantern_basecolor.png", "lantern_rough.png", "lantern_q.png", "lanternFoo.png")
        self.assertEqual(set(self.placed(*names)), {"lantern"})

    def test_but_not_where_it_names_a_set_of_its_own(self) -> None:
        # Two words more, maps of its own, one map only before it, or another folder.
        self.assertEqual(self.placed("a_col.png", "a_rgh.png", "a_big_foo.png")[2], "a_big_foo")
        names = ("wood_col.png", "wood_chair.png", "wood_table.png")
        self.assertEqual(self.placed(*names), ["wood", "wood_chair", "wood_table"])
        apart = ("one/a_col.png", "one/a_rgh.png", "two/a_foo.png")
        self.assertEqual(self.placed(*apart)[2], "a_foo")
        both = ("a_col.png", "a_rgh.png", "a_wet_col.png", "a_wet_rgh.png")
        self.assertEqual(self.placed(*both), ["a", "a", "a_wet", "a_wet"])
