"""Folders that a project follows: what is saved there comes in, once it is whole, and nothing from
elsewhere does."""

from __future__ import annotations

import os
import time
from pathlib import Path

from django.test import override_settings

from ektopos.automation.watched_folders import SETTLED
from server.workshop.following import allowed, take_up
from server.workshop.models import Followed, Project
from tests.api.client import Api
from tests.samples import folder, noise, quads, save, save_glb

LONG_AGO = time.time() - 60


class Following(Api):
    def setUp(self) -> None:
        self.root = self.enterContext(folder())
        self.enterContext(override_settings(FOLDERS=[self.root]))
        self.work = self.root / "work"
        self.work.mkdir()

    def saved(self, path: str, seed: int, when: float | None = None) -> Path:
        """A map saved by another program, a minute ago and a bit."""
        made = save(self.work / path, noise(32, seed))
        moment = LONG_AGO + seed if when is None else when
        os.utime(made, (moment, moment))
        return made

    def follow(
        self, project: dict, takes: bool = False, status: int = 200, where: str = ""
    ) -> dict:
        body = {"folder": where or str(self.work), "takes": takes}
        return self.call("post", f"/projects/{project['id']}/followed", body, status)

    def look(self) -> bool:
        return take_up(Followed.objects.select_related("project").get())

    def maps(self, project: dict) -> list[str]:
        return list(self.call("get", f"/projects/{project['id']}")["document"]["maps"])

    def waiting(self, project: dict) -> list[str]:
        return [o["name"] for o in self.call("get", f"/projects/{project['id']}/offers")]

    def test_all_of_it_comes_in_and_later_what_is_saved_again_waits(self) -> None:
        project = self.begin()
        self.saved("lamp/lamp_col.png", 1)
        self.saved("lamp/lamp_nrm.png", 2)
        self.follow(project)
        self.assertFalse(self.look())
        self.assertEqual(self.maps(project), ["lamp_col", "lamp_nrm"])
        self.assertFalse(self.look())
        self.saved("lamp/lamp_col.png", 3)
        self.look()
        self.assertEqual(self.waiting(project), ["lamp_col"])
        self.assertEqual(self.maps(project), ["lamp_col", "lamp_nrm"])

    def test_what_is_here_already_is_known_by_its_content_wherever_it_lies(self) -> None:
        project = self.begin()
        content = self.saved("deep/er/BaseColor.png", 1).read_bytes()
        self.bring_in(project, {"crate_col.png": content})
        self.follow(project)
        self.look()
        self.assertEqual((self.maps(project), self.waiting(project)), (["crate_col"], []))
        # From then on that path is this map, whatever its content and name.
        self.saved("deep/er/BaseColor.png", 2)
        self.look()
        self.assertEqual(self.waiting(project), ["crate_col"])

    def test_a_file_that_is_a_moment_old_or_empty_waits(self) -> None:
        project = self.begin()
        self.follow(project)
        self.saved("a_col.png", 1, time.time())
        self.assertTrue(self.look())
        self.assertEqual(self.maps(project), [])
        time.sleep(SETTLED)
        self.assertFalse(self.look())
        self.assertEqual(self.maps(project), ["a_col"])
        empty = self.work / "b_col.png"
        empty.touch()
        os.utime(empty, (LONG_AGO, LONG_AGO))
        self.assertTrue(self.look())
        self.assertEqual(self.maps(project), ["a_col"])

    def test_one_that_is_being_written_keeps_no_other_waiting(self) -> None:
        project = self.begin()
        self.saved("a_col.png", 1)
        self.saved("b_col.png", 2, time.time() + 5)
        self.follow(project)
        self.assertTrue(self.look())
        self.assertEqual(self.maps(project), ["a_col"])

    def test_new_versions_are_taken_by_themselves_where_that_is_wished(self) -> None:
        project = self.begin()
        self.saved("a_col.png", 1)
        self.follow(project, takes=True)
        self.look()
        before = self.call("get", f"/projects/{project['id']}/maps")[0]["sha256"]
        self.saved("a_col.png", 2)
        self.look()
        self.assertEqual(self.waiting(project), [])
        (row,) = self.call("get", f"/projects/{project['id']}/maps")
        self.assertNotEqual(row["sha256"], before)
        self.assertEqual(row["name"], "a_col")

    def test_what_was_dropped_by_hand_goes_on_waiting(self) -> None:
        project = self.begin()
        self.bring_in(project, {"b_nrm.png": save(self.root / "b.png", noise(32, 5)).read_bytes()})
        self.bring_in(project, {"b_nrm.png": save(self.root / "b.png", noise(32, 6)).read_bytes()})
        self.saved("a_col.png", 1)
        self.follow(project, takes=True)
        self.look()
        self.saved("a_col.png", 2)
        self.look()
        self.assertEqual(self.waiting(project), ["b_nrm"])

    def test_a_mesh_comes_with_what_lies_beside_it(self) -> None:
        project = self.begin()
        (self.work / "m").mkdir()
        (self.work / "m/boat.obj").write_text(
            "mtllib boat.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\n"
            "usemtl Hull\nf 1/1 2/2 3/3\n"
        )
        (self.work / "m/boat.mtl").write_text("newmtl Hull\nKd 1 0 0\n")
        for path in self.work.rglob("boat.*"):
            os.utime(path, (LONG_AGO, LONG_AGO))
        self.follow(project)
        self.look()
        (self.work / "m/boat.mtl").write_text("newmtl Hull\nKd 0 1 0\n")
        os.utime(self.work / "m/boat.mtl", (LONG_AGO + 5, LONG_AGO + 5))
        self.look()
        self.assertEqual(self.waiting(project), ["boat"])

    def test_only_folders_that_were_named_are_followed(self) -> None:
        project = self.begin()
        for where, words in (
            ("/etc", "may not be used"),
            (f"{self.work}/../..", "may not be used"),
            (f"{self.root}/none", "no such folder"),
            ("work", "whole path"),
        ):
            with self.subTest(where):
                refused = self.follow(project, status=422, where=where)
                self.assertIn(words, refused["message"])
        (self.root / "away").symlink_to("/etc")
        self.follow(project, status=422, where=f"{self.root}/away")
        with override_settings(FOLDERS=[]):
            refused = self.follow(project, status=422)
            self.assertIn("EKTOPOS_FOLDERS", refused["hint"] + refused["message"])

    def test_links_in_it_lead_nowhere(self) -> None:
        project = self.begin()
        outside = save(self.root / "secret.png", noise(8, 1))
        (self.work / "a_col.png").symlink_to(outside)
        (self.work / "more").symlink_to(self.root)
        self.follow(project)
        self.look()
        self.assertEqual(self.maps(project), [])

    def test_a_folder_that_is_gone_says_so_and_is_followed_again_when_it_is_back(self) -> None:
        project = self.begin()
        self.follow(project)
        self.work.rename(self.root / "elsewhere")
        self.look()
        told = self.call("get", f"/projects/{project['id']}/followed")["folders"][0]
        self.assertIn("no such folder", told["problem"])
        (self.root / "elsewhere").rename(self.work)
        self.saved("a_col.png", 1)
        self.look()
        self.assertEqual(self.maps(project), ["a_col"])
        self.call("delete", f"/projects/{project['id']}/followed/{told['id']}", status=204)
        self.assertEqual(self.call("get", f"/projects/{project['id']}/followed")["folders"], [])
        self.assertEqual(self.maps(project), ["a_col"])

    def test_the_data_folder_is_not_followed(self) -> None:
        from django.conf import settings

        project = self.begin()
        with (
            override_settings(FOLDERS=[Path("/")]),
            self.assertRaisesMessage(Exception, "own files"),
        ):
            allowed(str(settings.DATA_FOLDER), Project.objects.get(pk=project["id"]))

    def test_a_mesh_saved_again_waits(self) -> None:
        project = self.begin()
        save_glb(self.work / "crate.glb", quads({"Wood": 1}))
        os.utime(self.work / "crate.glb", (LONG_AGO, LONG_AGO))
        self.follow(project)
        self.look()
        save_glb(self.work / "crate.glb", quads({"Wood": 2, "Iron": 1}))
        os.utime(self.work / "crate.glb", (LONG_AGO + 9, LONG_AGO + 9))
        self.look()
        self.assertEqual(self.waiting(project), ["crate"])
