"""What lies round the screens: projects, their menu, what cannot be opened, and the way from a
finding to its mending."""

from __future__ import annotations

import json
import re
import shutil
from pathlib import Path

from django.test import modify_settings

from tests.browser.site import Site
from tests.samples import coloured, folder, project_folder, quads, save, save_glb


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
        self.mend_it_by_key_and_by_button()
        self.ignore_it_and_count_it_again()
        self.show_only_one_kind()
        self.set_rules_of_the_project()

    def mend_it_by_key_and_by_button(self) -> None:
        page = self.page
        self.go("Checks")
        encoding = page.get_by_role("button", name=re.compile("^Colour is read as data"))
        encoding.click()
        view = page.get_by_role("region", name="The chosen finding")
        view.get_by_text("It holds occlusion, roughness, metallic and is read as srgb").wait_for()
        view.get_by_role("slider", name="Divider between current and fixed: tile").wait_for()
        self.axe("findings")

        # To the place and back, mended by its key, taken back, mended by its button.
        page.keyboard.press("g")
        page.wait_for_url("**/maps/tile_orm")
        page.go_back()
        view.get_by_text("What this fix does").wait_for()
        page.keyboard.press("f")
        encoding.wait_for(state="detached")
        self.button("Undo").click()
        encoding.click()
        view.get_by_role("button", name="Read as linear", exact=True).click()
        encoding.wait_for(state="detached")

    def ignore_it_and_count_it_again(self) -> None:
        page = self.page
        view = page.get_by_role("region", name="The chosen finding")
        # Left with a reason, which stays; and counted again.
        bare = page.get_by_role("button", name=re.compile("^No material is assigned"))
        bare.click()
        view.get_by_text("No material is assigned to the slot.").wait_for()
        page.keyboard.press("w")
        page.get_by_label("Because").fill("comes with the next delivery")
        page.keyboard.press("Enter")
        left = page.get_by_role("region", name="Ignored")
        left.get_by_role("button", name=re.compile("^No material is assigned")).click()
        view.get_by_text("comes with the next delivery").wait_for()
        page.reload()
        view.get_by_text("comes with the next delivery").wait_for()
        self.button("Stop ignoring").click()
        left.wait_for(state="detached")

        view.get_by_role("link", name="Show on the mesh").click()
        page.wait_for_url("**/meshes/plates?slot=Bare&fault=*")
        page.get_by_label("Material of Bare").click()
        page.get_by_role("option", name="plain").click()
        page.get_by_role("navigation", name="Workflow").get_by_text("3 of 3 slots").wait_for()
        self.go("Checks")
        page.get_by_role("button", name=re.compile("^Metallic is neither")).wait_for()
        bare.wait_for(state="detached")

    def show_only_one_kind(self) -> None:
        page = self.page
        # Only one kind, only one place; a rule of the project finds more.
        page.get_by_label("Kind").click()
        page.get_by_role("option", name="geometry").click()
        page.get_by_role("button", name=re.compile("^Metallic is neither")).wait_for(
            state="detached"
        )
        page.get_by_label("Kind").click()
        page.get_by_role("option", name="all kinds").click()

    def set_rules_of_the_project(self) -> None:
        page = self.page
        view = page.get_by_role("region", name="The chosen finding")
        # Another weight for a code, off altogether, and as usual again.
        page.get_by_role("button", name=re.compile("^Metallic is neither")).click()
        page.get_by_label("Severity in this project").click()
        page.get_by_role("option", name="off").click()
        page.get_by_role("button", name=re.compile("^Metallic is neither")).wait_for(
            state="detached"
        )
        self.button("Project rules…").click()
        page.get_by_role("button", name="Default for metallic-grey").click()
        page.get_by_role("button", name="Cancel").click()
        page.get_by_role("button", name=re.compile("^Metallic is neither")).wait_for()
        self.button("Project rules…").click()
        page.get_by_label("Maximum texture size").fill("32")
        self.button("Save rules").click()
        larger = page.get_by_role("button", name=re.compile("^A map is exported larger"))
        larger.click()
        self.axe("findings of rules")
        view.get_by_role("button", name=re.compile("^All . of this kind")).click()
        larger.wait_for(state="detached")
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
            page.get_by_text("Opening …").wait_for(state="detached")
            page.wait_for_load_state("networkidle")
            self.axe(f"{screen} of a bare mesh")
        self.assertEqual(self.complaints, [])


