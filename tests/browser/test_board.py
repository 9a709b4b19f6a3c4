"""The board of maps: several at once, dragging, sets, naming rules, and bringing in again."""

from __future__ import annotations

from tests.browser.site import Site
from tests.core.test_edge_grouping import surface
from tests.samples import coloured, folder, noise, save


class Board(Site):
    def cell(self, name: str):
        return self.page.locator("[data-cell]").and_(self.page.get_by_label(name))

    def test_corrections_on_the_board(self) -> None:
        page = self.page
        self.begin("Board")
        with folder() as root:
            for name in ("oak_albedo", "oak_gx", "pine_albedo", "pine_gx", "elm_albedo"):
                pixels = coloured(64, len(name)) if "albedo" in name else noise(64, len(name), 1)
                save(root / f"in/{name}.png", pixels)
            self.bring_in(root / "in")
            page.get_by_role("button", name="Close").click()

            # One said by hand becomes a rule for its kind, now and for what comes later.
            self.slowed(12)
            self.cell("oak_gx: ").first.click()
            reader = page.get_by_role("complementary", name="Reader")
            # At once, as a quick hand does: what is asked is asked of the map just chosen.
            reader.get_by_role("button", name="Change…").click()
            page.get_by_role("heading", name="What is oak_gx?").wait_for()
            self.slowed(1)
            page.get_by_label("It holds").click()
            page.get_by_role("option", name="Height").click()
            self.button("Set").click()
            reader.get_by_text("Set by you: height").wait_for()
            reader.get_by_role("button", name="Treat all “…_gx” maps like this").click()
            page.get_by_role("button", name="1 naming rule").wait_for()
            self.cell("pine_gx: height").wait_for()
            save(root / "more/elm_gx.png", noise(64, 77, 1))
            self.bring_in(root / "more")
            page.get_by_role("button", name="Close").click()
            self.cell("elm_gx: height").wait_for()

            # Bringing the folder in again sends nothing that is there and keeps what was said by
            # hand.
            sent: list[str] = []
            page.on(
                "request", lambda r: sent.append(r.url) if r.url.endswith("/api/uploads") else None
            )
            self.bring_in(root / "in")
            page.get_by_role("button", name="Close").click()
            self.assertEqual(sent, [])
            self.cell("oak_gx: height").click()
            reader.get_by_text("Set by you: height").wait_for()
        self.drag_to_another_column()
        self.change_several_at_once()

    def drag_to_another_column(self) -> None:
        page = self.page
        # Dragging to another column says what a map is; undo takes it back.
        self.cell("pine_gx: height").drag_to(
            page.locator(".board-row", has_text="pine").locator(".gap").nth(1)
        )
        self.cell("pine_gx: roughness").wait_for()
        self.button("Undo").click()
        self.cell("pine_gx: height").wait_for()

    def change_several_at_once(self) -> None:
        page = self.page
        # Several at once; sets are renamed and merged.
        self.cell("oak_gx: height").click()
        self.cell("pine_gx: height").click(modifiers=["Control"])
        page.get_by_text("2 maps selected").wait_for()
        self.axe("several maps chosen")
        self.button("Set role…").click()
        page.get_by_role("menuitem", name="Roughness").click()
        self.cell("oak_gx: roughness").wait_for()
        self.cell("pine_gx: roughness").wait_for()
        self.button("Clear selection").click()
        page.get_by_role("button", name="More for the set elm").click()
        page.get_by_role("menuitem", name="Merge into oak").click()
        page.get_by_role("button", name="More for the set elm").wait_for(state="detached")
        page.get_by_label("Order of the board").click()
        page.get_by_role("option", name="Largest first").click()
        page.get_by_label("Search the board").fill("pine")
        page.locator(".board-row").filter(has_text="oak").wait_for(state="detached")
        self.assertEqual(self.complaints, [])

    def test_nameless_maps_of_one_surface_are_put_together(self) -> None:
        page = self.page
        self.begin("Nameless")
        asked: list[str] = []
        page.on("request", lambda request: asked.append(request.url.rpartition("/")[2]))
        with folder() as root:
            surface(root / "in", 1, "7f0a")
            surface(root / "in", 2, "8c1b")
            page.get_by_label("Files to import").set_input_files(sorted((root / "in").iterdir()))
            region = page.get_by_role("region", name="Imports")
            region.get_by_role("button", name="Close").click()
        page.get_by_role("button", name="Review…").click()
        dialog = page.get_by_role("dialog")
        boxes = dialog.get_by_role("checkbox")
        boxes.first.wait_for()
        self.axe("maps that may belong together")
        # Once for the new revision, and once for what the job told as it ended.
        self.assertLessEqual(max(map(asked.count, ("maps", "meshes", "checks", "targets"))), 2)
        self.assertEqual(boxes.count(), 2)
        for box in boxes.all():
            named = str(box.get_attribute("aria-label"))
            self.assertEqual(len({code for code in ("7f0a", "8c1b") if code in named}), 1, named)
        dialog.get_by_label("Set", exact=True).first.fill("wall")
        boxes.nth(1).uncheck()
        self.button("Group as a set").click()
        page.locator(".board-row", has_text="wall").get_by_text("files").wait_for()
        self.button("Undo").click()
        page.locator(".board-row", has_text="wall").wait_for(state="detached")
        self.assertEqual(self.complaints, [])

    def test_materials_of_all_sets_say_what_they_left_out(self) -> None:
        page = self.page
        self.begin("All")
        with folder() as root:
            for name in ("oak", "elm"):
                save(root / f"in/{name}_albedo.png", coloured(64, len(name)))
                save(root / f"in/{name}_roughness.png", noise(64, 4, 1))
            save(root / "in/oak_mask.png", noise(64, 9, 1))
            self.bring_in(root / "in")
        page.get_by_role("button", name="Close").click()
        self.button("Make 2 materials").click()
        page.get_by_role("alert").filter(has_text="oak_mask").wait_for()
        self.go("Materials")
        page.get_by_title("elm", exact=True).first.wait_for()
        self.assertEqual(self.complaints, [])
