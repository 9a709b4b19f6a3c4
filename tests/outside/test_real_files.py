"""Meshes by other makers, read as another library reads them.

Source: npm package `@webxr-input-profiles/assets` (MIT licence), the generic ones of its profiles:
hierarchies, skins, materials with maps inside. Reference: trimesh.
"""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from unittest import TestCase

import numpy as np
import trimesh

from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.material_import import adopt_meshes, carried_by
from ektopos.meshes import read_mesh
from ektopos.meshes.read import files_beside
from ektopos.project import open_project
from ektopos.trial.compare import run_trial
from tests.samples import folder

PROFILES = (
    Path(__file__).resolve().parents[1]
    / "assets/node_modules/@webxr-input-profiles/assets/dist/profiles"
)


class Generic(TestCase):
    def files(self) -> list[Path]:
        found = sorted(PROFILES.glob("generic-*/*.glb"))
        self.assertGreater(len(found), 20)
        return found

    def test_triangles_bounds_and_materials_are_those_that_trimesh_finds(self) -> None:
        for path in self.files():
            with self.subTest(f"{path.parent.name}/{path.name}"):
                scene, mesh = trimesh.load(path, process=False), read_mesh(path)
                drawn = Counter(scene.graph[node][1] for node in scene.graph.nodes_geometry)
                wanted = sum(len(scene.geometry[name].faces) * n for name, n in drawn.items())
                self.assertEqual(len(mesh.triangles), wanted)
                used = mesh.positions[np.unique(mesh.triangles)]
                bounds = np.array([used.min(axis=0), used.max(axis=0)])
                diagonal = float(np.linalg.norm(np.ptp(bounds, axis=0)))
                np.testing.assert_allclose(bounds, scene.bounds, atol=1e-5 * diagonal)
                carried = carried_by(path, files_beside(path), path.name, str)
                names = {geometry.visual.material.name for geometry in scene.geometry.values()} - {
                    None,
                    "",
                }
                self.assertLessEqual(names, set(carried.materials))

    def test_adopted_they_leave_and_arrive(self) -> None:
        paths = [path for path in self.files() if path.name == "left.glb"]
        with folder() as root:
            adopt_meshes(paths, root / "made")
            with open_project(root / "made") as project:
                for target in ("gltf-glb", "orm-y-minus"):
                    profile = find_profile(target)
                    export_package(project, profile, root / target)
                    trial = run_trial(project, root / target, profile, renders=False)
                    wrong = [cell for cell in trial.cells if cell.verdict in ("differs", "lost")]
                    self.assertEqual(wrong, [], target)
