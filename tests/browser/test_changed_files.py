"""A map that was painted again and a mesh that was saved again: looked at before they are taken."""

from __future__ import annotations

import re

from tests.browser.site import Site
from tests.core.test_renew import panels, renamed
from tests.samples import folder, noise, save, save_glb


class ChangedFiles(Site):
    def test_a_repainted_map_is_looked_at_taken_and_taken_back(self) -> None:
        page = self.page
        self.open_small_project()
        with folder() as root:
            save(root / "in/tile_orm.png", noise(64, 88))
            page.get_by_label("Files to bring in").set_input_files(root / "in/tile_orm.png")
            bar = page.get_by_role("region", name="Changed files")
            bar.get_by_text("1 changed file").wait_for()
        incoming = page.get_by_role("region", name="Files coming in")
        incoming.get_by_text("another tile_orm: look at it before it is taken").wait_for()
        incoming.get_by_role("button", name="Close").click()
        bar.get_by_role("button", name="Look…").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("slider", name="Divider between as it is and as it came").wait_for()
        changes = dialog.get_by_role("table", name="What changes")
        changes.get_by_text("metallic of tile, roughness of tile, occlusion of tile").wait_for()
        changes.get_by_text("64 × 64, 3 × 8 bit").wait_for()
        self.axe("changed files")
        dialog.get_by_role("button", name="Take it").click()
        bar.wait_for(state="detached")
        before = self.sha("tile_orm")
        self.button("Undo").click()
        page.get_by_role("button", name="Redo").and_(page.locator(":enabled")).wait_for()
        self.assertNotEqual(self.sha("tile_orm"), before)
        self.assertEqual(self.complaints, [])

    def test_a_mesh_that_comes_back_says_what_it_keeps(self) -> None:
        page = self.page
        self.open_small_project()
        with folder() as root:
            again = renamed(panels({"Front": 2, "Back": 1, "Bare": 1, "Rim": 1}), Front="mat.001")
            save_glb(root / "plates.glb", again)
            page.get_by_label("Files to bring in").set_input_files(root / "plates.glb")
            bar = page.get_by_role("region", name="Changed files")
            bar.get_by_role("button", name="Look…").click()
        changes = page.get_by_role("table", name="What changes")
        changes.get_by_text("Rim is new").wait_for()
        page.get_by_role("dialog").get_by_role("button", name="Leave it").click()
        bar.wait_for(state="detached")
        self.go("Meshes")
        page.get_by_text(re.compile("Rim")).wait_for(state="detached")
        page.get_by_label("Material of Back").wait_for()
        self.assertEqual(self.complaints, [])

    def sha(self, name: str) -> str:
        project = self.page.url.split("/projects/")[1].split("/")[0]
        rows = self.page.request.get(f"{self.live_server_url}/api/projects/{project}/maps").json()
        return str(next(row["sha256"] for row in rows if row["name"] == name))
