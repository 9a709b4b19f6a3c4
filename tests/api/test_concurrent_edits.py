"""Several pages and people on one project: what does not touch each other never collides, what does
is never overwritten."""

from __future__ import annotations

import json

from ektopos.document import Document, document_json
from server.workshop.models import Job, Project, Revision
from server.workshop.models import project as project_model
from tests.api.client import Api
from tests.samples import folder, noise, save


class Edits(Api):
    def on(self, project: dict, page: str, *edits: dict, status: int = 200) -> dict:
        """Edits made by a page on a state that may be an old one."""
        body = {"revision": project["revision"], "page": page, "edits": list(edits)}
        return self.call("post", f"/projects/{project['id']}/edits", body, status)

    def document(self, project: dict) -> dict:
        return self.call("get", f"/projects/{project['id']}")["document"]

    def test_edits_of_different_things_made_on_one_state_are_all_made(self) -> None:
        project = self.sample()
        feed = {"kind": "set-feed", "material": "plain"}
        self.on(project, "a", feed | {"input": "roughness", "feed": {"value": 0.8}})
        self.on(project, "b", feed | {"input": "metallic", "feed": {"value": 1.0}})
        self.on(
            project,
            "c",
            {"kind": "set-setting", "material": "tile", "setting": "double_sided", "value": False},
        )
        self.on(
            project,
            "d",
            {"kind": "assign", "mesh": "plates", "slots": ["Back"], "material": "plain"},
        )
        self.on(project, "e", {"kind": "set-map", "maps": ["glow"], "encoding": "linear"})
        self.on(
            project, "f", {"kind": "rename-material", "material": "tile_dull", "name": "tile_matt"}
        )
        now = self.document(project)
        inputs = now["materials"]["plain"]["inputs"]
        self.assertEqual((inputs["roughness"]["value"], inputs["metallic"]["value"]), (0.8, 1.0))
        self.assertEqual(
            now["meshes"]["plates"]["slots"], {"Front": "tile", "Back": "plain", "Bare": "plain"}
        )
        self.assertIn("tile_matt", now["materials"])

    def test_an_edit_of_what_another_page_changed_is_refused_and_named(self) -> None:
        project = self.sample()
        feed = {"kind": "set-feed", "material": "plain", "input": "roughness"}
        self.on(project, "a", feed | {"feed": {"value": 0.8}})
        said = self.on(project, "b", feed | {"feed": {"value": 0.1}}, status=409)
        self.assertIn("roughness of plain", said["message"])
        self.assertEqual(
            self.document(project)["materials"]["plain"]["inputs"]["roughness"]["value"], 0.8
        )

    def test_one_page_never_stands_in_its_own_way(self) -> None:
        project = self.sample()
        feed = {"kind": "set-feed", "material": "plain", "input": "roughness"}
        for value in (0.8, 0.5, 0.1):
            self.on(project, "a", feed | {"feed": {"value": value}})
        self.assertEqual(
            self.document(project)["materials"]["plain"]["inputs"]["roughness"]["value"], 0.1
        )

    def test_an_edit_on_an_edit_does_not_hide_what_another_page_did_in_between(self) -> None:
        """Page a edits, page b edits the same input, page a edits it again as it saw it: b's value
        is not overwritten."""
        project = self.sample()
        feed = {"kind": "set-feed", "material": "plain", "input": "roughness"}
        self.on(
            project,
            "a",
            {"kind": "set-setting", "material": "plain", "setting": "filter", "value": "nearest"},
        )
        self.on(project, "b", feed | {"feed": {"value": 0.7}})
        self.on(project, "a", feed | {"feed": {"value": 0.1}}, status=409)

    def test_tiles_offset_and_rotation_typed_one_after_the_other_add_up(self) -> None:
        project = self.sample()
        for setting, value in (
            ("uv.tiling.u", 2),
            ("uv.tiling.v", 3),
            ("uv.rotation", 0.7853981634),
            ("uv.offset.u", 0.25),
        ):
            self.on(
                project,
                "a",
                {"kind": "set-setting", "material": "plain", "setting": setting, "value": value},
            )
        uv = self.document(project)["materials"]["plain"]["uv"]
        self.assertEqual(
            (uv["tiling"], uv["offset"], uv["rotation"]), ([2.0, 3.0], [0.25, 0.0], 0.7853981634)
        )

    def test_parts_of_the_transform_by_two_pages_add_up_too(self) -> None:
        project = self.sample()
        self.on(
            project,
            "a",
            {"kind": "set-setting", "material": "plain", "setting": "uv.tiling.u", "value": 2},
        )
        self.on(
            project,
            "b",
            {"kind": "set-setting", "material": "plain", "setting": "uv.tiling.v", "value": 3},
        )
        said = self.on(
            project,
            "b",
            {"kind": "set-setting", "material": "plain", "setting": "uv.tiling.u", "value": 5},
            status=409,
        )
        self.assertIn("tiles in u of plain", said["message"])
        self.assertEqual(self.document(project)["materials"]["plain"]["uv"]["tiling"], [2.0, 3.0])

    def test_a_derived_material_makes_the_transform_its_own_as_a_whole(self) -> None:
        project = self.sample()
        self.on(
            project,
            "a",
            {"kind": "set-setting", "material": "tile_dull", "setting": "uv.tiling.u", "value": 5},
        )
        uv = self.document(project)["materials"]["tile_dull"]["uv"]
        self.assertEqual(
            (uv["tiling"], uv["offset"], uv["rotation"]), ([5.0, 3.0], [0.25, 0.5], 0.3)
        )

    def test_changes_of_parts_of_one_feed_add_up(self) -> None:
        project = self.sample()
        change = {"kind": "change-feed", "material": "tile", "input": "roughness"}
        self.on(project, "a", change | {"change": {"gamma": 2.0}})
        self.on(project, "b", change | {"change": {"invert": True}})
        self.on(project, "c", change | {"change": {"gamma": 3.0}}, status=409)
        feed = self.document(project)["materials"]["tile"]["inputs"]["roughness"]
        self.assertEqual(
            (feed["gamma"], feed["invert"], feed["range"], feed["map"]),
            (2.0, True, [0.1, 0.8], "tile_orm"),
        )
        self.on(project, "d", change | {"change": {"gamma": -1.0}}, status=409)
        fresh = self.call("get", f"/projects/{project['id']}")
        self.on(fresh, "d", change | {"change": {"gamma": -1.0}}, status=422)
        self.on(fresh, "d", change | {"change": {"gamma": None}})
        self.assertEqual(
            self.document(project)["materials"]["tile"]["inputs"]["roughness"]["gamma"], 1.0
        )

    def test_what_was_removed_or_renamed_meanwhile_is_said(self) -> None:
        project = self.sample()
        self.on(project, "a", {"kind": "rename-material", "material": "plain", "name": "bare"})
        said = self.on(
            project,
            "b",
            {"kind": "set-setting", "material": "plain", "setting": "filter", "value": "nearest"},
            status=409,
        )
        self.assertIn("plain", said["message"])
        self.on(
            project,
            "b",
            {"kind": "assign", "mesh": "plates", "slots": ["Front"], "material": "plain"},
            status=409,
        )

    def test_deleting_what_another_page_has_just_worked_on_is_refused(self) -> None:
        project = self.sample()
        self.on(
            project,
            "a",
            {"kind": "assign", "mesh": "plates", "slots": ["Back"], "material": "plain"},
        )
        said = self.on(project, "b", {"kind": "remove-material", "material": "plain"}, status=409)
        self.assertIn("what plain is on", said["message"])

    def test_a_job_that_ends_never_refuses_an_edit(self) -> None:
        project = self.sample()
        with folder() as root:
            content = save(root / "a.png", noise(16)).read_bytes()
        self.assertEqual(self.bring_in(project, {"late_albedo.png": content})["state"], "done")
        self.on(
            project,
            "a",
            {"kind": "set-feed", "material": "plain", "input": "roughness", "feed": {"value": 0.8}},
        )
        self.assertIn("late_albedo", self.document(project)["maps"])

    def test_undo_of_what_a_page_has_not_seen_is_refused_with_its_name(self) -> None:
        project = self.sample()
        mine = self.on(project, "a", {"kind": "rename-project", "name": "Mine"})
        self.on(mine, "b", {"kind": "add-material", "name": "theirs"})
        body = {"revision": mine["revision"], "page": "a"}
        said = self.call("post", f"/projects/{project['id']}/undo", body, 409)
        self.assertIn("new material theirs", said["message"])
        own = self.call(
            "post", f"/projects/{project['id']}/undo", {"revision": mine["revision"], "page": "b"}
        )
        self.assertNotIn("theirs", own["document"]["materials"])

    def test_a_state_of_another_project_is_no_base(self) -> None:
        project, other = self.sample(), self.begin()
        body = {"revision": other["revision"], "edits": [{"kind": "rename-project", "name": "x"}]}
        self.call("post", f"/projects/{project['id']}/edits", body, 409)

    def test_every_page_sees_the_others_by_a_cheap_question(self) -> None:
        project = self.sample()
        path = f"/api/projects/{project['id']}/pulse"
        with self.assertNumQueries(3):
            before = self.client.get(path).json()
        after = self.on(project, "b", {"kind": "rename-project", "name": "Other"})
        self.assertEqual(self.client.get(path).json()["revision"], after["revision"])
        self.assertNotEqual(before["revision"], after["revision"])
        Job.objects.create(project_id=project["id"], kind="archive")
        self.assertNotEqual(self.client.get(path).json()["jobs"], before["jobs"])


