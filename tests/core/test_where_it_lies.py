"""Where a material lies: the texels that its islands show, how far they are carried on, and UVs
that came another way."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ektopos.document import UvTransform
from ektopos.export.profile import Profile
from ektopos.images import covered_share, keep_coverage, nearest_covered
from ektopos.materials.texel_coverage import transform_uvs, with_transform
from ektopos.meshes.uvs import covered_texels
from tests.core.test_rules import LOOSE
from tests.samples import quads

SQUARE = np.array([[[0, 0], [1, 0], [1, 1]], [[0, 0], [1, 1], [0, 1]]], float)


class Texels(TestCase):
    def test_half_a_square_covers_half_of_any_map(self) -> None:
        for width, height in ((8, 8), (64, 16), (16, 64), (7, 13)):
            shown = covered_texels(SQUARE * [0.5, 1.0], width, height)
            assert shown is not None
            self.assertEqual(shown.shape, (height, width))
            np.testing.assert_array_equal(
                shown, np.tile(np.arange(width) + 0.5 < width / 2, (height, 1))
            )

    def test_other_squares_count_as_the_first_and_tiling_shows_all(self) -> None:
        first, third = (covered_texels(SQUARE * 0.5 + shift, 16, 16) for shift in (0, 3))
        np.testing.assert_array_equal(first, third)
        self.assertIsNone(covered_texels(SQUARE * 2, 16, 16))
        self.assertIsNone(covered_texels(np.zeros((0, 3, 2)), 16, 16))
        self.assertIsNone(covered_texels(np.full((1, 3, 2), np.nan), 16, 16))

    @settings(max_examples=50, deadline=None)
    @given(st.integers(1, 20), st.integers(1, 20), st.integers(0, 6), st.integers(0, 99))
    def test_every_texel_takes_the_nearest_within_reach_and_no_other(
        self, width: int, height: int, reach: int, seed: int
    ) -> None:
        covered = np.random.default_rng(seed).random((height, width)) < 0.1
        found = nearest_covered(covered, reach)
        own = np.arange(covered.size).reshape(covered.shape)
        if not covered.any():
            np.testing.assert_array_equal(found, own)
            return
        rows, columns = np.nonzero(covered)
        y, x = np.divmod(own.ravel(), width)
        distance = (
            np.hypot(y[:, None] - rows, x[:, None] - columns).min(axis=1).reshape(covered.shape)
        )
        taken = np.hypot(y - found.ravel() // width, x - found.ravel() % width).reshape(
            covered.shape
        )
        np.testing.assert_array_equal(found[covered], own[covered])
        # The distances are OpenCV's, exact to about a twentieth of themselves.
        near, far = distance <= 0.95 * reach, distance > 1.06 * reach + 1e-6
        np.testing.assert_allclose(taken[near], distance[near], rtol=0.1)
        np.testing.assert_array_equal(found[far], own[far])

    @settings(max_examples=50, deadline=None)
    @given(st.floats(0.05, 0.95), st.floats(0.05, 0.95), st.integers(0, 99))
    def test_coverage_is_that_which_is_wanted(
        self, cutoff: float, wanted: float, seed: int
    ) -> None:
        opacity = np.random.default_rng(seed).random((40, 40)).astype(np.float32)
        kept = keep_coverage(opacity, cutoff, wanted)
        self.assertAlmostEqual(
            covered_share(kept, np.float32(cutoff)), wanted, delta=1 / 1600 + 1e-9
        )
        np.testing.assert_array_equal(
            np.argsort(kept, axis=None)[:10], np.argsort(opacity, axis=None)[:10]
        )


class Uvs(TestCase):
    TURNED = UvTransform(tiling=(2.0, 3.0), offset=(0.25, 0.5), rotation=0.3)

    def test_only_the_slot_itself_is_moved(self) -> None:
        mesh = quads({"A": 1, "B": 1})
        joined = replace(
            mesh, triangles=mesh.triangles % 4
        )  # both slots share the first four vertices
        moved = with_transform(joined, "A", self.TURNED)
        of = lambda m, slot: m.corner_uvs()[m.triangle_slot == slot]  # noqa: E731
        np.testing.assert_allclose(
            of(moved, 0), transform_uvs(of(joined, 0), self.TURNED), atol=1e-6
        )
        np.testing.assert_array_equal(of(moved, 1), of(joined, 1))
        np.testing.assert_array_equal(
            moved.positions[moved.triangles], joined.positions[joined.triangles]
        )

    def test_mesh_rules_are_read_and_kept(self) -> None:
        rules = Profile.model_validate(LOOSE | {"mesh": {"uv_transform": "baked"}})
        self.assertEqual(
            Profile.model_validate(rules.model_dump(mode="json", by_alias=True)), rules
        )
        with self.assertRaises(ValueError):
            Profile.model_validate(LOOSE | {"mesh": {"sideways": True}})
