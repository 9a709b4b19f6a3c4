"""Reading and judging a folder against the bare decoding of its files, on one core and on all."""

from __future__ import annotations

import os
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from bench.timing import median_ms
from ektopos.images import read_image
from ektopos.maps import facts_of, identify


def run() -> None:
    """Print both times and their ratio, on the sample's maps."""
    from demo.make import make_sample

    with tempfile.TemporaryDirectory(prefix="ektopos-bench-") as folder:
        make_sample(Path(folder))
        files = sorted(p for p in Path(folder, "maps").rglob("*") if p.is_file())
        given = [(str(path), path) for path in files]

        def judged(_: int) -> None:
            identify({name: facts_of(path) for name, path in given})

        def judged_on_all(_: int) -> None:
            with ThreadPoolExecutor(os.cpu_count()) as pool:
                facts = dict(
                    zip([name for name, _ in given], pool.map(facts_of, files), strict=True)
                )
            identify(facts)

        bare = median_ms(lambda _: [read_image(path) for path in files], 5)
        one, every = median_ms(judged, 5), median_ms(judged_on_all, 5)
    print(
        f"identify {len(files)} maps: decoding {bare:.0f} ms; judged on one core {one:.0f} ms ({one / bare:.2f} ×), on all {every:.0f} ms"
    )
