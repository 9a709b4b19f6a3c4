"""What can be put on the stage beside the material: shadows, a chart, a panorama, depth."""

from __future__ import annotations

import numpy as np
import trimesh
from playwright.sync_api import Locator

from ektopos.images import write_image
from ektopos.rendering.lights import LIGHTS
from tests.browser.site import Site
from tests.samples import folder

COUNTED = """
window.counted = { draws: 0, links: 0, corners: 0 };
const indexed = WebGL2RenderingContext.prototype.drawElements;
WebGL2RenderingContext.prototype.drawElements = function (mode, count, ...given) {
  window.counted.corners = Math.max(window.counted.corners, count);
  return indexed.call(this, mode, count, ...given);
};
for (const [name, what] of [['drawElements', 'draws'], ['drawArrays', 'draws'], ['linkProgram', 'links']]) {
  const own = WebGL2RenderingContext.prototype[name];
  WebGL2RenderingContext.prototype[name] = function (...given) {
    window.counted[what] += 1;
    return own.apply(this, given);
  };
}"""


class Stage(Site):
    draws = True

    def test_another_light_is_one_picture_drawn_and_nothing_else(self) -> None:
        page = self.page
        page.add_init_script(COUNTED)
        self.open_small_project()
        self.to_material("plain")
        page.locator(f"canvas[data-lights='{len(LIGHTS)}']").wait_for()
        before = self.stage_pixels()
        drawn = page.evaluate("() => window.counted.draws")
        self.assertLess(drawn, 24, "less than for one set-up filtered on the page")
        page.evaluate("() => Object.assign(window.counted, { draws: 0, links: 0 })")
        self.button("Low sun").click()
        self.stage_pixels(unlike=before)
        counted = page.evaluate("() => window.counted")
        self.assertEqual(counted["links"], 0, "no shader")
        self.assertLessEqual(counted["draws"], 4, "the picture, and nothing filtered")

    def test_maps_that_take_long_are_said_to_be_on_their_way(self) -> None:
        page, held = self.page, []
        self.open_small_project()
        page.route("**/api/stage-pictures/**", lambda route: held.append(route))
        self.to_material("tile")
        coming = page.get_by_text("Loading maps …")
        coming.wait_for()
        page.unroute("**/api/stage-pictures/**")  # which lets go of those that wait
        coming.wait_for(state="hidden")
        self.assertGreater(len(held), 0)

    def test_lights_that_were_fetched_light_as_those_filtered_on_the_page(self) -> None:
        """Where they do not come the page filters them. Source: npm package `three`,
        PMREMGenerator."""
        page = self.page
        page.route("**/api/lights/**", lambda route: route.abort())
        self.open_small_project()
        project = page.url.split("/")[-2]
        mirror = {"roughness": {"value": 0.1}, "metallic": {"value": 1.0}}
        feed = {"kind": "set-feed", "material": "plain"}
        self.other_page(
            project, *({**feed, "input": name, "feed": value} for name, value in mirror.items())
        )
        seen = []
        for _ in range(2):
            self.to_material("plain")
            shown = [np.zeros((96, 96, 4))]
            for light in ("Low sun", "Bright points", "Plain walls"):
                self.button(light).click()
                shown.append(self.stage_pixels(unlike=shown[-1]))
            seen.append(np.stack(shown))
            page.unroute("**/api/lights/**")
            page.reload()
        difference = np.abs(seen[0] - seen[1])
        # A face turned round makes 0.2 under a low sun. Small lamps are sampled coarsely on the page.
        for light, least in zip(difference[1:], (0.1, 0.2, 0.1), strict=True):
            self.assertLess(light.mean(), least)

    def test_the_sheet_is_there_before_the_stage_draws(self) -> None:
        page = self.page
        page.add_init_script(COUNTED)
        self.open_small_project()
        page.evaluate(
            """() => new MutationObserver((_, watch) => {
              if (!document.querySelector('.sheet-head')) return;
              watch.disconnect();
              // Once that frame is painted.
              requestAnimationFrame(() => setTimeout(() => { window.drawn = window.counted.draws }));
            }).observe(document.body, { childList: true, subtree: true })"""
        )
        self.to_material("plain")
        self.stage_pixels()
        self.assertEqual(page.evaluate("() => window.drawn"), 0)
        self.assertGreater(page.evaluate("() => window.counted.draws"), 0)

    def test_very_many_triangles_are_drawn_with_fewer_until_all_are_asked_for(self) -> None:
        page = self.page
        page.add_init_script(COUNTED)
        ball = trimesh.creation.icosphere(subdivisions=7)
        with folder() as root:
            (root / "in").mkdir()
            packed = trimesh.Scene({"ball": ball}).export(file_type="glb", include_normals=True)
            (root / "in/ball.glb").write_bytes(packed)
            self.begin("Ball")
            self.bring_in(root / "in")
        self.measured()
        self.go("Meshes")
        note = page.get_by_text("327,680 triangles, drawn with")
        note.wait_for()
        self.stage_pixels()
        light = page.evaluate("() => window.counted.corners")
        self.assertTrue(100_000 < light // 3 < 310_000, light)
        self.button("All triangles").click()
        page.wait_for_function("(all) => window.counted.corners === all", arg=3 * 327_680)
        self.assertEqual(note.count(), 0)
        self.button("All triangles").click()
        note.wait_for()
        # Single triangles are picked and seen as they are.
        for exact in ("Wireframe", "Pick faces"):
            self.button(exact).click()
            note.wait_for(state="detached")
            self.button(exact).click()
            note.wait_for()

    def test_shadows_chart_panorama_and_depth_are_drawn(self) -> None:
        page = self.page
        self.open_small_project()
        self.to_material("plain")
        self.button("Low sun").click()
        bare = self.stage_pixels()
        self.button("Display…").click()
        look = page.get_by_role("dialog", name="Display")
        look.get_by_label("Lamps cast shadows").check()
        shaded = self.stage_pixels(unlike=bare)
        # Shadows only take light away.
        self.assertLess(int((shaded.astype(int) - bare)[..., :3].max()), 12)
        look.get_by_label("Reference chart").check()
        charted = self.stage_pixels(unlike=shaded)
        self.assertGreater(int((charted[..., 3] > 0).sum()), int((bare[..., 3] > 0).sum()))
        self.axe("the stage's look")
        self.light_it_by_a_panorama(look, charted)
        self.see_depth()

    def light_it_by_a_panorama(self, look: Locator, charted: np.ndarray) -> None:
        page = self.page
        with folder() as root:
            wide = np.full((32, 64, 3), 0.2, np.float32)
            wide[4:10, 10:20] = (30.0, 3.0, 0.5)
            write_image(root / "red.hdr", wide)
            write_image(root / "flat.hdr", wide[:, :20])
            (root / "broken.exr").write_bytes(b"no picture")
            choose = page.get_by_label("Panorama for the viewport")
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
        # What is said at the foot takes lines from the stage.
        page.keyboard.press("Escape")
        for said in (page.get_by_role("alert"), page.get_by_role("region", name="Imports")):
            said.get_by_role("button", name="Close").click()
        lit = self.stage_pixels(unlike=charted)
        page.reload()
        page.locator(".tabs").get_by_text("panorama", exact=True).wait_for()
        again = self.stage_pixels(unlike=charted)
        self.assertLess(float(np.abs(again[..., :3].astype(int) - lit[..., :3]).mean()), 8)
        self.button("Display…").click()
        look.get_by_role("button", name="Reset display").click()
        look.get_by_role("button", name="Without").click()
        page.keyboard.press("Escape")

    def see_depth(self) -> None:
        page = self.page
        # Height moves what is looked up along the eye's way; made a normal, it shades.
        self.to_material("tile")
        before = self.stage_pixels()
        row = page.locator('[data-input="height"]')
        row.get_by_role("button", name="Source of Height").click()
        page.get_by_role("group", name="Maps").get_by_title("tile_gloss").first.click()
        self.button("Use this map").click()
        deep = self.stage_pixels(unlike=before)
        row.get_by_role("button", name="Height adjustments").click()
        self.button("Make normal map…").click()
        page.get_by_label("Add it as detail over tile_nrm").wait_for()
        self.button("Make").click()
        page.locator('[data-input="normal"]').get_by_text("1 layer").wait_for()
        self.stage_pixels(unlike=deep)
        self.assertEqual(self.complaints, [])

    def test_what_a_driver_took_away_and_gave_back_is_drawn_as_before(self) -> None:
        """Source: WebGL 1.0, 5.15: contexts are lost when drivers are reset, and restored empty."""
        page = self.page
        self.open_small_project()
        self.to_material("plain")
        before = self.stage_pixels()
        canvas = page.get_by_test_id("stage").locator("canvas")
        taken = canvas.evaluate_handle(
            "(canvas) => canvas.getContext('webgl2').getExtension('WEBGL_lose_context')"
        )
        taken.evaluate("(context) => context.loseContext()")
        said = page.get_by_text("The graphics driver was reset")
        said.wait_for()
        taken.evaluate("(context) => context.restoreContext()")
        said.wait_for(state="detached")
        np.testing.assert_allclose(self.stage_pixels(), before, atol=1)
        self.assertEqual(self.complaints, [])


class WithoutDrawing(Site):
    def test_a_browser_that_draws_nothing_says_so_and_everything_else_works(self) -> None:
        page = self.page
        self.open_small_project()
        said = page.get_by_text("This browser draws nothing in 3D")
        self.to_material("plain")
        said.wait_for()
        page.get_by_role("heading", name="plain", exact=True).wait_for()
        self.go("Meshes")
        said.wait_for()
        self.button("Checker").click()
        self.button("Checker").and_(page.locator("[aria-pressed=true]")).wait_for()
        self.go("Maps")
        said.wait_for(state="detached")
        self.assertEqual(page.locator("canvas[data-engine]").count(), 0)
        self.assertEqual(self.complaints, [])
