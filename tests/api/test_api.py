"""The API: projects and their history, bringing in, pictures, exports; and what it refuses."""

from __future__ import annotations

import io
import json
import zipfile

import cv2
import numpy as np
from django.test import Client

from ektopos.edits import Import
from server.workshop.jobs.queue import resume, run_job
from server.workshop.jobs.work import KINDS
from server.workshop.models import Job, MapFacts, Project
from tests.api.client import Api
from tests.samples import folder, noise, quads, save, save_glb


class Projects(Api):
    def test_the_sample_is_opened_as_often_as_somebody_wants_it(self) -> None:
        first, second = (self.call("post", "/projects/sample") for _ in range(2))
        self.assertNotEqual(first["id"], second["id"])
        self.assertEqual(first["document"], second["document"])
        self.assertGreater(len(first["document"]["maps"]), 30)
        for project in (first, second):
            facts = self.call("get", f"/projects/{project['id']}/maps")
            self.assertNotIn("missing", {entry["state"] for entry in facts})

    def test_undo_and_redo_walk_through_every_change(self) -> None:
        project = self.begin()
        one = self.edit(project, {"kind": "add-material", "name": "one"})
        two = self.edit(one, {"kind": "add-material", "name": "two"})
        back = self.call("post", f"/projects/{project['id']}/undo", {"revision": two["revision"]})
        self.assertEqual(list(back["document"]["materials"]), ["one"])
        self.assertEqual(back["redo"], "new material two")
        again = self.call("post", f"/projects/{project['id']}/redo", {"revision": back["revision"]})
        self.assertEqual(list(again["document"]["materials"]), ["one", "two"])

    def test_a_stale_write_is_refused_and_nothing_is_lost(self) -> None:
        project = self.begin()
        self.edit(project, {"kind": "rename-project", "name": "One"})
        answer = self.edit(project, {"kind": "rename-project", "name": "Other"}, status=409)
        self.assertIn("the project’s name", answer["message"])
        self.assertEqual(self.call("get", f"/projects/{project['id']}")["document"]["name"], "One")

    def test_a_checkpoint_comes_back_as_a_step_that_can_be_undone(self) -> None:
        project = self.begin()
        kept = self.call("post", f"/projects/{project['id']}/checkpoints", {"name": "before"})
        later = self.edit(kept, {"kind": "add-material", "name": "one"})
        point = kept["checkpoints"][0]["id"]
        back = self.call(
            "post",
            f"/projects/{project['id']}/checkpoints/{point}/restore",
            {"revision": later["revision"]},
        )
        self.assertEqual(back["document"]["materials"], {})
        undone = self.call(
            "post", f"/projects/{project['id']}/undo", {"revision": back["revision"]}
        )
        self.assertEqual(list(undone["document"]["materials"]), ["one"])

    def test_a_project_goes_out_as_a_zip_and_comes_in_again_the_same(self) -> None:
        project = self.sample()
        content = self.packed(f"/projects/{project['id']}/archive")
        self.assertIn("maps/tile_orm.png", zipfile.ZipFile(io.BytesIO(content)).namelist())
        again = self.call("post", "/projects/import", {"files": [self.upload("p.zip", content)]})
        self.assertEqual(again["document"], project["document"])

    def test_edits_that_make_no_sense_are_said(self) -> None:
        project = self.begin()
        self.edit(project, {"kind": "remove-material", "material": "gone"}, status=404)
        self.edit(project, {"kind": "no-such-edit"}, status=422)
        self.call("get", "/projects/00000000-0000-0000-0000-000000000000", status=404)

    def test_pages_of_another_site_may_not_write(self) -> None:
        client = Client(enforce_csrf_checks=True)
        body = {"data": '{"name": "theirs"}', "content_type": "application/json"}
        for headers in (
            {"Origin": "http://elsewhere.test"},
            {"Sec-Fetch-Site": "cross-site"},
            {"Origin": "http://testserver"},
        ):
            answer = client.post("/api/projects", headers=headers, **body)
            self.assertEqual(
                (answer.status_code, bool(answer.json()["message"])), (403, True), headers
            )
        self.assertEqual(self.call("get", "/projects"), [])


