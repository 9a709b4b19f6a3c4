"""What leaves, how large, and packages from elsewhere: through the export screen and the targets'
dialog."""

from __future__ import annotations

import io
import re
import zipfile

import cv2
from playwright.sync_api import expect

from tests.browser.site import Site
from tests.samples import folder


class Leaving(Site):
    def sizes(self) -> list[str]:
        return self.page.get_by_role("button", name=re.compile(r"^\d+²$")).all_inner_texts()

    def test_sizes_and_what_goes_are_chosen_and_undone(self) -> None:
        page = self.page
        self.open_small_project()
        self.go("Export")
        page.get_by_text("tile_dull_ORM.png").wait_for()
        self.assertEqual(set(self.sizes()), {"64²", "32²"})
        page.get_by_title("Longest side for tile_dull", exact=True).click()
        page.get_by_role("menuitem", name="at most 32 texels").click()
        page.get_by_title("Longest side for tile_dull", exact=True).get_by_text(
            "32²"
        ).first.wait_for()
        # With a size of its own it shares no picture with its base any more.
        page.get_by_text("tile_dull_Normal.png").wait_for()

        self.button("Included").click()
        dialog = page.get_by_role("dialog", name="Included")
        self.axe("Included")
        dialog.get_by_label("tile_dull", exact=True).click()
        page.get_by_text("tile_dull_ORM.png").wait_for(state="detached")
        page.get_by_text("tile_dull_Normal.png").wait_for(state="detached")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="△ 1 left out").wait_for()
        self.button("Export and test").click()
        page.get_by_text(re.compile(r"✓ \d+ identical")).wait_for()
        self.assertEqual(
            page.get_by_role("button", name=re.compile(": (different|lost)")).count(), 0
        )
        for _ in range(2):
            self.button("Undo").click()
        page.get_by_text("tile_dull_ORM.png").wait_for()
        page.get_by_title("Longest side for tile_dull", exact=True).get_by_text("64²").wait_for()
        self.assertEqual(self.complaints, [])

    def test_a_package_from_elsewhere_is_tried_and_its_fault_shown(self) -> None:
        page = self.page
        self.open_small_project()
        page.get_by_role("button", name=re.compile("^for ")).click()
        page.get_by_role("menuitem", name="one per input").click()
        self.go("Export")
        self.button("Export only").click()
        with page.expect_download() as download:
            self.button("Download").first.click()
        package = zipfile.ZipFile(io.BytesIO(download.value.path().read_bytes()))
        with folder() as root:
            package.extractall(root / "theirs")
            path = str(root / "theirs/textures/tile_Roughness.png")
            cv2.imwrite(path, 255 - cv2.imread(path, cv2.IMREAD_UNCHANGED))
            with zipfile.ZipFile(root / "sent back.zip", "w") as archive:
                for file in (root / "theirs").rglob("*"):
                    archive.write(file, file.relative_to(root / "theirs"))
            self.button("Earlier packages").click()
            with page.expect_file_chooser() as chooser:
                page.get_by_role("button", name="Test a package from elsewhere…").click()
            chooser.value.set_files(root / "sent back.zip")
            page.get_by_text("imported: sent back.zip").wait_for()
        page.get_by_role("button", name=re.compile("Front roughness: different")).first.wait_for()
        page.get_by_text("Every texel is 1 − what was meant.").first.wait_for()
        with page.expect_download() as download:
            page.get_by_role("link", name="PDF").click()
        self.assertTrue(download.value.path().read_bytes().startswith(b"%PDF-"))
        self.button("Earlier packages").click()
        self.axe("Earlier packages")
        page.keyboard.press("Escape")

        with folder() as root:
            (root / "notes.zip").write_bytes(b"no zip at all")
            self.button("Earlier packages").click()
            with page.expect_file_chooser() as chooser:
                page.get_by_role("button", name="Test a package from elsewhere…").click()
            chooser.value.set_files(root / "notes.zip")
            page.get_by_text("cannot be unpacked").wait_for()

    def test_rules_of_a_target_show_their_files_as_one_types(self) -> None:
        page = self.page
        self.open_small_project()
        page.get_by_role("button", name=re.compile("^for ")).click()
        page.get_by_text("Targets of your own").click()
        page.get_by_role("button", name="Copy Loose maps, one per input").click()
        page.get_by_label("KTX2 files contain mips").click()
        page.get_by_text("only KTX2 files can bring mips").wait_for()
        self.assertTrue(self.button("Save the target").is_disabled())
        page.get_by_label("Format of Roughness").click()
        page.get_by_role("option", name="KTX2").click()
        page.get_by_label("Padding around islands").fill("8")
        page.get_by_text("For this project:").wait_for()
        page.get_by_text("8 texels round UV islands are filled").first.wait_for()
        page.get_by_text("The files this project would export").click()
        page.get_by_text("tile_Roughness.ktx2").wait_for()
        page.get_by_text(re.compile("8 bit · mips")).first.wait_for()
        page.get_by_label("Texels of Roughness").click()
        page.get_by_role("option", name="UASTC, close").click()
        page.get_by_label("Quality of Roughness").click()
        page.get_by_role("option", name="low").click()
        page.get_by_text(re.compile("UASTC · mips")).first.wait_for()
        page.get_by_text("roughness as UASTC, which changes texels a little").first.wait_for()
        page.get_by_label("Format of Normal").click()
        page.get_by_role("option", name="KTX2").click()
        page.get_by_label("Texels of Normal").click()
        page.get_by_role("option", name="ETC1S, small").click()
        page.get_by_text("ETC1S bends normals by degrees").wait_for()
        page.get_by_label("Format of Normal").click()
        page.get_by_role("option", name="PNG").click()
        page.get_by_text("ETC1S bends normals by degrees").wait_for(state="detached")
        self.axe("A target of your own")
        self.button("Save the target").click()
        page.get_by_role("button", name="Change", exact=True).wait_for()
        page.keyboard.press("Escape")
        page.get_by_role("button", name=re.compile("^for ")).click()
        page.get_by_role("option", name=re.compile("one per input, changed")).or_(
            page.get_by_role("menuitem", name=re.compile("one per input, changed"))
        ).first.click()
        self.go("Export")
        self.button("Export and test").click()
        page.get_by_text(re.compile("≈ [1-9] compressed")).wait_for(timeout=120_000)
        # What was ticked off stays so.
        lines = page.get_by_role("region", name="Set manually").get_by_role("checkbox")
        lines.first.check()
        page.reload()
        expect(lines.first).to_be_checked(timeout=60_000)
        expect(lines.last).not_to_be_checked()
        self.assertEqual(self.complaints, [])