class States(Api):
    def many(self, count: int) -> dict:
        """A project of many maps."""
        project = self.begin()
        entry = {
            "file": "maps/a.png",
            "roles": {"rgb": "base_color"},
            "encoding": "srgb",
            "set": "a",
        }
        for start in range(0, count, 250):
            maps = {
                f"map_{i}": entry | {"file": f"maps/{i}.png"} for i in range(start, start + 250)
            }
            project = self.edit(project, {"kind": "bring-in", "maps": maps})
        return project

    def test_an_edit_of_a_large_project_costs_what_it_says(self) -> None:
        project = self.many(1000)
        whole = len(json.dumps(Revision.objects.get(pk=project["revision"]).document))
        start = project["revision"]
        for number in range(80):
            project = self.edit(
                project, {"kind": "set-map", "maps": [f"map_{number}"], "encoding": "linear"}
            )
        rows = Revision.objects.filter(pk__gt=start)
        spent = sum(len(json.dumps(row.whole)) + len(json.dumps(row.patch)) for row in rows)
        self.assertGreater(whole, 100_000)
        self.assertLess(spent / 80, whole / 20)

    def test_every_state_is_found_again_as_it_was(self) -> None:
        project = self.sample()
        seen = {}
        names = ["plain", "b", "c", "a", "tile_x"]
        for number in range(90):
            old, new = names[number % 5], names[(number + 1) % 5]
            edit = {"kind": "rename-material", "material": old, "name": new}
            project = self.edit(
                project,
                edit,
                {
                    "kind": "set-feed",
                    "material": new,
                    "input": "roughness",
                    "feed": {"value": number / 100},
                },
            )
            seen[project["revision"]] = project["document"]
        project_model._states.clear()
        for revision, document in seen.items():
            found = Revision.objects.get(pk=revision).document
            self.assertEqual(found, document_json(Document.model_validate(document)))
            self.assertEqual(
                list(found["materials"]), list(document["materials"]), "in the same order"
            )

    def test_undo_to_the_start_and_all_the_way_back(self) -> None:
        project = self.begin()
        first = project["document"]
        for number in range(60):
            project = self.edit(project, {"kind": "add-material", "name": f"m{number}"})
        last = project["document"]
        for _ in range(60):
            project = self.call(
                "post", f"/projects/{project['id']}/undo", {"revision": project["revision"]}
            )
        self.assertEqual(project["document"], first)
        for _ in range(60):
            project = self.call(
                "post", f"/projects/{project['id']}/redo", {"revision": project["revision"]}
            )
        self.assertEqual(project["document"], last)

    def test_deleting_is_whole_and_the_list_never_breaks(self) -> None:
        project, other = self.sample(), self.sample()
        Project.objects.filter(pk=other["id"]).update(head=None)
        self.assertEqual([row["id"] for row in self.call("get", "/projects")], [project["id"]])
        self.call("get", f"/projects/{other['id']}", status=404)
        self.call("delete", f"/projects/{project['id']}", status=204)
        self.assertEqual(self.call("get", "/projects"), [])
        self.assertEqual(Revision.objects.filter(project_id=project["id"]).count(), 0)
