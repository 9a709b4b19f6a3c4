"""The feed sheet and the stage: adjustments, layers, comparing, probing, patterns, the specular
workflow."""

from __future__ import annotations

from playwright.sync_api import Locator

from tests.browser.site import Site
from tests.samples import coloured, folder, noise, normals_of, save


class Materials(Site):
    draws = True

    def test_a_sheet_is_worked_on(self) -> None:
        page = self.page
        self.open_small_project()
        page.locator("[data-cell]").first.wait_for()
        self.to_material("tile")
        row = page.locator('[data-input="roughness"]')
        row.get_by_text("range .10–.80").wait_for()
        self.adjust_and_lay_over(row)
        self.place_one_input(row)
        self.compare_and_probe()
        self.derive_and_copy(row)

    def adjust_and_lay_over(self, row: Locator) -> None:
        page = self.page
        # More adjustments, with how much clips; a layer with a mask; undo is one step each.
        row.get_by_role("button", name="Roughness adjustments").click()
        page.get_by_role("button", name="more adjustments").click()
        page.get_by_label("Multiply, number").fill("2")
        page.keyboard.press("Enter")
        page.get_by_text("% clipped").wait_for()
        row.get_by_text("×2.00").wait_for()
        self.button("Add map layer").click()
        page.get_by_role("option", name="tile_gloss").click()
        row.get_by_text("1 layer").wait_for()
        page.get_by_label("Mask").click()
        page.get_by_role("option", name="tile_orm").click()
        page.get_by_label("Mask channel").wait_for()
        self.axe("adjustments")
        for _ in range(3):
            self.button("Undo").click()
            page.wait_for_timeout(300)
        row.get_by_text("×2.00").wait_for(state="detached")

    def place_one_input(self, row: Locator) -> None:
        page = self.page
        # One input lies elsewhere than the material; the stage shows it, the chips say it.
        page.get_by_role("button", name="UV placement").click()
        before = self.stage_pixels()
        page.get_by_label("Tiles in u").fill("9")
        page.keyboard.press("Enter")
        row.get_by_text("own UVs").wait_for()
        page.get_by_label("Wrap in u").click()
        page.get_by_role("option", name="clamped to the edge").click()
        row.get_by_text("clamp, repeat").wait_for()
        self.stage_pixels(unlike=before)
        self.axe("where it lies")
        self.button("Same as material").click()
        row.get_by_text("own UVs").wait_for(state="detached")
        row.get_by_text("clamp, repeat").wait_for(state="detached")

    def compare_and_probe(self) -> None:
        page = self.page
        # Compare with and without an input, and probe a point.
        lit = self.stage_pixels()
        self.button("Before / after").click()
        page.get_by_text("without roughness").first.wait_for()
        page.get_by_test_id("stage-compared").locator("canvas").wait_for()
        page.get_by_role("slider", name="Divider between the two").press("ArrowLeft")
        self.axe("comparing")
        self.button("Done").click()
        self.stage_pixels()  # the stage stands in its place again
        box = page.get_by_test_id("stage").bounding_box()
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.6)
        probe = page.get_by_role("region", name="Probe")
        probe.get_by_text("tile_orm · B").first.wait_for()
        self.axe("probing")
        probe.get_by_role("button", name="Close").click()

        # How the stage looks.
        self.button("Display…").click()
        page.get_by_label("Wireframe").click()
        self.axe("view settings")
        page.keyboard.press("Escape")
        self.stage_pixels(unlike=lit)

        # Another input, and what the target makes of it.
        self.button("Add input…").click()
        page.get_by_role("menuitem", name="Clear coat").click()
        page.locator('[data-input="clearcoat"]').get_by_text("as a number").wait_for()

    def derive_and_copy(self, row: Locator) -> None:
        page = self.page
        # Derived materials: push up, detach; copy and paste a sheet.
        page.get_by_title("tile_dull").click()
        row.get_by_text("own", exact=True).wait_for()
        row.get_by_role("button", name="Roughness adjustments").click()
        self.button("Push up to base").click()
        row.get_by_text("own", exact=True).wait_for(state="detached")
        page.get_by_role("button", name="More for this material").click()
        page.get_by_role("menuitem", name="Detach from tile").click()
        page.get_by_text("from tile", exact=True).wait_for(state="detached")
        page.get_by_role("button", name="More for this material").click()
        page.get_by_role("menuitem", name="Copy the sheet").click()
        page.get_by_title("plain").and_(page.get_by_role("button")).click()
        page.locator('[data-input="roughness"]').get_by_text("0.35").first.wait_for()
        page.get_by_role("button", name="More for this material").click()
        page.get_by_role("menuitem", name="Paste the sheet of tile_dull").click()
        page.locator('[data-input="metallic"]').get_by_text("tile_orm").wait_for()
        self.assertEqual(self.complaints, [])

    def test_the_specular_workflow_is_converted_in_one_action(self) -> None:
        page = self.page
        self.begin("Specular")
        with folder() as root:
            save(root / "in/cap_diffuse.png", coloured(64, 3))
            save(root / "in/cap_specular.png", (coloured(64, 4) // 3))
            save(root / "in/cap_gloss.png", noise(64, 5, 1))
            # What the conversion does not make is fed all the same.
            save(root / "in/cap_normal.png", normals_of(noise(64, 6, 1)[..., 0] / 255.0, 9.0))
            lit = noise(64, 8, 1) > 215
            save(root / "in/cap_emission.png", coloured(64, 8) * lit)
            self.bring_in(root / "in")
        page.get_by_role("button", name="Close").click()
        page.get_by_role("button", name="More for the set cap").click()
        page.get_by_role("menuitem", name="Convert from the specular workflow").click()
        dialog = page.get_by_role("dialog")
        for name in (
            "Diffuse before",
            "Specular before",
            "Gloss before",
            "Base colour after",
            "Metallic after",
            "Roughness after",
        ):
            dialog.get_by_role("img", name=name).wait_for()
        self.assertIn("Converted back, diffuse differs by", dialog.inner_text())
        dialog.get_by_role("button", name="Convert", exact=True).click()
        page.get_by_text("cap_converted", exact=True).wait_for()
        self.go("Materials")
        for name in ("base_color", "metallic", "roughness", "normal", "emission"):
            page.locator(f'[data-input="{name}"]').get_by_text("cap_", exact=False).first.wait_for()
        self.assertEqual(self.complaints, [])
