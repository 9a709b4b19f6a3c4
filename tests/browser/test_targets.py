"""Targets, the keyboard, and packages that cannot be made: seen through the interface."""

from __future__ import annotations

import io
import json
import re
import zipfile

from tests.browser.site import Site


class Targets(Site):
    def choose_target(self, title: str) -> None:
        self.page.get_by_role("button", name=re.compile("^for ")).click()
        self.page.get_by_role("menuitem", name=title).click()

    def test_a_target_changes_what_leaves_and_every_package_of_it_arrives(self) -> None:
        page = self.page
        self.open_small_project()
        self.to_material("tile")
        leaving = page.locator('[data-input="roughness"] .leaves')
        leaving.get_by_text("ORM.png").wait_for()
        self.choose_target("Loose maps, metallic with smoothness")
        leaving.get_by_text("smoothness", exact=True).wait_for()
        page.get_by_text("MetalSmooth.png").first.wait_for()
        self.button("Undo").click()
        leaving.get_by_text("ORM.png").wait_for()
        self.button("Redo").click()
        leaving.get_by_text("smoothness", exact=True).wait_for()

        self.go("Export")
        page.get_by_text("tile_MetalSmooth.png").wait_for()
        self.button("Export and test").click()
        page.get_by_text(re.compile(r"✓ \d+ identical")).wait_for()
        self.assertEqual(
            page.get_by_role("button", name=re.compile(": (different|lost)")).count(), 0
        )
        with page.expect_download() as download:
            self.button("Download").first.click()
        package = zipfile.ZipFile(io.BytesIO(download.value.path().read_bytes()))
        self.assertIn("textures/tile_MetalSmooth.png", package.namelist())
        self.assertEqual(json.loads(package.read("package.json"))["target"], "metal-smooth")
        self.assertEqual(self.complaints, [])

    def test_a_package_that_cannot_be_made_says_why_where_it_was_asked_for(self) -> None:
        page = self.page
        self.open_small_project()
        project = page.url.rsplit("/", 2)[-2]
        feed = {"map": "tile_orm", "channels": "rgb"}
        self.other_page(
            project, {"kind": "set-feed", "material": "tile", "input": "roughness", "feed": feed}
        )
        page.goto(f"{self.live_server_url}/projects/{project}/materials/tile")
        page.locator('[data-input="roughness"]').get_by_text("one channel").first.wait_for()
        self.go("Checks")
        page.get_by_text("Errors").wait_for()
        page.get_by_text("one channel").first.wait_for()
        self.go("Export")
        page.get_by_text("one channel").first.wait_for()

    def test_the_guide_opens_by_its_key_and_by_its_button(self) -> None:
        page = self.page
        self.open_small_project()
        self.button("Guide").wait_for()
        page.keyboard.press("Shift+Slash")
        guide = page.get_by_role("dialog", name="A guide for artists")
        guide.get_by_role("heading", name="Export and trial import").wait_for()
        guide.get_by_role("cell", name="wrong-encoding").wait_for()
        self.axe("guide")
        page.keyboard.press("Escape")
        guide.wait_for(state="detached")
        self.button("Guide").click()
        guide.get_by_role("heading", name="From maps to a package").wait_for()
        self.assertEqual(self.complaints, [])

    def test_the_keys_named_at_the_foot_work(self) -> None:
        page = self.page
        self.open_small_project()
        self.to_material("tile")
        page.keyboard.press("j")
        page.get_by_role("heading", name="tile_dull", exact=True).wait_for()
        page.keyboard.press("k")
        page.get_by_role("heading", name="tile", exact=True).wait_for()
        page.locator('[data-input="roughness"]').get_by_role(
            "button", name="Roughness adjustments"
        ).click()
        page.get_by_label("High, number").wait_for()
        page.locator("main").focus()
        page.keyboard.press("s")
        page.get_by_text("Roughness only, unlit").wait_for()
        page.keyboard.press("s")
        page.get_by_text("Roughness only, unlit").wait_for(state="detached")

        # A letter typed into a field is a letter.
        page.keyboard.press("Control+k")
        page.get_by_role("combobox", name="A map, material, mesh or slot").press_sequentially("jks")
        page.get_by_role("combobox", name="A map, material, mesh or slot").and_(
            page.locator('[value="jks"]')
        ).wait_for()
        page.keyboard.press("Escape")
        page.wait_for_url("**/materials/tile")

        self.go("Meshes")
        page.get_by_label("Front is done").wait_for()
        page.keyboard.press("j")
        page.wait_for_url("**slot=Front")
        page.wait_for_timeout(500)  # the address changes before the page is drawn again
        page.keyboard.press("d")
        page.get_by_label("Front is done").and_(page.locator(":checked")).wait_for()
        page.keyboard.press("Control+z")
        page.get_by_label("Front is done").and_(page.locator(":checked")).wait_for(state="detached")
        page.keyboard.press("Escape")
        page.wait_for_url(lambda url: "slot=" not in url)
        self.assertEqual(self.complaints, [])


class OwnTargets(Site):
    def test_a_target_is_copied_changed_exported_by_and_compared(self) -> None:
        page = self.page
        self.open_small_project()
        page.locator("[data-cell] img").first.wait_for()
        self.to_material("tile")
        page.locator('[data-input="roughness"] .leaves').get_by_text("ORM.png").wait_for()
        self.go("Export")
        page.get_by_text("tile_ORM.png").wait_for()
        page.get_by_role("button", name="for glTF").click()
        page.get_by_role("menuitem", name="Targets of your own").click()
        self.button("Copy Loose maps, packed ORM, −Y").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Names of files").fill("{suffix}")
        dialog.get_by_text("the name rule needs {material}").wait_for()
        self.assertTrue(dialog.get_by_role("button", name="Save the target").is_disabled())
        dialog.get_by_label("Names of files").fill("{suffix}_{material}")
        dialog.get_by_role("combobox", name="G of ORM", exact=True).click()
        page.get_by_role("option", name="smoothness").click()
        dialog.get_by_label("Halved").fill("1")
        dialog.get_by_text("smoothness instead of roughness").first.wait_for()
        self.axe("a target being written")
        dialog.get_by_role("button", name="Save the target").click()
        page.get_by_role("row", name="orm-y-minus-own").wait_for()
        page.get_by_role("dialog").get_by_role("button", name="Done").click()
        page.get_by_role("button", name="for glTF").click()
        page.get_by_role("menuitem", name="Compare the targets").click()
        row = page.get_by_role("row", name="packed ORM, −Y, changed")
        row.get_by_text("your own").wait_for()
        row.get_by_role("button", name="Choose").click()
        row.get_by_text("chosen").wait_for()
        self.axe("targets compared")
        page.get_by_role("dialog").get_by_role("button", name="Close").click()
        page.get_by_text("ORM_tile.png").first.wait_for()
        page.locator(".plan-row", has_text="ORM_tile.png").get_by_text("32²").wait_for()
        self.button("Export and test").click()
        page.get_by_role("img", name="plates from the front, arrived").wait_for()
        self.assertIn("FLIP", page.get_by_role("region", name="Renders").inner_text())
        self.button("Earlier packages").click()
        earlier = page.get_by_role("dialog", name="Earlier packages")
        self.assertIn("Loose maps, packed ORM, −Y, changed", earlier.inner_text())
        page.keyboard.press("Escape")
        self.assertEqual(self.complaints, [])
