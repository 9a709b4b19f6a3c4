"""A map that is corrected while a material is fed by it: said on Maps, and moved or looked at from
there."""

from __future__ import annotations

import re

from tests.browser.site import Site


class Corrected(Site):
    def test_the_feed_is_moved_or_the_material_opened(self) -> None:
        page = self.page
        self.open_small_project()
        project = re.search(r"/projects/([^/]+)/", page.url)[1]

        def correct(role: str) -> None:
            entry = {"roles": {"r": role}}
            self.other_page(project, {"kind": "set-map", "maps": ["tile_gloss"], **entry})

        said = page.get_by_role("status").filter(has_text="You said that tile_gloss holds")
        correct("occlusion")
        said.filter(has_text="it still feeds roughness").wait_for()
        said.get_by_role("link", name="Show in feed sheet").click()
        page.get_by_role("heading", name="tile_dull", exact=True).wait_for()
        self.go("Maps")
        correct("height")
        said.get_by_role("button", name="Move the feed").click()
        said.wait_for(state="detached")
        self.to_material("tile_dull")
        page.locator('[data-input="height"]').get_by_text("tile_gloss").first.wait_for()
        self.assertEqual(self.complaints, [])