class Parts(Site):
    def setUp(self) -> None:
        super().setUp()
        # What is fetched in idle time is fetched when a test says so.
        self.page.add_init_script("window.requestIdleCallback = (work) => { window.idle ??= work }")

    def miss(self, files: str, screen: str) -> None:
        """Go to a screen that cannot be fetched, before the page has asked for it in idle time and
        after that."""
        self.page.route(files, lambda route: route.abort())
        self.open_small_project()
        self.to_missing(screen)
        self.go("Maps")
        self.idle_anew()
        self.to_missing(screen)

    def idle_anew(self) -> None:
        self.page.reload()
        self.page.evaluate("idle()")
        self.page.wait_for_load_state("networkidle")

    def to_missing(self, screen: str) -> None:
        self.page.get_by_role("link", name=screen).click()
        self.page.get_by_role("heading", name="This cannot be shown").wait_for()
        self.page.get_by_text("A part of the program could not be fetched").wait_for()

    def test_a_part_that_cannot_be_fetched_leaves_the_rest_standing(self) -> None:
        """As when the server was renewed, or went away, while a page was open."""
        page = self.page
        self.miss("**/ChecksScreen*", "Checks")
        self.axe("a part that is missing")
        self.go("Materials")
        page.get_by_role("heading", name="This cannot be shown").wait_for(state="detached")
        page.get_by_role("link", name="Checks").click()
        page.unroute("**/ChecksScreen*")
        self.button("Load the page again").click()
        page.get_by_role("heading", name="Findings").wait_for()

    def test_a_part_that_is_fetched_late_has_its_styles(self) -> None:
        """What failed in idle time is asked for again when it is opened, and is then whole."""
        page = self.page
        self.open_small_project()
        self.go("Checks")
        laid_out = "element => getComputedStyle(element).gridTemplateColumns"
        expected = page.locator(".checks").evaluate(laid_out)
        self.go("Maps")
        page.route("**/ChecksScreen*", lambda route: route.abort())
        self.idle_anew()
        page.unroute("**/ChecksScreen*")
        self.go("Checks")
        self.assertEqual(page.locator(".checks").evaluate(laid_out), expected)
        self.assertEqual([c for c in self.complaints if "Failed to load resource" not in c], [])

    def test_what_opens_over_a_screen_leaves_it_standing(self) -> None:
        page = self.page
        page.route("**/Guide*", lambda route: route.abort())
        self.open_small_project()
        self.go("Materials")
        page.keyboard.press("?")
        page.get_by_text("A part of the program could not be fetched").wait_for()
        self.axe("a guide that is missing")
        self.button("Close").click()
        self.go("Checks")
        page.get_by_role("heading", name="Findings").wait_for()

    def test_without_what_draws_the_screens_that_do_not_draw_work(self) -> None:
        self.miss("**/StageCanvas*.js", "Materials")
        self.go("Checks")
        self.page.get_by_role("heading", name="Findings").wait_for()


@modify_settings(ALLOWED_HOSTS={"append": "studio.test"})
class PlainHttp(Site):
    @property
    def live_server_url(self) -> str:
        """Under a name, which browsers do not trust as they do this machine's own address."""
        return super().live_server_url.replace("localhost", "studio.test")

    def test_files_come_in_and_edits_are_made(self) -> None:
        """Where a page is not trusted, browsers keep hashing, unique names and the clipboard from
        it. Source: W3C Secure Contexts."""
        page = self.page
        with folder() as root:
            save(root / "in/oak_basecolor.png", coloured(64))
            self.begin("Plain")
            self.assertFalse(page.evaluate("isSecureContext"))
            self.bring_in(root / "in")
        page.get_by_role("button", name="Make material").first.click()
        self.to_material("oak")
        self.button("Undo").click()
        self.button("Redo").click()
        page.get_by_title("oak", exact=True).first.wait_for()
        errors = [said for said in self.complaints if "Cross-Origin-Opener-Policy" not in said]
        self.assertEqual(errors, [])


SPILLS = """() => [...document.querySelectorAll('.header *, .bar, .bar *')]
  .filter((part) => !part.closest('.sr') && getComputedStyle(part).overflowX === 'visible')
  .filter((part) => getComputedStyle(part).display !== 'inline')
  .filter((part) => part.clientWidth > 0 && part.scrollWidth > part.clientWidth + 1)
  .map((part) => `${part.tagName} ${part.className}: ${part.innerText}`)"""
"""Parts of the header and of bars that are wider than their room, and lie on what is beside them."""


class SmallWindow(Site):
    def test_nothing_lies_on_anything_else(self) -> None:
        """At 1280 × 800, and that zoomed to 125 %. Source: WCAG 2.2, 1.4.4 and 1.4.10."""
        page = self.page
        self.open_small_project()
        for screen in ("Maps", "Materials", "Meshes", "Scene", "Checks", "Export"):
            self.go(screen)
            page.get_by_text("Opening …").wait_for(state="detached")
            page.wait_for_load_state("networkidle")
            for width, height in ((1280, 800), (1024, 640)):
                page.set_viewport_size({"width": width, "height": height})
                self.assertEqual(page.evaluate(SPILLS), [], f"{screen}, {width}")
