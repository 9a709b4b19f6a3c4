"""The stage redraws what changed and builds nothing anew for it."""

from __future__ import annotations

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
    def counts_since(self) -> dict[str, int]:
        """Programs linked and things drawn since this was last asked."""
        return self.page.evaluate(
            "() => { const was = { ...drawn }; for (const name in drawn) drawn[name] = 0; return was }"
        )

    def test_only_another_light_filters_reflections_and_no_change_builds_a_shader(self) -> None:
        page = self.page
        page.add_init_script(COUNTED)
        self.open_small_project()
        self.go("Materials")
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
