"""Plan, packing and packages."""

from __future__ import annotations

import hashlib
import json
from unittest import TestCase

import cv2
import numpy as np

from ektopos.base.errors import EktoposError
from ektopos.export.plan import make_plan, safe_names
from ektopos.export.profile import built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from ektopos.images import read_header
from tests.samples import folder, noise, project


def plan_of(opened, target="gltf-split"):
    return make_plan(
        opened.document, find_profile(target), lambda name: read_header(opened.map_path(name))
    )


class Planning(TestCase):
    def test_equal_textures_are_planned_once(self) -> None:
        with project() as opened:
            plan = plan_of(opened)
        shared = [file for file in plan.files if len(file.materials) == 2]
        self.assertEqual({file.suffix for file in shared}, {"BaseColor", "Normal", "Emission"})

    def test_constants_are_numbers_and_unfed_files_are_not_written(self) -> None:
        with project() as opened:
            plan = plan_of(opened)
        self.assertFalse([file for file in plan.files if "plain" in file.materials])
        self.assertIn("roughness", plan.factors["plain"])

    def test_memory_is_a_full_mip_chain_of_rgba(self) -> None:
        with project() as opened:
            file = next(f for f in plan_of(opened).files if f.suffix == "ORM")
        self.assertEqual(file.memory, sum(4 * (64 >> level) ** 2 for level in range(7)))

    def test_names_are_safe_and_different_without_case(self) -> None:
        safe = safe_names(["Dome: copper?", "dome_ copper_", "CON", "aux", "..", "ä", "日本 語"])
        self.assertEqual(len({name.lower() for name in safe.values()}), 7)
        for name in safe.values():
            self.assertRegex(name, r"^[\w.-]+$")
        self.assertEqual((safe["ä"], safe["日本 語"]), ("ä", "日本_語"))
        self.assertNotEqual(safe["CON"].lower(), "con")


class Packing(TestCase):
    def test_every_channel_is_what_its_feed_says(self) -> None:
        with project() as opened, folder() as root:
            export_package(opened, find_profile("gltf-split"), root / "out")
            orm = cv2.imread(str(root / "out/textures/tile_ORM.png"), cv2.IMREAD_UNCHANGED)[
                ..., ::-1
            ].astype(int)
            source = noise(64, 3).astype(np.float64)
            np.testing.assert_array_equal(orm[..., 0], source[..., 0])
            np.testing.assert_array_equal(orm[..., 2], source[..., 2])
            wanted = np.floor((0.1 + 0.7 * source[..., 1] / 255) * 255 + 0.5)
            self.assertLessEqual(np.abs(orm[..., 1] - wanted).max(), 1)
            self.assertGreater((orm[..., 1] == wanted).mean(), 0.99)
            normal = cv2.imread(str(root / "out/textures/tile_Normal.png"), cv2.IMREAD_UNCHANGED)[
                ..., ::-1
            ]
            given = cv2.imread(str(opened.path("maps/tile_nrm.png")))[..., ::-1]
            np.testing.assert_array_equal(normal[..., 0], given[..., 0])
            np.testing.assert_array_equal(normal[..., 1], 255 - given[..., 1])


class Packages(TestCase):
    def test_the_list_is_true(self) -> None:
        for target in built_in_profiles():
            with self.subTest(target), project() as opened, folder() as root:
                done = export_package(opened, find_profile(target), root / "out")
                listing = json.loads((root / "out/package.json").read_text())
                self.assertEqual(
                    {f["path"] for f in listing["files"]}, {f.path for f in done.files}
                )
                for file in listing["files"]:
                    content = (root / "out" / file["path"]).read_bytes()
                    self.assertEqual(
                        (len(content), hashlib.sha256(content).hexdigest()),
                        (file["bytes"], file["sha256"]),
                    )
                on_disk = {
                    str(p.relative_to(root / "out"))
                    for p in (root / "out").rglob("*")
                    if p.is_file()
                }
                self.assertEqual(on_disk, {f["path"] for f in listing["files"]} | {"package.json"})

    def test_twice_gives_the_same_bytes(self) -> None:
        for target in built_in_profiles():
            with self.subTest(target), project() as opened, folder() as root:
                export_package(opened, find_profile(target), root / "one")
                export_package(opened, find_profile(target), root / "two")
                for path in (p for p in (root / "one").rglob("*") if p.is_file()):
                    self.assertEqual(
                        path.read_bytes(),
                        (root / "two" / path.relative_to(root / "one")).read_bytes(),
                        path.name,
                    )

    def test_foreign_files_stay_and_nothing_is_written_over_them(self) -> None:
        with project() as opened, folder() as root:
            (root / "out").mkdir()
            (root / "out/notes.txt").write_text("mine")
            export_package(opened, find_profile("gltf-glb"), root / "out")
            export_package(opened, find_profile("gltf-split"), root / "out")
            self.assertEqual((root / "out/notes.txt").read_text(), "mine")
            self.assertFalse((root / "out/plates.glb").exists())
            (root / "other").mkdir()
            (root / "other/plates.glb").write_text("mine")
            with self.assertRaises(EktoposError):
                export_package(opened, find_profile("gltf-glb"), root / "other")
            self.assertEqual((root / "other/plates.glb").read_text(), "mine")

    def test_a_failed_export_leaves_the_one_before_as_it_was(self) -> None:
        with project() as opened, folder() as root:
            export_package(opened, find_profile("gltf-split"), root / "out")
            before = {p: p.read_bytes() for p in (root / "out").rglob("*") if p.is_file()}
            opened.path("maps/tile_orm.png").write_bytes(b"broken")
            with self.assertRaises(EktoposError):
                export_package(opened, find_profile("gltf-split"), root / "out")
            self.assertEqual(
                {p: p.read_bytes() for p in (root / "out").rglob("*") if p.is_file()}, before
            )
            self.assertEqual([p.name for p in root.iterdir()], ["out"])
