"""Names of megabytes, which any format allows: read as names that a person can read, told apart by
their ends, the same wherever a file is read, and kept whole where the format has a place for that.

glTF is written here as JSON, OBJ and USD as text. Source: glTF 2.0, 3.3 (extras); no format limits
the length of a name.
"""

from __future__ import annotations

import base64
import json
from pathlib import Path
from unittest import TestCase

import numpy as np

from ektopos.base.errors import InvalidDocument
from ektopos.base.names import LONGEST, LONGEST_GIVEN
from ektopos.document import load_document
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.material_import import adopt_meshes, carried_by
from ektopos.meshes import Mesh, read_mesh
from ektopos.meshes.read import files_beside
from ektopos.meshes.scene import read_scene
from ektopos.project import open_project
from ektopos.trial.compare import run_trial
from tests.api.client import Api
from tests.samples import folder

LONG = "brass_" * 50_000
PAIR = (f"{LONG}a", f"{LONG}b")


def glb(path: Path) -> Path:
    corners = np.float32([[0, 0, 0], [1, 0, 0], [0, 1, 0]]).tobytes()
    uvs = np.float32([[0, 0], [1, 0], [0, 1]]).tobytes()
    data = base64.b64encode(corners + uvs).decode()
    primitives = [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "material": i} for i in (0, 1)]
    gltf = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0], "name": LONG}, {"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": LONG, "extras": {"kept": 1}, "scale": [2, 2, 2]}],
        "meshes": [{"primitives": primitives, "name": LONG}],
        "materials": [{"name": name} for name in PAIR],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0],
             "max": [1, 1, 0]},
            {"bufferView": 1, "componentType": 5126, "count": 3, "type": "VEC2"},
        ],
        "bufferViews": [
            {"buffer": 0, "byteLength": 36},
            {"buffer": 0, "byteOffset": 36, "byteLength": 24},
        ],
        "buffers": [{"byteLength": 60, "uri": f"data:application/octet-stream;base64,{data}"}],
    }  # fmt: skip
    path.write_text(json.dumps(gltf))
    return path


def obj(path: Path) -> Path:
    faces = "".join(f"usemtl {name}\no {name}\nf 1/1 2/2 3/3\n" for name in PAIR)
    text = "mtllib m.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\n"
    path.write_text(text + faces)
    path.with_name("m.mtl").write_text("".join(f"newmtl {name}\nKd 1 0 0\n" for name in PAIR))
    return path


def usd(path: Path) -> Path:
    looks = "".join(
        f'def Material "{name}" {{\ntoken outputs:surface.connect = </{name}/s.outputs:surface>\n'
        f'def Shader "s" {{\nuniform token info:id = "UsdPreviewSurface"\n'
        "token outputs:surface\n}\n}\n"
        for name in PAIR
    )
    meshes = "".join(
        f'def Mesh "m{i}" (prepend apiSchemas = ["MaterialBindingAPI"]) {{\n'
        "int[] faceVertexCounts = [3]\nint[] faceVertexIndices = [0, 1, 2]\n"
        "point3f[] points = [(0,0,0), (1,0,0), (0,1,0)]\n"
        f"rel material:binding = </{name}>\n}}\n"
        for i, name in enumerate(PAIR)
    )
    path.write_text(f'#usda 1.0\n(metersPerUnit = 1\nupAxis = "Y")\n{looks}{meshes}')
    return path


class LongNames(TestCase):
    def short(self, mesh: Mesh) -> None:
        names = [*mesh.slots, *mesh.objects, *(node.name for node in mesh.nodes)]
        self.assertEqual([name for name in names if len(name) > LONGEST], [])
        self.assertEqual(len(set(mesh.slots)), 2)
        self.assertTrue(all(slot.startswith("brass_brass_") for slot in mesh.slots))
        said = [note for note in mesh.notes if "longer than 200 characters" in note]
        self.assertEqual(len(said), 1, mesh.notes)
        self.assertLess(sum(map(len, mesh.notes)), 2000)

    def test_they_are_read_short_and_alike_everywhere(self) -> None:
        with folder() as root:
            for path in (glb(root / "a.gltf"), obj(root / "a.obj"), usd(root / "a.usda")):
                with self.subTest(path.name):
                    mesh = read_mesh(path)
                    self.short(mesh)
                    carried = carried_by(path, files_beside(path), path.name, str)
                    self.assertEqual(set(carried.materials), set(mesh.slots))
                    scene = read_scene(path, files_beside(path), path.name)
                    words = (*(node.name for node in scene.nodes), *scene.brings, *scene.morphs)
                    self.assertLess(max(map(len, words), default=0), 1000)

    def test_a_package_of_them_passes_and_gltf_keeps_them_whole(self) -> None:
        with folder() as root:
            (root / "in").mkdir()
            adopt_meshes([glb(root / "in/a.gltf")], root / "p")
            for target in ("gltf-glb", "gltf-split", "usdz", "materialx", "metal-smooth"):
                with self.subTest(target), open_project(root / "p") as opened:
                    profile = find_profile(target)
                    export_package(opened, profile, root / target)
                    trial = run_trial(opened, root / target, profile, renders=False)
                    self.assertEqual(
                        [c for c in trial.cells if c.verdict in ("differs", "lost")], []
                    )
            (file,) = (root / "gltf-split").glob("*.gltf")
            gltf = json.loads(file.read_text())
            (node,) = (n for n in gltf["nodes"] if n["name"].startswith("brass_"))
            self.assertEqual(len(node["name"]), LONGEST)
            self.assertEqual(node["extras"], {"kept": 1, "full_name": LONG})

    def test_a_document_of_such_names_is_refused_in_a_sentence(self) -> None:
        with self.assertRaises(InvalidDocument) as caught:
            load_document(
                json.dumps({"ektopos": 1, "name": "p", "materials": {LONG: {}}}).encode(), "p.json"
            )
        self.assertLess(len(str(caught.exception)), 2000)
        self.assertIn(str(LONGEST_GIVEN), str(caught.exception))


class OnScreens(Api):
    def test_no_screen_is_large(self) -> None:
        project = self.begin("Long")
        with folder() as root:
            for path in (glb(root / "a.gltf"), obj(root / "b.obj"), usd(root / "c.usda")):
                self.bring_in(project, {path.name: path.read_bytes()})
        for what in ("", "/maps", "/meshes", "/checks", "/plan", "/targets", "/history"):
            with self.subTest(what):
                answer = self.client.get(f"/api/projects/{project['id']}{what}")
                self.assertEqual(answer.status_code, 200)
                self.assertLess(len(answer.content), 200_000)
        meshes = self.client.get(f"/api/projects/{project['id']}/meshes").json()
        self.assertEqual(len(meshes), 3)
