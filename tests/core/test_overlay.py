"""Two meshes over each other: what is tinted, by known places."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from ektopos.trial.overlay import ELSEWHERE, ONLY_ARRIVED, ONLY_MEANT, overlay
from tests.samples import quads

FRONT = (0.0, 0.0, 1.0)
SIDE = 96


def tinted(picture: np.ndarray, tint: tuple[float, float, float]) -> np.ndarray:
    """Where a picture has a tint, however dark."""
    unit = picture / np.maximum(np.linalg.norm(picture, axis=2, keepdims=True), 1e-6)
    return np.asarray(np.linalg.norm(unit - tint / np.linalg.norm(tint), axis=2) < 0.05)


class Overlay(TestCase):
    def setUp(self) -> None:
        self.mesh = quads({"A": 1})

    def shares(self, other: np.ndarray) -> list[float]:
        picture = overlay(self.mesh, replace(self.mesh, positions=other), FRONT, SIDE)
        return [float(tinted(picture, t).mean()) for t in (ONLY_MEANT, ONLY_ARRIVED, ELSEWHERE)]

    def test_the_same_shape_is_grey(self) -> None:
        self.assertEqual(self.shares(self.mesh.positions), [0.0, 0.0, 0.0])
        again = self.mesh.positions + 1e-7
        self.assertEqual(self.shares(again), [0.0, 0.0, 0.0])

    def test_half_beside_it(self) -> None:
        # A square moved sideways by half its width: a third of all that is seen is each one's own.
        wide = float(np.ptp(self.mesh.positions[:, 0]))
        meant, arrived, apart = self.shares(self.mesh.positions + np.array((wide / 2, 0, 0)))
        self.assertAlmostEqual(meant, arrived, delta=0.01)
        self.assertGreater(meant, 0.05)
        self.assertEqual(apart, 0.0)

    def test_nearer_is_elsewhere(self) -> None:
        wide = float(np.ptp(self.mesh.positions[:, 0]))
        _, _, apart = self.shares(self.mesh.positions + np.array((0, 0, wide / 20)))
        self.assertGreater(apart, 0.2)

    def test_nothing_arrived(self) -> None:
        empty = replace(
            self.mesh,
            triangles=self.mesh.triangles[:0],
            triangle_slot=self.mesh.triangle_slot[:0],
        )
        picture = overlay(self.mesh, empty, FRONT, SIDE)
        self.assertGreater(tinted(picture, ONLY_MEANT).mean(), 0.2)
        self.assertTrue(np.isfinite(overlay(empty, empty, FRONT, SIDE)).all())
