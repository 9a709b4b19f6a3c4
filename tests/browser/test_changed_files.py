"""A map that was painted again and a mesh that was saved again: looked at before they are taken."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

from django.conf import settings
from django.db import connections
from django.test import override_settings

from tests.browser.site import ROOT, Site
from tests.core.test_renew import panels, renamed
from tests.samples import coloured, folder, noise, normals_of, save, save_glb


class Looked(Site):
    def sha(self, name: str) -> str:
        """The content of a map, as the server has it now."""
        project = self.page.url.split("/projects/")[1].split("/")[0]
        rows = self.page.request.get(f"{self.live_server_url}/api/projects/{project}/maps").json()
        return str(next(row["sha256"] for row in rows if row["name"] == name))


class ChangedFiles(Looked):
    def test_a_repainted_map_is_looked_at_taken_and_taken_back(self) -> None:
        page = self.page
        self.open_small_project()
        with folder() as root:
            save(root / "in/tile_orm.png", noise(64, 88))
            page.get_by_label("Files to import").set_input_files(root / "in/tile_orm.png")
            bar = page.get_by_role("region", name="Updated files")
            bar.get_by_text("1 updated file").wait_for()
        incoming = page.get_by_role("region", name="Imports")
        incoming.get_by_text("a new version of tile_orm: review it").wait_for()
        incoming.get_by_role("button", name="Close").click()
        bar.get_by_role("button", name="Review…").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("slider", name="Divider between current and new").wait_for()
        changes = dialog.get_by_role("table", name="What changes")
        changes.get_by_text("metallic of tile, roughness of tile, occlusion of tile").wait_for()
        changes.get_by_text("64 × 64, 3 × 8 bit").wait_for()
        self.axe("changed files")
        dialog.get_by_role("button", name="Difference").click()
        dialog.get_by_role("img", name="Difference of tile_orm").wait_for()
        dialog.get_by_role("button", name="Replace").click()
        # Under an open dialog the bar counts as hidden.
        dialog.wait_for(state="detached")
        bar.wait_for(state="detached")
        before = self.sha("tile_orm")
        self.button("Undo").click()
        page.get_by_role("button", name="Redo").and_(page.locator(":enabled")).wait_for()
        self.assertNotEqual(self.sha("tile_orm"), before)
        self.assertEqual(self.complaints, [])

    def test_a_new_map_of_a_set_in_use_is_fed_by_one_click(self) -> None:
        page = self.page
        self.begin("Lantern")
        with folder() as root:
            save(root / "in/lantern_basecolor.png", coloured(64, 3))
            save(root / "in/lantern_roughness.png", noise(64, 4, 1))
            self.bring_in(root / "in")
            page.get_by_role("button", name="Close").click()
            self.button("Make material").first.click()
            page.get_by_role("heading", name="lantern", exact=True).wait_for()
            self.go("Maps")
            height = noise(64, 6, 1)[..., 0] / 255.0
            save(root / "more/lantern_nm.png", normals_of(height, 9.0))
            page.get_by_label("Files to import").set_input_files(root / "more/lantern_nm.png")
            bar = page.get_by_role("region", name="New maps in sets")
            bar.get_by_role("button", name="Feed it to lantern").click()
        bar.wait_for(state="detached")
        self.go("Materials")
        page.locator('[data-input="normal"]').get_by_text("lantern_nm").first.wait_for()
        self.assertEqual(self.complaints, [])

    def test_a_mesh_that_comes_back_says_what_it_keeps(self) -> None:
        page = self.page
        self.open_small_project()
        with folder() as root:
            again = renamed(panels({"Front": 2, "Back": 1, "Bare": 1, "Rim": 1}), Front="mat.001")
            save_glb(root / "plates.glb", again)
            page.get_by_label("Files to import").set_input_files(root / "plates.glb")
            bar = page.get_by_role("region", name="Updated files")
            bar.get_by_role("button", name="Review…").click()
        changes = page.get_by_role("table", name="What changes")
        changes.get_by_text("Rim is new").wait_for()
        page.get_by_role("dialog").get_by_role("button", name="Skip").click()
        bar.wait_for(state="detached")
        self.go("Meshes")
        page.get_by_text(re.compile("Rim")).wait_for(state="detached")
        page.get_by_label("Material of Back").wait_for()
        self.assertEqual(self.complaints, [])


class Following(Looked):
    """The real follower as a process of its own, as `workshop` starts it."""

    def setUp(self) -> None:
        super().setUp()
        self.root = self.enterContext(folder())
        self.enterContext(override_settings(FOLDERS=[self.root]))
        database = Path(connections["default"].settings_dict["NAME"]).name
        environment = os.environ | {
            "EKTOPOS_DATABASE": database,
            "EKTOPOS_DATA": str(settings.DATA_FOLDER),
            "EKTOPOS_FOLDERS": str(self.root),
        }
        follower = subprocess.Popen(
            [sys.executable, "manage.py", "follow_folders"], cwd=ROOT, env=environment
        )
        self.addCleanup(follower.wait, 10)
        self.addCleanup(follower.terminate)

    def test_what_another_program_saves_comes_in_waits_and_is_taken(self) -> None:
        page = self.page
        self.begin()
        save(self.root / "lamp/lamp_col.png", noise(64, 1))
        page.get_by_role("button", name="Walk").click()
        page.get_by_role("menuitem", name="Follow folders…").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Folder").fill("/etc")
        self.button("Follow").click()
        dialog.get_by_text("may not be used").wait_for()
        dialog.get_by_label("Folder").fill(str(self.root))
        self.button("Follow").click()
        dialog.get_by_text("1 file imported").wait_for()
        self.axe("followed folders")
        dialog.get_by_role("button", name="Close").click()
        page.get_by_role("button", name=re.compile("lamp_col")).first.wait_for()

        save(self.root / "lamp/lamp_col.png", noise(64, 2))
        bar = page.get_by_role("region", name="Updated files")
        bar.get_by_text("lamp_col").wait_for()
        bar.get_by_role("button", name="Replace").click()
        bar.wait_for(state="detached")

        # By itself from now on.
        page.get_by_role("button", name="Walk").click()
        page.get_by_role("menuitem", name="Follow folders…").click()
        with page.expect_response(re.compile("/followed$")):
            page.get_by_label("replace automatically", exact=True).check()
        self.button("Close").click()
        was = self.sha("lamp_col")
        save(self.root / "lamp/lamp_col.png", noise(64, 3))
        for _ in range(150):
            if self.sha("lamp_col") != was:
                break
            page.wait_for_timeout(200)
        self.assertNotEqual(self.sha("lamp_col"), was)
        bar.wait_for(state="detached")
        # The refused folder is the one complaint.
        self.assertEqual(len(self.complaints), 1)


class Delivering(Site):
    def test_a_package_is_shown_put_into_a_folder_and_taken_back(self) -> None:
        page = self.page
        root = self.enterContext(folder())
        self.enterContext(override_settings(FOLDERS=[root]))
        self.open_small_project()
        self.go("Export")
        page.get_by_label("Planned files").wait_for()
        self.button("Deliver…").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Folder").fill(str(root / "game"))
        self.button("Preview changes").click()
        dialog.get_by_text("would be new or changed").wait_for()
        dialog.get_by_text("plates.glb").wait_for()
        self.assertFalse((root / "game").exists())
        self.axe("deliver")
        self.button("Deliver now").click()
        dialog.get_by_text("delivered.").wait_for()
        self.assertTrue((root / "game/plates.glb").is_file())
        dialog.get_by_text("last delivered").wait_for()
        dialog.get_by_role("checkbox", name="Automatically").check()
        self.button("Close").click()
        self.button("Deliver…").click()
        dialog.get_by_role("checkbox", name="Automatically").and_(
            page.locator(":checked")
        ).wait_for()
        dialog.get_by_label("Folder").fill(str(root / "none/game"))
        self.button("Preview changes").click()
        dialog.get_by_text("is not there").wait_for()
        self.assertEqual(len(self.complaints), 1)
