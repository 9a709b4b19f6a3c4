"""What lies round the screens: projects, their menu, what cannot be opened, and the way from a
finding to its mending."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

from tests.browser.site import Site
from tests.samples import folder, project_folder, quads, save_glb


class Projects(Site):
    def opened(self, file: Path) -> None:
        self.page.get_by_label("Project zip to open").set_input_files(file)

    def test_what_cannot_be_opened_is_said_and_nothing_is_added(self) -> None:
        page = self.page
        self.open("/")
        page.get_by_text("No projects yet").wait_for()
        with folder() as root:
            (root / "notes.zip").write_bytes(b"no zip at all")
            self.opened(root / "notes.zip")
            page.get_by_role("alert").filter(has_text="notes.zip").wait_for()
            self.axe("a zip that is none")
            (root / "p").mkdir()
            (root / "p/readme.txt").write_text("nothing")
            self.opened(Path(shutil.make_archive(str(root / "empty"), "zip", root / "p")))
            page.get_by_role("alert").filter(has_text="empty.zip").wait_for()
            project_folder(root / "newer")
            document = root / "newer/test.ektopos.json"
            document.write_text(json.dumps(json.loads(document.read_text()) | {"ektopos": 99}))
            self.opened(Path(shutil.make_archive(str(root / "newer"), "zip", root / "newer")))
            page.get_by_role("alert").filter(has_text="newer version").wait_for()
        self.open("/")
        page.get_by_text("No projects yet").wait_for()
        self.complaints.clear()  # the browser itself logs each refusal

    def test_a_project_is_renamed_and_found_by_its_new_name(self) -> None:
        page = self.page
        self.begin("First name")
        self.button("First name").click()
        page.get_by_role("menuitem", name="Rename…").click()
        page.get_by_label("Project name").fill("   ")
        self.assertTrue(self.button("Rename").is_disabled())
        page.get_by_label("Project name").fill("Second name")
        page.keyboard.press("Enter")
        self.button("Second name").wait_for()
        page.keyboard.press("Control+z")
        self.button("First name").wait_for()
        page.keyboard.press("Control+Shift+z")
        self.button("Second name").wait_for()
        self.open("/")
        page.get_by_role("link", name="Second name").click()
        page.get_by_text("No maps yet").wait_for()
        self.assertEqual(self.complaints, [])

    def test_an_address_that_leads_nowhere_says_so(self) -> None:
        self.open("/projects/00000000-0000-0000-0000-000000000000/maps")
        self.page.get_by_text("There is nothing at this address").wait_for()
        self.page.get_by_role("link", name="All projects").click()
        self.page.get_by_text("No projects yet").wait_for()
        self.complaints.clear()


class Findings(Site):
    def test_a_finding_leads_to_where_it_is_mended_and_is_gone_then(self) -> None:
        page = self.page
        with folder() as root:
            project_folder(root / "p")
            document = root / "p/test.ektopos.json"
            told = json.loads(document.read_text())
            told["maps"]["tile_orm"]["encoding"] = "srgb"
            del told["meshes"]["plates"]["slots"]["Bare"]
            document.write_text(json.dumps(told))
            self.open("/")
            page.get_by_label("Project zip to open").set_input_files(
                shutil.make_archive(str(root / "p"), "zip", root / "p")
            )
            page.wait_for_url("**/maps")
        self.go("Checks")
        finding = (
            page.get_by_role("article").filter(has_text="tile_orm").filter(has_text="sRGB").first
        )
        finding.wait_for()
        self.axe("findings")
        finding.get_by_role("link", name="Go there").click()
        page.wait_for_url("**/maps/tile_orm")
        reader = page.get_by_role("complementary", name="Reader")
        reader.get_by_role("button", name="Change…").click()
        page.get_by_label("Encoding").click()
        page.get_by_role("option", name="Linear", exact=False).click()
        self.button("Set").click()
        self.go("Checks")
        page.get_by_role("article").first.wait_for()
        finding.wait_for(state="detached")

        bare = page.get_by_role("article").filter(has_text="Bare").filter(has_text="no material")
        bare.get_by_role("link", name="Go there").click()
        page.wait_for_url("**/meshes/plates?slot=Bare&fault=*")
        page.get_by_label("Material of Bare").click()
        page.get_by_role("option", name="plain").click()
        page.get_by_role("navigation", name="The job").get_by_text("3 of 3 slots").wait_for()
        self.go("Checks")
        page.get_by_role("article").first.wait_for()
        bare.wait_for(state="detached")
        self.assertEqual(self.complaints, [])

    def test_a_mesh_without_materials_is_nothing_to_be_afraid_of(self) -> None:
        """Every screen says what to do next with a mesh alone."""
        page = self.page
        self.begin("Bare mesh")
        with folder() as root:
            save_glb(root / "in/plates.glb", quads({"Front": 1}))
            self.bring_in(root / "in")
            page.get_by_role("button", name="Close").click()
        self.go("Meshes")
        page.get_by_label("Material of Front").wait_for()
        for screen in ("Materials", "Checks", "Export"):
            self.go(screen)
            page.locator("main").wait_for()
            page.wait_for_load_state("networkidle")
            self.axe(f"{screen} of a bare mesh")
        self.assertEqual(self.complaints, [])
