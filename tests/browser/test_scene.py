"""The scene in the real interface: standing, moving, light, views, both sides, and what leaves."""

from __future__ import annotations

import re

import numpy as np
import trimesh
from PIL import Image as Pillow
from playwright.sync_api import Route

from ektopos.images import write_image
from server.workshop.models import Job
from tests.browser.site import Site
from tests.samples import folder


class Scene(Site):
    draws = True

    def setUp(self) -> None:
        super().setUp()
        self.open_small_project()
        self.go("Scene")

    def stand(self) -> None:
        self.button("Add plates to the scene").click()
        self.thing("plates").wait_for()
        # What was stood last is chosen, with a line round it.
        self.drawn(4, 8)
        self.page.keyboard.press("Escape")
        self.drawn(3, 8)

    def thing(self, name: str):
        things = self.page.get_by_role("list", name="Things in the scene")
        return things.get_by_role("button", name=name, exact=True)

    def drawn(self, draws: int, triangles: int) -> None:
        """Wait until the last picture took so many."""
        words = f"{draws} draw{'' if draws == 1 else 's'} · {triangles} triangles"
        self.page.get_by_text(words).wait_for()

    def number_becomes(self, label: str, value: float) -> None:
        """Waits until a field shows a number."""
        for _ in range(150):
            if abs(self.number(label) - value) < 1e-6:
                return
            self.page.wait_for_timeout(200)
        self.assertAlmostEqual(self.number(label), value)

    def number(self, label: str) -> float:
        return float(self.page.get_by_label(label, exact=True).first.input_value())

    def type(self, label: str, text: str, at: int = 0) -> None:
        field = self.page.get_by_label(label, exact=True).nth(at)
        field.fill(text)
        field.press("Enter")

    def saved(self) -> None:
        self.page.get_by_text("saved").first.wait_for()

    def test_things_stand_are_repeated_and_moved_by_hand(self) -> None:
        page = self.page
        page.get_by_role("heading", name="The scene is empty").wait_for()
        self.axe("an empty scene")
        self.stand()
        self.stage_pixels()
        self.thing("plates").click()
        # However often it stands, a slot is one draw: eight triangles, three times two of them. The
        # chosen thing has a line of its own round every place.
        self.type("Across", "3")
        self.type("Deep", "2")
        self.drawn(3 + 6, 8 * 6)
        page.get_by_text("6 times", exact=True).wait_for()
        page.get_by_role("checkbox", name="Ground").check()
        self.drawn(4 + 6, 8 * 6 + 2)
        page.get_by_label("Its material").fill("tile")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Enter")
        before = self.stage_pixels()
        page.get_by_role("checkbox", name="Sun, with shadows").check()
        self.stage_pixels(unlike=before)
        self.axe("a scene with a thing, a ground and a sun")
        self.type("Height, °", "95")
        page.get_by_text("from 0 to 90").wait_for()
        page.keyboard.press("Escape")
        self.assertEqual(self.number("Height, °"), 40)
        self.move_by_hand()
        self.move_by_keys()

    def move_by_hand(self) -> None:
        page = self.page
        self.type("Across", "1")
        self.type("Deep", "1")
        self.button("Fit").click()
        self.stage_pixels()
        box = page.get_by_test_id("stage").bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        # The plates are two metres apart; the middle of the second is half a metre left of the middle.
        page.mouse.move(x - 40, y)
        page.mouse.down()
        page.mouse.move(x, y + 20)
        page.mouse.move(x + 60, y + 60, steps=4)
        page.mouse.up()
        self.saved()
        self.assertGreater(self.number("Right"), 0.2)
        self.assertGreater(self.number("Front"), 0.2)
        self.assertEqual(self.number("Up"), 0)
        page.keyboard.press("Control+z")
        self.number_becomes("Right", 0)
        self.number_becomes("Front", 0)

    def move_by_keys(self) -> None:
        page = self.page
        # A key that is held is one step, whatever it moved.
        stage = page.get_by_role("group", name="Scene; arrow keys move the selected item")
        stage.focus()
        for _ in range(7):
            page.keyboard.down("ArrowRight")
        page.keyboard.up("ArrowRight")
        self.number_becomes("Right", 0.7)
        self.saved()
        page.keyboard.press("Control+z")
        self.number_becomes("Right", 0)
        page.keyboard.press("Delete")
        page.get_by_role("heading", name="The scene is empty").wait_for()
        page.keyboard.press("Control+z")
        self.thing("plates").wait_for()
        self.assertEqual(self.complaints, [])

    def test_views_are_kept_and_everything_is_as_it_was_left(self) -> None:
        page = self.page
        self.stand()
        first = self.stage_pixels()
        self.button("Save this view…").click()
        page.get_by_label("Name").fill("from the door")
        page.keyboard.press("Enter")
        page.get_by_role("button", name="from the door", exact=True).wait_for()
        box = page.get_by_test_id("stage").bounding_box()
        assert box is not None
        x, y = box["x"] + 60, box["y"] + 300

        def turned_by_hand() -> np.ndarray:
            page.mouse.move(x, y)
            page.mouse.down()
            page.mouse.move(x + 200, y + 60, steps=4)
            page.mouse.up()
            return self.stage_pixels(unlike=first)

        turned = turned_by_hand()
        self.go("Maps")
        self.go("Scene")
        self.becomes(turned)
        page.reload()
        self.drawn(3, 8)
        self.becomes(turned)
        page.get_by_role("button", name="from the door", exact=True).click()
        self.becomes(first)
        turned = turned_by_hand()
        page.keyboard.press("0")
        self.becomes(first)
        # A view that is chosen before the stage is there is where it begins.
        turned_by_hand()
        held: list[Route] = []
        page.route("**/api/lights/**", lambda route: held.append(route))
        with page.expect_request("**/api/lights/**"):
            page.reload()
        page.get_by_role("button", name="from the door", exact=True).click()
        held.pop().continue_()
        self.becomes(first)
        self.look_at_one_at_a_time()

    def look_at_one_at_a_time(self) -> None:
        page = self.page
        page.get_by_role("button", name="Add mesh…").click()
        page.get_by_role("menuitem", name="plates", exact=True).click()
        self.thing("plates_2").wait_for()
        self.button("One at a time").click()
        page.get_by_text("plates_2 ·").wait_for()
        self.drawn(4, 8)
        one = self.stage_pixels()
        page.keyboard.press("PageDown")
        page.get_by_text("plates · 4 draws").wait_for()
        # The same mesh in the same place from the same camera.
        self.same(self.stage_pixels(), one)
        # Over the whole screen and back; turned slowly until it is told to stand.
        self.button("Full screen").click()
        page.wait_for_function("document.fullscreenElement !== null")
        page.evaluate("document.exitFullscreen()")
        page.wait_for_function("document.fullscreenElement === null")
        self.button("Turntable").click()
        self.moves()
        self.button("Turntable").click()
        self.stage_pixels()
        self.assertEqual(self.complaints, [])

    def test_a_panorama_of_the_project_lights_it(self) -> None:
        page = self.page
        self.stand()
        page.get_by_text("can light the scene instead").wait_for()
        page.get_by_role("checkbox", name="Ground").check()
        sky = np.full((32, 64, 3), 0.2, np.float32)
        sky[4:10, 10:20] = (30.0, 3.0, 0.5)
        self.go("Maps")
        with folder() as root:
            (root / "sky").mkdir()
            write_image(root / "sky" / "dusk.hdr", sky)
            self.bring_in(root / "sky")
        self.go("Scene")
        # What was said of the files that came takes room from the stage.
        page.reload()
        self.drawn(4, 10)
        first = self.stage_pixels()
        field = page.get_by_label("Lit by a panorama")
        field.click()
        page.get_by_role("option", name="dusk", exact=True).click()
        page.locator(".tabs").get_by_text("panorama", exact=True).wait_for()
        # Light is filtered before it is seen.
        page.wait_for_timeout(2000)
        lit = self.stage_pixels(unlike=first)
        self.assertGreater(np.abs(lit - first).mean(), 3)
        page.reload()
        self.drawn(4, 10)
        page.locator(".tabs").get_by_text("panorama", exact=True).wait_for()
        self.becomes(lit)
        # Other screens have their own light, and the map is not called unused.
        self.go("Checks")
        page.get_by_role("button", name="Project rules…").wait_for()
        self.assertEqual(page.get_by_text("map dusk").count(), 0)
        self.go("Scene")
        self.drawn(4, 10)
        field.fill("")
        page.keyboard.press("Enter")
        self.becomes(first)
        self.assertEqual(self.complaints, [])

    def becomes(self, wanted: np.ndarray) -> None:
        """Wait until the stage shows what it did: light is filtered while it is drawn."""
        for _ in range(60):
            found = self.stage_pixels()
            # The maps are noise: a camera that is a hair off shows.
            if np.abs(found - wanted).mean() < 1.5:
                return
            self.page.wait_for_timeout(200)
        self.same(found, wanted)

    def same(self, one: np.ndarray, other: np.ndarray) -> None:
        self.assertLess(np.abs(one - other).mean(), 0.5)

    def test_the_same_is_meant_arrives_and_is_read_by_others(self) -> None:
        page = self.page
        self.stand()
        page.get_by_role("button", name="Arrived").click()
        page.get_by_role("status").filter(has_text="no package of this target").wait_for()
        page.get_by_role("link", name="To Export").click()
        self.button("Export and test").click()
        page.get_by_text(re.compile(r"\d identical")).first.wait_for(timeout=90_000)
        self.go("Scene")
        seen = {}
        for side in ("Expected", "Arrived", "Package files"):
            group = page.get_by_role("group", name="Seen")
            before = self.stage_pixels()
            group.get_by_role("button", name=side).click()
            page.wait_for_timeout(1500)
            seen[side] = self.stage_pixels()
            del before
        self.axe("a scene as its files")
        for side in ("Arrived", "Package files"):
            # Textures of another size and mips of their own: a few codes at the edges, no more.
            self.assertLess(np.abs(seen[side] - seen["Expected"]).mean(), 4.0, side)
            self.assertFalse(np.array_equal(seen[side], seen["Expected"]), side)
        self.button("Compare").click()
        page.get_by_role("slider", name="Divider between the two").press("ArrowLeft")
        page.get_by_role("group", name="On the right").get_by_role(
            "button", name="Package files"
        ).click()
        page.get_by_test_id("stage-compared").locator("canvas").wait_for()
        self.axe("a scene seen two ways")
        self.assertEqual(self.complaints, [])

    def test_a_picture_and_the_whole_scene_leave(self) -> None:
        page = self.page
        self.stand()
        self.thing("plates").click()
        self.type("Size, times", "2")
        self.stage_pixels()
        self.button("Picture…").click()
        self.axe("the dialog of a picture")
        self.type("Width, pixels", "100000")
        page.get_by_text("from 16 to 8192").wait_for()
        self.type("Width, pixels", "640")
        self.type("Height, pixels", "200")
        with folder() as root, page.expect_download() as coming:
            page.get_by_role("dialog").get_by_role("button", name="Save").click()
            coming.value.save_as(root / "still.png")
            picture = Pillow.open(root / "still.png")
            self.assertEqual(picture.size, (640, 200))
            codes = np.asarray(picture.convert("RGB")).reshape(-1, 3)
        # 18 % grey behind; the lines round the chosen thing are no part of the picture.
        self.assertIn((118, 118, 118), {tuple(code) for code in codes[:50].tolist()})
        lines = np.abs(codes.astype(int) - (108, 197, 188)).max(axis=1) < 6
        self.assertLess(int(lines.sum()), 5)
        self.assertGreater(len(np.unique(codes, axis=0)), 200)
        self.button("glTF…").click()
        self.axe("the dialog of the scene's file")
        with folder() as root, page.expect_download() as coming:
            page.get_by_role("dialog").get_by_role("button", name="Save").click()
            self.assertTrue(coming.value.suggested_filename.endswith(".glb"))
            coming.value.save_as(root / "scene.glb")
            read = trimesh.load(root / "scene.glb")
        np.testing.assert_allclose(np.ptp(read.bounds, axis=0), (14, 2, 0), atol=1e-6)
        job = Job.objects.get(kind="scene")
        self.assertTrue(re.fullmatch(r"Test plates\.glb", job.result["name"]))
        self.assertEqual(self.complaints, [])
