"""Cracks between triangles that nearly touch, closed: whether a mesh is closed then is for trimesh to
say. The meshes are trimesh's own, shaken by a fixed seed."""

from __future__ import annotations

from pathlib import Path
from unittest import TestCase

import numpy as np
import trimesh

from ektopos.base.errors import EktoposError
from ektopos.document.mesh_steps import ApplyScale, CloseCracks
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.meshes import apply_recipe, find_faults, read_mesh
from ektopos.meshes.cracks import CRACK, without_cracks
from ektopos.trial.compare import run_trial
from tests.outside.test_scales import opened
from tests.samples import folder
from tests.scenes import Scene, figure, turned

STEP = CloseCracks(kind="close-cracks")


def shaken(hole: bool = False) -> tuple[np.ndarray, np.ndarray]:
    """Corners `(t, 3, 3)` and normals of a sphere whose triangles stand apart by a little."""
    ball = trimesh.creation.icosphere(subdivisions=2)
    corners = ball.vertices[ball.faces[1:] if hole else ball.faces]
    # Its size is 2: within a third of what is one.
    shake = np.random.default_rng(4).uniform(-1, 1, corners.shape) * 0.15 * CRACK * 2
    return corners + shake, corners / np.linalg.norm(corners, axis=2, keepdims=True)


def scene(hole: bool = False, **node: object) -> Scene:
    made = Scene()
    corners, normals = shaken(hole)
    attributes = {
        "POSITION": made.positions(corners.reshape(-1, 3)),
        "NORMAL": made.add(normals.reshape(-1, 3)),
    }
    made.gltf |= {
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "materials": [{"name": "Ball"}],
        "meshes": [{"primitives": [{"attributes": attributes, "material": 0}]}],
        "nodes": [{"name": "ball", "mesh": 0, **node}],
    }
    return made


def is_closed(path: Path) -> bool:
    mesh = trimesh.load(path, force="mesh")
    # Only equal places are one, to what float32 holds.
    mesh.merge_vertices(merge_tex=True, merge_norm=True, digits_vertex=6)
    return bool(mesh.is_watertight)


class Cracks(TestCase):
    def test_a_shaken_ball_is_closed_and_hardly_moved(self) -> None:
        with folder() as root:
            path = scene().save(root / "ball.glb")
            self.assertFalse(is_closed(path))
            mesh = read_mesh(path)
            (fault,) = [f for f in find_faults(mesh) if f.code == "open-edges"]
            self.assertTrue(fault.mends)
            made = apply_recipe(mesh, [STEP])
            self.assertNotIn("open-edges", {f.code for f in find_faults(made)})
            self.assertLess(np.abs(made.positions - mesh.positions).max(), CRACK * 2)
            with self.assertRaises(EktoposError):
                apply_recipe(made, [STEP])

    def test_what_is_really_open_stays_and_small_edges_are_not_drawn_together(self) -> None:
        with folder() as root:
            mesh = read_mesh(scene(hole=True).save(root / "bowl.glb"))
            made = apply_recipe(mesh, [STEP])
            (left,) = [f for f in find_faults(made) if f.code == "open-edges"]
            self.assertEqual((left.count, left.mends), (3, False))
            # The same ball so small that its own edges are within reach of each other.
            np.testing.assert_array_equal(without_cracks(mesh, share=0.5), mesh.positions)

    def test_it_leaves_closed_from_turned_and_mirrored_nodes_and_the_trial_agrees(self) -> None:
        profile = find_profile("gltf-glb")
        for number, node in enumerate(
            (
                {},
                {
                    "rotation": turned((0, 0.6, 0.8), 70),
                    "scale": [2, 2, 2],
                    "translation": [1, 2, 3],
                },
                {"scale": [-1, 1, 1]},
            )
        ):
            for steps in ([STEP], [STEP, ApplyScale(kind="apply-scale")]):
                if len(steps) > 1 and not node:
                    continue
                with self.subTest(node=node, steps=len(steps)), folder() as root:
                    project = opened(root, scene(**node), *steps)
                    out = root / f"out{number}"
                    export_package(project, profile, out)
                    (made,) = out.glob("*.glb")
                    self.assertTrue(is_closed(made))
                    trial = run_trial(project, out, profile, renders=False)
                    wrong = [c.message for c in trial.cells if c.verdict in ("differs", "lost")]
                    self.assertEqual(wrong, [])

    def test_what_is_animated_is_left(self) -> None:
        with folder() as root:
            posed = read_mesh(figure().save(root / "figure.glb"))
            with self.assertRaises(EktoposError):
                apply_recipe(posed, [STEP])
            self.assertFalse(any(f.mends for f in find_faults(posed) if f.code == "open-edges"))
