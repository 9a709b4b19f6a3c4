"""What can be put on the stage beside the material: shadows, a chart, a panorama, depth."""

from __future__ import annotations

import numpy as np

from ektopos.images import write_image
from tests.browser.site import Site
from tests.samples import folder


class Stage(Site):
    def test_shadows_chart_panorama_and_depth_are_drawn(self) -> None:
        page = self.page
        self.open_small_project()
        self.to_material("plain")
        self.button("Low sun").click()
        bare = self.stage_pixels()
        self.button("Look…").click()
        look = page.get_by_role("dialog", name="How the stage looks")
        look.get_by_label("Lamps throw shadows").check()
        shaded = self.stage_pixels(unlike=bare)
        # Shadows only take light away.
        self.assertLess(int((shaded.astype(int) - bare)[..., :3].max()), 12)
        look.get_by_label("Reference chart").check()
        charted = self.stage_pixels(unlike=shaded)
        self.assertGreater(int((charted[..., 3] > 0).sum()), int((bare[..., 3] > 0).sum()))
        self.axe("the stage's look")

        with folder() as root:
            wide = np.full((32, 64, 3), 0.2, np.float32)
            wide[4:10, 10:20] = (30.0, 3.0, 0.5)
            write_image(root / "red.hdr", wide)
            write_image(root / "flat.hdr", wide[:, :20])
            (root / "broken.exr").write_bytes(b"no picture")
            choose = page.get_by_label("Panorama for the stage")
            choose.set_input_files(root / "red.hdr")
            self.stage_pixels(unlike=charted)
            look.get_by_text("red.hdr").wait_for()
            for name, words in (("flat.hdr", "twice as wide"), ("broken.exr", "cannot be read")):
                choose.set_input_files(root / name)
                page.get_by_text(words).wait_for()
            look.get_by_text("red.hdr").wait_for()
            # It becomes a map, and is there again after a reload.
            look.get_by_role("button", name="Keep with project").click()
            kept = look.get_by_label("Panorama of the project")
            kept.click()
            page.get_by_role("option", name="red", exact=True).click()
        lit = self.stage_pixels(unlike=charted)
        page.reload()
        page.locator(".tabs").get_by_text("panorama", exact=True).wait_for()
        again = self.stage_pixels(unlike=charted)
        self.assertLess(float(np.abs(again[..., :3].astype(int) - lit[..., :3]).mean()), 8)
        self.button("Look…").click()
        look.get_by_role("button", name="Back to usual").click()
        look.get_by_role("button", name="Without").click()
        page.keyboard.press("Escape")

        # Height moves what is looked up along the eye's way; made a normal, it shades.
        self.to_material("tile")
        before = self.stage_pixels()
        row = page.locator('[data-input="height"]')
        row.get_by_role("button", name="Height comes from").click()
        page.get_by_role("group", name="Maps").get_by_title("tile_gloss").first.click()
        self.button("Use this map").click()
        deep = self.stage_pixels(unlike=before)
        row.get_by_role("button", name="Height adjustments").click()
        self.button("Make a normal of it…").click()
        page.get_by_label("As detail over tile_nrm").wait_for()
        self.button("Make").click()
        page.locator('[data-input="normal"]').get_by_text("1 over it").wait_for()
        self.stage_pixels(unlike=deep)
        self.assertEqual(self.complaints, [])
