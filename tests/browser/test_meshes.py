"""Meshes in the browser: views, UVs, suggestions and proposals, slots changed by recipe, faces
picked on the stage."""

from __future__ import annotations

import json
import re
import shutil
from pathlib import Path

import numpy as np
import trimesh

from server.workshop.models import Project
from tests.browser.site import Site
from tests.core.test_match import islands, mesh_of, painted
from tests.outside.test_material_import import gltf_folder, picture
from tests.samples import coloured, folder, noise, project_folder, quads, save, save_glb


def two_meshes(root: Path) -> Path:
    """The small project with a second mesh that wears nothing."""
    project_folder(root)
    save_glb(root / "meshes/copy.glb", quads({"front": 2, "Other": 1}))
    path = root / "test.ektopos.json"
    document = json.loads(path.read_text())
    document["meshes"]["copy"] = {
        "file": "meshes/copy.glb",
        "slots": {"front": None, "Other": None},
    }
    path.write_text(json.dumps(document))
    return root


class Meshes(Site):
    draws = True

    def open_two(self) -> None:
        with folder() as root:
            packed = shutil.make_archive(str(root / "p"), "zip", two_meshes(root / "p"))
            self.open("/")
            self.page.get_by_label("Project zip to open").set_input_files(packed)
            self.page.wait_for_url("**/maps")
        self.measured()
        self.go("Meshes")
        self.page.get_by_role("heading", name="plates", exact=True).wait_for()

    def triangles(self) -> dict[str, str]:
        """What the table says of each slot's triangles."""
        self.page.wait_for_timeout(300)
        rows = self.page.locator("table.slots tbody tr")
        return {
            row.locator("b").inner_text(): row.locator("td").nth(2).inner_text().split()[0]
            for row in rows.all()
        }

    def menu(self, slot: str, item: str) -> None:
        self.page.get_by_role("button", name=f"More for {slot}", exact=True).click()
        self.page.get_by_role("menuitem", name=item).click()

    def test_every_view_changes_the_stage_and_says_what_its_colours_mean(self) -> None:
        page = self.page
        self.open_two()
        shown = page.get_by_role("group", name="Shown as")
        before = self.stage_pixels()
        for view in ("Slots", "Checker", "Density"):
            shown.get_by_role("button", name=view, exact=True).click()
            before = self.stage_pixels(unlike=before)
        for view, legend in (
            ("Checker", "one square is"),
            ("Repeats", "every 2nd copy"),
            ("Density", "is typical"),
            ("Stretch", "1, none"),
            ("Flipped", "run the other way"),
        ):
            shown.get_by_role("button", name=view, exact=True).click()
            page.locator(".legend", has_text=legend).wait_for()
        table = page.locator(".scroll", has=page.locator("table.slots"))
        wide, room = table.evaluate("box => [box.scrollWidth, box.clientWidth]")
        self.assertLessEqual(wide, room)
        self.axe("meshes, seen by flipped faces")
        self.assertEqual(self.complaints, [])

    def test_shading_is_seen_and_set(self) -> None:
        page = self.page
        self.begin("Ball")
        with folder() as root:
            ball = trimesh.creation.icosphere(subdivisions=2)
            ball.visual = trimesh.visual.TextureVisuals(uv=ball.vertices[:, :2] * 0.4 + 0.5)
            (root / "in").mkdir()
            # With its vertex normals, so that it is smooth.
            (root / "in/ball.glb").write_bytes(ball.export(file_type="glb", include_normals=True))
            self.bring_in(root / "in")
        page.get_by_role("button", name="Close").click()
        self.go("Meshes")
        slot = page.locator(".slots tbody tr").first.get_by_role("button").first
        slot.click()
        drawer = page.locator(".uv-drawer")
        drawer.get_by_text("shaded smooth").wait_for()
        smooth = self.stage_pixels()
        page.get_by_role("button", name="More for").first.click()
        page.get_by_role("menuitem", name="Shade flat").click()
        drawer.get_by_text("shaded flat").wait_for()
        flat = self.stage_pixels(unlike=smooth)
        page.get_by_role("button", name="More for").first.click()
        page.get_by_role("menuitem", name="Shade smooth").click()
        page.get_by_label("Up to an angle of").fill("60")
        self.axe("shading smooth")
        self.button("Shade").click()
        drawer.get_by_text("shaded smooth").wait_for()
        self.stage_pixels(unlike=flat)
        page.get_by_text("shaded smooth up to 60°").wait_for()
        self.assertEqual(self.complaints, [])

    def test_slots_are_renamed_split_merged_and_given_back(self) -> None:
        page = self.page
        self.open_two()
        self.assertEqual(self.triangles(), {"Front": "4", "Back": "2", "Bare": "2"})
        self.menu("Front", "Rename the slot")
        page.get_by_label("Slot name").fill("Hull")
        self.button("Rename").click()
        page.get_by_text("was Front").wait_for()
        self.menu("Hull", "Split by connected parts")
        page.get_by_role("button", name="Hull_2", exact=True).wait_for()
        self.assertEqual(self.triangles(), {"Hull": "2", "Back": "2", "Bare": "2", "Hull_2": "2"})
        assigned = page.get_by_label("Material of Hull_2")
        self.assertEqual(assigned.inner_text(), "tile", "the new slot wears what the old one wore")
        page.get_by_role("button", name="Back", exact=True).click()
        page.get_by_role("button", name="Bare", exact=True).click(modifiers=["Control"])
        self.menu("Bare", "Merge the 2 selected")
        page.get_by_label("Slot name").fill("Rest")
        self.button("Merge").click()
        page.get_by_role("button", name="Rest", exact=True).wait_for()
        self.assertEqual(self.triangles(), {"Hull": "2", "Rest": "4", "Hull_2": "2"})
        steps = page.get_by_role("region", name="Steps on the mesh")
        steps.get_by_role("button", name="Remove").nth(2).click()
        page.get_by_role("button", name="Bare", exact=True).wait_for()
        self.button("Undo").click()
        page.get_by_role("button", name="Rest", exact=True).wait_for()
        self.assertEqual(self.complaints, [])

    def test_faces_picked_on_the_stage_become_a_slot(self) -> None:
        page = self.page
        self.open_two()
        self.stage_pixels()
        self.button("Pick faces").click()
        bar = page.get_by_role("toolbar", name="Picked faces")
        box = page.get_by_test_id("stage").locator("canvas").bounding_box()
        for across in (0.5, 0.42, 0.35, 0.6, 0.28):
            page.mouse.click(box["x"] + box["width"] * across, box["y"] + box["height"] * 0.5)
            page.wait_for_timeout(400)
            if "2 faces of" in bar.inner_text():
                break
        self.assertIn("2 faces of", bar.inner_text(), "a click picks the quad that hangs together")
        bar.get_by_role("button", name="New slot").click()
        page.get_by_label("Slot name").fill("Picked")
        self.button("Make").click()
        page.get_by_role("button", name="Picked", exact=True).wait_for()
        self.assertEqual(self.triangles()["Picked"], "2")
        self.assertEqual(self.complaints, [])

    def test_faces_are_picked_by_a_box_and_a_brush_across_slots(self) -> None:
        page = self.page
        self.open_two()
        self.stage_pixels()
        self.button("Pick faces").click()
        bar = page.get_by_role("toolbar", name="Picked faces")

        def tool(name: str) -> None:
            bar.get_by_label("Pick by").click()
            page.get_by_role("option", name=name).click()
            page.locator(".MuiPopover-root").wait_for(state="detached")

        tool("box")
        area = page.get_by_test_id("pick-area")
        box = area.bounding_box()
        assert box is not None
        left, middle, top = box["x"], box["x"] + box["width"] / 2, box["y"] + 44

        def drag(x0: float, y0: float, x1: float, y1: float) -> None:
            page.mouse.move(x0, y0)
            page.mouse.down()
            page.mouse.move(x1, y1, steps=6)
            page.mouse.up()

        # All that is seen, of all slots at once; then nothing, where nothing stands.
        drag(left + 4, top, left + box["width"] - 4, top + box["height"] * 0.6)
        bar.get_by_text("8 faces of").wait_for()
        self.axe("faces picked by a box")
        drag(left + 4, top, left + 24, top + 20)
        bar.get_by_text("Draw a box").wait_for()
        tool("brush")
        drag(left + 20, box["y"] + box["height"] / 2, middle, box["y"] + box["height"] / 2)
        bar.get_by_text(re.compile(r"^[2-6] faces of ")).wait_for()
        page.keyboard.down("Shift")
        drag(
            middle,
            box["y"] + box["height"] / 2,
            left + box["width"] - 20,
            box["y"] + box["height"] / 2,
        )
        page.keyboard.up("Shift")
        bar.get_by_text("8 faces of").wait_for()
        self.assertTrue(bar.get_by_role("button", name="Actions…").is_disabled())
        bar.get_by_role("button", name="New slot").click()
        page.get_by_label("Slot name").fill("All")
        self.button("Make").click()
        page.get_by_role("button", name="All", exact=True).wait_for()
        self.assertEqual(self.triangles().get("All"), "8")
        # One step to undo, whatever it was made of.
        self.button("Undo").click()
        page.get_by_role("button", name="Front", exact=True).wait_for()
        self.assertEqual(self.triangles(), {"Front": "4", "Back": "2", "Bare": "2"})
        self.assertEqual(self.complaints, [])

    def test_uvs_are_packed_and_seen_over_a_map(self) -> None:
        page = self.page
        self.open_two()
        page.get_by_role("button", name="Front", exact=True).click()
        drawer = page.get_by_role("region", name="UVs of Front")
        drawer.get_by_text("twins 50 %").wait_for()
        self.assertIn("tile_col", drawer.inner_text())
        picture = drawer.get_by_role("img", name="UV layout of Front")
        pixels = """(c) => Array.from(c.getContext('2d').getImageData(0, 0, c.width, c.height).data).filter((_, i) => i % 397 === 0)"""
        page.wait_for_timeout(500)
        before = np.array(picture.evaluate(pixels))
        unpacked = self.stage_pixels()
        self.assertGreater(before.std(), 5, "the map is seen under the wires")
        self.menu("Front", "Pack islands")
        page.get_by_label("Island margin").fill("12")
        self.button("Pack").click()
        drawer.get_by_text("overlap 0 %").wait_for()
        drawer.get_by_text("2 islands").wait_for()
        self.assertIn("gap", drawer.inner_text())
        page.wait_for_timeout(500)
        self.assertFalse(np.array_equal(before, np.array(picture.evaluate(pixels))))
        # What is tried is seen on the stage before it is kept, and gone when it is not.
        packed = self.stage_pixels(unlike=unpacked)
        self.menu("Front", "Move, rotate or scale")
        page.get_by_label("Move u", exact=True).fill("0.2504")
        self.stage_pixels(unlike=packed)
        page.get_by_label("Moves by whole texels of").check()
        page.get_by_text("16 texels").wait_for()
        self.axe("moving UVs")
        self.button("Cancel").click()
        self.stage_shows_again(packed)
        self.menu("Front", "Move, rotate or scale")
        layout = page.get_by_role("img", name="UVs of Front as they would be")
        box = layout.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 100, box["y"] + 100)
        page.mouse.down()
        page.mouse.move(box["x"] + 100 + box["width"] / 10, box["y"] + 100, steps=4)
        page.mouse.up()
        self.assertGreater(float(page.get_by_label("Move u", exact=True).input_value()), 0.05)
        page.get_by_label("Move u", exact=True).fill("0")
        page.get_by_label("Move v", exact=True).fill("0")
        page.get_by_label("Scale u").fill("-1")
        self.button("Move").click()
        drawer.get_by_text("flipped 100 %").wait_for()
        self.assertEqual(self.complaints, [])

    def test_another_mesh_is_dressed_alike_and_stands_beside(self) -> None:
        page = self.page
        self.open_two()
        page.get_by_role("tab", name="copy").click()
        self.button("Copy assignments from…").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_text("as Front has: the same name").wait_for()
        box = dialog.get_by_role("checkbox", name="Assign tile to front")
        box.uncheck()
        self.assertTrue(dialog.get_by_role("button", name="Assign 0").is_disabled())
        box.check()
        self.axe("as another mesh")
        dialog.get_by_role("button", name="Assign 1").click()
        page.get_by_label("Material of front").get_by_text("tile").wait_for()
        self.button("Side by side…").click()
        page.get_by_role("menuitem", name="plates").click()
        page.get_by_test_id("stage-compared").locator("canvas").wait_for()
        self.assertEqual(self.complaints, [])

    def test_columns_sort_done_slots_hide_and_materials_are_dragged_onto_rows(self) -> None:
        page = self.page
        self.open_two()
        self.button("Triangles").click()
        self.assertEqual(list(self.triangles()), ["Back", "Bare", "Front"])
        self.button("Triangles ↑").or_(self.button("Triangles")).first.click()
        self.assertEqual(next(iter(self.triangles())), "Front")
        page.get_by_label("Front is done").click()
        self.button("Hide done").click()
        self.assertEqual(set(self.triangles()), {"Back", "Bare"})
        page.keyboard.press("h")
        self.assertEqual(len(self.triangles()), 3)
        self.button("Triangles ↓").or_(self.button("Triangles")).first.click()
        strip = page.get_by_role("list", name="Materials to drag onto slots")
        swatch = strip.get_by_title("plain: drag it")
        swatch.drag_to(page.locator("table.slots tbody tr").nth(1))
        page.get_by_label("Material of Back").get_by_text("plain").wait_for()
        self.assertEqual(self.complaints, [])

    def test_occlusion_is_baked_and_fed(self) -> None:
        page = self.page
        self.open_two()
        self.menu("Bare", "Bake occlusion")
        page.get_by_label("Size of the map").click()
        page.get_by_role("option", name="256²").click()
        self.button("Bake").click()
        self.open(
            page.url.removeprefix(self.live_server_url).partition("/meshes")[0] + "/materials/plain"
        )
        page.locator('[data-input="occlusion"]').get_by_text("plates_plain_AO").wait_for()
        self.assertEqual(self.complaints, [])


