"""`follow`: a build machine takes up what is saved, delivers what passes its trial, and ends when it
is told to."""

from __future__ import annotations

import contextlib
import io
import json
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from unittest import TestCase, mock

import cv2
import numpy as np

from ektopos.automation.follow import Following, document_file, follow
from ektopos.cli.main import main
from ektopos.trial.compare import Trial, run_trial
from tests.core.test_renew import panels, renamed
from tests.samples import folder, noise, project_folder, save, save_glb

LONG_AGO = time.time() - 60


def aged(path: Path, seconds: float = 0) -> Path:
    os.utime(path, (LONG_AGO + seconds, LONG_AGO + seconds))
    return path


class Follow(TestCase):
    def setUp(self) -> None:
        self.root = self.enterContext(folder())
        self.project = project_folder(self.root / "p")
        self.source, self.goal = self.root / "in", self.root / "game" / "props"
        self.source.mkdir()

    def follow(self, *more: str) -> tuple[int, list[str]]:
        out = io.StringIO()
        arguments = ["--from", str(self.source), "--to", str(self.goal), "--once", *more]
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(out):
            code = main(["follow", str(self.project), *arguments])
        return code, out.getvalue().splitlines()

    def delivered(self) -> dict[str, bytes]:
        return {
            str(path.relative_to(self.goal)): path.read_bytes()
            for path in self.goal.rglob("*")
            if path.is_file()
        }

    def test_a_repainted_map_is_taken_and_what_changed_is_delivered_and_named(self) -> None:
        code, lines = self.follow("--target", "single-maps")
        self.assertEqual(code, 0)
        before = self.delivered()
        self.assertIn("trial passed", lines[-1])
        painted = noise(64, 90, 4)
        painted[..., 3] = 255
        aged(save(self.source / "tile_col.png", painted))
        code, lines = self.follow("--target", "single-maps")
        self.assertEqual(code, 0)
        self.assertRegex(lines[0], r"^\d\d:\d\d:\d\d tile_col.png: taken as tile_col$")
        after = self.delivered()
        changed = {file for file in after if after[file] != before.get(file)} - {"package.json"}
        self.assertTrue(changed)
        for file in changed:
            self.assertIn(file, lines[-1])
        stored = cv2.imread(str(self.project / "maps/tile_col.png"), cv2.IMREAD_UNCHANGED)
        np.testing.assert_array_equal(stored[..., [2, 1, 0, 3]], painted)
        # Nothing new: nothing is written.
        times = {path: path.stat().st_mtime_ns for path in self.goal.rglob("*.png")}
        code, lines = self.follow("--target", "single-maps")
        self.assertEqual((code, len(lines)), (0, 1))
        self.assertIn("nothing changed", lines[0])
        self.assertEqual(times, {p: p.stat().st_mtime_ns for p in self.goal.rglob("*.png")})

    def test_a_mesh_saved_again_keeps_what_it_wears(self) -> None:
        again = renamed(panels({"Front": 2, "Back": 1, "Bare": 1, "Rim": 1}), Back="Back")
        aged(save_glb(self.source / "plates.glb", again))
        code, lines = self.follow()
        self.assertEqual(code, 0, lines)
        self.assertIn("Rim is new", lines[0])
        document = json.loads((self.project / "test.ektopos.json").read_text())
        self.assertEqual(
            document["meshes"]["plates"]["slots"],
            {"Front": "tile", "Back": "tile_dull", "Bare": "plain", "Rim": None},
        )

    def test_what_breaks_off_or_has_no_place_is_said_and_changes_nothing(self) -> None:
        before = (self.project / "maps/tile_orm.png").read_bytes()
        broken = self.source / "tile_orm.png"
        broken.write_bytes(before[: len(before) // 2])
        aged(broken)
        aged(save(self.source / "stranger.png", noise(8, 1)))
        code, lines = self.follow()
        self.assertEqual(code, 0)
        self.assertIn("stranger.png: left", lines[0])
        self.assertIn("tile_orm.png: not taken", lines[1])
        self.assertEqual((self.project / "maps/tile_orm.png").read_bytes(), before)

    def test_what_fails_its_trial_is_not_delivered(self) -> None:
        self.follow()
        before = self.delivered()
        aged(save(self.source / "tile_orm.png", noise(64, 91)))

        def failing(*arguments: object, **named: object) -> Trial:
            return replace(run_trial(*arguments, **named), passed=False)  # type: ignore[arg-type]

        with mock.patch("ektopos.automation.deliver.run_trial", failing):
            code, lines = self.follow()
        self.assertEqual(code, 1)
        self.assertIn("not delivered", lines[-1])
        self.assertEqual(self.delivered(), before)
        backup = self.root / "backup"
        code, _ = self.follow("--backup", str(backup))
        self.assertEqual(code, 0)
        self.assertNotEqual(self.delivered(), before)
        self.assertEqual((backup / "plates.glb").read_bytes(), before["plates.glb"])

    def test_a_folder_that_holds_other_things_is_left_alone(self) -> None:
        self.goal.mkdir(parents=True)
        (self.goal / "plates.glb").write_bytes(b"somebody's")
        code, lines = self.follow()
        self.assertEqual(code, 1)
        self.assertIn("not part of an earlier package", lines[-1])
        self.assertEqual((self.goal / "plates.glb").read_bytes(), b"somebody's")

    def test_bad_input_is_one_line_and_2(self) -> None:
        archive = self.root / "p.zip"
        archive.write_bytes(b"PK\x05\x06" + bytes(18))
        for arguments in (
            [str(archive), "--from", str(self.source)],
            [str(self.project), "--from", str(self.root / "none")],
            [str(self.project), "--from", str(self.source), "--target", "none"],
        ):
            with self.subTest(arguments):
                err = io.StringIO()
                with contextlib.redirect_stderr(err):
                    code = main(["follow", *arguments, "--to", str(self.goal), "--once"])
                self.assertEqual((code, len(err.getvalue().splitlines())), (2, 1))

    def test_what_is_saved_before_the_watch_has_begun_is_taken_all_the_same(self) -> None:
        stopping = threading.Event()

        def watch(*_: object, **__: object) -> Iterator[set[object]]:
            aged(save(self.source / "tile_orm.png", noise(64, 93)))
            yield set()
            stopping.set()

        lines: list[str] = []
        document = document_file(self.project)
        following = Following(document, self.source, self.goal, None, lines.append)
        with mock.patch("watchfiles.watch", watch):
            self.assertTrue(follow(following, stopping))
        self.assertIn("tile_orm.png: taken as tile_orm", lines)

    def test_it_takes_up_what_is_saved_while_it_runs_and_ends_when_told(self) -> None:
        command = [sys.executable, "-m", "ektopos", "follow", str(self.project)]
        command += ["--from", str(self.source), "--to", str(self.goal)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as process:
            assert process.stdout is not None
            self.assertIn("delivered", process.stdout.readline())
            save(self.source / "tile_orm.png", noise(64, 92))
            self.assertIn("taken as tile_orm", process.stdout.readline())
            self.assertIn("1 changed: plates.glb", process.stdout.readline())
            process.send_signal(signal.SIGTERM)
            self.assertEqual(process.wait(20), 0)
