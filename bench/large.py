"""The most memory that packing three grey maps into one takes, on the command line. Goal: 1.5
pictures of what is written, beside the program's own."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench.packing import project_of


def run() -> None:
    """Print peak, seconds and ratio for 8192² and 16384²; what the program itself holds is what
    the same takes for maps of a few texels."""
    program, _ = packed(16)
    for side in (8192, 16384):
        most, seconds = packed(side)
        ratio = (most - program) / (3 * side * side)
        print(
            f"{side}²: {seconds:.1f} s, at most {most / 1e6:.0f} MB, of which {program / 1e6:.0f} "
            f"are the program: {ratio:.2f} pictures"
        )


def packed(side: int) -> tuple[int, float]:
    """The most bytes that packing three maps holds at once, and its seconds."""
    with tempfile.TemporaryDirectory(prefix="ektopos-bench-") as name:
        folder = Path(name)
        paths = [folder / f"g{number}.png" for number in range(3)]
        # In a process of its own: a command counts as its own what its parent ever held.
        subprocess.run([sys.executable, "-c", _MAKE, str(side), *map(str, paths)], check=True)
        project = project_of(folder, paths)
        return most_of(["export", str(project), "--out", str(folder / "out")])


_MAKE = """
import sys, cv2, numpy as np
for number, path in enumerate(sys.argv[2:]):
    small = np.random.default_rng(number).integers(0, 256, (256, 256), np.uint8)
    cv2.imwrite(path, cv2.resize(small, (int(sys.argv[1]),) * 2))
"""


def most_of(arguments: list[str]) -> tuple[int, float]:
    """The most bytes that a command holds at once, and its seconds."""
    began = time.perf_counter()
    process = subprocess.Popen(
        [sys.executable, "-m", "ektopos", *arguments], stdout=subprocess.DEVNULL
    )
    _, status, used = os.wait4(process.pid, 0)
    assert status == 0, arguments
    return used.ru_maxrss * 1024, time.perf_counter() - began
