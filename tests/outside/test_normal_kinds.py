"""Kinds of normal maps: in object space, and with two channels; against analytic surfaces."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from ektopos.document import Document, Feed, MapEntry, MaterialEntry
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.maps import facts_of, identify
from ektopos.materials.from_map_set import material_from_set
from ektopos.materials.inheritance import resolve_inheritance
from ektopos.materials.resolve import MapLoader, feed_problem, resolve_feed
from ektopos.project import OpenProject
from ektopos.trial.compare import run_trial
from tests.samples import coloured, folder, noise, normals_of, save


def sphere(size: int = 128) -> np.ndarray:
    """The normals of a ball unwrapped by longitude and latitude, `(size, size, 3)`: by definition
    its own points."""
    v, u = np.mgrid[-1 : 1 : size * 1j, -1 : 1 : size * 1j]
    around, up = u * np.pi, v * np.pi / 2
    return np.stack([np.cos(up) * np.cos(around), np.sin(up), np.cos(up) * np.sin(around)], axis=-1)


class ObjectSpace(TestCase):
    def test_it_is_named_and_feeds_no_material(self) -> None:
        with folder() as root:
            path = save(
                root / "ball_n.png", np.round((sphere() * 0.5 + 0.5) * 255).astype(np.uint8)
            )
            ((_, verdict, _),) = identify({"ball_n.png": facts_of(path)})
        self.assertEqual(
            (verdict.role, verdict.encoding, verdict.space), ("normal", "linear", "object")
        )
        self.assertIn("object space", " ".join(verdict.evidence))
        entry = MapEntry(
            file="ball_n.png", roles={"rgb": "normal"}, space=verdict.space, set="ball"
        )
        document = Document(maps={"ball_n": entry})
        self.assertNotIn("normal", material_from_set(document, "ball").inputs)
        problem = feed_problem(document, Feed(map="ball_n", channels="rgb"), "normal")
        self.assertIn("object space", problem or "")


class TwoChannels(TestCase):
    def test_blue_is_rebuilt_and_leaves_with_the_rest(self) -> None:
        # z = √(1 − x² − y²), for normals are of unit length.
        height = noise(64, 5, 1)[..., 0].astype(np.float32) / 255
        whole = normals_of(height)
        stored = whole.astype(np.float64) / 255 * 2 - 1
        wanted = stored.copy()
        wanted[..., 2] = np.sqrt(np.clip(1 - (stored[..., :2] ** 2).sum(axis=-1), 0, 1))
        for blue in (0, 255):
            flat = whole.copy()
            flat[..., 2] = blue
            with folder() as root, self.subTest(blue=blue):
                path = save(root / "brick_n.png", flat)
                ((_, verdict, _),) = identify({"brick_n.png": facts_of(path)})
                self.assertEqual((verdict.role, verdict.encoding), ("normal", "linear"))
                self.assertEqual(verdict.normal_y, "+")
                entry = MapEntry(file="brick_n.png", roles={"rgb": "normal"}, normal_y="+")
                feed = Feed(map="brick_n", channels="rgb")
                material = MaterialEntry(inputs={"normal": feed})
                document = Document(maps={"brick_n": entry}, materials={"brick": material})
                project = OpenProject(document, lambda file, root=root: root / file)
                got = resolve_feed(
                    MapLoader(project),
                    resolve_inheritance(document, "brick").feeds["normal"],
                    "normal",
                )
                np.testing.assert_allclose(got, wanted, atol=0.004)
                profile = find_profile("gltf-glb")
                export_package(project, profile, root / "out")
                trial = run_trial(project, root / "out", profile, renders=False)
                self.assertTrue(trial.passed)


class GreyColour(TestCase):
    def test_a_grey_base_colour_is_srgb_and_grey_data_is_not(self) -> None:
        # The encoding follows the role (glTF 2.0, 3.9.2: base colour is sRGB), not the channels.
        with folder() as root:
            grey = noise(64, 3, 1)
            names = ("wall_basecolor.png", "wall_roughness.png")
            facts = {name: facts_of(save(root / name, grey)) for name in names}
        found = {name: verdict.encoding for name, verdict, _ in identify(facts)}
        self.assertEqual(found, {names[0]: "srgb", names[1]: "linear"})

    def test_a_grey_map_whose_name_says_two_things_is_doubted(self) -> None:
        with folder() as root:
            name = "metal_roughness_inverted.png"
            ((_, verdict, _),) = identify({name: facts_of(save(root / name, noise(64, 3, 1)))})
        self.assertLess(verdict.confidence, 0.5)
        self.assertIn("metallic · roughness", " ".join(verdict.doubts))


class Tiles(TestCase):
    def test_tiles_of_one_layout_are_one_set_and_named(self) -> None:
        # Common practice: 1001 + u + 10 v for the square at (u, v).
        with folder() as root:
            facts = {
                name: facts_of(save(root / name, coloured(32, seed)))
                for seed, name in enumerate(
                    ("ship_albedo.1001.png", "ship_albedo.1002.png", "ship_albedo.1011.png")
                )
            }
        found = {name: (set_name, verdict) for name, verdict, set_name in identify(facts)}
        self.assertEqual({set_name for set_name, _ in found.values()}, {"ship"})
        for name, (_, verdict) in found.items():
            self.assertIn(f"tile {name.split('.')[1]}", " ".join(verdict.evidence))
            self.assertEqual(verdict.role, "base_color")
