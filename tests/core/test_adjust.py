"""Adjustments against exact arithmetic, tables against the float path, layers, and what is clipped."""

from __future__ import annotations

import json
from fractions import Fraction
from unittest import TestCase

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ektopos.base.errors import EktoposError
from ektopos.document import Feed, Layer, Mask
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.images import Image
from ektopos.materials import MapLoader, adjust, resolve_input
from ektopos.materials.adjust import clipped
from ektopos.materials.resolve import Decoded, feed_problem, feed_result
from ektopos.project import open_project
from tests.samples import folder, noise, project, project_folder, save

numbers = st.floats(-2, 2).map(lambda v: round(v, 3))
chains = st.fixed_dictionaries(
    {
        "invert": st.booleans(),
        "range_in": st.tuples(st.floats(0, 0.4), st.floats(0.6, 1)).map(
            lambda p: tuple(round(v, 3) for v in p)
        ),
        "contrast": numbers,
        "pivot": st.floats(0, 1).map(lambda v: round(v, 3)),
        "multiply": numbers,
        "offset": numbers,
        "range": st.tuples(numbers, numbers),
    }
)


def exactly(code: int, chain: dict) -> Fraction:
    """The chain in rational arithmetic (gamma, which is irrational, apart)."""
    v = Fraction(code, 255)
    f = {k: Fraction(str(x)) if not isinstance(x, (tuple, bool)) else x for k, x in chain.items()}
    if f["invert"]:
        v = 1 - v
    low, high = (Fraction(str(x)) for x in f["range_in"])
    v = min(max((v - low) / (high - low), Fraction(0)), Fraction(1))
    v = f["pivot"] + (v - f["pivot"]) * f["contrast"]
    v = v * f["multiply"] + f["offset"]
    low, high = (Fraction(str(x)) for x in f["range"])
    return min(max(low + v * (high - low), Fraction(0)), Fraction(1))


class Chains(TestCase):
    @settings(max_examples=60, deadline=None)
    @given(chains)
    def test_no_chain_is_half_a_step_from_exact_arithmetic(self, chain: dict) -> None:
        codes = np.arange(256)
        got = adjust((codes / 255).astype(np.float32), Feed(map="m", **chain), "roughness") * 255
        for code in (0, 1, 77, 128, 200, 255):
            self.assertLess(abs(float(got[code]) - float(exactly(code, chain) * 255)), 0.5)

    @settings(max_examples=8, deadline=None)
    @given(chains, st.floats(0.3, 3).map(lambda v: round(v, 2)))
    def test_the_table_equals_the_float_path_within_half_a_step(
        self, chain: dict, gamma: float
    ) -> None:
        feed = {"map": "tile_gloss", "channels": "r", "gamma": gamma, **chain}
        with folder() as root:
            project_folder(root)
            path = root / "test.ektopos.json"
            document = json.loads(path.read_text())
            document["materials"] = {"m": {"inputs": {"roughness": feed}}}
            document["meshes"] = {}
            path.write_text(json.dumps(document))
            with open_project(root) as opened:
                export_package(opened, find_profile("gltf-split"), root / "out")
                packed = cv2.imread(str(root / "out/textures/m_ORM.png"))[..., 1].astype(float)
                exact = (
                    resolve_input(MapLoader(opened), {"roughness": Feed(**feed)}, "roughness") * 255
                )
        if packed.shape == (4, 4):  # One value all over is written small.
            self.assertLess(float(np.ptp(exact)), 1.0)
            packed = packed[0, 0]
        self.assertLessEqual(np.abs(packed - exact).max(), 0.502)

    def test_gamma_hue_saturation_and_brightness(self) -> None:
        half = np.array([0.25], np.float32)
        self.assertAlmostEqual(
            float(adjust(half, Feed(map="m", gamma=0.5), "roughness")[0]), 0.5, places=6
        )
        red = np.array([[1.0, 0.0, 0.0]], np.float32)
        np.testing.assert_allclose(
            adjust(red, Feed(map="m", hue=120.0), "base_color"), [[0, 1, 0]], atol=1e-6
        )
        np.testing.assert_allclose(
            adjust(red, Feed(map="m", saturation=0.0), "base_color"), [[0.2126] * 3], atol=1e-4
        )
        grey = np.full((1, 3), 0.4, np.float32)
        np.testing.assert_allclose(
            adjust(grey, Feed(map="m", hue=77.0, saturation=1.7), "base_color"), grey, atol=1e-6
        )
        np.testing.assert_allclose(
            adjust(grey, Feed(map="m", brightness=0.5), "base_color"), 0.2, atol=1e-6
        )

    def test_how_much_clips_is_said(self) -> None:
        ramp = np.linspace(0, 1, 1001, dtype=np.float32)
        self.assertAlmostEqual(clipped(ramp, Feed(map="m", range_in=(0.25, 1.0))), 0.25, places=2)
        self.assertAlmostEqual(clipped(ramp, Feed(map="m", multiply=2.0)), 0.5, places=2)
        self.assertEqual(clipped(ramp, Feed(map="m", invert=True, range=(0.2, 0.8))), 0.0)


