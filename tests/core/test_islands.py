"""Islands, twins and gaps of UVs, on layouts built to have so many and so wide."""

from __future__ import annotations

from unittest import TestCase, mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ektopos.meshes.faults import find_faults
from ektopos.meshes.islands import (
    FINE,
    WELD,
    joined_faces,
    smallest_gap,
    twins,
    uv_islands,
    uv_points,
    weld,
)
from ektopos.meshes.rows import unique_rows
from ektopos.meshes.slots import density_spread, slot_facts
from ektopos.meshes.uvs import signed_areas
from tests.samples import quads


def square(x: float, y: float, side: float, *, mirrored: bool = False) -> np.ndarray:
    """Two triangles, `(2, 3, 2)`."""
    a, b, c, d = (x, y), (x, y + side), (x + side, y + side), (x + side, y)
    corners = np.array([[a, b, c], [a, c, d]], np.float64)
    return corners[:, ::-1] if mirrored else corners


def turned(corners: np.ndarray, degrees: float) -> np.ndarray:
    cos, sin = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return (corners - 0.5) @ np.array([[cos, -sin], [sin, cos]]) + 0.5


class Islands(TestCase):
    def test_faces_that_share_corners_are_one_island(self) -> None:
        layout = np.concatenate(
            [square(0.1, 0.1, 0.2), square(0.3, 0.1, 0.2), square(0.7, 0.1, 0.2)]
        )
        island, count = uv_islands(layout)
        self.assertEqual(count, 2)
        self.assertEqual(island.tolist(), [island[0]] * 4 + [island[4]] * 2)

    def test_nothing_has_no_islands(self) -> None:
        self.assertEqual(joined_faces(np.zeros((0, 3), np.int64))[1], 0)

    @given(st.lists(st.tuples(*[st.integers(0, 2**40)] * 3), min_size=1, max_size=60))
    @settings(max_examples=60, deadline=None)
    def test_equal_rows_are_found_as_numpy_finds_them(
        self, rows: list[tuple[int, int, int]]
    ) -> None:
        """Against `numpy.unique` of whole rows; the numbers are so large that one product of three
        would not fit."""
        table = np.array(rows, np.int64)
        first, group = unique_rows(table)
        np.testing.assert_array_equal(table[first][group], table)
        self.assertEqual(len(first), len(np.unique(table, axis=0)))


class Gaps(TestCase):
    def test_the_gap_is_exact_whatever_way_the_islands_are_turned(self) -> None:
        for gap in (0.2, 0.05, 4 / 1024, 1.5 / 4096):
            for degrees in (0, 17, 45):
                with self.subTest(gap=gap, degrees=degrees):
                    layout = turned(
                        np.concatenate([square(0.2, 0.3, 0.25), square(0.45 + gap, 0.32, 0.2)]),
                        degrees,
                    )
                    self.assertAlmostEqual(
                        smallest_gap(layout, uv_islands(layout)[0]), gap, delta=gap * 0.02 + 1e-5
                    )

    def test_the_smallest_of_many_gaps_is_told(self) -> None:
        layout = np.concatenate(
            [square(x, y, 0.15) for x in (0.05, 0.30, 0.55) for y in (0.05, 0.3, 0.55)]
            + [square(0.9, 0.5513, 0.02)]
        )
        layout = np.concatenate([layout, square(0.7 + 0.003, 0.62, 0.05)])
        self.assertAlmostEqual(smallest_gap(layout, uv_islands(layout)[0]), 0.003, delta=1e-5)

    def test_a_corner_that_meets_an_edge_is_measured_across(self) -> None:
        corner = turned(square(0.4, 0.4, 0.2), 45)
        reach = 0.5 + 0.1 * np.sqrt(2)
        layout = np.concatenate([corner, square(reach + 0.01, 0.3, 0.2)])
        self.assertAlmostEqual(smallest_gap(layout, uv_islands(layout)[0]), 0.01, delta=2e-5)

    def test_overlap_leaves_no_gap_and_twins_count_as_one(self) -> None:
        apart = np.concatenate([square(0.1, 0.1, 0.3), square(0.6, 0.1, 0.3)])
        across = np.concatenate([apart, square(0.3, 0.2, 0.2)])
        self.assertEqual(smallest_gap(across, uv_islands(across)[0]), 0.0)
        stacked = np.concatenate([apart, square(0.6, 0.1, 0.3, mirrored=True)])
        labels = np.array([0, 0, 1, 1, 2, 2], np.int32)
        self.assertAlmostEqual(smallest_gap(stacked, labels), 0.2, delta=1e-4)

    def test_one_island_has_no_gap(self) -> None:
        layout = square(0.1, 0.1, 0.5)
        self.assertIsNone(smallest_gap(layout, uv_islands(layout)[0]))


