"""Checks: each fires where it should, and a sound project has none."""

from __future__ import annotations

import json
from unittest import TestCase

from ektopos.checks import run_checks
from ektopos.project import open_project
from ektopos.targets.profile import find_profile
from tests.samples import folder, project_folder


def codes(change) -> set[str]:
    with folder() as root:
        project_folder(root)
        path = root / "test.ektopos.json"
        document = json.loads(path.read_text())
        change(document)
        path.write_text(json.dumps(document))
        with open_project(root) as opened:
            return {
                finding.code for finding in run_checks(opened, find_profile(opened.document.target))
            }


def other(document: dict) -> str:
    return "-" if document["maps"]["tile_nrm"]["normal_y"] == "+" else "+"


def tile(document: dict) -> dict:
    return document["materials"]["tile"]


class Checks(TestCase):
    def test_each_mistake_is_found_and_only_by_its_own_code(self) -> None:
        sound = codes(lambda document: None)
        self.assertEqual(
            sound & {"alpha-mode-forgotten", "encoding-against-role", "missing-map"}, set()
        )
        cases = {
            "alpha-mode-forgotten": lambda d: tile(d).update(alpha_mode="opaque"),
            "encoding-against-role": lambda d: d["maps"]["tile_orm"].update(encoding="srgb"),
            "gloss-as-roughness": lambda d: d["materials"]["tile_dull"]["inputs"][
                "roughness"
            ].update(invert=False),
            "green-against-pixels": lambda d: d["maps"]["tile_nrm"].update(normal_y=other(d)),
            "missing-material": lambda d: d["meshes"]["plates"]["slots"].update(Front="gone"),
            "missing-slot": lambda d: d["meshes"]["plates"]["slots"].update(Nowhere="tile"),
            "slot-without-material": lambda d: d["meshes"]["plates"]["slots"].update(Front=None),
            "unknown-field": lambda d: tile(d).update(shiny=1),
            "no-effect": lambda d: tile(d)["inputs"]["roughness"].update(strength=0.5),
            "impossible-feed": lambda d: tile(d)["inputs"]["roughness"].update(channels="rgb"),
            "missing-map-file": lambda d: d["maps"]["tile_orm"].update(file="maps/gone.png"),
            "broken-base": lambda d: tile(d).update({"from": "tile_dull"}),
        }
        for code, change in cases.items():
            with self.subTest(code):
                found = codes(change)
                self.assertIn(code, found)
                self.assertNotIn(code, sound)
