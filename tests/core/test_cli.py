"""The command line: JSON, exit codes, and one line for what is wrong."""

from __future__ import annotations

import contextlib
import io
import json
import os
import subprocess
import sys
from pathlib import Path
from typing import IO
from unittest import TestCase, mock
from xml.etree import ElementTree

import numpy as np

from ektopos.base.strict_json import json_value
from ektopos.cli.main import main
from ektopos.cli.maps_ahead import maps_ahead, read_ahead
from ektopos.export.placing import _move
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.project import open_project
from tests.samples import folder, noise, project_folder, quads, save, save_glb


def run(*arguments: object) -> tuple[int, object, str]:
    """Exit code, JSON on stdout and the text on stderr."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        code = main([str(a) for a in arguments] + ["--json"])
    return code, json.loads(out.getvalue()) if out.getvalue() else None, err.getvalue()


def run_as_program(*arguments: str, out: IO[bytes] | int = subprocess.PIPE) -> tuple[int, str]:
    """Exit code and the text on stderr of a process of its own."""
    done = subprocess.run(
        [sys.executable, "-m", "ektopos", *arguments],
        stdout=out,
        stderr=subprocess.PIPE,
        check=False,
    )
    return done.returncode, done.stderr.decode()


class Program(TestCase):
    def test_it_ends_with_the_commands_own_exit_code(self) -> None:
        self.assertEqual(run_as_program("targets"), (0, ""))
        code, said = run_as_program("check", "nowhere")
        self.assertEqual(code, 2)
        self.assertEqual(len(said.splitlines()), 1)
        self.assertEqual(run_as_program("nonsense")[0], 2)

    def test_an_answer_that_cannot_be_written_is_said(self) -> None:
        with Path("/dev/full").open("wb") as full:
            code, said = run_as_program("targets", "--json", out=full)
        self.assertEqual(code, 2)
        self.assertRegex(said, r"^ektopos: the answer cannot be written \(.+\)\.\n$")

    def test_stopping_an_export_leaves_what_was_there(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            self.assertEqual(run("export", root / "p", "--out", root / "out")[0], 0)
            before = {path.name: path.read_bytes() for path in (root / "out").iterdir()}
            arguments = ("export", root / "p", "--target", "single-maps", "--out", root / "out")
            with mock.patch(
                "ektopos.export.write_package.write_image", side_effect=KeyboardInterrupt
            ):
                code, _, said = run(*arguments)
            self.assertEqual((code, said), (2, "ektopos: stopped; nothing was changed.\n"))
            self.assertEqual(
                {path.name: path.read_bytes() for path in (root / "out").iterdir()}, before
            )
            self.assertEqual(
                sorted(path.name for path in root.iterdir()),
                ["out", "p"],
                "nothing half-made is left",
            )

    def test_stopping_while_a_package_is_replaced_brings_the_old_one_back(self) -> None:
        """Stopped before or after each file that is moved; what is moved back afterwards must not
        be stopped again."""
        with folder() as root:
            project_folder(root / "p")
            self.assertEqual(
                run("export", root / "p", "--target", "gltf-split", "--out", root / "out")[0], 0
            )
            before = {
                path: path.read_bytes() for path in (root / "out").rglob("*") if path.is_file()
            }
            for late in (False, True):
                for stopped in range(len(before) + 3):
                    moves = iter(range(1000))

                    def move(
                        source: Path,
                        target: Path,
                        late: bool = late,
                        stopped: int = stopped,
                        moves=moves,
                    ) -> None:
                        now = next(moves) == stopped
                        if now and not late:
                            raise KeyboardInterrupt
                        _move(source, target)
                        if now:
                            raise KeyboardInterrupt

                    with (
                        self.subTest(stopped=stopped, late=late),
                        mock.patch("ektopos.export.placing._move", move),
                    ):
                        self.assertEqual(
                            run(
                                "export",
                                root / "p",
                                "--target",
                                "single-maps",
                                "--out",
                                root / "out",
                            )[0],
                            2,
                        )
                        now_there = {
                            path: path.read_bytes()
                            for path in (root / "out").rglob("*")
                            if path.is_file()
                        }
                        self.assertEqual(now_there, before)

    def test_a_reader_that_has_seen_enough_is_no_error(self) -> None:
        reading, writing = os.pipe()
        os.close(reading)
        try:
            self.assertEqual(run_as_program("targets", "--json", out=writing), (0, ""))
        finally:
            os.close(writing)


class CommandLine(TestCase):
    def test_identify_tells_each_file_and_goes_on_after_a_bad_one(self) -> None:
        with folder() as root:
            save(root / "deep/stone_rough.png", noise(32, 1, 1))
            save(root / "stone_albedo.png", noise(32, 2))
            (root / "stone_n.png").write_bytes(b"no picture")
            code, found, _ = run("identify", root)
        by_name = {Path(entry["path"]).name: entry for entry in found}
        self.assertEqual(code, 0)
        self.assertEqual(set(by_name), {"stone_rough.png", "stone_albedo.png", "stone_n.png"})
        self.assertIn("error", by_name["stone_n.png"])
        rough = by_name["stone_rough.png"]
        self.assertEqual(
            (rough["role"], rough["encoding"], rough["set"], rough["width"]),
            ("roughness", "linear", "stone", 32),
        )
        self.assertEqual(
            rough["channel_roles"], {"r": "roughness", "g": None, "b": None, "a": None}
        )
        keys = {
            "path",
            "notes",
            "width",
            "height",
            "channels",
            "bits",
            "encoding",
            "set",
            "role",
            "confidence",
            "channel_roles",
            "normal_y",
            "evidence",
            "facts",
        }
        self.assertEqual(set(rough), keys)

    def test_nothing_readable_is_bad_input(self) -> None:
        with folder() as root:
            (root / "a.png").write_bytes(b"x")
            self.assertEqual(run("identify", root / "a.png")[0], 2)
            code, _, said = run("mesh", root / "gone.glb")
        self.assertEqual(code, 2)
        self.assertEqual(len(said.strip().splitlines()), 1)

    def test_mesh(self) -> None:
        with folder() as root:
            code, found, _ = run("mesh", save_glb(root / "m.glb", quads({"A": 1, "B": 0})))
        self.assertEqual(code, 0)
        slot, empty = found[0]["slots"]
        self.assertEqual(
            set(slot), {"name", "triangles", "share", "area", "uv", "density", "layout"}
        )
        self.assertEqual(set(slot["layout"]), {"islands", "gap", "stacked", "mirrored", "spread"})
        self.assertEqual(
            set(slot["uv"]), {"min", "max", "inside", "coverage", "overlap", "flipped", "stretch"}
        )
        self.assertEqual(
            (slot["uv"]["stretch"]["l2"], slot["uv"]["coverage"], slot["area"]), (1.0, 1.0, 1.0)
        )
        self.assertEqual(
            (empty["name"], empty["triangles"], empty["uv"]["stretch"]["l2"]), ("B", 0, None)
        )
        self.assertIn("empty-slot", [fault["code"] for fault in found[0]["faults"]])

    def test_export_then_trial_then_tamper(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            code, export, _ = run(
                "export", root / "p", "--target", "gltf-split", "--out", root / "out"
            )
            self.assertEqual((code, export["target"]), (0, "gltf-split"))
            orm = next(f for f in export["files"] if f["path"].endswith("tile_ORM.png"))
            self.assertEqual(
                orm["channels"], {"r": "occlusion", "g": "roughness", "b": "metallic", "a": None}
            )
            self.assertEqual(orm["bytes"], (root / "out" / orm["path"]).stat().st_size)
            code, trial, _ = run("trial", root / "out", "--against", root / "p")
            self.assertEqual((code, trial["passed"], len(trial["cells"])), (0, True, 28))
            (root / "out" / orm["path"]).unlink()
            code, trial, _ = run("trial", root / "out", "--against", root / "p")
            self.assertEqual((code, trial["passed"]), (1, False))
            self.assertIn("missing-file", {cell["cause"] for cell in trial["cells"]})

    def test_check_finds_what_is_not_there_and_says_bad_documents(self) -> None:
        with folder() as root:
            project_folder(root)
            path = root / "test.ektopos.json"
            self.assertEqual(run("check", root)[0], 0)
            document = json.loads(path.read_text())
            document["materials"]["tile"]["inputs"]["metallic"]["map"] = "gone"
            document["materials"]["tile_dull"]["from"] = "nobody"
            path.write_text(json.dumps(document))
            code, found, _ = run("check", root)
            self.assertEqual(code, 1)
            self.assertLessEqual(
                {"missing-map", "broken-base"}, {finding["code"] for finding in found}
            )
            for broken in ("{", "[]", '{"ektopos": 9}', '{"ektopos": 1, "maps": 3}'):
                path.write_text(broken)
                code, _, said = run("check", root)
                self.assertEqual(code, 2, broken)
                self.assertEqual(len(said.strip().splitlines()), 1)

    def test_targets_and_unknown_ones(self) -> None:
        code, found, _ = run("targets")
        self.assertEqual(code, 0)
        self.assertLessEqual({"gltf-glb", "gltf-split"}, {entry["id"] for entry in found})
        with folder() as root:
            project_folder(root)
            code, _, said = run("export", root, "--target", "nowhere", "--out", root / "out")
        self.assertEqual(code, 2)
        self.assertIn("nowhere", said)


class ForPeople(TestCase):
    """Without --json: lines that a person reads, the same exit codes, and never a traceback."""

    def say(self, *arguments: object) -> tuple[int, list[str], list[str]]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main([str(a) for a in arguments])
        return code, out.getvalue().splitlines(), err.getvalue().splitlines()

    def test_identify_mesh_and_targets(self) -> None:
        with folder() as root:
            save(root / "stone_rough.png", noise(32, 1, 1))
            (root / "bad.png").write_bytes(b"x")
            code, lines, _ = self.say("identify", root)
            self.assertEqual((code, len(lines)), (0, 2))
            self.assertTrue(any("roughness, linear, set stone" in line for line in lines), lines)
            code, lines, _ = self.say("mesh", save_glb(root / "m.glb", quads({"A": 1, "B": 0})))
            self.assertEqual(code, 0)
            self.assertIn("2 triangles", lines[0])
            self.assertIn("  A: 2 triangles, 1 m²", lines)
            self.assertTrue(any("empty-slot" in line for line in lines), lines)
        self.assertGreaterEqual(len(self.say("targets")[1]), 6)

    def test_export_trial_and_check(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            code, lines, _ = self.say(
                "export", root / "p", "--target", "single-maps", "--out", root / "out"
            )
            self.assertEqual(code, 0)
            self.assertTrue(
                any(line.startswith("textures/tile_Roughness.png: ") for line in lines), lines
            )
            self.assertEqual(
                self.say("trial", root / "out", "--against", root / "p")[1][-1],
                "passed, 2 to be set manually",
            )
            (root / "out/textures/tile_Roughness.png").unlink()
            code, lines, _ = self.say("trial", root / "out", "--against", root / "p")
            self.assertEqual((code, lines[-1]), (1, "failed, 2 to be set manually"))
            self.assertTrue(any("missing-file" in line for line in lines), lines)
            self.assertEqual(self.say("check", root / "p")[0], 0)

    def test_bad_input_is_one_line_with_exit_code_2(self) -> None:
        with folder() as root:
            (root / "a.png").write_bytes(b"x")
            (root / "a.glb").write_bytes(b"glTF")
            for arguments in (
                ("identify", root / "a.png"),
                ("mesh", root / "a.glb"),
                ("mesh", root / "a.fbx"),
                ("identify", root / "none"),
                ("match", "--mesh", root / "a.glb", root / "a.png"),
                ("check", root / "none"),
                ("export", root / "none", "--out", root / "o"),
                ("trial", root / "none", "--against", root / "none"),
            ):
                with self.subTest(arguments[0]):
                    code, _, said = self.say(*arguments)
                    self.assertEqual((code, len(said)), (2, 1), said)
                    self.assertTrue(said[0].startswith("ektopos: "))
            for arguments in ((), ("nonsense",), ("export", root)):
                with self.subTest(arguments), self.assertRaises(SystemExit) as left:
                    self.say(*arguments)
                self.assertEqual(left.exception.code, 2)

    def test_a_mesh_of_another_format_is_told_which_formats_are_read(self) -> None:
        with folder() as root:
            code, _, said = self.say("mesh", root / "model.fbx")
        self.assertEqual(code, 2)
        self.assertIn("open format", said[0])

    def test_an_empty_folder_is_no_error(self) -> None:
        with folder() as root:
            self.assertEqual(self.say("identify", root), (0, ["no maps in it"], []))
            self.assertEqual(self.say("mesh", root), (0, ["no meshes in it"], []))
            (root / ".hidden").mkdir()
            save(root / ".hidden/a.png", noise(16))
            self.assertEqual(self.say("identify", root)[1], ["no maps in it"])

    def test_json_holds_no_numbers_that_json_cannot(self) -> None:
        self.assertEqual(
            json_value({"a": float("nan"), "b": [float("inf"), 1.5], "c": (1,)}),
            {"a": None, "b": [None, 1.5], "c": [1]},
        )


class Ahead(TestCase):
    """Maps are decoded while the core is still being loaded; nothing but the time may tell."""

    def test_packages_are_the_same_bytes(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            self.assertEqual(run("export", root / "p", "--out", root / "ahead")[0], 0)
            with open_project(root / "p") as opened:
                export_package(opened, find_profile("gltf-glb"), root / "plain")
            self.assertEqual(
                (root / "ahead/plates.glb").read_bytes(),
                (root / "plain/plates.glb").read_bytes(),
            )

    def test_only_a_first_export_of_a_folder_is_looked_at_and_only_files_inside_it(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            path = root / "p/test.ektopos.json"
            maps = maps_ahead(path, root / "out")
            self.assertEqual(
                {found.name for found in maps},
                {"tile_col.png", "tile_orm.png", "tile_nrm.png", "tile_gloss.png", "glow.hdr"},
            )
            self.assertEqual(maps_ahead(root / "p", root / "out"), maps)
            (root / "out").mkdir()
            (root / "out/package.json").write_text("{}")
            self.assertEqual(maps_ahead(path, root / "out"), [])
            save(root / "secret.png", noise(8, 1))
            for text in (
                '{"maps": {"a": {"file": "../secret.png"}, "b": {"file": "gone.png"}}}',
                "{",
                "[]",
                '{"maps": {"a": 3}}',
                '{"maps": 3}',
            ):
                path.write_text(text)
                self.assertEqual(maps_ahead(path, root / "other"), [])

    def test_a_map_that_cannot_be_read_is_said_as_ever(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            (root / "p/maps/tile_orm.png").write_bytes(b"no picture")
            code, _, said = run("export", root / "p", "--out", root / "out")
            self.assertEqual(code, 2)
            self.assertIn("tile_orm", said)
            self.assertEqual(len(said.strip().splitlines()), 1)
            self.assertFalse((root / "out").exists())

    def test_a_picture_is_given_once_and_any_other_read_when_it_is_asked_for(self) -> None:
        with folder() as root:
            one, other = save(root / "a.png", noise(8, 1)), save(root / "b.png", noise(8, 2))
            with read_ahead([one]) as read:
                first, second = read(one), read(one)
                self.assertIsNot(first, second)
                np.testing.assert_array_equal(first.pixels, second.pixels)
                np.testing.assert_array_equal(read(other).pixels, noise(8, 2))


class Answers(TestCase):
    """With `--json`, stdout is JSON whatever happens."""

    def asked(self, *words: object) -> tuple[int, object, str]:
        command = [sys.executable, "-m", "ektopos", *map(str, words), "--json"]
        ran = subprocess.run(command, capture_output=True, text=True, check=False)
        self.assertNotIn("Traceback", ran.stderr)
        self.assertLessEqual(len(ran.stderr.splitlines()), 1, ran.stderr)
        return ran.returncode, json.loads(ran.stdout), ran.stderr

    def test_bad_input_is_an_error_with_its_parts(self) -> None:
        with folder() as root:
            home = project_folder(root / "p")
            document = home / "test.ektopos.json"
            good = document.read_text()
            broken = {
                "deep": good.rstrip()[:-1] + ', "x": ' + "[" * 900 + "]" * 900 + "}",
                "deeper": "[" * 100_000 + "]" * 100_000,
                "UTF-16": good.encode("utf-16"),
                "no number": good.replace("0.4", "NaN", 1),
            }
            for name, content in broken.items():
                raw = content if isinstance(content, bytes) else content.encode()
                document.write_bytes(raw)
                for words in (("check", home), ("export", home, "--out", root / "out")):
                    with self.subTest(name, command=words[0]):
                        code, said, line = self.asked(*words)
                        self.assertEqual((code, set(said)), (2, {"error"}))
                        self.assertEqual(set(said["error"]), {"message", "subject", "hint"})
                        self.assertIn(said["error"]["message"], line)
            document.write_text(good)
            code, said, _ = self.asked("export", home, "--target", "", "--out", root / "out")
            self.assertEqual(code, 2)
            self.assertIn("no target", said["error"]["message"])
            code, said, _ = self.asked("nonsense")
            self.assertEqual((code, set(said)), (2, {"error"}))
            (root / "figure.fbx").write_bytes(b"closed")
            code, said, _ = self.asked("mesh", root / "figure.fbx")
            self.assertEqual(code, 2)
            self.assertIn("Save it as GLB", said[0]["error"])

    def test_what_a_project_names_and_does_not_have_is_listed_whole(self) -> None:
        with folder() as root:
            home = project_folder(root / "p")
            document = json.loads((home / "test.ektopos.json").read_text())
            inputs = document["materials"]["tile"]["inputs"]
            inputs["roughness"] = {"map": "gone", "channels": "r"}
            inputs["metallic"] = {"map": "lost", "channels": "r"}
            (home / "test.ektopos.json").write_text(json.dumps(document))
            code, said, _ = self.asked("export", home, "--out", root / "out")
            self.assertEqual(code, 1)
            self.assertLessEqual(
                {"material tile · roughness", "material tile · metallic"},
                {finding["subject"] for finding in said},
            )
            self.assertFalse((root / "out").exists())

    def test_wild_numbers_end_in_an_answer(self) -> None:
        with folder() as root:
            home = project_folder(root / "p")
            document = json.loads((home / "test.ektopos.json").read_text())
            inputs = document["materials"]["tile"]["inputs"]
            inputs["emission"] = {"value": [1e300, 0, 0], "strength": 1e300}
            inputs["base_color"] |= {"multiply": 1e308, "offset": -1e308, "gamma": 1e-300}
            document["materials"]["tile"]["uv"] = {"tiling": [1e308, 0], "rotation": 1e308}
            (home / "test.ektopos.json").write_text(json.dumps(document))
            self.assertIn(self.asked("check", home)[0], (0, 1))
            if self.asked("export", home, "--out", root / "out")[0] == 0:
                code, said, _ = self.asked("trial", root / "out", "--against", home, "--no-renders")
                self.assertIn(code, (0, 1))
                self.assertIn("cells", said)

    def test_measures_hold_no_pictures(self) -> None:
        with folder() as root:
            home = project_folder(root / "p")
            _, lean, _ = self.asked("identify", home / "maps")
            _, whole, _ = self.asked("identify", home / "maps", "--facts")
        self.assertNotIn("thumbnail", lean[0]["facts"])
        self.assertNotIn("histogram", lean[0]["facts"]["channels"][0])
        self.assertEqual(len(whole[0]["facts"]["channels"][0]["histogram"]), 64)
        self.assertLess(len(json.dumps(lean[0]["facts"])), 4000)


class CheckReports(TestCase):
    """`check` for build pipelines."""

    def run_check(self, *arguments: str, change: object = None) -> tuple[int, str, Path]:
        root = Path(self.enterContext(folder()))
        project_folder(root)
        if callable(change):
            path = root / "test.ektopos.json"
            document = json.loads(path.read_text())
            change(document)
            path.write_text(json.dumps(document))
        out = io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(out):
            code = main(["check", str(root), *(a.replace("ROOT", str(root)) for a in arguments)])
        return code, out.getvalue(), root

    @staticmethod
    def bare(document: dict) -> None:
        document["meshes"]["plates"]["slots"]["Front"] = None
        document["meshes"]["plates"]["slots"]["Back"] = "gone"

    def test_junit_has_a_failure_for_every_error_and_a_skip_for_what_is_waived(self) -> None:
        code, _, root = self.run_check("--junit", "ROOT/r.xml", change=self.bare)
        suite = ElementTree.parse(root / "r.xml").getroot()
        failures = suite.findall("testcase/failure")
        self.assertEqual((code, suite.get("failures")), (1, str(len(failures))))
        self.assertEqual(
            [case.get("name") for case in suite.findall("testcase[failure]")],
            ["mesh plates · Back"],
        )

        def waived(document: dict) -> None:
            self.bare(document)
            document["waived"] = [
                {"code": "missing-material", "subject": "mesh plates · Back", "reason": "later"}
            ]

        code, said, root = self.run_check("--junit", "ROOT/r.xml", change=waived)
        suite = ElementTree.parse(root / "r.xml").getroot()
        (skipped,) = suite.findall("testcase/skipped")
        self.assertEqual((code, suite.get("failures"), skipped.get("message")), (0, "0", "later"))
        self.assertIn("ignored: later", said)

    def test_the_least_severity_that_fails_can_be_said(self) -> None:
        def no_errors(document: dict) -> None:
            document["meshes"]["plates"]["slots"]["Front"] = None

        self.assertEqual(self.run_check(change=no_errors)[0], 0)
        self.assertEqual(self.run_check("--fail", "warning", change=no_errors)[0], 1)

    def test_sarif_names_its_rules_and_suppresses_what_is_waived(self) -> None:
        # Source: SARIF 2.1.0, 3.13 (version), 3.19.23 (rules), 3.27.7 (ruleIndex), 3.27.10
        # (level), 3.35 (suppressions).
        def waived(document: dict) -> None:
            self.bare(document)
            document["waived"] = [
                {
                    "code": "slot-without-material",
                    "subject": "mesh plates · Front",
                    "reason": "comes later",
                }
            ]

        _, _, root = self.run_check("--sarif", "ROOT/r.sarif", change=waived)
        log = json.loads((root / "r.sarif").read_text())
        self.assertEqual(log["version"], "2.1.0")
        (run,) = log["runs"]
        rules = run["tool"]["driver"]["rules"]
        for result in run["results"]:
            self.assertEqual(rules[result["ruleIndex"]]["id"], result["ruleId"])
            self.assertIn(result["level"], ("error", "warning", "note"))
        (left,) = [r for r in run["results"] if "suppressions" in r]
        self.assertEqual(
            left["suppressions"], [{"kind": "external", "justification": "comes later"}]
        )

    def test_a_report_that_cannot_be_written_is_one_sentence(self) -> None:
        code, said, _ = self.run_check("--junit", "ROOT/none/r.xml")
        self.assertEqual(code, 2)
        self.assertIn("cannot be written", said)
