"""Two hundred materials whose pictures nobody has seen yet, asked for as a page does: six at a time.

`./run bench pictures`; goal: all of them within 15 s, and none twice.
"""

from __future__ import annotations

import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from tests.samples import coloured, folder, noise, normals_of, save
from tests.workshop import Workshop

MATERIALS, SETS, SIDE, AT_ONCE = 200, 20, 1024, 6


def run() -> None:
    with tempfile.TemporaryDirectory() as root:
        workshop = Workshop(Path(root) / "data")
        workshop.start()
        try:
            measure(workshop)
        finally:
            workshop.stop()


def measure(workshop: Workshop) -> None:
    project = workshop.ask("POST", "/projects", {"name": "Many"})
    place = f"/projects/{project['id']}"
    with folder() as root:
        sent = []
        for i in range(SETS):
            height = noise(SIDE, i, 1)[..., 0].astype("float32") / 255
            for name, pixels in (
                ("basecolor", coloured(SIDE, i)),
                ("orm", noise(SIDE, 100 + i)),
                ("normal", normals_of(height, 4.0)),
            ):
                path = save(root / f"wall{i:02}_{name}.png", pixels)
                sent.append(workshop.upload(path.name, path.read_bytes()))
    workshop.ended(workshop.ask("POST", f"{place}/imports", {"files": sent}), every=0.5)
    project = workshop.ask("GET", place)
    edits: list[dict[str, Any]] = []
    for i in range(MATERIALS):
        wall = f"wall{i % SETS:02}"
        edits.append({"kind": "add-material", "name": f"m{i:03}"})
        for name, feed in (
            ("base_color", {"map": f"{wall}_basecolor", "tint": [1.0, i / MATERIALS, 0.5]}),
            ("roughness", {"map": f"{wall}_orm", "channels": "g"}),
            ("metallic", {"map": f"{wall}_orm", "channels": "b"}),
            ("normal", {"map": f"{wall}_normal"}),
        ):
            edits.append({"kind": "set-feed", "material": f"m{i:03}", "input": name, "feed": feed})
    workshop.ask("POST", f"{place}/edits", {"revision": project["revision"], "edits": edits})
    stage = workshop.ask("GET", f"{place}/stage")
    addresses = [
        f"/material-pictures/{look['picture']}/grey-room/96.png" for look in stage.values()
    ]
    assert len(set(addresses)) == MATERIALS
    for when in ("nobody has seen", "are there"):
        began = time.monotonic()
        with ThreadPoolExecutor(max_workers=AT_ONCE) as pool:
            pictures = list(pool.map(lambda address: workshop.ask("GET", address), addresses))
        took = time.monotonic() - began
        assert all(picture[:4] == b"\x89PNG" for picture in pictures)
        print(f"{MATERIALS} pictures of materials that {when}: {took:.1f} s")
