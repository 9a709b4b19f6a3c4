"""Materials over materials, layers of one's own, masks and three-sided projection, by hand."""

from __future__ import annotations

import re

import numpy as np

from tests.browser.site import Site


class Covers(Site):
    draws = True

    def test_a_material_covers_another_where_a_mask_is(self) -> None:
        page = self.page
        self.open_small_project()
        self.to_material("tile")
        before = self.stage_pixels()
        covers = page.get_by_role("region", name="Material layers")
        covers.get_by_role("button", name="Add material layer").click()
        page.get_by_role("option", name="plain").click()
        covers.locator("legend.small").wait_for()
        whole = self.stage_pixels(unlike=before)
        covers.get_by_role("combobox", name="Mask").fill("gloss")
        page.get_by_role("option", name="tile_gloss").click()
        covers.get_by_label("Mask channel").wait_for()
        masked = self.stage_pixels(unlike=whole)
        # A hard edge, typed; held by the keyboard, the amount is saved once it is let go.
        covers.get_by_label("Edge sharpness, number").fill("12,5")
        page.keyboard.press("Enter")
        covers.get_by_label("Edge position", exact=True).wait_for()
        self.stage_pixels(unlike=masked)
        covers.get_by_label("Amount", exact=True).focus()
        for _ in range(5):
            page.keyboard.press("ArrowLeft")
        page.keyboard.press("Tab")
        for _ in range(100):
            (entry,) = self.document()["materials"]["tile"]["covers"]
            if round(entry["amount"], 4) == 0.95:
                break
        self.assertAlmostEqual(entry["amount"], 0.95)
        self.assertEqual(entry["mask"]["contrast"], 12.5)
        self.axe("covers")

        # It is exported flat: the trial compares with what was made of both.
        self.go("Export")
        self.button("Export and test").click()
        page.get_by_text(re.compile(r"\d identical")).first.wait_for(timeout=120_000)
        self.assertEqual(page.locator(".verdict.brick").count(), 0)

        self.to_material("tile")
        covers.get_by_role("button", name="Remove").click()
        covers.locator("legend.small").wait_for(state="detached")
        self.button("Undo").click()
        covers.locator("legend.small").wait_for()
        self.assertEqual(self.complaints, [])

    def test_layers_are_constants_and_maps_in_an_order_of_ones_own(self) -> None:
        page = self.page
        self.open_small_project()
        self.to_material("tile")
        row = page.locator('[data-input="roughness"]')
        row.get_by_role("button", name="Roughness adjustments").click()
        self.button("Add constant layer").click()
        row.get_by_text("1 layer").wait_for()
        page.get_by_label("Value, number").fill("0.25")
        page.keyboard.press("Enter")
        self.button("Add map layer").click()
        page.get_by_role("option", name="tile_gloss").click()
        row.get_by_text("2 layers").wait_for()
        page.get_by_text("Placement: once over the whole surface").click()
        page.get_by_label("Tiles in u").last.fill("3")
        page.keyboard.press("Enter")
        page.get_by_text("Placement: tiles 3 × 1").wait_for()
        self.wait_for_layers([None, "tile_gloss"])
        # By drag, and by the keyboard for those who cannot.
        handles = page.locator(".layer > legend")
        carried = page.evaluate_handle("new DataTransfer()")
        handles.nth(1).dispatch_event("dragstart", {"dataTransfer": carried})
        for event in ("dragover", "drop"):
            handles.nth(0).dispatch_event(event, {"dataTransfer": carried})
        self.wait_for_layers(["tile_gloss", None])
        handles.nth(0).focus()
        page.keyboard.press("Alt+ArrowDown")
        self.wait_for_layers([None, "tile_gloss"])
        self.assertEqual(self.layers()[1]["uv"]["tiling"], [3.0, 1.0])
        self.assertEqual(self.complaints, [])

    def test_a_slot_gets_its_material_from_three_sides(self) -> None:
        page = self.page
        self.open_small_project()
        self.go("Meshes")
        worn = self.stage_pixels()
        page.get_by_role("button", name="More for Front").click()
        page.get_by_role("menuitem", name="Triplanar projection").click()
        page.get_by_label("Size of the map").click()
        page.get_by_role("option", name="1024²").click()
        page.get_by_label("Its maps cover").fill("0,8")
        page.get_by_label("Unwrap it first").check()
        # Seen on the stage before it is made, by the formula of the core …
        shown = self.stage_pixels(unlike=worn)
        self.axe("what is thrown from three sides")
        self.button("Project").click()
        page.get_by_role("combobox", name="Material of Front").get_by_text("tile_Front").wait_for()
        # … and so it is when it is made.
        for _ in range(40):
            made = self.stage_pixels(unlike=worn)
            if np.abs(made - shown).mean() < 0.2 * np.abs(worn - shown).mean():
                break
            page.wait_for_timeout(250)
        else:
            self.fail("it is not what was shown")
        self.button("Undo").click()
        page.get_by_role("combobox", name="Material of Front").get_by_text(
            "tile", exact=True
        ).wait_for()
        self.assertEqual(self.complaints, [])

    def document(self) -> dict:
        """The document as the server has it now."""
        self.page.wait_for_timeout(100)
        project = self.page.url.split("/projects/")[1].split("/")[0]
        answer = self.page.request.get(f"{self.live_server_url}/api/projects/{project}")
        return answer.json()["document"]

    def layers(self) -> list[dict]:
        return self.document()["materials"]["tile"]["inputs"]["roughness"]["layers"]

    def wait_for_layers(self, names: list[str | None]) -> None:
        for _ in range(40):
            if [layer.get("map") for layer in self.layers()] == names:
                return
        self.fail(f"layers are {[layer.get('map') for layer in self.layers()]}")
