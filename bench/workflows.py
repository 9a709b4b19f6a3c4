"""The sample as the specular workflow against the sample as metallic-roughness, in turns, from the
command line; goal: at most 1.3 times as long."""

from __future__ import annotations

import statistics
import sys
import tempfile
from pathlib import Path

from bench.warmed import seconds_of

ROUNDS = 7
TARGETS = ("gltf-glb", "spec-gloss")


def run() -> None:
    """Print the median seconds of both, and the median of the ratios."""
    from demo.make import make_sample

    with tempfile.TemporaryDirectory(prefix="ektopos-bench-") as name:
        folder = Path(name)
        document = make_sample(folder / "sample")
        rounds = [
            [
                seconds_of(
                    [
                        *(sys.executable, "-m", "ektopos", "export", str(document)),
                        *("--target", target, "--out", str(folder / f"{number}-{target}")),
                    ]
                )
                for target in TARGETS
            ]
            for number in range(ROUNDS)
        ]
    first, second = (statistics.median(times) for times in zip(*rounds, strict=True))
    ratio = statistics.median(other / one for one, other in rounds)
    print(
        f"export of the sample: {TARGETS[0]} {first:.2f} s, {TARGETS[1]} {second:.2f} s ({ratio:.2f} ×)"
    )
