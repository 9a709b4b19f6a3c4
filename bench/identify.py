"""Reading and judging a folder against the bare decoding of its files, on one core and on all: the
sample's maps, and 1,000 of 1024²."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from itertools import cycle
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from bench.timing import median_ms
from ektopos.images import encode_png, read_image
from ektopos.maps import facts_of, identify

COUNT, SIDE = 1000, 1024


def run() -> None:
    """Print the times and their ratios."""
    from demo.make import make_sample

    with tempfile.TemporaryDirectory(prefix="ektopos-bench-") as folder:
        make_sample(Path(folder))
        files = sorted(p for p in Path(folder, "maps").rglob("*") if p.is_file())
        print(f"{len(files)} maps of the sample: {compared(files, 5)}")
        many = Path(folder, "many")
        many.mkdir()
        print(f"{COUNT} maps of {SIDE}²: {compared(rolled(files, many), 1)}")


def rolled(files: list[Path], folder: Path) -> list[Path]:
    """`COUNT` maps of 8 bits, each another cut of one of the sample's."""
    pictures = {path.stem: read_image(path).pixels for path in files}
    plain = {name: pixels for name, pixels in pictures.items() if pixels.dtype == np.uint8}
    made = []
    for number, (name, pixels) in zip(range(COUNT), cycle(plain.items()), strict=False):
        whole = cv2.resize(pixels, (SIDE, SIDE)).reshape(SIDE, SIDE, -1)
        made.append(folder / f"{number:04d}_{name}.png")
        made[-1].write_bytes(encode_png(np.roll(whole, (number * 37, number * 91), (0, 1))))
    return made


def compared(files: list[Path], rounds: int) -> str:
    """How long bare decoding and judging take, in words."""
    names = [str(path) for path in files]
    cores = os.cpu_count() or 1

    def judged(_: int) -> None:
        identify({name: facts_of(path) for name, path in zip(names, files, strict=True)})

    def on_all(work: Callable[[Path], Any]) -> list[Any]:
        with ThreadPoolExecutor(cores) as pool:
            return list(pool.map(work, files))

    bare = median_ms(lambda _: [read_image(path) and None for path in files], rounds)
    bare_on_all = median_ms(lambda _: on_all(lambda path: read_image(path) and None), rounds)
    one = median_ms(judged, rounds)
    every = median_ms(lambda _: identify(dict(zip(names, on_all(facts_of), strict=True))), rounds)
    return (
        f"decoding {bare:.0f} ms, on {cores} cores {bare_on_all:.0f} ms; judged on one core "
        f"{one:.0f} ms ({one / bare:.2f} ×), on {cores} {every:.0f} ms ({every / bare:.2f} × decoding on "
        f"one, {every / bare_on_all:.2f} × on {cores})"
    )
