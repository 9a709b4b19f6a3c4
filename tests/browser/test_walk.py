"""The whole job once through, as a user does it."""

from __future__ import annotations

import io
import json
import re
import shutil
import zipfile
from pathlib import Path

from tests.browser.site import Site
from tests.samples import coloured, folder, noise, normals_of, project_folder, quads, save, save_glb


def zipped(root: Path) -> str:
    """The small project as a zip."""
    return shutil.make_archive(str(root / "p"), "zip", project_folder(root / "p"))


class Walk(Site):
    draws = True

    def test_from_files_to_a_package_that_arrived(self) -> None:
        home = self.begin("Walk")
        self.import_files()
        self.correct_a_map()
        self.work_on_a_material()
        self.light_and_shape_it()
        self.assign_to_slots()
        self.export_test_and_download(home)

    def import_files(self) -> None:
        page = self.page
        with folder() as root:
            height = noise(64, 5, 1)[..., 0] / 255
            save(root / "in/hull_albedo.png", coloured(64, 2))
            save(root / "in/hull_ORM.png", noise(64, 3))
            save(root / "in/hull_normal_dx.png", normals_of(height, 12.0, -1))
            save_glb(root / "in/hull.glb", quads({"Deck": 2, "Keel": 1}))
            (root / "in/broken_rough.png").write_bytes(b"\x89PNG\r\n\x1a\nbroken")
            (root / "in/model.fbx").write_bytes(b"x")
            self.bring_in(root / "in")
        incoming = page.get_by_role("region", name="Imports")
        incoming.get_by_text("2 files could not be imported").wait_for()
        self.assertIn("open formats", incoming.inner_text())
        self.axe("incoming files")
        incoming.get_by_role("button", name="Close").click()

    def correct_a_map(self) -> None:
        page = self.page
        # Maps: the board, the reader by key and by pointer, a correction and its undo.
        page.get_by_role("button", name="hull_ORM: roughness").click()
        reader = page.get_by_role("complementary", name="Reader")
        reader.get_by_text("packed, occlusion · roughness · metallic").wait_for()
        page.keyboard.press("b")
        reader.get_by_role("img", name="hull_ORM, channel B").wait_for()
        view = reader.get_by_role("img", name="hull_ORM, channel B").bounding_box()
        page.mouse.move(view["x"] + view["width"] / 2, view["y"] + view["height"] / 2)
        reader.get_by_text(re.compile(r"3[12], 3[12] · B \d+")).wait_for()
        reader.get_by_role("button", name="Change…").click()
        page.get_by_label("R holds").click()
        page.get_by_role("option", name="Height").click()
        self.axe("correcting a map")
        self.button("Set").click()
        reader.get_by_text("Set by you: height").wait_for()
        page.keyboard.press("Control+z")
        reader.get_by_text("Detected: packed, occlusion").wait_for()
        self.axe("maps")

    def work_on_a_material(self) -> None:
        page = self.page
        # Materials: from a set in one action, then a constant, an adjustment, settings.
        self.button("Make material").click()
        page.wait_for_url("**/materials/hull")
        row = page.locator('[data-input="roughness"]')
        row.get_by_text("hull_ORM").wait_for()
        lit = self.stage_pixels()
        self.assertGreater(lit[..., :3].std(), 10)
        row.get_by_role("button", name="Roughness adjustments").click()
        page.get_by_label("High, number").fill("0.5")
        page.keyboard.press("Enter")
        row.get_by_text("range .00–.50").wait_for()
        self.stage_pixels(unlike=lit)
        self.button("Isolate").click()
        page.get_by_text("Roughness only, unlit").wait_for()
        alone = self.stage_pixels()[..., :3]
        drawn = alone[alone.std(axis=2) < 2]
        self.assertGreater(len(drawn), 1000, "seen alone, roughness is grey")
        self.button("Show lit").click()
        page.locator('[data-input="metallic"]').get_by_role(
            "button", name="Source of Metallic"
        ).click()
        self.axe("choosing a source")
        self.button("Use a constant").click()
        page.locator('[data-input="metallic"]').get_by_text("as a number").wait_for()

    def light_and_shape_it(self) -> None:
        page = self.page
        page.get_by_role("button", name="Settings of the material").click()
        page.get_by_label("Tiles in u").fill("2")
        page.keyboard.press("Enter")
        page.get_by_label("Double-sided").click()
        self.axe("settings")
        page.keyboard.press("Escape")
        page.get_by_text("tiles 2 × 1").wait_for()
        for light in ("Low sun", "Dark, rim"):
            before = self.stage_pixels()
            self.button(light).click()
            before = self.stage_pixels(unlike=before)
        for shape in ("Sphere", "Plane", "Cylinder"):
            self.button(shape).click()
            before = self.stage_pixels(unlike=before)
        self.axe("materials")

    def assign_to_slots(self) -> None:
        page = self.page
        # Meshes: slots, one isolated on hover, a material on each.
        self.go("Meshes")
        whole = self.stage_pixels()
        for slot in ("Deck", "Keel"):
            page.get_by_label(f"Material of {slot}").click()
            page.get_by_role("option", name="hull").click()
        page.get_by_role("navigation", name="Workflow").get_by_text("2 of 2 slots").wait_for()
        page.mouse.move(640, 20)
        dressed = self.stage_pixels(unlike=whole)
        page.get_by_role("button", name="Keel", exact=True).hover()
        self.stage_pixels(unlike=dressed)
        self.axe("meshes")
        self.go("Checks")
        page.get_by_role("heading", name="Findings", exact=True).wait_for()
        self.axe("checks")

    def export_test_and_download(self, home: str) -> None:
        page = self.page
        # Export, trial, download.
        self.go("Export")
        page.get_by_text("hull_ORM.png").wait_for()
        self.button("Export and test").click()
        page.get_by_text("✓ 15 identical").wait_for()
        page.get_by_role("button", name="Deck roughness: within rounding").click()
        page.get_by_role("img", name="Roughness, arrived").wait_for()
        self.axe("export")
        with page.expect_download() as download:
            self.button("Download").first.click()
        package = zipfile.ZipFile(io.BytesIO(download.value.path().read_bytes()))
        self.assertEqual(set(package.namelist()), {"hull.glb", "package.json"})
        self.assertTrue(
            json.loads(package.read("package.json"))["materials"]["hull"]["double_sided"]
        )
        self.assertEqual(self.complaints, [])
        self.assertTrue(page.url.startswith(home))

    def test_the_project_survives_a_stale_page_checkpoints_and_a_zip(self) -> None:
        page = self.page
        home = self.begin("Kept")
        with folder() as root:
            self.open("/")
            page.get_by_label("Project zip to open").set_input_files(zipped(root))
            page.wait_for_url("**/maps")
            self.measured()
        home = page.url.removesuffix("/maps")
        self.go("Materials")
        page.get_by_title("tile_dull").click()
        page.get_by_text("own").first.wait_for()
        page.get_by_role("button", name="Test plates").click()
        page.get_by_role("menuitem", name="Save checkpoint…").click()
        page.get_by_label("Checkpoint name").fill("before")
        self.button("Save").click()
        page.get_by_text("checkpoint “before”").wait_for()

        # Somebody else changes the project: this page sees it by itself, and its own work goes on.
        self.other_page(
            home.rsplit("/", 1)[-1], {"kind": "duplicate-material", "material": "plain"}
        )
        page.get_by_role("button", name="Roughness adjustments").click()
        page.get_by_role("button", name="Reset to inherited").click()
        page.get_by_title("plain_copy").and_(page.get_by_role("button")).wait_for()

        page.get_by_role("button", name="Test plates").click()
        page.get_by_role("menuitem", name="Restore “before”").click()
        page.get_by_title("plain_copy").and_(page.get_by_role("button")).wait_for(state="detached")
        self.button("Undo").click()
        page.get_by_title("plain_copy").and_(page.get_by_role("button")).wait_for()
        page.get_by_role("button", name="Test plates").click()
        with page.expect_download() as download:
            page.get_by_role("menuitem", name="Save project as zip").click()
        names = zipfile.ZipFile(io.BytesIO(download.value.path().read_bytes())).namelist()
        self.assertIn("test_plates.ektopos.json", names)
        page.keyboard.press("Control+k")
        page.get_by_role("combobox", name="A map, material, mesh or slot").fill("Front")
        page.keyboard.press("Enter")
        page.wait_for_url("**/meshes/plates?slot=Front")
        self.assertEqual(self.complaints, [])

    def test_screens_in_the_dark_and_empty_ones_pass_axe(self) -> None:
        page = self.page
        home = self.begin("Empty")
        for screen in ("maps", "materials", "meshes", "scene", "checks", "export"):
            page.goto(f"{home}/{screen}")
            page.locator("main").wait_for()
            page.wait_for_timeout(300)
            self.axe(f"empty {screen}")
        with folder() as root:
            self.open("/")
            self.axe("projects")
            page.get_by_label("Project zip to open").set_input_files(zipped(root))
            page.wait_for_url("**/maps")
            self.measured()
        home = page.url.removesuffix("/maps")
        page.get_by_role("button", name="Test plates").click()
        page.get_by_role("menuitem", name="Dark theme").click()
        for screen in ("maps", "materials", "meshes", "scene", "checks", "export"):
            page.goto(f"{home}/{screen}")
            page.wait_for_load_state("networkidle")
            page.wait_for_timeout(500)
            self.axe(f"dark {screen}")
