"""Hands that type fast, hold a slider, rename over and over, drop files; a slow network; two pages:
no work is lost."""

from __future__ import annotations

import math
import re

from playwright.sync_api import Page, Route

from server.workshop.models import Project
from tests.browser.site import Site
from tests.samples import folder, noise, save

SLOW = 700
"""Milliseconds that each edit takes on its way, where the network is slow."""


class Hands(Site):
    draws = True

    def begin_on(self, material: str) -> None:
        self.open_small_project()
        self.project = self.page.url.rsplit("/", 2)[-2]
        self.to_material(material)

    def slow(self, page: Page) -> None:
        """Edits of a page are slow to arrive; what it reads is not."""

        def later(route: Route) -> None:
            page.wait_for_timeout(SLOW)
            route.continue_()

        page.route("**/edits", later)

    def document(self) -> dict:
        return Project.objects.get(pk=self.project).head.document

    def saved(self, page: Page | None = None) -> None:
        """Wait until the header says that all is saved."""
        (page or self.page).locator(".project .small", has_text=re.compile("^saved")).wait_for()

    def test_a_slider_that_is_held_before_it_is_let_go(self) -> None:
        page = self.page
        self.begin_on("plain")
        page.get_by_role("button", name="Roughness adjustments").click()
        rail = page.get_by_role("slider", name="Value").locator(
            "xpath=ancestor::span[contains(@class, 'MuiSlider-root')]"
        )
        box = rail.bounding_box()
        y = box["y"] + box["height"] / 2
        page.mouse.move(box["x"] + 0.35 * box["width"], y)
        page.mouse.down()
        with page.expect_response("**/sheets/plain"):
            page.mouse.move(box["x"] + 0.8 * box["width"], y, steps=4)
        page.get_by_role("textbox", name="Value, number").and_(
            page.locator("[value='0.80']")
        ).wait_for()
        page.wait_for_timeout(600)  # held: the preview has answered long since
        page.mouse.up()
        self.saved()
        self.assertEqual(self.document()["materials"]["plain"]["inputs"]["roughness"]["value"], 0.8)
        # Moved and brought back: what the preview on the way answers afterwards is old.
        held: list[Route] = []
        holding = [True]
        page.route(
            "**/sheets/plain",
            lambda route: held.append(route) if holding[0] else route.continue_(),
        )
        page.mouse.move(box["x"] + 0.8 * box["width"], y)
        page.mouse.down()
        with page.expect_request("**/sheets/plain"):
            page.mouse.move(box["x"] + 0.2 * box["width"], y, steps=3)
        page.mouse.move(box["x"] + 0.8 * box["width"], y, steps=3)
        page.mouse.up()
        holding[0] = False
        with page.expect_response("**/sheets/plain"):
            for route in held:
                route.continue_()
        page.locator('[data-input="roughness"]').get_by_text("0.80").first.wait_for()
        self.assertEqual(self.complaints, [])

    def test_a_colour_counts_when_the_picker_closes(self) -> None:
        self.begin_on("plain")
        self.page.get_by_role("button", name="Base colour adjustments").click()
        self.page.get_by_label("Colour, sRGB").fill("#ff0000")
        self.page.locator("[aria-label='Base colour, typed'], [aria-label='Colour, typed']").and_(
            self.page.locator("[value='#ff0000']")
        ).wait_for()
        self.saved()
        red = self.document()["materials"]["plain"]["inputs"]["base_color"]["value"]
        self.assertEqual([round(v, 3) for v in red], [1.0, 0.0, 0.0])

    def test_numbers_typed_faster_than_the_network_all_count(self) -> None:
        page = self.page
        self.begin_on("plain")
        self.slow(page)
        page.get_by_role("button", name="Settings of the material").click()
        for field, value in (
            ("Tiles in u", "2"),
            ("Tiles in v", "3"),
            ("Offset u", "0.25"),
            ("Rotation, °", "45"),
        ):
            page.get_by_role("textbox", name=field).fill(value)
            page.keyboard.press("Enter" if field.startswith("Rotation") else "Tab")
        # Shown at once, before any of it has been answered.
        self.assertEqual(page.get_by_role("textbox", name="Tiles in u").input_value(), "2")
        self.assertEqual(page.get_by_role("textbox", name="Rotation, °").input_value(), "45")
        self.saved()
        self.assertEqual(
            [
                page.get_by_role("textbox", name=f).input_value()
                for f in ("Tiles in u", "Tiles in v", "Rotation, °")
            ],
            ["2", "3", "45"],
        )
        uv = self.document()["materials"]["plain"]["uv"]
        self.assertEqual((uv["tiling"], uv["offset"]), ([2.0, 3.0], [0.25, 0.0]))
        self.assertAlmostEqual(uv["rotation"], math.pi / 4)
        page.keyboard.press("Escape")
        for _ in range(4):
            page.keyboard.press("Control+z")
        self.saved()
        self.assertNotIn("uv", self.document()["materials"]["plain"])
        self.assertEqual(self.complaints, [])

    def test_five_renames_one_after_the_other_keep_the_last(self) -> None:
        """On a screen without a stage: what is tried is the line of edits, not drawing."""
        page = self.page
        self.open_small_project()
        self.project = page.url.rsplit("/", 2)[-2]
        self.slow(page)
        name = "Test plates"
        for number in range(5):
            page.get_by_role("button", name=name).click()
            page.get_by_role("menuitem", name="Rename…").click()
            name = f"Plates {number}"
            page.get_by_label("Project name").fill(name)
            self.button("Rename").click()
            page.get_by_role("button", name=name).wait_for()
        self.saved()
        self.assertEqual(self.document()["name"], "Plates 4")
        self.assertEqual(self.complaints, [])

    def test_materials_put_on_slots_in_quick_succession(self) -> None:
        page = self.page
        self.begin_on("plain")
        self.slow(page)
        self.go("Meshes")
        for slot, material in (("Front", "plain"), ("Back", "plain"), ("Bare", "tile")):
            page.get_by_role("combobox", name=f"Material of {slot}").click()
            page.get_by_role("option", name=material, exact=True).click()
        for slot in ("Front", "Back"):
            page.get_by_role("checkbox", name=f"{slot} is done").check()
        page.get_by_text("2 done").wait_for()
        self.saved()
        mesh = self.document()["meshes"]["plates"]
        self.assertEqual(
            (mesh["slots"], mesh["done"]),
            ({"Front": "plain", "Back": "plain", "Bare": "tile"}, ["Front", "Back"]),
        )
        self.assertEqual(self.complaints, [])

    def test_two_pages_see_each_other_and_never_overwrite(self) -> None:
        page = self.page
        self.begin_on("plain")
        other = page.context.new_page()
        other.goto(page.url)
        other.get_by_role("button", name="Metallic adjustments").wait_for()
        other.get_by_role("button", name="More for this material").click()
        other.get_by_role("menuitem", name="Duplicate").click()
        page.get_by_title("plain_copy").and_(page.get_by_role("button")).wait_for()
        # Both on the same input, the other one first: refused by name, and theirs is shown. Until
        # then this page must not learn of it, whatever it asks for and however late the answer.
        address = f"**/api/projects/{self.project}"
        before = page.request.get(f"{self.live_server_url}/api/projects/{self.project}").text()
        page.route("**/pulse", lambda route: route.abort())
        page.route(
            address, lambda route: route.fulfill(body=before, content_type="application/json")
        )
        page.bring_to_front()
        self.other_page(
            self.project,
            {"kind": "set-feed", "material": "plain", "input": "roughness", "feed": {"value": 0.9}},
        )
        page.get_by_role("button", name="Roughness adjustments").click()
        page.get_by_role("textbox", name="Value, number").fill("0.1")
        page.unroute(address)
        page.keyboard.press("Enter")
        page.get_by_text("changed meanwhile").wait_for()
        page.locator('[data-input="roughness"]').get_by_text("0.90").first.wait_for()
        self.assertEqual(self.document()["materials"]["plain"]["inputs"]["roughness"]["value"], 0.9)

    def test_a_file_dropped_on_a_row_comes_in_once_and_feeds_it(self) -> None:
        page = self.page
        self.begin_on("plain")
        with folder() as root:
            content = save(root / "a.png", noise(16, 3, 1)).read_bytes()
        page.evaluate(
            """async ([bytes, selector]) => {
              const files = new DataTransfer()
              files.items.add(new File([new Uint8Array(bytes)], 'dropped_rough.png', { type: 'image/png' }))
              const goal = document.querySelector(selector)
              for (const kind of ['dragenter', 'dragover', 'drop']) {
                goal.dispatchEvent(new DragEvent(kind, { dataTransfer: files, bubbles: true, cancelable: true }))
                await new Promise((next) => setTimeout(next, 60))
              }
            }""",
            [list(content), '[data-input="roughness"] .source'],
        )
        page.locator('[data-input="roughness"]').get_by_text("dropped_rough").first.wait_for()
        page.get_by_text("Drop to import").wait_for(state="detached")
        self.saved()
        self.assertEqual([n for n in self.document()["maps"] if "dropped" in n], ["dropped_rough"])
        self.assertEqual(
            self.document()["materials"]["plain"]["inputs"]["roughness"]["map"], "dropped_rough"
        )
        self.assertEqual(
            Project.objects.get(pk=self.project).jobs.filter(kind="bring-in").count(), 1
        )
        self.assertEqual(self.complaints, [])


