"""Commands as a person gives them: alone, and where the server runs."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

ASKING = str(Path(__file__).parents[1] / "ektopos/cli/ask_helper.py")


@contextlib.contextmanager
def both_ways(folder: Path, *arguments: str) -> Iterator[dict[str, list[str]]]:
    """A command line by what it is called in a table: by itself, and done by a process that has
    loaded the core, which is there meanwhile."""
    warm = folder / "commands.sock"
    helper = subprocess.Popen([sys.executable, "-m", "ektopos.cli.helper_process", str(warm)])
    try:
        while not warm.exists():
            time.sleep(0.1)
        yield {
            "ektopos": [sys.executable, "-m", "ektopos", *arguments],
            "ektopos, warm": [sys.executable, "-I", "-S", ASKING, str(warm), *arguments],
        }
    finally:
        helper.terminate()
        helper.wait()
        warm.unlink(missing_ok=True)


def seconds_of(command: list[str]) -> float:
    """How long a command takes. Raises `CalledProcessError` if it fails."""
    started = time.perf_counter()
    subprocess.run(command, check=True, capture_output=True)
    return time.perf_counter() - started
