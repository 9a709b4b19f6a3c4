"""Commands done by the process that has everything loaded: nobody can tell the difference."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from unittest import TestCase

from ektopos.cli.ask_helper import NOBODY
from ektopos.cli.helper_process import MOST
from tests.samples import folder, project_folder
from tests.services.engines import until

ROOT = Path(__file__).parents[2]
ASKING = [sys.executable, "-I", "-S", str(ROOT / "ektopos/cli/ask_helper.py")]
CHANGED = """
import os, sys
from pathlib import Path
from ektopos.cli import helper_process
helper_process.CODE = Path(sys.argv[2])
helper_process.serve(Path(sys.argv[1]))
os._exit(0)
"""


class Warm(TestCase):
    def setUp(self) -> None:
        self.root = self.enterContext(folder())
        self.socket = self.root / "commands.sock"

    def serve(self, *command: str) -> subprocess.Popen[bytes]:
        environment = os.environ | {"PYTHONPATH": str(ROOT)}
        helper = subprocess.Popen([sys.executable, *command], env=environment)
        self.addCleanup(helper.wait)
        self.addCleanup(helper.terminate)
        while not self.socket.exists():
            self.assertIsNone(helper.poll())
            time.sleep(0.05)
        return helper

    def asked(self, *words: object) -> subprocess.CompletedProcess[str]:
        return self.run_in_root([*ASKING, str(self.socket)], words)

    def alone(self, *words: object) -> subprocess.CompletedProcess[str]:
        return self.run_in_root([sys.executable, "-m", "ektopos"], words)

    def run_in_root(
        self, command: list[str], words: tuple[object, ...]
    ) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [*command, *map(str, words)],
            cwd=self.root,
            env=os.environ | {"PYTHONPATH": str(ROOT)},
            capture_output=True,
            text=True,
            check=False,
        )

    def test_silent_callers_are_few_processes_and_end(self) -> None:
        helper = self.serve("-m", "ektopos.cli.helper_process", str(self.socket))
        silent = [socket.socket(socket.AF_UNIX) for _ in range(60)]
        for one in silent:
            self.addCleanup(one.close)
            one.connect(str(self.socket))
        # Whoever comes now is done by the command itself.
        self.assertEqual(self.asked("targets").returncode, NOBODY)
        self.assertLessEqual(len(self.children(helper.pid)), MOST)
        until(lambda: not self.children(helper.pid), "the end of who says nothing")
        self.assertEqual(self.asked("targets").returncode, 0)

    def children(self, parent: int) -> list[str]:
        return Path(f"/proc/{parent}/task/{parent}/children").read_text().split()

    def test_output_complaints_and_exit_code_are_those_of_the_command_itself(self) -> None:
        project_folder(self.root / "p")
        project_folder(self.root / "broken")
        (self.root / "broken/maps/tile_col.png").unlink()
        self.serve("-m", "ektopos.cli.helper_process", str(self.socket))
        self.assertEqual(self.socket.stat().st_mode & 0o077, 0, "nobody else may ask")
        codes = set()
        for words in (
            ("targets", "--json"),
            ("check", "p", "--json"),
            ("identify", "p/maps"),
            ("check", "broken"),
            ("check", "none"),
            ("check", ""),
            ("check", "nöne = 2\n"),
            ("nonsense",),
            ("export", "--help"),
        ):
            with self.subTest(words):
                here, alone = self.asked(*words), self.alone(*words)
                self.assertEqual(
                    (here.returncode, here.stdout, here.stderr),
                    (alone.returncode, alone.stdout, alone.stderr),
                )
                codes.add(here.returncode)
        self.assertEqual(codes, {0, 1, 2})
        for name, run in (("here", self.asked), ("alone", self.alone)):
            self.assertEqual(run("export", "p", "--out", name).returncode, 0)
        written = [
            {str(p.relative_to(self.root / name)): p.read_bytes() for p in files if p.is_file()}
            for name in ("here", "alone")
            if (files := sorted((self.root / name).rglob("*")))
        ]
        self.assertEqual(*written)

    def test_a_command_that_is_told_to_end_ends_cleanly(self) -> None:
        project_folder(self.root / "p")
        (self.root / "from").mkdir()
        self.serve("-m", "ektopos.cli.helper_process", str(self.socket))
        words = ["follow", "p", "--from", "from", "--to", "to", "--target", "gltf-glb"]
        for number in (signal.SIGINT, signal.SIGTERM):
            following = subprocess.Popen(
                [*ASKING, str(self.socket), *words], cwd=self.root, stdout=subprocess.PIPE
            )
            with following:
                assert following.stdout is not None
                following.stdout.readline()
                following.send_signal(number)
                self.assertEqual(following.wait(60), 0)

    def test_other_code_than_was_loaded_does_nothing_more(self) -> None:
        (self.root / "code").mkdir()
        (self.root / "code/one.py").write_text("old")
        helper = self.serve("-c", CHANGED, str(self.socket), str(self.root / "code"))
        self.assertEqual(self.asked("targets").returncode, 0)
        (self.root / "code/two.py").write_text("new")
        self.assertEqual(self.asked("targets").returncode, NOBODY)
        self.assertEqual(helper.wait(60), 0)
        self.assertFalse(self.socket.exists())
        self.assertEqual(self.asked("targets").returncode, NOBODY)
