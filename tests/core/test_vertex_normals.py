"""Smooth and flat shading: the normals themselves, and what is kept of them in every package."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh

from ektopos.base.errors import EktoposError
from ektopos.document import Document
from ektopos.document.mesh_steps import Shade, TurnReversed
from ektopos.edits import SetRecipe, apply_edits
from ektopos.export.dropped_features import all_dropped_features
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.meshes import Mesh, apply_recipe, read_mesh
from ektopos.meshes.vertex_normals import corner_normals
from ektopos.project import OpenProject, open_project
from ektopos.trial.compare import run_trial
from tests.samples import folder, quads
from tests.scenes import figure


def of_triangles(vertices: np.ndarray, faces: np.ndarray) -> Mesh:
    """A mesh of one slot, every corner a vertex of its own, without normals."""
    count = 3 * len(faces)
    return replace(
        quads({"A": 1}),
        positions=np.asarray(vertices)[faces].reshape(-1, 3).astype(np.float64),
        triangles=np.arange(count, dtype=np.int32).reshape(-1, 3),
        triangle_slot=np.zeros(len(faces), np.int32),
        vertex_slot=np.zeros(count, np.int32),
        normals=np.zeros((count, 3), np.float32),
        uvs=np.zeros((count, 2), np.float32),
        colours=np.full((count, 4), np.nan, np.float32),
        unnormalised=np.zeros(count, bool),
    )


class Normals(TestCase):
    def test_a_sphere_smoothed_is_a_sphere(self) -> None:
        # The normals of a sphere point away from its middle.
        ball = trimesh.creation.icosphere(subdivisions=3)
        mesh = of_triangles(ball.vertices, ball.faces)
        found = corner_normals(mesh, np.arange(len(ball.faces)), 60.0).reshape(-1, 3)
        away = (found * mesh.positions[mesh.triangles.reshape(-1)]).sum(axis=1)
        self.assertGreater(float(away.min()), np.cos(np.radians(0.6)))

    def test_as_another_library_has_them(self) -> None:
        # Source: trimesh, whose vertex normals are weighted by the angles of the faces, too.
        rng = np.random.default_rng(3)
        ball = trimesh.creation.icosphere(subdivisions=2)
        ball.vertices += rng.normal(0, 0.04, ball.vertices.shape)
        mesh = of_triangles(ball.vertices, ball.faces)
        found = corner_normals(mesh, np.arange(len(ball.faces)), 180.0).reshape(-1, 3)
        wanted = trimesh.geometry.weighted_vertex_normals(
            len(ball.vertices), ball.faces, ball.face_normals, ball.face_angles
        )[ball.faces.reshape(-1)]
        np.testing.assert_allclose(found, wanted, atol=1e-6)

    def test_a_box_stays_sharp_below_its_angle_and_is_round_above(self) -> None:
        box = trimesh.creation.box()
        mesh = of_triangles(box.vertices, box.faces)
        faces = np.arange(12)
        flat = np.repeat(box.face_normals[:, None], 3, axis=1)
        for angle in (0.0, 30.0, 89.0):
            np.testing.assert_allclose(corner_normals(mesh, faces, angle), flat, atol=1e-9)
        # Each side counts with its right angle, however it is cut: corners point along diagonals.
        round_ = corner_normals(mesh, faces, 91.0)
        np.testing.assert_allclose(np.abs(round_), 1 / np.sqrt(3), atol=1e-9)

    def test_a_step_keeps_the_triangles_and_what_it_is_not_for(self) -> None:
        mesh = quads({"A": 2, "B": 1})
        made = apply_recipe(mesh, [Shade(kind="shade", slots=["A"], angle=0)])
        np.testing.assert_array_equal(made.corners(), mesh.corners())
        np.testing.assert_array_equal(made.corner_uvs(), mesh.corner_uvs())
        np.testing.assert_array_equal(made.triangle_slot, mesh.triangle_slot)
        self.assertEqual(len(made.positions), len(mesh.positions), "corners that agree are one")
        with self.assertRaises(EktoposError):
            apply_recipe(mesh, [Shade(kind="shade", slots=["gone"])])


class Packages(TestCase):
    def shaded(self, opened: OpenProject, mesh: str, *steps: Shade | TurnReversed) -> OpenProject:
        raw = read_mesh(opened.path(opened.document.meshes[mesh].file))
        recipe = SetRecipe(mesh=mesh, recipe=list(steps), came_from={s: s for s in raw.slots})
        return replace(opened, document=apply_edits(opened.document, [recipe]))

    def test_what_is_shaded_arrives_so_in_every_kind_of_package(self) -> None:
        # A skinned figure under a scaled and turned node, and a mesh drawn twice by mirrored nodes.
        with folder() as root:
            project = self.project(root)
            for target in ("gltf-glb", "metal-smooth", "usdz"):
                for angle in (0.0, 40.0, 180.0):
                    with self.subTest(target=target, angle=angle):
                        step = Shade(kind="shade", slots=list(self.slots), angle=angle)
                        changed = self.shaded(project, "figure", step)
                        profile = find_profile(target)
                        out = root / f"{target} {angle}"
                        export_package(changed, profile, out)
                        trial = run_trial(changed, out, profile, renders=False)
                        wrong = [
                            (c.slot, c.input, c.cause, c.message)
                            for c in trial.cells
                            if c.verdict in ("differs", "lost")
                        ]
                        self.assertEqual(wrong, [])

    def test_tangents_that_stay_behind_are_said(self) -> None:
        with folder() as root:
            project = self.project(root)
            profile = find_profile("gltf-glb")
            step = Shade(kind="shade", slots=[self.slots[0]])
            said = [
                left.message
                for left in all_dropped_features(self.shaded(project, "figure", step), profile)
            ]
            self.assertTrue(any("Tangents" in text and "shaded" in text for text in said), said)
            self.assertFalse(
                any("Tangents" in left.message for left in all_dropped_features(project, profile))
            )

    def test_a_trial_of_the_package_before_says_that_normals_are_others(self) -> None:
        with folder() as root:
            project = self.project(root)
            profile = find_profile("gltf-glb")
            export_package(project, profile, root / "out")
            step = Shade(kind="shade", slots=list(self.slots), angle=0.0)
            changed = self.shaded(project, "figure", step)
            trial = run_trial(changed, root / "out", profile, renders=False)
            self.assertIn("normals-changed", {cell.cause for cell in trial.cells})

    def project(self, root):
        (root / "p/meshes").mkdir(parents=True)
        figure().save(root / "p/meshes/figure.glb")
        self.slots = read_mesh(root / "p/meshes/figure.glb").slots
        document = Document.model_validate(
            {
                "meshes": {
                    "figure": {"file": "meshes/figure.glb", "slots": dict.fromkeys(self.slots)}
                }
            }
        )
        (root / "p/p.ektopos.json").write_text(document.model_dump_json(by_alias=True))
        return self.enterContext(open_project(root / "p"))