def layered(name: str, feed: Feed, **maps: np.ndarray) -> np.ndarray:
    def find(key: str) -> Decoded:
        return Decoded(Image(maps[key]), "linear", "+")

    return feed_result(feed, name, find)  # type: ignore[arg-type]


class Layers(TestCase):
    def test_occlusion_darkens_base_colour(self) -> None:
        base, dark = noise(16, 1), noise(16, 2, 1)
        feed = Feed(
            map="base", channels="rgb", layers=[Layer(map="dark", channels="r", op="multiply")]
        )
        wanted = base / 255 * (dark / 255)
        np.testing.assert_allclose(
            layered("base_color", feed, base=base, dark=dark), wanted, atol=1e-6
        )

    def test_dirt_lies_where_its_mask_says(self) -> None:
        base, mask = noise(16, 1), noise(16, 3, 1)
        dirt = Layer(
            value=(0.1, 0.05, 0.0), op="mix", amount=0.5, mask=Mask(map="mask", invert=True)
        )
        got = layered(
            "base_color", Feed(map="base", channels="rgb", layers=[dirt]), base=base, mask=mask
        )
        share = 0.5 * (1 - mask / 255)
        np.testing.assert_allclose(
            got, base / 255 * (1 - share) + np.array([0.1, 0.05, 0.0]) * share, atol=1e-6
        )

    def test_layers_go_first_to_last_and_end_clipped(self) -> None:
        feed = Feed(value=0.5, layers=[Layer(value=0.9, op="add"), Layer(value=0.5, op="multiply")])
        self.assertAlmostEqual(float(layered("roughness", feed)[0, 0]), 0.5)

    def test_a_detail_normal_on_a_flat_base_is_the_detail(self) -> None:
        detail = (
            np.round((np.array([0.6, 0.0, 0.8]) * 0.5 + 0.5) * 255)
            .astype(np.uint8)
            .reshape(1, 1, 3)
        )
        feed = Feed(value=(0, 0, 1), layers=[Layer(map="detail", channels="rgb", op="normal")])
        np.testing.assert_allclose(
            layered("normal", feed, detail=detail)[0, 0], [0.6, 0.0, 0.8], atol=0.01
        )

    def test_layers_of_another_size_are_brought_to_the_map(self) -> None:
        feed = Feed(map="base", channels="r", layers=[Layer(map="small", op="multiply")])
        self.assertEqual(
            layered("roughness", feed, base=noise(32, 1, 1), small=noise(8, 2, 1)).shape, (32, 32)
        )

    def test_layers_that_do_not_fit_are_said_and_packages_carry_those_that_do(self) -> None:
        with project() as opened:
            wrong = Feed(map="tile_orm", channels="g", layers=[Layer(map="tile_nrm", op="normal")])
            self.assertIn("does not fit", feed_problem(opened.document, wrong, "roughness") or "")
            with self.assertRaises(EktoposError):
                resolve_input(MapLoader(opened), {"roughness": wrong}, "roughness")
        with folder() as root:
            project_folder(root)
            save(root / "maps/dirt.png", noise(32, 8, 1))
            path = root / "test.ektopos.json"
            document = json.loads(path.read_text())
            document["maps"]["dirt"] = {"file": "maps/dirt.png"}
            layer = {"map": "dirt", "op": "multiply", "amount": 0.7}
            document["materials"]["tile"]["inputs"]["roughness"]["layers"] = [layer]
            document["materials"]["tile"]["inputs"]["base_color"]["layers"] = [layer]
            path.write_text(json.dumps(document))
            with open_project(root) as opened:
                from ektopos.trial.compare import run_trial

                export_package(opened, find_profile("gltf-glb"), root / "out")
                self.assertTrue(
                    run_trial(opened, root / "out", find_profile("gltf-glb"), renders=False).passed
                )
