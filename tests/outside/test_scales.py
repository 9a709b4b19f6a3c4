"""Scales of nodes, applied: what leaves is drawn by trimesh where the file as it came was.

Source: glTF 2.0, 3.5 and 3.7, as trimesh 4 reads it; the Khronos `gltf-validator`. The scenes are
written by hand.
"""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np
import trimesh

from ektopos.base.errors import EktoposError
from ektopos.document import Document
from ektopos.document.mesh_steps import ApplyScale, Shade
from ektopos.edits import SetRecipe, apply_edits
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.meshes import apply_recipe, find_faults, read_mesh
from ektopos.project import OpenProject
from ektopos.trial.compare import run_trial
from tests.outside.test_gltf import issues_of
from tests.samples import folder
from tests.scenes import Scene, figure, grid, turned

STEP = ApplyScale(kind="apply-scale")


def tower() -> Scene:
    """A sheet drawn five times: scaled unevenly, below a turned child of that, mirrored, by a matrix,
    and as it is."""
    scene, sheet = Scene(), grid(5, 4)
    attributes = {
        "POSITION": scene.positions(sheet["positions"]),
        "NORMAL": scene.add(sheet["normals"]),
        "TANGENT": scene.add(sheet["tangents"]),
        "TEXCOORD_0": scene.add(sheet["uvs"]),
    }
    primitive = {
        "attributes": attributes,
        "indices": scene.add(sheet["corners"], 5123),
        "material": 0,
    }
    lean = np.eye(4)
    lean[:3, :3] = (
        2 * trimesh.transformations.euler_matrix(0.4, 1.0, -0.3)[:3, :3] @ np.diag([1, 2, 3])
    )
    lean[:3, 3] = (9, 1, 0)
    scene.gltf |= {
        "scene": 0,
        "scenes": [{"nodes": [0, 2, 3, 4]}],
        "materials": [{"name": "Sheet"}],
        "meshes": [{"name": "sheet", "primitives": [primitive]}],
        "nodes": [
            {
                "name": "uneven",
                "mesh": 0,
                "scale": [1, 3, 0.5],
                "translation": [1, 2, 3],
                "children": [1],
            },
            {
                "name": "below",
                "mesh": 0,
                "rotation": turned((0.6, 0.0, 0.8), 50),
                "scale": [2, 2, 0.25],
                "translation": [4, 0, 1],
            },
            {"name": "mirrored", "mesh": 0, "scale": [-1, 1, 1], "translation": [-4, 0, 0]},
            {"name": "leaning", "mesh": 0, "matrix": lean.T.reshape(-1).tolist()},
            {"name": "plain", "mesh": 0, "translation": [0, 0, 8]},
        ],
    }
    return scene


def opened(root: Path, scene: Scene, *steps: ApplyScale | Shade) -> OpenProject:
    scene.save(root / "p/meshes/m.glb")
    slots = read_mesh(root / "p/meshes/m.glb").slots
    raw = {"meshes": {"m": {"file": "meshes/m.glb", "slots": dict.fromkeys(slots)}}}
    document = Document.model_validate({"ektopos": 1, "name": "p", "target": "gltf-glb"} | raw)
    recipe = SetRecipe(mesh="m", recipe=list(steps), came_from={s: s for s in slots})
    document = apply_edits(document, [recipe]) if steps else document
    return OpenProject(document, lambda file: root / "p" / file)


def drawn(path: Path) -> np.ndarray:
    """The corners of all triangles as trimesh draws them, `(t, 9)`, sorted."""
    scene = trimesh.load(path, process=False)
    found = []
    for node in scene.graph.nodes_geometry:
        matrix, name = scene.graph[node]
        mesh = scene.geometry[name]
        corners = trimesh.transform_points(mesh.vertices, matrix)[mesh.faces]
        if np.linalg.det(matrix[:3, :3]) < 0:
            corners = corners[:, ::-1]
        # Begin each triangle with its smallest corner: windings stay.
        first = np.lexsort(np.round(corners, 4).transpose(2, 0, 1)[::-1], axis=-1)[:, 0]
        turned_ = [np.roll(c, -i, axis=0) for c, i in zip(corners, first, strict=True)]
        found.append(np.reshape(turned_, (-1, 9)))
    every = np.concatenate(found)
    return every[np.lexsort(np.round(every, 3).T[::-1])]


class Scales(TestCase):
    def test_what_is_drawn_stays_and_no_node_is_scaled_any_more(self) -> None:
        with folder() as root:
            project = opened(root, tower(), STEP)
            profile = find_profile("gltf-glb")
            export_package(project, profile, root / "out")
            (made,) = (root / "out").glob("*.glb")
            self.assertEqual(issues_of(made), [])
            np.testing.assert_allclose(drawn(made), drawn(root / "p/meshes/m.glb"), atol=2e-4)
            content = made.read_bytes()
            gltf = json.loads(content[20 : 20 + int.from_bytes(content[12:16], "little")])
            for node in gltf["nodes"]:
                self.assertNotIn("scale", node)
                self.assertNotIn("matrix", node)
            names = [node["name"] for node in gltf["nodes"]]
            self.assertEqual(names, ["uneven", "below", "mirrored", "leaning", "plain"])
            # The one that had no scale keeps the numbers it had; the others each have their own.
            self.assertEqual(len({node["mesh"] for node in gltf["nodes"]}), 5)
            trial = run_trial(project, root / "out", profile, renders=False)
            wrong = [
                (c.input, c.cause, c.message)
                for c in trial.cells
                if c.verdict in ("differs", "lost")
            ]
            self.assertEqual(wrong, [])

    def test_normals_stand_on_the_surface_also_when_they_are_shaded_anew(self) -> None:
        with folder() as root:
            for steps in ([STEP], [Shade(kind="shade", slots=["Sheet"], angle=0), STEP]):
                project = opened(root, tower(), *steps)
                out = root / f"out{len(steps)}"
                profile = find_profile("gltf-glb")
                export_package(project, profile, out)
                trial = run_trial(project, out, profile, renders=False)
                self.assertNotIn("normals-changed", {cell.cause for cell in trial.cells})
                before = apply_recipe(read_mesh(root / "p/meshes/m.glb"), steps)
                (made,) = out.glob("*.glb")
                after = read_mesh(made)
                np.testing.assert_allclose(
                    after.normals[after.triangles], before.normals[before.triangles], atol=2e-3
                )

    def test_faults_go_and_what_hangs_on_a_scale_is_left(self) -> None:
        with folder() as root:
            mesh = read_mesh(tower().save(root / "m.glb"))
            codes = {"uneven-scale", "negative-scale"}
            self.assertLessEqual(codes, {fault.code for fault in find_faults(mesh)})
            made = apply_recipe(mesh, [STEP])
            self.assertFalse(codes & {fault.code for fault in find_faults(made)})
            np.testing.assert_array_equal(made.corners(), mesh.corners())
            with self.assertRaises(EktoposError):
                apply_recipe(made, [STEP])
            # A skinned, animated figure: nothing of it can be applied, so nothing is offered.
            posed = read_mesh(figure().save(root / "f.glb"))
            scaled = replace(posed, nodes=tuple(replace(n, scale=(1, 2, 1)) for n in posed.nodes))
            faults = [f for f in find_faults(scaled) if f.code == "uneven-scale"]
            self.assertEqual([fault.mends for fault in faults], [False])