class Proposing(Site):
    draws = True

    def test_nameless_maps_find_nameless_slots_and_are_accepted_in_one_go(self) -> None:
        page = self.page
        self.begin("Nameless")
        with folder() as root:
            rng = np.random.default_rng(3)
            layouts = [islands(rng) for _ in range(2)]
            save_glb(root / "in/9f3c.glb", mesh_of(layouts))
            for name, layout in zip(("a81f", "04bd"), layouts, strict=True):
                save(root / f"in/{name}.png", painted(layout, rng, "black"))
            self.bring_in(root / "in")
        page.get_by_role("button", name="Close").click()
        self.go("Meshes")
        page.locator("table.slots tbody tr b").first.click()
        suggested = page.locator(".candidate").first
        suggested.get_by_role("button", name="Assign").wait_for()
        self.assertIn("a81f", suggested.inner_text())
        self.button("Suggest materials for all slots").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("row").nth(2).wait_for()
        for box in dialog.get_by_role("checkbox").all():
            box.set_checked(True)
        self.axe("proposals")
        dialog.get_by_role("button", name="Accept 2").click()
        assigned = page.locator("table.slots tbody tr [role=combobox]")
        assigned.filter(has_text="Choose…").first.wait_for(state="detached")
        self.assertEqual([box.inner_text() for box in assigned.all()], ["a81f", "04bd"])
        self.button("Undo").click()
        page.get_by_text("Choose…").first.wait_for()
        self.assertEqual(self.complaints, [])


