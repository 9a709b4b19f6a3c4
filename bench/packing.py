"""Three grey 4096² maps into one packed file, from the command line, against general tools that are
installed."""

from __future__ import annotations

import json
import shutil
import statistics
import tempfile
from pathlib import Path

import cv2
import numpy as np

from bench.warmed import both_ways, seconds_of

SIDE = 4096
ROUNDS = 9


def greys(folder: Path) -> list[Path]:
    """Three different grey maps: clouds of several sizes with fine grain."""
    paths = []
    for number in range(3):
        rng = np.random.default_rng(number)
        field = np.zeros((SIDE, SIDE), np.float32)
        for octave in range(2, 10):
            small = rng.random((2**octave, 2**octave)).astype(np.float32)
            field += cv2.resize(small, (SIDE, SIDE), interpolation=cv2.INTER_CUBIC) / 2**octave
        field = (field - field.min()) / np.ptp(field) + 0.02 * rng.standard_normal(
            field.shape
        ).astype(np.float32)
        paths.append(folder / f"g{number}.png")
        cv2.imwrite(str(paths[-1]), np.clip(field * 255, 0, 255).astype(np.uint8))
    return paths


def project_of(folder: Path, paths: list[Path]) -> Path:
    """A project whose one material packs three grey maps into one file."""
    inputs = dict(zip(("occlusion", "roughness", "metallic"), paths, strict=True))
    document = {
        "ektopos": 1,
        "name": "p",
        "target": "orm-y-minus",
        "maps": {p.stem: {"file": p.name} for p in paths},
        "materials": {
            "m": {"inputs": {key: {"map": p.stem, "channels": "r"} for key, p in inputs.items()}}
        },
    }
    project = folder / "p.ektopos.json"
    project.write_text(json.dumps(document))
    return project


def run() -> None:
    """Print seconds and sizes of all, and the ratios."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        paths = greys(folder)
        out = folder / "out"
        export = ["export", str(project_of(folder, paths)), "--out", str(out)]
        tools = general_tools([str(path) for path in paths], folder)
        for tool in [tool for tool, command in tools.items() if shutil.which(command[0]) is None]:
            print(f"{tool} is not installed")
            del tools[tool]
        with both_ways(folder, *export) as ours:
            rounds: dict[str, list[float]] = {tool: [] for tool in ours | tools}
            for _ in range(ROUNDS):
                # In turns, so that whatever else the machine does falls on all of them alike.
                for tool, command in (ours | tools).items():
                    shutil.rmtree(out, ignore_errors=True)
                    rounds[tool].append(seconds_of(command))
            # The last tool's turn has taken the package away.
            seconds_of(ours["ektopos, warm"])
        seconds = {tool: statistics.median(times) for tool, times in rounds.items()}
        own = (out / "textures/m_ORM.png").stat().st_size
        sizes = dict.fromkeys(ours, own) | {
            tool: Path(command[-1]).stat().st_size for tool, command in tools.items()
        }
        for tool in seconds:
            print(f"{tool:14} {seconds[tool]:6.2f} s  {sizes[tool] / 1e6:6.1f} MB")
        if tools:
            best, smallest = min(seconds[t] for t in tools), min(sizes[t] for t in tools)
            for name in ours:
                print(
                    f"{name}: {best / seconds[name]:.1f} times as fast as the best, "
                    f"{own / smallest:.3f} times the smallest"
                )


def general_tools(maps: list[str], folder: Path) -> dict[str, list[str]]:
    """How general tools do the same; the last argument is the file that they write."""
    first, second, third = maps
    named = [first, "--chnames", "R", second, "--chnames", "G", "--chappend"]
    return {
        "ImageMagick": [
            shutil.which("convert-im6") or "convert-im6.q16",
            *maps,
            "-combine",
            str(folder / "im.png"),
        ],
        "libvips": ["vips", "bandjoin", " ".join(maps), str(folder / "vips.png")],
        "oiiotool": [
            "oiiotool",
            *named,
            *(third, "--chnames", "B", "--chappend"),
            *("-o", str(folder / "oiio.png")),
        ],
    }
