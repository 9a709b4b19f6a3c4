"""Whatever is renamed looks as before on every screen: a slot on the stage of Meshes, of Materials and
of Scene, and in the layout; a material and a map set besides."""

from __future__ import annotations

import re

import numpy as np

from tests.browser.site import Site

SAME = 6.0
"""How far a picture's codes may differ in the mean: the stage draws again, in software."""


class Renamed(Site):
    draws = True

    def seen(self) -> dict[str, np.ndarray]:
        """What each screen draws, the chosen slot's layout too."""
        page, pictures = self.page, {}
        self.go("Meshes")
        page.get_by_role("heading", name="plates", exact=True).wait_for()
        pictures["meshes"] = self.stage_pixels()
        page.locator("table.slots tbody tr").first.locator("b").click()
        layout = page.get_by_label(re.compile("^UV layout of"))
        layout.wait_for()
        pictures["layout"] = self.canvas_pixels(layout)
        page.keyboard.press("Escape")
        self.to_material(self.material)
        pictures["materials"] = self.stage_pixels()
        self.go("Scene")
        pictures["scene"] = self.stage_pixels()
        return pictures

    def canvas_pixels(self, canvas) -> np.ndarray:
        drawn = canvas.evaluate(
            """(canvas) => {
              const { width, height } = canvas;
              return Array.from(canvas.getContext('2d').getImageData(0, 0, width, height).data);
            }"""
        )
        return np.array(drawn, np.float64)

    def test_every_screen_after_everything_is_renamed(self) -> None:
        self.material = "tile"
        self.open_small_project()
        project = self.page.url.split("/")[-2]
        self.other_page(project, {"kind": "stand", "items": {"plates": {"mesh": "plates"}}})
        self.page.reload()
        before = self.seen()
        self.go("Meshes")
        for old, new in (("Front", "Vorderseite 正面"), ("Back", "Front")):
            self.page.get_by_role("button", name=f"More for {old}", exact=True).click()
            self.page.get_by_role("menuitem", name="Rename the slot").click()
            self.page.get_by_label("Slot name").fill(new)
            self.button("Rename").click()
            self.page.get_by_text(f"was {old}").wait_for()
        self.other_page(
            project,
            {"kind": "rename-material", "material": "tile", "name": "Fliese"},
            {"kind": "rename-set", "set": "tile", "name": "Fliesen"},
        )
        self.page.reload()
        self.material = "Fliese"
        after = self.seen()
        for screen, picture in before.items():
            with self.subTest(screen):
                self.assertGreater(float(picture.std()), 1.0, "something is drawn")
                self.assertLess(float(np.abs(after[screen] - picture).mean()), SAME)
        self.assertEqual(self.complaints, [])
