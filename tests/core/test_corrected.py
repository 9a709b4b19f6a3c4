"""A corrected map, its feeds, and where they can be moved without harm."""

from __future__ import annotations

from unittest import TestCase

from ektopos.checks import run_checks
from ektopos.edits import apply_edits
from ektopos.export.profile import find_profile
from ektopos.materials import resolve_inheritance
from tests.samples import project


class Corrected(TestCase):
    def found(self, opened, roles: dict, name: str):
        change = {"roles": roles, "by_hand": True}
        opened.document.maps[name] = opened.document.maps[name].model_copy(update=change)
        every = run_checks(opened, find_profile("gltf-glb"))
        return [finding for finding in every if finding.code == "feed-contradicts-map"]

    def test_a_free_input_gets_the_feed(self) -> None:
        with project() as opened:
            (finding,) = self.found(opened, {"r": "height"}, "tile_gloss")
            self.assertEqual(finding.subject, "material tile_dull · roughness")
            moved = apply_edits(opened.document, list(finding.remedy.edits))
        feeds = resolve_inheritance(moved, "tile_dull").feeds
        self.assertEqual(feeds["height"].map, "tile_gloss")
        self.assertEqual(feeds["roughness"].map, "tile_orm")

    def test_what_a_base_feeds_is_not_taken_from_it(self) -> None:
        with project() as opened:
            (finding,) = self.found(opened, {"r": "occlusion"}, "tile_gloss")
        self.assertIsNone(finding.remedy)
        self.assertIn("Occlusion is fed from another map", finding.fix)
