"""Exporting again: what has not changed is not made again, and gives the same bytes; what was
spoiled is made anew."""

from __future__ import annotations

import io
import json
import xml.etree.ElementTree as ET
from pathlib import Path
from unittest import TestCase
from unittest.mock import patch

import numpy as np
from PIL import Image

from ektopos.cli.main import main
from ektopos.document import dump_document
from ektopos.export import write_package
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.project import open_project
from ektopos.trial.compare import run_trial
from tests.samples import folder, project, project_folder, save


def contents(root: Path) -> dict[str, bytes]:
    return {
        str(path.relative_to(root)): path.read_bytes()
        for path in sorted(root.rglob("*"))
        if path.is_file()
    }


def exported(root: Path, target: str, out: Path, **more) -> int:
    """Export, and count the textures that had to be packed."""
    with (
        open_project(root) as opened,
        patch.object(write_package, "pack_file", wraps=write_package.pack_file) as packed,
    ):
        export_package(opened, find_profile(target), out, **more)
    return packed.call_count


class Again(TestCase):
    def test_unchanged_nothing_is_written(self) -> None:
        for target in ("gltf-glb", "gltf-split", "orm-y-minus"):
            with self.subTest(target), folder() as root:
                project_folder(root / "p")
                self.assertEqual(exported(root / "p", target, root / "out"), 5)
                before = contents(root / "out")
                times = {path: path.stat().st_mtime_ns for path in (root / "out").rglob("*")}
                self.assertEqual(exported(root / "p", target, root / "out"), 0)
                self.assertEqual(
                    times, {path: path.stat().st_mtime_ns for path in (root / "out").rglob("*")}
                )
                self.assertEqual(exported(root / "p", target, root / "fresh"), 5)
                self.assertEqual(
                    contents(root / "fresh"), before, "made anew it has the same bytes"
                )

    def test_one_changed_input_makes_one_file_again(self) -> None:
        for target in ("gltf-glb", "gltf-split", "single-maps"):
            with self.subTest(target), folder() as root:
                project_folder(root / "p")
                exported(root / "p", target, root / "out")
                with open_project(root / "p") as opened:
                    opened.document.materials["tile"].inputs["roughness"].range = (0.2, 0.9)
                    (root / "p/test.ektopos.json").write_text(dump_document(opened.document))
                self.assertEqual(exported(root / "p", target, root / "out"), 1)
                self.assertEqual(
                    exported(root / "p", target, root / "fresh"),
                    5 if target != "single-maps" else 8,
                )
                self.assertEqual(contents(root / "fresh"), contents(root / "out"))

    def test_another_content_under_the_same_name_is_seen(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            exported(root / "p", "gltf-split", root / "out")
            save(root / "p/maps/tile_gloss.png", np.full((64, 64), 9000, np.uint16))
            self.assertEqual(exported(root / "p", "gltf-split", root / "out"), 1)

    def test_spoiled_and_missing_files_are_made_again(self) -> None:
        for spoil in (
            lambda path: path.write_bytes(path.read_bytes()[:-9]),
            lambda path: path.unlink(),
        ):
            with folder() as root:
                project_folder(root / "p")
                exported(root / "p", "gltf-split", root / "out")
                before = contents(root / "out")
                spoil(root / "out/textures/tile_ORM.png")
                self.assertEqual(exported(root / "p", "gltf-split", root / "out"), 1)
                self.assertEqual(contents(root / "out"), before)

    def test_the_package_that_is_replaced_can_be_kept_whole(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            exported(root / "p", "gltf-split", root / "out")
            first = contents(root / "out")
            (root / "out/notes.txt").write_text("mine")
            with open_project(root / "p") as opened:
                opened.document.materials["plain"].inputs["roughness"].value = 0.5
                (root / "p/test.ektopos.json").write_text(dump_document(opened.document))
            exported(root / "p", "gltf-split", root / "out", backup=root / "before")
            self.assertEqual(
                contents(root / "before"), first, "whole, and without what is not its own"
            )
            self.assertTrue((root / "out/notes.txt").is_file())
            second = contents(root / "out")
            exported(root / "p", "orm-y-minus", root / "out", backup=root / "before")
            self.assertEqual(
                contents(root / "before") | {"notes.txt": b"mine"},
                second,
                "the last one, not the one before that",
            )

    def test_a_backup_is_brought_back_and_the_newer_one_kept_in_its_stead(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            exported(root / "p", "gltf-split", root / "out")
            first = contents(root / "out")
            exported(root / "p", "orm-y-minus", root / "out", backup=root / "before")
            second = contents(root / "out")
            (root / "out/notes.txt").write_text("mine")
            restore = ["restore", str(root / "out"), "--backup", str(root / "before")]
            self.assertEqual(main(restore), 0)
            self.assertEqual(contents(root / "out"), first | {"notes.txt": b"mine"})
            self.assertEqual(contents(root / "before"), second)
            self.assertEqual(main(restore), 0)
            self.assertEqual(contents(root / "out"), second | {"notes.txt": b"mine"})
            (root / "before/plates.bin").unlink()
            self.assertEqual(main(restore), 2, "a backup that is not whole is left where it is")
            self.assertEqual(
                main(["restore", str(root / "out"), "--backup", str(root / "nothing")]), 2
            )
            self.assertEqual(contents(root / "out"), second | {"notes.txt": b"mine"})

    def test_textures_of_a_package_elsewhere_are_used_again(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            exported(root / "p", "gltf-glb", root / "one")
            self.assertEqual(
                exported(root / "p", "gltf-glb", root / "two", earlier=root / "one"), 0
            )
            self.assertEqual(contents(root / "one"), contents(root / "two"))

    def test_an_earlier_list_that_is_no_list_is_not_trusted(self) -> None:
        for text in (
            "[]",
            "{",
            '{"files": [{"path": "../../etc", "sha256": "x"}], "ektopos": 1}',
            '{"files": 3}',
        ):
            with self.subTest(text), folder() as root:
                project_folder(root / "p")
                (root / "old").mkdir()
                (root / "old/package.json").write_text(text)
                self.assertEqual(
                    exported(root / "p", "gltf-glb", root / "out", earlier=root / "old"), 5
                )


class Renders(TestCase):
    def test_equal_sides_render_alike_and_a_spoiled_one_does_not(self) -> None:
        with project() as opened, folder() as root:
            profile = find_profile("gltf-split")
            export_package(opened, profile, root / "out")
            kept = {}
            sound = run_trial(
                opened, root / "out", profile, keep=lambda m, i, shown: kept.update({(m, i): shown})
            ).renders
            self.assertEqual(
                [(r.mesh, r.view) for r in sound[:2]], [("plates", "front"), ("plates", "back")]
            )
            self.assertEqual(
                [(r.view, r.material) for r in sound[2:]],
                [("specimen", m) for m in ("tile", "tile_dull", "plain")],
            )
            for rendered in sound:
                self.assertLess(rendered.flip, 0.02)
                self.assertGreater(rendered.ssim, 0.99)
            for picture in kept["plates", "render front"].values():
                with Image.open(io.BytesIO(picture)) as opened_picture:
                    self.assertEqual(opened_picture.size, (224, 224))
            content = json.loads((root / "out/plates.gltf").read_text())
            content["materials"][0]["pbrMetallicRoughness"]["baseColorFactor"] = [
                0.1,
                0.9,
                0.1,
                1.0,
            ]
            (root / "out/plates.gltf").write_text(json.dumps(content))
            spoiled = run_trial(opened, root / "out", profile).renders
            self.assertGreater(max(r.flip for r in spoiled), 3 * max(r.flip for r in sound) + 3e-4)
            self.assertEqual(run_trial(opened, root / "out", profile, renders=False).renders, [])

    def test_every_loose_target_renders_as_it_was_meant(self) -> None:
        for target in ("spec-gloss", "metal-smooth", "orm-y-minus"):
            with self.subTest(target), project() as opened, folder() as root:
                export_package(opened, find_profile(target), root / "out")
                for rendered in run_trial(opened, root / "out", find_profile(target)).renders:
                    self.assertLess(rendered.flip, 0.03)


class Builds(TestCase):
    def test_a_folder_of_packages_is_tried_at_once_and_reported(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            for target in ("gltf-split", "orm-y-minus"):
                exported(root / "p", target, root / "builds" / target)
            arguments = [
                "trial",
                str(root / "builds"),
                "--against",
                str(root / "p"),
                "--junit",
                str(root / "r.xml"),
                "--no-renders",
            ]
            self.assertEqual(main(arguments), 0)
            (root / "builds/gltf-split/textures/tile_ORM.png").unlink()
            self.assertEqual(main(arguments), 1)
            suites = ET.parse(root / "r.xml").getroot().findall("testsuite")
        self.assertEqual(
            [suite.get("name") for suite in suites],
            ["gltf-split (gltf-split)", "orm-y-minus (orm-y-minus)"],
        )
        self.assertEqual([int(suite.get("failures", "0")) > 0 for suite in suites], [True, False])
        self.assertIn(
            "missing-file", {failure.get("type") for failure in suites[0].iter("failure")}
        )
        self.assertEqual(int(suites[1].get("tests", "0")), 28)
