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
        self.go("Materials")
        leaving = page.locator('[data-input="roughness"] .leaves')
        leaving.get_by_text("ORM.png").wait_for()
        self.choose_target("Loose maps, metallic with smoothness")
        leaving.get_by_text("smoothness", exact=True).wait_for()
        page.get_by_text("MetallicSmoothness.png").first.wait_for()
        self.button("Undo").click()
        leaving.get_by_text("ORM.png").wait_for()
        self.button("Redo").click()
        leaving.get_by_text("smoothness", exact=True).wait_for()

        self.go("Export")
        page.get_by_text("tile_MetallicSmoothness.png").wait_for()
        self.button("Export and try").click()
        page.get_by_text(re.compile(r"✓ \d+ the same")).wait_for()
        self.assertEqual(page.get_by_role("button", name=re.compile(": (differs|lost)")).count(), 0)
        with page.expect_download() as download:
            page.get_by_role("link", name="Download").click()
        package = zipfile.ZipFile(io.BytesIO(download.value.path().read_bytes()))
        self.assertIn("textures/tile_MetallicSmoothness.png", package.namelist())
        self.assertEqual(json.loads(package.read("package.json"))["target"], "metal-smooth")
        self.assertEqual(self.complaints, [])

    def test_a_package_that_cannot_be_made_says_why_where_it_was_asked_for(self) -> None:
        page = self.page
        self.open_small_project()
        project = page.url.rsplit("/", 2)[-2]
        page.evaluate(
            """async (id) => {
              const project = await (await fetch(`/api/projects/${id}`)).json()
              const edits = [{ kind: 'set-feed', material: 'tile', input: 'roughness', feed: { map: 'tile_orm', channels: 'rgb' } }]
              await fetch(`/api/projects/${id}/edits`, { method: 'POST', headers: { 'Content-Type': 'application/json' },
                body: JSON.stringify({ revision: project.revision, edits }) })
            }""",
            project,
        )
        page.goto(f"{self.live_server_url}/projects/{project}/materials/tile")
        page.locator('[data-input="roughness"]').get_by_text("one channel").first.wait_for()
        self.go("Checks")
        page.get_by_text("Must be mended").wait_for()
        page.get_by_text("one channel").first.wait_for()
        self.go("Export")
        page.get_by_text("one channel").first.wait_for()

    def test_the_keys_named_at_the_foot_work(self) -> None:
        page = self.page
        self.open_small_project()
        self.go("Materials")
        page.get_by_role("heading", name="tile", exact=True).wait_for()
        page.keyboard.press("j")
        page.get_by_role("heading", name="tile_dull", exact=True).wait_for()
        page.keyboard.press("k")
        page.get_by_role("heading", name="tile", exact=True).wait_for()
        page.locator('[data-input="roughness"]').get_by_role("button", name="Roughness adjustments").click()
        page.get_by_label("High, number").wait_for()
        page.locator("main").focus()
        page.keyboard.press("s")
        page.get_by_text("Roughness alone, without light").wait_for()
        page.keyboard.press("s")
        page.get_by_text("Roughness alone, without light").wait_for(state="detached")

        # A letter typed into a field is a letter.
        page.keyboard.press("Control+k")
        page.get_by_role("combobox", name="A map, material, mesh or slot").press_sequentially("jks")
        page.get_by_role("combobox", name="A map, material, mesh or slot").and_(page.locator('[value="jks"]')).wait_for()
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
