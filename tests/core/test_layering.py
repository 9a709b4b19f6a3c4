"""Materials over materials, and layers with a place of their own, by values that follow from what
they are made of."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.base.vectors import decode_normals
from ektopos.checks import run_checks
from ektopos.document import Feed, MaterialEntry, UvTransform, parse
from ektopos.edits import RemoveMaps, RemoveMaterial, RenameMaterial, SetSetting
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.images import srgb_to_linear
from ektopos.materials import MapLoader, probe, surface_of
from ektopos.materials.compositing import composite, feed_size, flat_size
from ektopos.materials.resolve import resolve_feed, resolve_input
from ektopos.project import OpenProject
from ektopos.trial.compare import run_trial
from tests.samples import folder, normals_of, project, save

SIDE = 32
HALF = np.zeros((SIDE, SIDE, 1), np.uint8)
HALF[:, SIDE // 2 :] = 255
"""Black on the left, white on the right."""
SPOTS = np.random.default_rng(4).integers(0, 256, (SIDE, SIDE, 3), np.uint8)


def smooth_height(side: int = 64) -> np.ndarray:
    """A height field that repeats."""
    y, x = np.mgrid[:side, :side] * 2 * np.pi / side
    return np.asarray(0.5 + 0.2 * np.sin(x) + 0.1 * np.cos(2 * y) * np.sin(x), np.float32)


class Covers(TestCase):
    def setUp(self) -> None:
        self.enterContext_ = project()
        self.opened: OpenProject = self.enterContext_.__enter__()
        self.addCleanup(self.enterContext_.__exit__, None, None, None)
        root = self.opened.path("maps/tile_orm.png").parent
        save(root / "half.png", HALF)
        save(root / "spots.png", SPOTS)
        save(root / "bumps.png", normals_of(smooth_height(), 16.0))
        maps = {
            "half": {"file": "maps/half.png", "roles": {"r": "mask"}},
            "spots": {"file": "maps/spots.png", "encoding": "srgb"},
            "bumps": {"file": "maps/bumps.png", "roles": {"rgb": "normal"}, "normal_y": "+"},
        }
        kept = json.loads(self.opened.document.model_dump_json(by_alias=True, exclude_none=True))
        document = kept | {
            "maps": kept["maps"] | maps,
            "materials": {
                "wall": {
                    "inputs": {
                        "base_color": {"map": "spots", "channels": "rgb"},
                        "roughness": {"value": 0.8},
                    },
                    "uv": {"tiling": [2.0, 2.0]},
                    "covers": [{"material": "moss", "mask": {"map": "half"}}],
                },
                "moss": {
                    "inputs": {
                        "base_color": {"value": [0.1, 0.4, 0.05]},
                        "roughness": {"value": 0.3},
                        "normal": {"map": "bumps", "channels": "rgb", "strength": 0.5},
                    }
                },
            },
            "meshes": {
                "plates": kept["meshes"]["plates"]
                | {"slots": {"Front": "wall", "Back": "moss", "Bare": None}}
            },
        }
        self.opened = replace(
            self.opened, document=parse(type(self.opened.document), document, "test")
        )

    def change(self, name: str, **changed: Any) -> None:
        entry = self.opened.document.materials[name]
        raw = entry.model_dump(mode="json", by_alias=True, exclude_none=True) | changed
        self.opened.document.materials[name] = parse(MaterialEntry, raw, name)

    def value(self, name: str) -> np.ndarray:
        whole = surface_of(self.opened.document, "wall")
        return np.asarray(resolve_input(MapLoader(self.opened), whole.feeds, name))  # type: ignore[arg-type]

    def test_one_picture_on_the_mesh_s_own_uvs(self) -> None:
        colour = self.value("base_color")
        self.assertEqual(colour.shape, (2 * SIDE, 2 * SIDE, 3))
        wanted = np.tile(srgb_to_linear(SPOTS.astype(np.float32) / 255), (2, 2, 1))
        left, right = slice(0, SIDE - 4), slice(SIDE + 4, 2 * SIDE - 4)
        np.testing.assert_allclose(colour[:, left][:, 4:], wanted[:, left][:, 4:], atol=1e-6)
        np.testing.assert_allclose(
            colour[:, right], np.float32([0.1, 0.4, 0.05]) + 0 * colour[:, right], atol=1e-6
        )
        roughness = self.value("roughness")
        self.assertAlmostEqual(float(roughness[0, 6]), 0.8, places=6)
        self.assertAlmostEqual(float(roughness[0, -6]), 0.3, places=6)
        whole = surface_of(self.opened.document, "wall")
        self.assertTrue(whole.placement("base_color").uv.is_identity)
        # What neither of them feeds stays a constant.
        self.assertEqual(whole.feeds["occlusion"].laid, [])

    def test_a_mask_s_edge_and_amount(self) -> None:
        mask = {"map": "half", "invert": True}
        self.change("wall", covers=[{"material": "moss", "mask": mask, "amount": 0.5}])
        roughness = self.value("roughness")
        self.assertAlmostEqual(float(roughness[0, 6]), 0.55, places=6)
        self.assertAlmostEqual(float(roughness[0, -6]), 0.8, places=6)
        self.change(
            "wall",
            covers=[{"material": "moss", "mask": {"map": "spots", "contrast": 1e6, "pivot": 0.25}}],
        )
        self.assertEqual(
            set(np.float32([0.3, 0.8]).tolist()), set(np.unique(self.value("roughness")).tolist())
        )

    def test_the_cover_s_strength_counts_before_it_is_laid(self) -> None:
        normal = self.value("normal")
        flat = normal[:, 6 : SIDE // 2]
        np.testing.assert_allclose(flat, np.broadcast_to([0, 0, 1], flat.shape), atol=1e-6)
        bumps = decode_normals(normals_of(smooth_height(), 16.0) / np.float32(255), "+")
        bumps = bumps / np.linalg.norm(bumps, axis=2, keepdims=True)
        half = bumps * [0.5, 0.5, 1.0]
        half /= np.linalg.norm(half, axis=2, keepdims=True)
        right = slice(40, 60)
        np.testing.assert_allclose(normal[:, right], half[:, right], atol=1e-5)

    def test_a_see_through_cover_covers_where_it_is_solid(self) -> None:
        self.change(
            "moss",
            alpha_mode="mask",
            inputs={"base_color": {"value": [0.1, 0.4, 0.05]}, "opacity": {"map": "half"}},
        )
        self.change("wall", covers=[{"material": "moss"}])
        colour = self.value("base_color")
        self.assertAlmostEqual(float(colour[0, -6, 1]), 0.4, places=6)
        self.assertNotAlmostEqual(float(colour[0, 6, 1]), 0.4, places=3)
        self.assertEqual(self.value("opacity").tolist(), [[1.0]])

    def test_the_probe_says_what_lies_there(self) -> None:
        whole = surface_of(self.opened.document, "wall")
        for u in (0.2, 0.8):
            read = probe(self.opened.document, whole, [(u, 0.37)], MapLoader(self.opened).find)
            colour = next(r for r in read if r.input == "base_color")
            there = self.value("base_color")[int(0.37 * 64), int(u * 64)]
            np.testing.assert_allclose(colour.value, there, atol=1e-5)
            self.assertIn("half", {t.map for t in colour.traces})
            self.assertIn("spots", {t.map for t in colour.traces})

    def test_it_leaves_as_one_picture_and_arrives(self) -> None:
        for target in ("gltf-glb", "orm-y-minus", "spec-gloss", "usdz"):
            with self.subTest(target), folder() as out:
                profile = find_profile(target)
                made = export_package(self.opened, profile, out / "p")
                sizes = {(f.width, f.height) for f in made.files if "BaseColor" in f.path}
                self.assertLessEqual(sizes, {(2 * SIDE, 2 * SIDE)})
                trial = run_trial(self.opened, out / "p", profile, renders=target == "gltf-glb")
                wrong = [c for c in trial.cells if c.verdict in ("differs", "lost")]
                self.assertEqual(wrong, [])

    def test_gaps_and_circles_are_said(self) -> None:
        document = self.opened.document
        self.change("moss", covers=[{"material": "wall"}])
        with self.assertRaisesRegex(MissingReference, "circle"):
            surface_of(document, "wall")
        self.change("moss", covers=[])
        self.change("wall", covers=[{"material": "gone"}])
        with self.assertRaisesRegex(MissingReference, "gone"):
            surface_of(document, "wall")
        found = [
            f
            for f in run_checks(self.opened, find_profile("gltf-glb"))
            if f.subject == "material wall"
        ]
        self.assertIn("broken-base", {f.code for f in found})
        self.change("wall", covers=[{"material": "moss", "mask": {"map": "nowhere"}}])
        with self.assertRaises(EktoposError):
            resolve_feed(
                MapLoader(self.opened),
                surface_of(document, "wall").feeds["base_color"],
                "base_color",
            )

    def test_edits_keep_covers_whole(self) -> None:
        document = self.opened.document
        RenameMaterial(material="moss", name="lichen").apply(document)
        (cover,) = document.materials["wall"].covers or ()
        self.assertEqual(cover.material, "lichen")
        with self.assertRaisesRegex(EktoposError, "covers wall"):
            RemoveMaterial(material="lichen").apply(document)
        with self.assertRaisesRegex(EktoposError, "feeds wall"):
            RemoveMaps(maps=["half"]).apply(document)
        RemoveMaps(maps=["half"], with_feeds=True).apply(document)
        self.assertEqual(document.materials["wall"].covers, [])
        with self.assertRaisesRegex(EktoposError, "circle"):
            SetSetting(material="wall", setting="covers", value=[{"material": "wall"}]).apply(
                document.model_copy(deep=True)
            )


class Laying(TestCase):
    def test_normals_turn_with_their_picture(self) -> None:
        # A height field turned by a quarter has the normals that are made of it turned.
        height = smooth_height()
        own = decode_normals(normals_of(height, 6.0) / np.float32(255), "+")
        for quarter in range(4):
            uv = UvTransform(rotation=quarter * np.pi / 2)
            heights = composite(height, "height", uv, ("repeat", "repeat"), 64, 64)
            wanted = decode_normals(normals_of(heights, 6.0) / np.float32(255), "+")
            seen = composite(own, "normal", uv, ("repeat", "repeat"), 64, 64)
            self.assertLess(np.abs(seen - wanted).max(), 0.03, quarter)
        mirrored = UvTransform(tiling=(-1.0, 1.0))
        heights = composite(height, "height", mirrored, ("repeat", "repeat"), 64, 64)
        wanted = decode_normals(normals_of(heights, 6.0) / np.float32(255), "+")
        seen = composite(own, "normal", mirrored, ("repeat", "repeat"), 64, 64)
        self.assertLess(np.abs(seen - wanted).max(), 0.03)

    def test_whole_repeats_are_tiles(self) -> None:
        values = SPOTS.astype(np.float32) / 255
        for tiles in (2, 3):
            uv = UvTransform(tiling=(tiles, tiles))
            laid = composite(
                values, "emission", uv, ("repeat", "repeat"), tiles * SIDE, tiles * SIDE
            )
            np.testing.assert_allclose(laid, np.tile(values, (tiles, tiles, 1)), atol=1e-5)
        shrunk = composite(
            values, "emission", UvTransform(tiling=(2, 2)), ("repeat", "repeat"), SIDE, SIDE
        )
        means = values.reshape(SIDE // 2, 2, SIDE // 2, 2, 3).mean(axis=(1, 3))
        np.testing.assert_allclose(shrunk, np.tile(means, (2, 2, 1)), atol=1e-5)

    def test_beyond_the_border(self) -> None:
        row = np.float32([[0.0, 1.0]])
        uv = UvTransform(tiling=(2.0, 1.0))
        for wrap, wanted in (
            ("repeat", [0, 1, 0, 1]),
            ("clamp", [0, 1, 1, 1]),
            ("mirror", [0, 1, 1, 0]),
        ):
            laid = composite(row, "height", uv, (wrap, wrap), 4, 1)  # type: ignore[arg-type]
            self.assertEqual(laid[0].round(5).tolist(), wanted, wrap)

    def test_sizes_keep_texels_within_bounds(self) -> None:
        tiled = UvTransform(tiling=(4.0, 1.0))
        self.assertEqual(flat_size([((1, 1), tiled)]), (1, 1))
        self.assertEqual(flat_size([((512, 512), UvTransform()), ((256, 256), tiled)]), (1024, 512))
        self.assertEqual(flat_size([((1024, 1024), tiled)]), (2048, 1024))
        self.assertEqual(flat_size([((4096, 4096), tiled)]), (4096, 4096))
        self.assertEqual(feed_size(Feed(value=0.5), lambda name: (9, 9)), (1, 1))

    def test_a_layer_with_a_place_of_its_own(self) -> None:
        with project() as opened:
            feed = {
                "map": "tile_orm",
                "channels": "r",
                "layers": [
                    {
                        "map": "tile_gloss",
                        "channels": "r",
                        "uv": {"tiling": [4.0, 4.0]},
                        "amount": 1.0,
                    }
                ],
            }
            loader = MapLoader(opened)
            values = resolve_feed(loader, parse(Feed, feed, "test"), "roughness")
            gloss = loader.image("tile_gloss").pixels[..., 0].astype(np.float32) / 65535
            means = gloss.reshape(16, 4, 16, 4).mean(axis=(1, 3))
            np.testing.assert_allclose(values, np.tile(means, (4, 4)), atol=1e-4)
