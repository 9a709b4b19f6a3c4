"""The round after the first export: every fix by one click, findings gone through, sets and packed
maps put right, what a painted map changes and where it goes."""

from __future__ import annotations

import json
import re
import shutil
from pathlib import Path
from typing import Any

import numpy as np
from django.test import override_settings
from playwright.sync_api import Route

from server.workshop.models import Project
from tests.browser.site import Site
from tests.core.test_every_check import CASES, sound
from tests.samples import coloured, folder, noise, save

MENDABLE = (
    "encoding-against-role",
    "green-against-pixels",
    "gloss-as-roughness",
    "missing-in-scene",
    "reversed-faces",
    "uneven-scale",
)
"""Faults with a fix each that one project can have together."""


def loud(root: Path, raw: dict[str, Any]) -> None:
    """A project with all of them, and rules that it breaks."""
    for code in MENDABLE:
        CASES[code](root, raw)
    raw["rules"] = {"largest_size": 256, "material_names": "M_*"}


class Round(Site):
    def opened(self, root: Path, spoil: Any) -> None:
        (root / "p").mkdir()
        raw = sound(root / "p")
        spoil(root / "p", raw)
        (root / "p/crate.ektopos.json").write_text(json.dumps(raw))
        self.open("/")
        packed = shutil.make_archive(str(root / "p"), "zip", root / "p")
        self.page.get_by_label("Project zip to open").set_input_files(packed)
        self.page.wait_for_url("**/maps")
        self.measured()

    def document(self) -> Any:
        project = self.page.url.split("/projects/")[1].split("/")[0]
        return Project.objects.get(pk=project).head.document

    def test_every_fix_is_one_click_and_undone_exactly(self) -> None:
        page = self.page
        with folder() as root:
            self.opened(root, loud)
        self.go("Checks")
        rows = page.locator(".finding-row").filter(has=page.locator("button.chip"))
        rows.first.wait_for()
        titles = [row.locator("b").nth(1).inner_text() for row in rows.all()]
        self.assertGreaterEqual(len(titles), len(MENDABLE) + 2, titles)
        for title in titles:
            row = page.locator(".finding-row").filter(has_text=title)
            before = self.document()
            row.locator("button.chip").click()
            row.wait_for(state="detached")
            self.assertNotEqual(self.document(), before, title)
            self.button("Undo").click()
            row.locator("button.chip").wait_for()
            self.assertEqual(self.document(), before, title)
        self.assertEqual(self.complaints, [])

    def test_findings_are_gone_through_by_keys_severity_and_place(self) -> None:
        page = self.page
        with folder() as root:
            self.opened(root, loud)
        self.go("Checks")
        chosen = page.locator(".finding-row[data-chosen]")
        first = chosen.inner_text()
        page.keyboard.press("j")
        page.locator(".finding-row[data-chosen]").filter(has_not_text=first).wait_for()
        self.assertNotEqual(chosen.inner_text(), first)
        page.keyboard.press("k")
        page.locator(".finding-row[data-chosen]").filter(has_text=first.split("\n")[0]).wait_for()
        shown = page.locator(".finding-row")
        every = shown.count()
        page.get_by_label("Severity", exact=True).click()
        page.get_by_role("option", name="errors").click()
        page.get_by_role("region", name="Warnings").wait_for(state="detached")
        errors = shown.count()
        self.assertTrue(0 < errors < every)
        page.get_by_label("Severity", exact=True).click()
        page.get_by_role("option", name="all", exact=True).click()
        page.get_by_label("Where").click()
        page.get_by_role("option", name="mesh crate", exact=True).click()
        page.locator(".finding-row").filter(has_text="Base colour").wait_for(state="detached")
        self.assertTrue(0 < shown.count() < every)
        self.assertEqual(self.complaints, [])

    def test_a_suppliers_packing_is_said_once_and_a_twin_and_slots_follow(self) -> None:
        page = self.page
        project = self.begin("Leaves")
        with folder() as root:
            for seed, name in enumerate(("leaf_green", "leaf_dry")):
                save(root / f"in/{name}_albedo.png", coloured(64, seed))
                save(root / f"in/{name}_mix.png", noise(64, 7 + seed))
            save(root / "in/leaf_green_height.png", noise(64, 3, 1))
            self.bring_in(root / "in")
        page.get_by_role("button", name="Close").click()

        # One correction, one step more: all maps of this supplier, also those that come later.
        self.cell("leaf_green_mix").click()
        reader = page.get_by_role("complementary", name="Reader")
        reader.get_by_role("button", name="Change…").click()
        page.get_by_role("heading", name="What is leaf_green_mix?").wait_for()
        self.button("Packed channels").click()
        page.get_by_label("Packing presets").click()
        page.get_by_role("option", name="R occlusion · G roughness · B metallic").first.click()
        self.button("Set").click()
        reader.get_by_role("button", name="Treat all “…_mix” maps like this").click()
        page.get_by_role("button", name="1 naming rule").wait_for()
        packed = {"r": "occlusion", "g": "roughness", "b": "metallic"}
        self.assertEqual(self.document()["maps"]["leaf_dry_mix"]["roles"], packed)

        # A material of one set, its twin of the other, a normal of its height.
        page.get_by_role("button", name="More for the set leaf_green").click()
        page.get_by_role("menuitem", name="Make material").click()
        page.get_by_role("heading", name="leaf_green", exact=True).wait_for()
        page.get_by_role("button", name="More for this material").click()
        page.get_by_role("menuitem", name="Derive a twin from a set…").click()
        page.get_by_label("Map set").click()
        page.get_by_role("option", name="leaf_dry").click()
        page.get_by_role("dialog").get_by_role("button").last.click()
        page.get_by_role("heading", name="leaf_dry", exact=True).wait_for()
        page.locator('[data-input="roughness"]').get_by_text("leaf_dry_mix").first.wait_for()
        twin = self.document()["materials"]["leaf_dry"]
        self.assertEqual(twin["from"], "leaf_green")
        self.open(f"{project.removeprefix(self.live_server_url)}/materials/leaf_green")
        row = page.locator('[data-input="height"]')
        row.get_by_role("button", name="Height adjustments").click()
        self.button("Make normal map…").click()
        self.button("Make").click()
        page.locator('[data-input="normal"]').get_by_text("leaf_green").first.wait_for()
        self.assertEqual(self.complaints, [])

    def cell(self, name: str) -> Any:
        return self.page.locator("[data-cell]").and_(
            self.page.get_by_label(re.compile(f"^{name}: "))
        )

    def test_slots_are_called_by_their_materials_at_once(self) -> None:
        page = self.page

        def meaningless(_: Path, raw: dict[str, Any]) -> None:
            raw["materials"]["oak"] = raw["materials"].pop("crate")
            raw["meshes"]["crate"]["slots"]["Wood"] = "oak"

        with folder() as root:
            self.opened(root, meaningless)
        self.go("Meshes")
        self.button("Name slots after materials").click()
        page.get_by_label("Material of oak").get_by_text("oak").wait_for()
        self.button("Undo").click()
        page.get_by_label("Material of Wood").get_by_text("oak").wait_for()
        self.assertEqual(self.complaints, [])

    def test_what_a_painted_map_changes_is_said_and_delivered_once_it_is_taken(self) -> None:
        page = self.page
        root = self.enterContext(folder())
        self.enterContext(override_settings(FOLDERS=[root]))
        self.opened(root, lambda _, raw: None)
        held: list[Route] = []
        page.route("**/plan", lambda route: held.append(route), times=1)
        self.go("Export")
        page.get_by_text("Planning …").wait_for()
        # What is clicked while the plan is on its way must not move from under the hand.
        place = self.button("Deliver…").bounding_box()
        held[0].continue_()
        page.get_by_label("Planned files").wait_for()
        self.assertEqual(self.button("Deliver…").bounding_box(), place)
        self.button("Deliver…").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Folder").fill(str(root / "game"))
        self.button("Preview changes").click()
        self.button("Deliver now").click()
        dialog.get_by_text("last delivered").wait_for()
        dialog.get_by_role("checkbox", name="Automatically").check()
        self.button("Close").click()
        there = root / "game/crate.glb"
        was = there.read_bytes()

        self.go("Maps")
        save(root / "again/crate_col.png", np.full((512, 512, 3), 3, np.uint8))
        page.get_by_label("Files to import").set_input_files(root / "again/crate_col.png")
        bar = page.get_by_role("region", name="Updated files")
        bar.get_by_role("button", name="Review…").click()
        changes = page.get_by_role("table", name="What changes")
        changes.get_by_text("base colour of crate").wait_for()
        changes.get_by_text("crate.glb (crate_BaseColor.png)").wait_for()
        changes.get_by_text("The base colour is darker than").wait_for()
        page.get_by_role("dialog").get_by_role("button", name="Replace").click()
        bar.wait_for(state="detached")
        for _ in range(600):
            if there.read_bytes() != was:
                break
            page.wait_for_timeout(100)
        self.assertNotEqual(there.read_bytes(), was)
        self.assertEqual(self.complaints, [])
