"""The whole job without a mouse: from a folder to a passed trial, by keys alone."""

from __future__ import annotations

import re

from tests.browser.site import Site
from tests.samples import coloured, folder, noise, normals_of, quads, save, save_glb

NAMED = """() => {
  const at = document.activeElement
  if (!at || at === document.body) return ''
  const labelled = (at.getAttribute('aria-labelledby') || '').split(' ')
    .map((id) => document.getElementById(id)?.textContent || '').join(' ').trim()
  const label = at.labels?.[0]?.textContent || ''
  return (at.getAttribute('aria-label') || labelled || label || at.textContent || '').trim()
}"""


class Keyboard(Site):
    def tab_to(self, name: str, *, most: int = 160, back: bool = False) -> None:
        """Go on by Tab until what is called so has the keyboard."""
        seen = []
        for _ in range(most):
            self.page.keyboard.press("Shift+Tab" if back else "Tab")
            seen.append(self.page.evaluate(NAMED))
            if seen[-1].startswith(name):
                return
        self.fail(f"Tab does not come to {name}: {list(dict.fromkeys(seen))[:60]}")

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)

    def test_from_a_folder_to_a_passed_trial(self) -> None:
        page = self.page
        self.open("/")
        page.get_by_role("button", name="New project").wait_for()
        self.tab_to("New project")
        self.press("Enter")
        page.get_by_label("Project name").wait_for()
        page.keyboard.type("By keys")
        self.press("Enter")
        page.get_by_text("No maps yet").wait_for()
        self.import_a_folder()
        self.make_a_material()
        self.assign_it()
        self.export_and_test()

    def import_a_folder(self) -> None:
        page = self.page
        with folder() as root:
            height = noise(64, 5, 1)[..., 0].astype("float32") / 255
            save(root / "in/hull_albedo.png", coloured(64, 3))
            save(root / "in/hull_normal.png", normals_of(height))
            save(root / "in/hull_roughness.png", noise(64, 4, 1))
            save_glb(root / "in/hull.glb", quads({"Hull": 2}))
            # What the browser's own dialog gives; a key on the entry of the menu opens it.
            self.tab_to("Import")
            self.press("Enter")
            page.get_by_role("menuitem", name="A folder").wait_for()
            with page.expect_file_chooser() as chooser:
                self.press(*self.down_to("A folder"), "Enter")
            chooser.value.set_files(root / "in")
            incoming = page.get_by_role("region", name="Imports")
            incoming.get_by_role("button", name="Close").wait_for()
        self.tab_to("Close")
        self.press("Enter")

    def make_a_material(self) -> None:
        page = self.page
        # A material of the set, from its menu on the board.
        page.locator("[data-cell]").first.wait_for()
        self.tab_to("More for the set hull")
        self.press("Enter")
        page.get_by_role("menuitem", name="Make material").wait_for()
        self.press(*self.down_to("Make material"), "Enter")
        page.wait_for_url("**/materials/hull")
        page.get_by_role("heading", name="hull", exact=True).wait_for()

        # A value of it, then the slot, then export and trial.
        self.tab_to("Metallic adjustments")
        self.press("Enter")
        self.tab_to("Value, number")
        page.keyboard.type("0,5")
        self.press("Enter")
        page.locator('[data-input="metallic"]').get_by_text("0.50").first.wait_for()

    def assign_it(self) -> None:
        page = self.page
        self.tab_to("Meshes", back=True)
        self.press("Enter")
        page.get_by_role("combobox", name="Material of Hull").wait_for()
        self.tab_to("Material of Hull")
        self.press("Enter")
        page.get_by_role("option", name="hull").wait_for()
        self.press("ArrowDown", "Enter")
        page.get_by_role("combobox", name="Material of Hull").get_by_text("hull").wait_for()

    def export_and_test(self) -> None:
        page = self.page
        self.tab_to("Export", back=True)
        self.press("Enter")
        page.get_by_role("button", name="Export and test").wait_for()
        self.tab_to("Export and test")
        self.press("Enter")
        page.get_by_text(re.compile(r"\d identical")).first.wait_for(timeout=120_000)
        self.assertEqual(page.locator(".verdict.brick").count(), 0)
        self.tab_to("Hull metallic")
        self.press("Enter")
        page.get_by_text("arrived", exact=False).first.wait_for()
        self.assertEqual(self.complaints, [])

    def down_to(self, name: str) -> list[str]:
        """The arrow keys that lead to an entry of the open menu."""
        entries = self.page.get_by_role("menuitem").all_inner_texts()
        at = next(number for number, words in enumerate(entries) if words.startswith(name))
        return ["ArrowDown"] * at
