"""What a hand leaves and finds again: selections after a reload, names typed in a table, keys and the right mouse button."""

from __future__ import annotations

import re

from server.workshop.models import Project
from tests.browser.site import Site


class Screens(Site):
    draws = True

    def test_every_screen_is_found_as_it_was_left_also_after_a_reload(self) -> None:
        page = self.page
        self.open_small_project()
        page.get_by_label("Order of the board").click()
        page.get_by_role("option").nth(1).click()
        order = page.get_by_label("Order of the board").inner_text()
        self.to_material("tile_dull")
        page.get_by_role("button", name="Roughness adjustments").click()
        self.button("Plane").click()
        self.button("Low sun").click()
        self.go("Meshes")
        self.button("Back").click()
        self.button("Checker").click()
        self.go("Maps")
        page.reload()
        self.assertEqual(page.get_by_label("Order of the board").inner_text(), order)
        self.go("Materials")
        page.get_by_role("heading", name="tile_dull", exact=True).wait_for()
        page.get_by_label("High, number").wait_for()
        for name in ("Plane", "Low sun"):
            self.button(name).and_(page.locator("[aria-pressed=true]")).wait_for()
        self.go("Meshes")
        self.button("Back").and_(page.locator("[aria-pressed=true]")).wait_for()
        self.button("Checker").and_(page.locator("[aria-pressed=true]")).wait_for()
        checked = self.stage_pixels()
        self.button("Shaded").click()
        self.stage_pixels(unlike=checked)
        self.assertEqual(self.complaints, [])


class Left(Site):
    def begin_small(self) -> str:
        self.open_small_project()
        return self.page.url.split("/projects/")[1].split("/")[0]

    def document(self, project: str) -> dict:
        return Project.objects.get(pk=project).head.document

    def test_slots_are_named_one_after_the_other_in_the_table(self) -> None:
        page = self.page
        project = self.begin_small()
        self.go("Meshes")
        self.button("Front").dblclick()
        page.get_by_label("Name of Front").fill("Hull")
        page.keyboard.press("Tab")
        page.get_by_label("Name of Back").fill("Keel")
        page.keyboard.press("Enter")
        for name in ("Hull", "Keel"):
            self.button(name).wait_for()
        self.button("Keel").focus()
        page.keyboard.press("F2")
        page.get_by_label("Name of Keel").fill("not kept")
        page.keyboard.press("Escape")
        self.button("Keel").wait_for()
        mesh = self.document(project)["meshes"]["plates"]
        self.assertEqual(mesh["slots"], {"Hull": "tile", "Keel": "tile_dull", "Bare": "plain"})
        self.assertEqual(self.complaints, [])

    def test_delete_asks_right_click_opens_the_menu_and_typed_values_are_refused(self) -> None:
        page = self.page
        project = self.begin_small()
        self.to_material("tile_dull")
        page.keyboard.press("Delete")
        page.get_by_role("dialog", name="Delete tile_dull").get_by_role(
            "button", name="Delete"
        ).click()
        page.get_by_title("tile_dull", exact=True).first.wait_for(state="detached")
        self.assertNotIn("tile_dull", self.document(project)["materials"])
        self.to_material("plain")
        page.get_by_role("heading", name="plain", exact=True).click(button="right")
        page.get_by_role("menuitem", name="Duplicate").wait_for()
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Roughness adjustments").click()
        field = page.get_by_label("Value, number")
        field.fill("3")
        page.keyboard.press("Enter")
        page.get_by_role("alert").get_by_text("from 0 to 1").wait_for()
        field.fill("0,375")
        page.keyboard.press("Enter")
        page.get_by_label("Value, number").and_(page.locator("[value='0.375']")).wait_for()
        page.locator(".project .small").get_by_text("saved").wait_for()
        self.assertEqual(
            self.document(project)["materials"]["plain"]["inputs"]["roughness"]["value"], 0.375
        )
        self.assertEqual(self.complaints, [])

    def test_roughness_and_gloss_are_compared_and_nothing_is_made(self) -> None:
        page = self.page
        project = self.begin_small()
        before = self.document(project)
        page.get_by_role("button", name="tile_orm: roughness").click()
        self.button("Compare as gloss").click()
        dialog = page.get_by_role("dialog")
        for words in ("as roughness", "as gloss"):
            picture = dialog.get_by_role("img", name=words)
            picture.wait_for()
            width = picture.evaluate("(image) => image.decode().then(() => image.naturalWidth)")
            self.assertEqual(width, 320, words)
        self.axe("comparing gloss")
        self.assertEqual(self.document(project), before)
        self.assertEqual(self.complaints, [])

    def test_what_is_opened_on_a_screen_keeps_the_rules_in_the_dark(self) -> None:
        """WCAG 2.2 A and AA by axe-core, in dark surroundings; the screens as they open are in the
        walk."""
        page = self.page
        self.begin_small()
        page.get_by_role("button", name="Plates").first.click()
        page.get_by_role("menuitem", name="Dark theme").click()
        page.locator("[data-cell]").first.wait_for()
        self.axe("maps, dark")
        self.to_material("tile")
        page.get_by_role("button", name="Base colour adjustments").click()
        page.get_by_label("Tint, typed").wait_for()
        self.axe("materials, dark")
        self.go("Meshes")
        self.button("Density").first.click()
        page.get_by_text("is typical").wait_for()
        self.axe("meshes, dark")
        self.go("Scene")
        self.button("Add plates to the scene").click()
        page.get_by_role("heading", name="plates", exact=True).wait_for()
        self.axe("scene, dark")
        self.go("Checks")
        page.get_by_role("heading", name="Findings", exact=True).wait_for()
        self.axe("checks, dark")
        self.go("Export")
        self.button("Export and test").click()
        page.get_by_text(re.compile(r"\d identical")).first.wait_for()
        page.locator("button.verdict").filter(has_text="settings").first.click()
        page.get_by_role("columnheader", name="Arrived").wait_for()
        self.axe("export, dark")
        self.assertEqual(self.complaints, [])
