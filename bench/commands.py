"""What a short command takes: `targets`, and an export of a small project with nothing changed.
Goals: 0.15 and 0.25 s."""

from __future__ import annotations

import statistics
import tempfile
from pathlib import Path

from bench.warmed import both_ways, seconds_of

ROUNDS = 9


def run() -> None:
    """Print the medians, by itself and where the server runs."""
    from tests.samples import project_folder

    with tempfile.TemporaryDirectory(prefix="ektopos-bench-") as name:
        folder = Path(name)
        project = project_folder(folder / "p")
        for said in (["targets"], ["export", str(project), "--out", str(folder / "out")]):
            with both_ways(folder, *said) as commands:
                for command in commands.values():
                    seconds_of(command)
                for way, command in commands.items():
                    middle = statistics.median(seconds_of(command) for _ in range(ROUNDS))
                    print(f"{way}: {said[0]} {middle:.2f} s")