class BringingIn(Api):
    def test_good_files_come_in_and_bad_ones_are_listed_with_the_reason(self) -> None:
        with folder() as root:
            colour = save(root / "a.png", noise(32)).read_bytes()
            mesh = save_glb(root / "m.glb", quads({"Panel": 2})).read_bytes()
        project = self.begin()
        job = self.bring_in(
            project,
            {
                "set/hull_albedo.png": colour,
                "set/hull_rough.png": colour[:60],
                "set/hull.glb": mesh,
                "set/hull.fbx": b"x",
                "set/notes.txt": b"x",
            },
        )
        outcome = {entry["path"]: entry.get("error") for entry in job["result"]["files"]}
        self.assertEqual(job["state"], "done")
        self.assertIsNone(outcome["set/hull_albedo.png"])
        self.assertIsNone(outcome["set/hull.glb"])
        self.assertIn("open formats", outcome["set/hull.fbx"])
        self.assertTrue(outcome["set/hull_rough.png"])
        self.assertTrue(outcome["set/notes.txt"])
        document = self.call("get", f"/projects/{project['id']}")["document"]
        self.assertEqual(
            (list(document["maps"]), list(document["meshes"])), (["hull_albedo"], ["hull"])
        )

    def test_an_obj_finds_its_materials_and_a_gltf_its_buffer(self) -> None:
        project = self.begin()
        obj = b"mtllib c.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl Skin\nf 1 2 3\n"
        gltf = {
            "asset": {"version": "2.0"},
            "buffers": [{"uri": "g.bin", "byteLength": 36}],
            "bufferViews": [{"buffer": 0, "byteLength": 36}],
            "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
            "nodes": [{"mesh": 0}],
            "scenes": [{"nodes": [0]}],
        }
        buffer = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4").tobytes()
        job = self.bring_in(
            project,
            {
                "c.obj": obj,
                "c.mtl": b"newmtl Skin\nnewmtl Spare\n",
                "g.gltf": json.dumps(gltf).encode(),
                "g.bin": buffer,
            },
        )
        self.assertEqual([entry for entry in job["result"]["files"] if "error" in entry], [])
        meshes = {
            mesh["name"]: mesh for mesh in self.call("get", f"/projects/{project['id']}/meshes")
        }
        self.assertEqual([slot["name"] for slot in meshes["c"]["slots"]], ["Skin", "Spare"])
        self.assertEqual(meshes["g"]["triangles"], 1)

    def test_names_that_would_leave_the_project_are_made_safe(self) -> None:
        with folder() as root:
            colour = save(root / "a.png", noise(16)).read_bytes()
        project = self.begin()
        self.bring_in(project, {"../../etc/hull_albedo.png": colour})
        entry = self.call("get", f"/projects/{project['id']}")["document"]["maps"]["hull_albedo"]
        self.assertEqual(entry["file"], "maps/etc/hull_albedo.png")

    def test_a_job_can_be_cancelled_and_one_cut_off_is_taken_up_again(self) -> None:
        project = Project.objects.get(pk=self.begin()["id"])
        job = Job.objects.create(project=project, kind="bring-in", arguments={"files": []})
        self.assertEqual(self.call("post", f"/jobs/{job.pk}/cancel", {})["state"], "cancelled")
        cut = Job.objects.create(
            project=project,
            kind="bring-in",
            arguments={"files": []},
            state=Job.State.RUNNING,
            attempts=1,
        )
        self.assertEqual(resume(), 1)
        cut.refresh_from_db()
        self.assertEqual(cut.state, "done")

    def test_running_work_stops_when_asked(self) -> None:
        project = Project.objects.get(pk=self.begin()["id"])
        job = Job.objects.create(
            project=project, kind="bring-in", arguments={"files": []}, cancel_requested=True
        )
        run_job.func(str(job.pk))
        job.refresh_from_db()
        self.assertEqual(job.state, "cancelled")
        self.assertIn("export", KINDS)


