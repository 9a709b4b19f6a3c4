"""UV stretch and density against surfaces that can be worked out by hand.

Source of the measures: Sander, Snyder, Gortler and Hoppe, “Texture Mapping Progressive Meshes”,
2001.
"""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh

from ektopos.meshes import Mesh, slot_facts, triangle_measures
from tests.samples import quads


def patch(place, uv, columns: int = 64, rows: int = 32) -> Mesh:
    """A surface `place(s, t)` with UVs `uv(s, t)` over s and t from 0 to 1, as a grid of triangles
    in one slot."""
    s, t = (
        g.ravel() for g in np.meshgrid(np.linspace(0, 1, columns + 1), np.linspace(0, 1, rows + 1))
    )
    row, column = (
        g.ravel() for g in np.meshgrid(np.arange(rows), np.arange(columns), indexing="ij")
    )
    a = row * (columns + 1) + column
    triangles = np.concatenate(
        [
            np.stack([a, a + 1, a + columns + 2], 1),
            np.stack([a, a + columns + 2, a + columns + 1], 1),
        ]
    )
    positions, uvs = (
        np.stack(place(s, t), 1).astype(np.float64),
        np.stack(uv(s, t), 1).astype(np.float32),
    )
    count = len(positions)
    return replace(
        quads({"A": 1}),
        positions=positions,
        uvs=uvs,
        triangles=triangles.astype(np.int32),
        triangle_slot=np.zeros(len(triangles), np.int32),
        vertex_slot=np.zeros(count, np.int32),
        normals=np.zeros((count, 3), np.float32),
        colours=np.full((count, 4), np.nan, np.float32),
        unnormalised=np.zeros(count, bool),
    )


def cylinder(squeezed: float) -> Mesh:
    """A cylinder of radius 0.4 and height 1.5 rolled out, its picture made narrower by a factor."""
    around = 2 * np.pi * 0.4
    return patch(
        lambda s, t: (0.4 * np.cos(2 * np.pi * s), t * 1.5, 0.4 * np.sin(2 * np.pi * s)),
        lambda s, t: (s * around * squeezed / 3, t * 1.5 / 3),
        96,
    )


def measures(mesh: Mesh) -> tuple[float, float]:
    (facts,) = slot_facts(mesh)
    return facts.uv.l2, facts.uv.linf


class Stretch(TestCase):
    def test_an_unrolled_cylinder_has_none(self) -> None:
        np.testing.assert_allclose(measures(cylinder(1.0)), (1.0, 1.0), rtol=0.002)

    def test_a_cylinder_whose_picture_is_too_narrow(self) -> None:
        """Around squeezed to a half: Γ = 2, γ = 1 at scale 1, so that L2 = √((4 + 1) / 2) / √2 and
        L∞ = 2 / √2."""
        np.testing.assert_allclose(
            measures(cylinder(0.5)), (np.sqrt(2.5) / np.sqrt(2), np.sqrt(2)), rtol=0.02
        )

    def test_a_sheared_plane(self) -> None:
        """Sheared by k: Γ² and γ² are the roots of x² − (2 + k²) x + 1, so that L2 = √(1 + k² / 2)."""
        for k in (0.25, 1.0, 2.0):
            mesh = patch(
                lambda s, t: (s, t, 0 * s), lambda s, t, k=k: ((s + k * t) / 4, t / 4), 8, 8
            )
            largest = np.sqrt((2 + k**2 + k * np.sqrt(k**2 + 4)) / 2)
            np.testing.assert_allclose(measures(mesh), (np.sqrt(1 + k**2 / 2), largest), rtol=1e-4)

    def test_a_cone_rolled_out_and_a_cone_seen_from_above(self) -> None:
        radius, height = 0.5, 1.2
        slant = np.hypot(radius, height)

        def cone(s, t):
            r = radius * (0.05 + 0.95 * t)
            return r * np.cos(2 * np.pi * s), height * (1 - r / radius), r * np.sin(2 * np.pi * s)

        def rolled(s, t):
            angle, r = 2 * np.pi * s * radius / slant, slant * (0.05 + 0.95 * t)
            return 0.5 + r * np.cos(angle) / 4, 0.5 + r * np.sin(angle) / 4

        np.testing.assert_allclose(measures(patch(cone, rolled, 192, 24)), (1.0, 1.0), rtol=0.005)
        # Seen from above only the way down the slope is too short, by the same factor everywhere.
        factor = slant / radius
        above = patch(
            cone, lambda s, t: (0.5 + cone(s, t)[0] / 2, 0.5 + cone(s, t)[2] / 2), 192, 24
        )
        np.testing.assert_allclose(
            measures(above), (np.sqrt((factor**2 + 1) / 2 / factor), np.sqrt(factor)), rtol=0.02
        )

    def test_each_triangle_is_told_apart(self) -> None:
        """Of a plane half of which is squeezed, only that half is stretched, and mirrored UVs run
        against the face."""
        mesh = patch(
            lambda s, t: (s, t, 0 * s),
            lambda s, t: (np.minimum(s, 0.5) + np.maximum(s - 0.5, 0) / 3, t),
            2,
            1,
        )
        stretch = triangle_measures(mesh)["stretch"]
        centre = mesh.corners().mean(axis=1)[:, 0]
        self.assertGreater(stretch[centre > 0.5].min(), stretch[centre < 0.5].max() * 1.5)
        mirrored = triangle_measures(replace(mesh, uvs=mesh.uvs * [1, -1] + [0, 1]))["flipped"]
        self.assertEqual(
            set(mirrored.tolist()) ^ set(triangle_measures(mesh)["flipped"].tolist()), {0.0, 1.0}
        )


class Density(TestCase):
    def test_a_cube_of_two_metres(self) -> None:
        """Each side of 2 m takes a third of the picture: 1/6 of a UV unit a metre, 341.3 texels a
        metre at 2048."""
        mesh = quads({"A": 6}, uv_scale=1 / 3)
        (facts,) = slot_facts(replace(mesh, positions=mesh.positions * 2))
        self.assertAlmostEqual(facts.density, 1 / 6, places=6)
        self.assertAlmostEqual(facts.density * 2048, 341.333, places=2)
        self.assertEqual(facts.spread, (facts.density, facts.density))

    def test_the_spread_of_a_slot_with_two_densities(self) -> None:
        mesh = patch(
            lambda s, t: (s, t, 0 * s),
            lambda s, t: (np.minimum(s, 0.5) + np.maximum(s - 0.5, 0) / 4, t),
            2,
            1,
        )
        low, high = slot_facts(mesh)[0].spread
        self.assertAlmostEqual(high, 1.0, places=5)
        self.assertAlmostEqual(low, 0.5, places=5)

    def test_areas_are_those_trimesh_finds(self) -> None:
        for shape in (
            trimesh.creation.icosphere(subdivisions=4),
            trimesh.creation.torus(1.0, 0.3),
            trimesh.creation.capsule(),
        ):
            mesh = replace(
                quads({"A": 1}),
                positions=np.asarray(shape.vertices),
                triangles=np.asarray(shape.faces, np.int32),
                triangle_slot=np.zeros(len(shape.faces), np.int32),
                uvs=np.zeros((len(shape.vertices), 2), np.float32),
            )
            self.assertAlmostEqual(slot_facts(mesh)[0].area, shape.area, places=9)