class Twins(TestCase):
    def test_mirrored_and_stacked_faces_are_told_apart_and_from_accidents(self) -> None:
        half = square(0.1, 0.1, 0.4)
        for other, shares in (
            (square(0.1, 0.1, 0.4, mirrored=True), (0.0, 0.5)),
            (half, (0.5, 0.0)),
            (square(0.3, 0.1, 0.4), (0.0, 0.0)),  # an accident lies next to, not on
        ):
            layout = np.concatenate([half, other])
            self.assertEqual(twins(signed_areas(layout), uv_points(layout)), shares)


class Density(TestCase):
    def test_the_spread_leaves_a_tenth_of_the_area_on_either_side(self) -> None:
        areas = np.ones(100)
        density = np.linspace(1.0, 2.0, 100)
        low, high = density_spread(areas, density**2)
        self.assertAlmostEqual(low, 1.1, delta=0.02)
        self.assertAlmostEqual(high, 1.9, delta=0.02)
        self.assertIsNone(density_spread(np.zeros(3), np.ones(3)))


class Touching(TestCase):
    def test_islands_that_touch_in_a_point_are_two(self) -> None:
        corners = np.array(
            [[[0.0, 0.0], [0.5, 0.0], [0.5, 0.5]], [[0.5, 0.5], [1.0, 0.5], [1.0, 1.0]]]
        )
        self.assertEqual(uv_islands(corners)[1], 2)
        joined = np.concatenate([corners, [[[0.5, 0.5], [0.5, 0.0], [1.0, 0.5]]]])
        self.assertEqual(uv_islands(joined)[1], 1)

    def test_points_are_one_by_their_distance_wherever_they_lie(self) -> None:
        # A grid would part points that lie on both sides of one of its lines.
        rng = np.random.default_rng(5)
        places = rng.random((400, 3))
        places = np.concatenate([[[0.0, 0, 0], [1.0, 1, 1]], places])
        near = places + rng.uniform(-0.2, 0.2, places.shape) * WELD
        point = weld(np.concatenate([places, near]))
        np.testing.assert_array_equal(point[: len(places)], point[len(places) :])
        self.assertEqual(len(np.unique(point)), len(places))

    def test_welding_agrees_with_every_distance_measured(self) -> None:
        rng = np.random.default_rng(6)
        seeds = rng.uniform(-50.0, 50.0, (60, 3)) * [1.0, 0.0, 0.3]
        positions = (seeds[:, None] + rng.uniform(-2, 2, (60, 5, 3)) * WELD * 100).reshape(-1, 3)
        reach = WELD * np.ptp(positions, axis=0).max()
        apart = np.linalg.norm(positions[:, None] - positions[None], axis=2)
        near, perhaps = apart <= reach, apart <= reach * (1.0 + 4.0 / FINE)
        for _ in range(9):  # Chains of neighbours are one point: closed by squaring.
            near, perhaps = near @ near, perhaps @ perhaps
        point = weld(positions)
        one = point[:, None] == point[None]
        self.assertTrue((one >= near).all())
        self.assertTrue((one <= perhaps).all())
        self.assertGreater(len(np.unique(point)), 60)

    def test_uvs_without_end_are_those_of_no_triangle(self) -> None:
        mesh = quads({"One": 2})
        mesh.uvs[0] = np.inf
        mesh.uvs[5] = np.nan
        (facts,) = slot_facts(mesh)
        self.assertEqual((facts.triangles, facts.uv.max), (4, (1.0, 1.0)))

    def test_a_mesh_is_welded_once_for_all_that_is_measured_of_it(self) -> None:
        mesh = quads({"One": 3, "Two": 2})
        with mock.patch("ektopos.meshes.mesh.weld", wraps=weld) as welded:
            slot_facts(mesh)
            find_faults(mesh)
        self.assertEqual(welded.call_count, 1)