class Screens(Api):
    def test_the_board_costs_the_same_queries_for_any_number_of_maps(self) -> None:
        project = self.sample()
        path = f"/api/projects/{project['id']}/maps"
        # Facts never change: a process asks for them once, and then for none of them.
        self.client.get(path)
        with self.assertNumQueries(3):
            few = self.client.get(path).json()
        entry = project["document"]["maps"]["tile_orm"]
        more = {f"copy_{i}": entry for i in range(50)}
        Project.objects.get(pk=project["id"]).edit([Import(maps=more)], None)
        with self.assertNumQueries(3):
            many = self.client.get(path).json()
        self.assertEqual((len(few), len(many)), (5, 55))

    def test_pictures_are_the_texels_and_never_asked_for_twice(self) -> None:
        self.sample()
        sha = MapFacts.objects.get(facts__header__channels=4).sha256
        answer = self.client.get(f"/api/map-pictures/{sha}/r/64.png")
        self.assertIn("immutable", answer["Cache-Control"])
        seen = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_UNCHANGED)
        self.assertLessEqual(np.abs(seen.astype(int) - noise(64, 2, 4)[..., 0]).max(), 1)
        texel = self.client.get(f"/api/map-pictures/{sha}/texel/5/9").json()
        self.assertEqual(texel["codes"][:3], noise(64, 2, 4)[9, 5, :3].tolist())

    def test_the_sheet_says_where_each_input_comes_from_and_where_it_leaves(self) -> None:
        project = self.sample()
        sheet = self.call("get", f"/projects/{project['id']}/sheets/tile_dull")
        rows = {row["input"]: row for row in sheet["rows"]}
        self.assertEqual(
            (rows["roughness"]["own"], rows["metallic"]["own"], rows["metallic"]["origin"]),
            (True, False, "tile"),
        )
        self.assertEqual(
            (rows["roughness"]["leaves"]["words"], rows["roughness"]["leaves"]["channels"]),
            ("ORM", "g"),
        )
        self.assertAlmostEqual(
            rows["roughness"]["gives"]["mean"], 1 - noise(64, 4, 1).mean() / 255, places=2
        )
        entry = project["document"]["materials"]["tile_dull"] | {
            "inputs": {"roughness": {"value": 0.25}}
        }
        tried = self.call("post", f"/projects/{project['id']}/sheets/tile_dull", {"entry": entry})
        self.assertEqual(
            next(r for r in tried["rows"] if r["input"] == "roughness")["gives"]["mean"], 0.25
        )
        self.assertEqual(
            self.call("get", f"/projects/{project['id']}")["document"], project["document"]
        )

    def test_the_stage_gets_what_the_core_resolved(self) -> None:
        project = self.sample()
        look = self.call("get", f"/projects/{project['id']}/stage")["tile"]
        answer = self.client.get(f"/api/stage-pictures/{look['pictures']['orm']}/64.png")
        seen = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_UNCHANGED)[
            ..., ::-1
        ].astype(int)
        source = noise(64, 3).astype(float)
        self.assertLessEqual(np.abs(seen[..., 2] - source[..., 2]).max(), 1)
        self.assertLessEqual(
            np.abs(seen[..., 1] - 255 * (0.1 + 0.7 * source[..., 1] / 255)).max(), 1
        )

    def test_checks_and_targets(self) -> None:
        project = self.sample()
        self.assertTrue(self.call("get", f"/projects/{project['id']}/checks"))
        self.assertIn(
            "gltf-glb",
            [target["id"] for target in self.call("get", f"/projects/{project['id']}/targets")],
        )

    def test_an_export_is_tried_and_can_be_taken_away(self) -> None:
        project = self.sample()
        plan = self.call("get", f"/projects/{project['id']}/plan")
        self.assertIn("tile_ORM.png", [file["path"].split("/")[-1] for file in plan["files"]])
        job = self.call(
            "post",
            f"/projects/{project['id']}/exports",
            {"revision": project["revision"], "trial": True},
        )
        self.assertEqual(self.call("get", f"/jobs/{job['id']}")["state"], "done")
        package = self.call("get", f"/projects/{project['id']}/packages")[0]
        self.assertTrue(package["trial"]["passed"])
        self.assertEqual(
            self.client.get(f"/api/packages/{package['id']}/pictures/0-meant.png").status_code, 200
        )
        content = self.packed(f"/projects/{project['id']}/packages/{package['id']}/archive")
        self.assertIn("package.json", zipfile.ZipFile(io.BytesIO(content)).namelist())

    def test_an_export_that_cannot_be_made_says_why_and_leaves_nothing(self) -> None:
        project = self.sample()
        broken = self.edit(
            project,
            {
                "kind": "set-feed",
                "material": "tile",
                "input": "roughness",
                "feed": {"map": "tile_orm", "channels": "rgb"},
            },
        )
        job = self.call(
            "post",
            f"/projects/{project['id']}/exports",
            {"revision": broken["revision"], "trial": True},
        )
        ended = self.call("get", f"/jobs/{job['id']}")
        self.assertEqual(ended["state"], "failed")
        self.assertIn("one channel", ended["error"]["message"])
        self.assertEqual(self.call("get", f"/projects/{project['id']}/packages"), [])
