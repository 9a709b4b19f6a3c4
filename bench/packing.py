"""Three grey 4096² maps into one packed file, from the command line, against general tools that are
installed."""

from __future__ import annotations

import json
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import cv2
import numpy as np

SIDE = 4096
ROUNDS = 9
ASKING = str(Path(__file__).parents[1] / "ektopos" / "ask_warm.py")


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


def seconds_of(command: list[str]) -> float:
    started = time.perf_counter()
    subprocess.run(command, check=True, capture_output=True)
    return time.perf_counter() - started


def run() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        paths = greys(folder)
        inputs = dict(zip(("occlusion", "roughness", "metallic"), paths, strict=True))
        document = {
            "ektopos": 1,
            "name": "p",
            "target": "orm-y-minus",
            "maps": {p.stem: {"file": p.name} for p in paths},
            "materials": {
                "m": {
                    "inputs": {key: {"map": p.stem, "channels": "r"} for key, p in inputs.items()}
                }
            },
        }
        (folder / "p.ektopos.json").write_text(json.dumps(document))
        out = folder / "out"
        export = ["export", str(folder / "p.ektopos.json"), "--out", str(out)]
        warm = folder / "commands.sock"
        helper = subprocess.Popen([sys.executable, "-m", "ektopos.warm", str(warm)])
        ours = {
            "ektopos": [sys.executable, "-m", "ektopos", *export],
            "ektopos, warm": [sys.executable, "-I", "-S", ASKING, str(warm), *export],
        }
        while not warm.exists():
            time.sleep(0.1)
        g = [str(path) for path in paths]
        tools = {
            "ImageMagick": [
                shutil.which("convert-im6") or "convert-im6.q16",
                *g,
                "-combine",
                str(folder / "im.png"),
            ],
            "libvips": ["vips", "bandjoin", " ".join(g), str(folder / "vips.png")],
            "oiiotool": [
                "oiiotool",
                g[0],
                "--chnames",
                "R",
                g[1],
                "--chnames",
                "G",
                "--chappend",
                g[2],
                "--chnames",
                "B",
                "--chappend",
                "-o",
                str(folder / "oiio.png"),
            ],
        }
        missing = [tool for tool, command in tools.items() if shutil.which(command[0]) is None]
        commands = ours | {tool: command for tool, command in tools.items() if tool not in missing}
        rounds: dict[str, list[float]] = {tool: [] for tool in commands}
        for _ in range(ROUNDS):
            # In turns, so that whatever else the machine does falls on all of them alike.
            for tool, command in commands.items():
                shutil.rmtree(out, ignore_errors=True)
                rounds[tool].append(seconds_of(command))
        seconds = {tool: statistics.median(times) for tool, times in rounds.items()}
        again = {}
        for name, command in ours.items():
            seconds_of(command)
            again[name] = statistics.median(seconds_of(command) for _ in range(ROUNDS))
        helper.terminate()
        helper.wait()
        sizes = {
            tool: Path(command[-1]).stat().st_size
            for tool, command in commands.items()
            if tool not in ours
        }
        own = (out / "textures/m_ORM.png").stat().st_size
        sizes |= dict.fromkeys(ours, own)
        for tool in missing:
            print(f"{tool} is not installed")
        for tool in seconds:
            print(f"{tool:12} {seconds[tool]:6.2f} s  {sizes[tool] / 1e6:6.1f} MB")
        others = [tool for tool in seconds if tool not in ours]
        if others:
            best, smallest = min(seconds[t] for t in others), min(sizes[t] for t in others)
            for name in ours:
                print(
                    f"{name}: {best / seconds[name]:.1f} times as fast as the best, "
                    f"{own / smallest:.3f} times the smallest; once more with nothing changed "
                    f"{again[name]:.2f} s"
                )
