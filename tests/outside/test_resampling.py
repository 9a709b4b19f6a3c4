"""Pictures at other sizes: what is averaged, what is interpolated, what lies beyond the borders, and
what of a colour counts.

References: Pillow's box and bilinear filters, SciPy's `ndimage` with its borders, and sums by hand;
the trial's own resampling is a second one."""

from __future__ import annotations

import json
from unittest import TestCase

import numpy as np
from PIL import Image as Pillow
from scipy import ndimage

from ektopos.export.profile import Profile, built_in_profiles
from ektopos.export.write_package import export_package
from ektopos.images import covered_share, keep_coverage, resize, shrink_seen
from ektopos.project import open_project
from ektopos.trial.compare import run_trial
from ektopos.trial.resampling import resampled
from tests.core.test_rules import wrong
from tests.samples import folder, noise, project_folder, save


def plane(height: int, width: int, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).random((height, width)).astype(np.float32)


class Sizes(TestCase):
    def test_areas_are_averaged(self) -> None:
        values = plane(36, 50)
        for width, height in ((25, 18), (10, 9), (50, 12), (1, 1)):
            box = Pillow.Resampling.BOX
            wanted = np.asarray(Pillow.fromarray(values).resize((width, height), box))
            np.testing.assert_allclose(resize(values, width, height), wanted, atol=2e-5)
        for width, height in ((7, 11), (49, 35), (13, 36)):
            # By hand: each texel cut into as many as the other size has, and these summed.
            fine = values.repeat(height, axis=0).repeat(width, axis=1)
            wanted = fine.reshape(height, 36, width, 50).mean(axis=(1, 3))
            for found in (
                resize(values, width, height),
                resampled(values, "roughness", width, height),
            ):
                np.testing.assert_allclose(found, wanted, atol=2e-5)

    def test_borders_repeat_clamp_and_mirror_as_scipy_has_them(self) -> None:
        values = plane(6, 5)
        rows, columns = np.meshgrid(
            (np.arange(24) + 0.5) / 4 - 0.5, (np.arange(15) + 0.5) / 3 - 0.5, indexing="ij"
        )
        for wrap, mode in (("repeat", "grid-wrap"), ("clamp", "nearest"), ("mirror", "reflect")):
            wanted = ndimage.map_coordinates(values, [rows, columns], order=1, mode=mode)
            for found in (
                resize(values, 15, 24, (wrap, wrap)),
                resampled(values, "roughness", 15, 24, wrap=(wrap, wrap)),
            ):
                np.testing.assert_allclose(found, wanted, atol=1e-5)

    def test_one_side_up_and_the_other_down(self) -> None:
        values = plane(8, 4)
        down = values.reshape(4, 2, 4).mean(axis=1)
        wanted = ndimage.map_coordinates(
            down,
            np.meshgrid(np.arange(4), (np.arange(12) + 0.5) / 3 - 0.5, indexing="ij"),
            order=1,
            mode="nearest",
        )
        np.testing.assert_allclose(resize(values, 12, 4), wanted, atol=1e-5)
        np.testing.assert_allclose(resampled(values, "roughness", 12, 4), wanted, atol=1e-5)


class Seen(TestCase):
    def test_what_lies_under_holes_does_not_bleed(self) -> None:
        colour, opacity = np.zeros((8, 8, 3), np.float32), plane(8, 8)
        opacity = (opacity > 0.6).astype(np.float32)
        colour[opacity > 0] = [0.1, 0.6, 0.2]
        for found in (
            shrink_seen(colour, opacity, 4, 4),
            resampled(colour, "base_color", 4, 4, seen=opacity),
        ):
            partly = resize(opacity, 4, 4) > 0
            np.testing.assert_allclose(
                found[partly],
                np.tile(np.float32([0.1, 0.6, 0.2]), (int(partly.sum()), 1)),
                atol=1e-6,
            )

    def test_coverage_is_kept_also_where_texels_are_alike(self) -> None:
        rng = np.random.default_rng(2)
        for levels in (2, 4, 256):
            opacity = (rng.integers(0, levels, (64, 64)) / (levels - 1)).astype(np.float32)
            share = covered_share(opacity, 0.5)
            small = keep_coverage(resize(opacity, 32, 32), 0.5, share)
            stored = np.round(small * 255) / 255
            self.assertAlmostEqual(covered_share(stored.astype(np.float32), 0.5), share, delta=0.01)

    def test_a_cut_out_and_a_tiled_map_pass_a_trial_at_half_the_size(self) -> None:
        base = built_in_profiles()["gltf-split"].model_dump(mode="json", by_alias=True)
        rules = Profile.model_validate(base | {"id": "own", "halve": 1})
        with folder() as root:
            project_folder(root / "in")
            # A smaller map beside a larger one is enlarged: its borders are those of its wrapping.
            save(root / "in/maps/tile_gloss.png", noise(16, 4, 1)[..., 0].astype(np.uint16) * 257)
            path = root / "in/test.ektopos.json"
            document = json.loads(path.read_text())
            document["materials"]["tile_dull"]["wrap"] = ["mirror", "repeat"]
            path.write_text(json.dumps(document))
            with open_project(root / "in") as opened:
                export_package(opened, rules, root / "out")
                self.assertEqual(wrong(run_trial(opened, root / "out", rules)), [])
