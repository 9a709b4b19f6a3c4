"""Two hundred maps brought in by one, two and four workers that share a database server, a queue and
a folder; each worker with one thread, as they have where a core is for each of them.

`./run bench workers`; goal: three workers on two cores at least 1.7 times as fast as one.
"""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

import numpy as np
from PIL import Image

from tests.services.engines import postgres, redis
from tests.workshop import Workshop

MAPS, SIDE = 200, 1024


def run() -> None:
    counts = [int(n) for n in os.environ.get("BENCH_WORKERS", "1,2,3,4").split(",")]
    rng = np.random.default_rng(1)
    grain = rng.integers(0, 256, (SIDE, SIDE, 3), np.uint8)
    with tempfile.TemporaryDirectory() as folder, postgres() as database, redis() as queue:
        root = Path(folder)
        first = 0.0
        for count in counts:
            settings = {
                "DATABASE_URL": database,
                "EKTOPOS_TASKS": "rq",
                "EKTOPOS_REDIS": queue,
                "EKTOPOS_STORE": str(root / "shared"),
                "EKTOPOS_JOB_THREADS": "1",
            }
            web = Workshop(root / f"web{count}", "web", settings)
            workers = [Workshop(root / f"w{count}-{i}", "worker", settings) for i in range(count)]
            web.start()
            try:
                for worker in workers:
                    worker.start()
                sent = []
                for i in range(MAPS):
                    path = root / "map.png"
                    shift = np.roll(grain, (7 * i + count, 13 * i), (0, 1)) // 2 + (i % 100)
                    Image.fromarray(shift).save(path, compress_level=1)
                    sent.append(web.upload(f"wall{i:03}_basecolor.png", path.read_bytes()))
                project = web.ask("POST", "/projects", {"name": f"{count} workers"})
                warm = [
                    web.ask("POST", f"/projects/{project['id']}/bring-in", {"files": sent[:1]})
                    for _ in range(4 * count)
                ]
                for job in warm:  # until every worker has loaded everything
                    web.ended(job)
                began = time.monotonic()
                job = web.ask("POST", f"/projects/{project['id']}/bring-in", {"files": sent[1:]})
                job = web.ended(job, every=0.5)  # not so often that asking takes a core
                took = time.monotonic() - began
                first = first or took
                print(
                    f"{count} workers: {took:.1f} s, {first / took:.2f} times as fast; {job['state']}, "
                    f"{job['result']['maps']} maps"
                )
            finally:
                for machine in (*workers, web):
                    machine.stop()