class Arriving(Site):
    draws = True

    def test_a_gltf_with_its_files_is_dressed_in_one_step(self) -> None:
        page = self.page
        material = {
            "pbrMetallicRoughness": {
                "baseColorTexture": {"index": 0},
                "metallicRoughnessTexture": {"index": 1},
            },
            "extensions": {"KHR_materials_anisotropy": {}},
        }
        with folder() as root:
            picture(root / "lantern/textures/glass.png", coloured())
            picture(root / "lantern/textures/orm.png", noise())
            gltf_folder(root / "lantern", material, ["glass.png", "orm.png"])
            self.begin("Lantern")
            self.bring_in(root / "lantern")
        self.measured()
        self.go("Meshes")
        brings = page.get_by_role("region", name="From the mesh file")
        brings.get_by_text("1 material with 2 maps").wait_for()
        grey = self.stage_pixels()
        brings.get_by_role("button", name="1 thing not imported").click()
        brings.get_by_text("KHR_materials_anisotropy").wait_for()
        self.axe("what a mesh brings")
        brings.get_by_role("button", name="Use its materials").click()
        brings.wait_for(state="detached")
        self.stage_pixels(unlike=grey)
        (project,) = Project.objects.all()
        document = project.document
        self.assertEqual(document.meshes["asset"].slots, {"hull": "hull"})
        # The pictures that came in with it are used; none is there twice.
        self.assertEqual(len(document.maps), 2)
        self.assertEqual(document.materials["hull"].inputs["base_color"].map, "glass")
        self.button("Undo").click()
        brings.wait_for()
        self.assertEqual(self.complaints, [])