class Removing(Site):
    def test_maps_meshes_packages_and_projects_are_removed_with_what_uses_them_said(self) -> None:
        page = self.page
        self.open_small_project()
        page.get_by_role("region", name="Detection").get_by_role("button", name="Remove…").click()
        page.get_by_role("dialog").get_by_text("It is used").wait_for()
        page.get_by_role("dialog").get_by_role("button", name="Remove").click()
        page.get_by_role("dialog").wait_for(state="detached")
        self.button("Undo").click()
        self.go("Meshes")
        # The screen before has a button of that name as well, until this one has come.
        page.get_by_role("heading", name="plates", exact=True).wait_for()
        self.button("Remove…").click()
        self.axe("removing a mesh")
        page.get_by_role("dialog").get_by_role("button", name="Remove").click()
        page.get_by_role("heading", name="No meshes yet").wait_for()
        self.button("Undo").click()
        page.get_by_role("heading", name="plates", exact=True).wait_for()
        self.go("Export")
        self.button("Export only").click()
        self.button("Test again").wait_for()
        self.button("Earlier packages").click()
        self.button("Remove").click()
        page.get_by_text("None yet.").wait_for()
        self.button("Restore").click()
        self.button("Show trial").or_(
            page.get_by_role("dialog").get_by_role("button", name="Download")
        ).first.wait_for()
        page.keyboard.press("Escape")
        page.get_by_role("link", name="Ektopos: all projects").click()
        self.button("Delete Test plates…").click()
        page.get_by_role("dialog").get_by_text("cannot be undone").wait_for()
        self.axe("deleting a project")
        self.button("Delete for good").click()
        page.get_by_text("No projects yet").wait_for()
        self.assertEqual(self.complaints, [])
