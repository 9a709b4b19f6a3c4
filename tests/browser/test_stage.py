"""The stage redraws what changed and builds nothing anew for it."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image as Pillow

from tests.browser.site import Site

COUNTED = """
window.drawn = { linkProgram: 0, drawElements: 0 }
for (const name of Object.keys(window.drawn)) {
  const real = WebGL2RenderingContext.prototype[name]
  WebGL2RenderingContext.prototype[name] = function (...given) { window.drawn[name] += 1; return real.apply(this, given) }
}
"""
FILTERED = 24
"""Draws that filtering the surroundings takes at least: six sides of a picture, and of its levels."""
FRAMES = 8
"""Draws that a change may take: a few frames of one shape. Filtering the surroundings into
reflections takes over fifty."""


class Stage(Site):
    def test_bright_emission_keeps_its_hue_as_in_the_swatch(self) -> None:
        """An orange eight times as bright as white is orange, not yellow: green stays at the sRGB
        of 0.3, 149, give or take what the surface reflects."""
        page = self.page
        self.open_small_project()
        project = page.url.split("/projects/")[1].split("/")[0]
        glow = {"value": [1.0, 0.3, 0.0], "strength": 8.0}
        black = {"value": [0.0, 0.0, 0.0]}
        self.other_page(
            project,
            *(
                {"kind": "set-feed", "material": "plain", "input": name, "feed": feed}
                for name, feed in (("emission", glow), ("base_color", black))
            ),
        )
        self.open(f"/projects/{project}/materials/plain")
        page.locator('[data-input="emission"]').get_by_text("8").first.wait_for()
        self.button("Plane").click()
        drawn = self.stage_pixels().reshape(-1, 4)
        address = page.locator("[aria-current=true] img").get_attribute("src")
        swatch = page.request.get(f"{self.live_server_url}{address}").body()
        with Pillow.open(io.BytesIO(swatch)) as opened:
            pictured = np.asarray(opened.convert("RGBA"), np.int32).reshape(-1, 4)
        for where, pixels in (("stage", drawn), ("swatch", pictured)):
            glowing = pixels[pixels[:, 0] > 250]
            self.assertGreater(len(glowing), 100, where)
            self.assertAlmostEqual(float(np.median(glowing[:, 1])), 149, delta=6, msg=where)
            self.assertLess(float(np.median(glowing[:, 2])), 60, where)

    def counts_since(self) -> dict[str, int]:
        """Programs linked and things drawn since this was last asked."""
        return self.page.evaluate(
            "() => { const was = { ...drawn }; for (const name in drawn) drawn[name] = 0; return was }"
        )

    def test_only_another_light_filters_reflections_and_no_change_builds_a_shader(self) -> None:
        page = self.page
        page.add_init_script(COUNTED)
        self.open_small_project()
        self.to_material("tile")
        shown = self.stage_pixels()
        first = self.counts_since()
        self.assertGreater(first["linkProgram"], 0)
        self.assertGreater(first["drawElements"], FILTERED, "the surroundings were filtered once")

        for shape in ("Sphere", "Plane"):
            self.button(shape).click()
            shown = self.stage_pixels(unlike=shown)
            taken = self.counts_since()
            self.assertEqual(taken["linkProgram"], 0, shape)
            self.assertLess(taken["drawElements"], FRAMES, shape)

        # Other texels of the same inputs are other pictures on the same material.
        page.get_by_role("button", name="Roughness adjustments").click()
        page.get_by_label("High, number").fill("0.2")
        page.keyboard.press("Enter")
        shown = self.stage_pixels(unlike=shown)
        self.assertEqual(self.counts_since()["linkProgram"], 0)

        self.button("Low sun").click()
        sunny = self.stage_pixels(unlike=shown)
        taken = self.counts_since()
        self.assertEqual(taken["linkProgram"], 0, "as many lamps as before")
        self.assertGreater(taken["drawElements"], FILTERED)

        # A light that was there before, another screen and back: all of it is kept.
        self.button("Overcast").click()
        shown = self.stage_pixels(unlike=sunny)
        self.assertLess(self.counts_since()["drawElements"], FRAMES)
        self.go("Meshes")
        self.stage_pixels(unlike=shown)
        self.go("Maps")
        self.counts_since()
        self.go("Materials")
        self.stage_pixels()
        taken = self.counts_since()
        self.assertEqual(taken["linkProgram"], 0, "the stage is the same one")
        self.assertLess(taken["drawElements"], FILTERED)
        self.assertEqual(self.complaints, [])
