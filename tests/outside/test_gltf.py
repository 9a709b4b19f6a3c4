"""Every glTF that is written, through the Khronos `gltf-validator` (npm)."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path
from unittest import TestCase

from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.project import open_project
from tests.samples import folder, project, project_folder, quads, save_glb

WEB = Path(__file__).resolve().parents[2] / "web"
SCRIPT = """
const validator = require('gltf-validator'), fs = require('fs'), path = require('path');
const file = process.argv[1];
validator.validateBytes(new Uint8Array(fs.readFileSync(file)), {
  uri: path.basename(file), maxIssues: 1000,
  externalResourceFunction: (uri) => Promise.resolve(new Uint8Array(fs.readFileSync(path.join(path.dirname(file), decodeURIComponent(uri))))),
}).then((report) => console.log(JSON.stringify(report.issues)));
"""
TANGENTS = "MESH_PRIMITIVE_GENERATED_TANGENT_SPACE"
"""Its word that tangents have to be generated: so they are, by MikkTSpace, in every engine (glTF
2.0, 3.7.2.1)."""


def issues_of(path: Path) -> list[dict]:
    done = subprocess.run(
        ["node", "-e", SCRIPT, str(path)], cwd=WEB, capture_output=True, text=True, check=True
    )
    return [
        m
        for m in json.loads(done.stdout)["messages"]
        if m["severity"] <= 1 and m["code"] != TANGENTS
    ]


class Validator(TestCase):
    def test_no_error_and_no_warning_in_any_container(self) -> None:
        for target, file in (
            ("gltf-glb", "plates.glb"),
            ("gltf-split", "plates.gltf"),
            ("gltf-embedded", "plates.gltf"),
        ):
            with self.subTest(target), project() as opened, folder() as root:
                export_package(opened, find_profile(target), root / "out")
                self.assertEqual(issues_of(root / "out" / file), [])

    def test_of_compressed_textures_it_says_only_that_it_does_not_know_their_format(self) -> None:
        """This version of the validator knows PNG and JPEG alone."""
        with project() as opened, folder() as root:
            export_package(opened, find_profile("gltf-ktx2"), root / "out")
            found = issues_of(root / "out/plates.glb")
        unknown = {("VALUE_NOT_IN_LIST", "mimeType"), ("IMAGE_UNRECOGNIZED_FORMAT", "")}
        said = {(m["code"], "".join(m["pointer"].split("/")[3:])) for m in found}
        self.assertEqual(said, unknown)
        self.assertTrue(all(m["pointer"].startswith("/images/") for m in found))

    def test_meshes_without_materials_and_projects_without_meshes(self) -> None:
        with folder() as root:
            self.assertEqual(issues_of(save_glb(root / "m.glb", quads({"A": 2, "B": 1}))), [])
            project_folder(root / "p")
            path = root / "p/test.ektopos.json"
            path.write_text(json.dumps(json.loads(path.read_text()) | {"meshes": {}}))
            with open_project(root / "p") as opened:
                export_package(opened, find_profile("gltf-glb"), root / "out")
            self.assertEqual(issues_of(root / "out/Test_plates.glb"), [])

    def test_the_validator_does_find_faults(self) -> None:
        with folder() as root:
            (root / "bad.gltf").write_text(
                '{"asset": {"version": "2.0"}, "meshes": [{"primitives": [{"attributes": {"POSITION": 4}}]}]}'
            )
            self.assertNotEqual(issues_of(root / "bad.gltf"), [])
