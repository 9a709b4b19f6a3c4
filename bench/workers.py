"""Two hundred maps brought in, and a trial of fifty materials, by one, two and four workers that share
a database server, a queue and a folder; each worker with one thread, as they have where a core is for
each of them.

`./run bench workers`; goal: three workers on two cores at least 1.7 times as fast as one.
"""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from tests.samples import quads, save_glb
from tests.services.engines import postgres, redis
from tests.workshop import Workshop

MAPS, SIDE, MATERIALS = 200, 1024, 50


def dress(project: dict[str, Any]) -> dict[str, Any]:
    """Edits that make a material of every four maps, each on a slot of its own."""
    maps = list(project["document"]["maps"])
    edits: list[dict[str, Any]] = []
    for i in range(MATERIALS):
        colour, rough, occluded, glow = maps[4 * i : 4 * i + 4]
        edits.append({"kind": "add-material", "name": f"m{i}"})
        for name, feed in (
            ("base_color", {"map": colour}),
            ("roughness", {"map": rough, "channels": "g"}),
            ("occlusion", {"map": occluded, "channels": "r"}),
            ("emission", {"map": glow}),
        ):
            edits.append({"kind": "set-feed", "material": f"m{i}", "input": name, "feed": feed})
        edits.append({"kind": "assign", "mesh": "walls", "slots": [f"S{i}"], "material": f"m{i}"})
    return {"revision": project["revision"], "edits": edits}


def fill(web: Workshop, root: Path, count: int) -> tuple[list, dict, str]:
    """Uploads maps that no run before had, and a mesh; makes a project, and waits until every worker
    has loaded everything. Gives the uploads and the project's address."""
    rng = np.random.default_rng(1)
    grain = rng.integers(0, 256, (SIDE, SIDE, 3), np.uint8)
    sent = []
    for i in range(MAPS):
        path = root / "map.png"
        shift = np.roll(grain, (7 * i + count, 13 * i), (0, 1)) // 2 + (i % 100)
        Image.fromarray(shift).save(path, compress_level=1)
        sent.append(web.upload(f"wall{i:03}_basecolor.png", path.read_bytes()))
    save_glb(root / "walls.glb", quads({f"S{i}": 1 for i in range(MATERIALS)}))
    mesh = web.upload("walls.glb", (root / "walls.glb").read_bytes())
    project = web.ask("POST", "/projects", {"name": f"{count} workers"})
    warm = [
        web.ask("POST", f"/projects/{project['id']}/imports", {"files": sent[:1]})
        for _ in range(4 * count)
    ]
    for job in warm:
        web.ended(job)
    return sent, mesh, f"/projects/{project['id']}"


def run() -> None:
    first: dict[str, float] = {}

    def timed(count: int, web: Workshop, what: str, path: str, body: dict[str, Any]) -> None:
        began = time.monotonic()
        # Not so often that asking takes a core.
        job = web.ended(web.ask("POST", path, body), every=0.5)
        took = time.monotonic() - began
        times = first.setdefault(what, took) / took
        print(
            f"{count} workers, {what}: {took:.1f} s, {times:.2f} times as fast; {job['state']}",
            flush=True,
        )

    counts = [int(n) for n in os.environ.get("BENCH_WORKERS", "1,2,3,4").split(",")]
    with tempfile.TemporaryDirectory() as folder, postgres() as database, redis() as queue:
        root = Path(folder)
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
                sent, mesh, place = fill(web, root, count)
                web.ended(web.ask("POST", f"{place}/imports", {"files": [mesh]}))
                timed(count, web, f"{MAPS - 1} maps", f"{place}/imports", {"files": sent[1:]})
                dressed = web.ask("POST", f"{place}/edits", dress(web.ask("GET", place)))
                export = {"revision": dressed["revision"], "trial": False, "target": "gltf-split"}
                web.ended(web.ask("POST", f"{place}/exports", export), every=0.5)
                (package,) = web.ask("GET", f"{place}/packages")
                trial = f"{place}/packages/{package['id']}/trial"
                timed(count, web, f"trial of {MATERIALS} materials", trial, {})
            finally:
                for machine in (*workers, web):
                    machine.stop()
