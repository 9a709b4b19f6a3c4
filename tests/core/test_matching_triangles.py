"""Triangles of two meshes found in each other: what is only re-ordered costs a sort, not a search."""

from unittest import mock

import numpy as np
from django.test import SimpleTestCase

from ektopos.trial.matching import match_triangles


def scattered(count: int = 500) -> np.ndarray:
    """Triangles anywhere in a cube of a metre, `(count, 3, 3)`, zeros of both signs among them."""
    corners = np.random.default_rng(4).uniform(-0.5, 0.5, (count, 3, 3))
    corners[::7, 1, 2] = 0.0
    corners[::14, 1, 2] = -0.0
    return corners


class Matching(SimpleTestCase):
    def setUp(self) -> None:
        self.one = scattered()
        rng = np.random.default_rng(5)
        self.order = rng.permutation(len(self.one))
        self.other = np.roll(self.one[self.order], 1, axis=1)

    def test_reordered_triangles_are_found_without_a_search(self) -> None:
        with mock.patch("scipy.spatial.cKDTree", side_effect=AssertionError("searched")):
            match = match_triangles(self.one, self.other, 1e-6)
        assert match is not None
        np.testing.assert_array_equal(match.order, np.argsort(self.order))
        np.testing.assert_array_equal(match.of(self.other), self.one)

    def test_either_zero_is_the_same_place(self) -> None:
        with mock.patch("scipy.spatial.cKDTree", side_effect=AssertionError("searched")):
            self.assertIsNotNone(match_triangles(self.one, self.other + 0.0, 1e-6))

    def test_triangles_that_moved_a_little_are_searched_for(self) -> None:
        match = match_triangles(self.one, self.other + 4e-7, 1e-6)
        assert match is not None
        np.testing.assert_array_equal(match.order, np.argsort(self.order))

    def test_one_that_moved_too_far_or_faces_away_has_no_fellow(self) -> None:
        self.other[3] += 0.01
        self.assertIsNone(match_triangles(self.one, self.other, 1e-6))
        self.other[3] -= 0.01
        self.other[8] = self.other[8, ::-1]
        self.assertIsNone(match_triangles(self.one, self.other, 1e-6))

    def test_triangles_smaller_than_the_tolerance_are_not_taken_for_their_neighbours(self) -> None:
        match = match_triangles(self.one, self.other, 5.0)
        assert match is not None
        np.testing.assert_array_equal(match.of(self.other), self.one)

    def test_triangles_on_each_other_are_told_apart_by_their_uvs(self) -> None:
        one = np.concatenate([self.one, self.one])
        uvs = np.random.default_rng(6).random((len(one), 3, 2))
        order = np.random.default_rng(7).permutation(len(one))
        match = match_triangles(one, one[order], 1e-6, (uvs, uvs[order]))
        assert match is not None
        np.testing.assert_array_equal(match.of(uvs[order]), uvs)
