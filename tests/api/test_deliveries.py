"""Packages delivered to a folder of this machine: shown first, put there in one step, brought back."""

from __future__ import annotations

import json
import shutil
from pathlib import PurePosixPath
from unittest import mock

from django.test import override_settings

from tests.api.client import Api
from tests.samples import folder, noise, save


class Deliveries(Api):
    def setUp(self) -> None:
        self.root = self.enterContext(folder())
        self.enterContext(override_settings(FOLDERS=[self.root]))
        self.goal = self.root / "game"

    def deliver(self, project: dict, *, dry: bool, where: str = "", status: int = 200) -> dict:
        body = {
            "revision": project["revision"],
            "folder": where or str(self.goal),
            "dry": dry,
        }
        job = self.call("post", f"/projects/{project['id']}/deliveries", body, status)
        if status != 200:
            return job
        ended = self.call("get", f"/jobs/{job['id']}")
        self.assertEqual(ended["state"], "done", ended)
        return ended["result"]

    def test_what_would_change_is_shown_and_then_put_there(self) -> None:
        project = self.sample()
        shown = self.deliver(project, dry=True)
        self.assertTrue(shown["passed"])
        self.assertIn("plates.glb", shown["changed"])
        self.assertFalse(self.goal.exists())
        self.deliver(project, dry=False)
        self.assertTrue((self.goal / "plates.glb").is_file())
        (self.goal / "notes.txt").write_text("the engine's own")

        changed = self.edit(
            project,
            {"kind": "set-feed", "material": "plain", "input": "roughness", "feed": {"value": 0.9}},
        )
        before = (self.goal / "plates.glb").read_bytes()
        again = self.deliver(changed, dry=True)
        self.assertEqual((again["changed"], again["gone"]), (["plates.glb"], []))
        self.assertEqual((self.goal / "plates.glb").read_bytes(), before)
        self.deliver(changed, dry=False)
        self.assertNotEqual((self.goal / "plates.glb").read_bytes(), before)
        self.assertEqual((self.goal / "notes.txt").read_text(), "the engine's own")

        self.assertTrue(self.call("get", f"/projects/{project['id']}/destination")["backup"])
        back = self.call("post", f"/projects/{project['id']}/deliveries/bring-back")
        self.assertIn("plates.glb", back["files"])
        self.assertEqual((self.goal / "plates.glb").read_bytes(), before)

    def test_what_fails_its_trial_does_not_get_there(self) -> None:
        project = self.sample()
        self.deliver(project, dry=False)
        before = (self.goal / "plates.glb").read_bytes()
        changed = self.edit(
            project,
            {"kind": "set-feed", "material": "plain", "input": "roughness", "feed": {"value": 0.9}},
        )

        def spoilt(*arguments: object, **named: object) -> object:
            from dataclasses import replace

            from ektopos.trial.compare import run_trial

            trial = run_trial(*arguments, **named)  # type: ignore[arg-type]
            first = replace(trial.cells[0], verdict="differs", message="It is another.")
            return replace(trial, passed=False, cells=[first, *trial.cells[1:]])

        with mock.patch("ektopos.automation.deliver.run_trial", spoilt):
            told = self.deliver(changed, dry=False)
        self.assertFalse(told["passed"])
        self.assertIn("It is another.", told["wrong"][0])
        self.assertEqual((self.goal / "plates.glb").read_bytes(), before)

    def test_the_folder_is_remembered_for_each_target(self) -> None:
        project = self.sample()
        self.deliver(project, dry=True)
        here = self.call("get", f"/projects/{project['id']}/destination")
        self.assertEqual((here["folder"], here["backup"]), (str(self.goal), False))
        self.edit(project, {"kind": "set-target", "target": "single-maps"})
        self.assertEqual(self.call("get", f"/projects/{project['id']}/destination")["folder"], "")

    def test_only_folders_that_were_named_are_written_to(self) -> None:
        project = self.sample()
        for where in ("/etc/game", "game", f"{self.root}/none/game"):
            with self.subTest(where):
                self.deliver(project, dry=False, where=where, status=422)
        (self.root / "out").symlink_to("/tmp")
        self.deliver(project, dry=False, where=f"{self.root}/out/game", status=422)

    def test_it_is_made_by_itself_after_a_changed_file_was_taken_and_not_before(self) -> None:
        project = self.sample()
        told = self.deliver(project, dry=False)
        self.assertTrue(told["passed"])
        before = (self.goal / "plates.glb").read_bytes()
        body = {"folder": str(self.goal), "by_itself": True}
        told = self.call("post", f"/projects/{project['id']}/destination", body)
        self.assertTrue(told["by_itself"])
        self.assertEqual((told["last"]["passed"], told["last"]["problem"]), (True, ""))
        rough = {"value": 0.9}
        project = self.edit(
            project,
            {"kind": "set-feed", "material": "plain", "input": "roughness", "feed": rough},
        )
        self.assertEqual((self.goal / "plates.glb").read_bytes(), before, "no file was taken")
        with folder() as root:
            again = save(root / "tile_orm.png", noise(64, 88)).read_bytes()
        self.bring_in(project, {"tile_orm.png": again})
        (offer,) = self.call("get", f"/projects/{project['id']}/offers")
        self.assertEqual((self.goal / "plates.glb").read_bytes(), before, "it waits")
        taking = {"revision": project["revision"], "ids": [offer["id"]], "what": "take"}
        self.call("post", f"/projects/{project['id']}/offers", taking)
        self.assertNotEqual((self.goal / "plates.glb").read_bytes(), before)
        last = self.call("get", f"/projects/{project['id']}/destination")["last"]
        self.assertEqual((last["passed"], last["changed"]), (True, 1))

    def test_where_it_may_not_go_is_said_and_nothing_is_kept(self) -> None:
        project = self.sample()
        body = {"folder": "/etc", "by_itself": True}
        self.call("post", f"/projects/{project['id']}/destination", body, 422)
        told = self.call("get", f"/projects/{project['id']}/destination")
        self.assertEqual((told["folder"], told["by_itself"], told["last"]), ("", False, None))

    def test_nothing_is_written_or_removed_through_a_link(self) -> None:
        project = self.edit(self.sample(), {"kind": "set-target", "target": "single-maps"})
        elsewhere = self.root.parent / f"{self.root.name}-elsewhere"
        elsewhere.mkdir()
        self.addCleanup(shutil.rmtree, elsewhere)
        first = self.deliver(project, dry=True)["changed"]
        within = {PurePosixPath(file).parts[0] for file in first if "/" in file}
        self.assertTrue(within, first)
        for name in within:
            with self.subTest(name):
                self.goal.mkdir(exist_ok=True)
                (self.goal / name).symlink_to(elsewhere)
                body = {"revision": project["revision"], "folder": str(self.goal), "dry": False}
                job = self.call("post", f"/projects/{project['id']}/deliveries", body)
                ended = self.call("get", f"/jobs/{job['id']}")
                self.assertEqual(ended["state"], "failed")
                self.assertIn("is a link", ended["error"]["message"])
                self.assertEqual(list(elsewhere.iterdir()), [])
                (self.goal / name).unlink()

    def test_a_list_that_somebody_put_there_removes_nothing(self) -> None:
        project = self.sample()
        self.goal.mkdir()
        (self.goal / "main.c").write_text("work of a year")
        planted = {"ektopos": 1, "files": [{"path": "main.c"}]}
        (self.goal / "package.json").write_text(json.dumps(planted))
        body = {"revision": project["revision"], "folder": str(self.goal), "dry": False}
        job = self.call("post", f"/projects/{project['id']}/deliveries", body)
        ended = self.call("get", f"/jobs/{job['id']}")
        self.assertEqual(ended["state"], "failed")
        self.assertIn("is not part of an earlier package", ended["error"]["message"])
        (self.goal / "package.json").unlink()
        self.deliver(project, dry=False)
        # And beside a package of ours.
        mine = json.loads((self.goal / "package.json").read_text())
        mine["files"].append({"path": "main.c"})
        (self.goal / "package.json").write_text(json.dumps(mine))
        rough = {"kind": "set-feed", "material": "plain", "input": "roughness"}
        changed = self.edit(project, rough | {"feed": {"value": 0.9}})
        self.assertEqual(self.deliver(changed, dry=False)["gone"], [])
        self.assertEqual((self.goal / "main.c").read_text(), "work of a year")

    def test_another_target_or_project_in_the_same_folder(self) -> None:
        project = self.sample()
        self.deliver(project, dry=False)
        other = self.edit(project, {"kind": "set-target", "target": "single-maps"})
        self.deliver(other, dry=False)
        listing = json.loads((self.goal / "package.json").read_text())
        self.assertEqual(listing["target"], "single-maps", "the project's own is replaced")
        stranger = self.sample()
        body = {"revision": stranger["revision"], "folder": str(self.goal), "dry": False}
        job = self.call("post", f"/projects/{stranger['id']}/deliveries", body)
        self.assertEqual(self.call("get", f"/jobs/{job['id']}")["state"], "failed")
