"""The scene over HTTP: where meshes would stand, its file, and what of a package can be looked at."""

from __future__ import annotations

import io
import json

import numpy as np
import trimesh

from server.workshop.models import Package
from server.workshop.store import package_folder
from tests.api.client import Api


class Scenes(Api):
    def stood(self, project: dict, *meshes: str) -> dict:
        query = "&".join(f"meshes={mesh}" for mesh in meshes)
        items = self.call("get", f"/projects/{project['id']}/scene/default-placement?{query}")
        return self.edit(project, {"kind": "stand", "items": items})

    def test_meshes_stand_beside_each_other_and_leave_as_one_file(self) -> None:
        project = self.stood(self.sample(), "plates", "plates")
        self.assertEqual(list(project["document"]["scene"]["items"]), ["plates", "plates_2"])
        project = self.stood(project, "plates")
        items = project["document"]["scene"]["items"].values()
        places = sorted(item["position"][0] for item in items)
        # Seven metres each, a quarter of that between them.
        np.testing.assert_allclose(np.diff(places), [8.75, 8.75], atol=2e-3)
        job = self.call("post", f"/projects/{project['id']}/scene/file", {"size": 64})
        job = self.call("get", f"/jobs/{job['id']}")
        self.assertEqual((job["state"], job["result"]["placements"]), ("done", 3))
        answer = self.call("get", f"/jobs/{job['id']}/file")
        self.assertIn("Test plates.glb", answer["Content-Disposition"])
        content = b"".join(answer.streaming_content)
        read = trimesh.load(io.BytesIO(content), file_type="glb")
        np.testing.assert_allclose(np.ptp(read.bounds[:, 0]), 2 * 8.75 + 7, atol=2e-3)

    def test_what_is_not_there_is_said(self) -> None:
        project = self.sample()
        self.call(
            "get", f"/projects/{project['id']}/scene/default-placement?meshes=gone", status=404
        )
        self.call("post", f"/projects/{project['id']}/scene/file", {"size": 1}, status=422)
        stand = {"kind": "stand", "items": {"a": {"mesh": "gone"}}}
        self.edit(project, stand, status=404)
        bare = self.begin()
        job = self.call("post", f"/projects/{bare['id']}/scene/file", {})
        job = self.call("get", f"/jobs/{job['id']}")
        self.assertEqual(job["state"], "failed")
        self.assertIn("nothing stands", job["error"]["message"])

    def test_what_is_set_for_one_thing_leaves_what_others_set_meanwhile(self) -> None:
        first = self.stood(self.sample(), "plates", "plates")
        moved = {"kind": "move-item", "item": "plates", "change": {"position": [1, 0, 1]}}
        self.edit(first, moved)
        # Both made on what was there before.
        turned = {"kind": "move-item", "item": "plates", "change": {"rotation": [0, 45, 0]}}
        later = self.edit(first, turned)
        item = later["document"]["scene"]["items"]["plates"]
        self.assertEqual((item["position"], item["rotation"]), ([1, 0, 1], [0, 45, 0]))
        refused = self.edit(first, moved | {"change": {"position": [9, 0, 9]}}, status=409)
        self.assertIn("position of plates", refused["message"])


class Looked(Api):
    def exported(self, target: str, *, tried: bool) -> dict:
        project = self.sample()
        project = self.edit(project, {"kind": "set-target", "target": target})
        body = {"revision": project["revision"], "trial": tried}
        self.call("post", f"/projects/{project['id']}/exports", body)
        return self.call("get", f"/projects/{project['id']}/packages")[0]

    def test_what_arrived_is_kept_with_the_trial(self) -> None:
        package = self.exported("gltf-glb", tried=False)
        self.assertFalse(package["arrived"])
        self.call("get", f"/packages/{package['id']}/arrived.glb", status=404)
        row = Package.objects.get(pk=package["id"])
        self.call("post", f"/projects/{row.project_id}/packages/{row.pk}/trial")
        (package,) = self.call("get", f"/projects/{row.project_id}/packages")
        self.assertTrue(package["arrived"])
        answer = self.call("get", f"/packages/{package['id']}/arrived.glb")
        self.assertEqual(answer["Content-Type"], "model/gltf-binary")
        content = io.BytesIO(b"".join(answer.streaming_content))
        self.assertEqual(len(trimesh.load(content, file_type="glb").geometry), 3)

    def test_a_package_s_files_are_there_for_the_drawing_library(self) -> None:
        package = self.exported("gltf-split", tried=False)
        held = package["holds"]["plates"]
        answer = self.client.get(f"/api/packages/{package['id']}/files/{held}")
        gltf = json.loads(b"".join(answer.streaming_content))
        for file in [gltf["buffers"][0]["uri"], *(image["uri"] for image in gltf["images"])]:
            found = self.call("get", f"/packages/{package['id']}/files/{file}")
            self.assertGreater(len(b"".join(found.streaming_content)), 50)

    def test_nothing_else_is_given(self) -> None:
        package = self.exported("gltf-glb", tried=False)
        secret = package_folder(package["id"]) / "secret.txt"
        secret.write_text("not of the package")
        for path in ("../secret.txt", "%2e%2e/secret.txt", "/etc/passwd", "gone.glb", "."):
            self.call("get", f"/packages/{package['id']}/files/{path}", status=404)

    def test_a_package_without_a_list_that_can_be_read_is_shown_all_the_same(self) -> None:
        package = self.exported("gltf-glb", tried=False)
        row = Package.objects.get(pk=package["id"])
        for broken in ("no list", '{"meshes": 3}', '{"meshes": {"plates": {}}}'):
            (package_folder(row.pk) / "files/package.json").write_text(broken)
            (again,) = self.call("get", f"/projects/{row.project_id}/packages")
            self.assertEqual(again["holds"], {})
