"""A feed changed on a 2048² material: from the request to the new picture at the reduced size, over
HTTP as the stage asks."""

from __future__ import annotations

import json
import shutil
import tempfile
from pathlib import Path

import cv2
import numpy as np

from bench.timing import median_ms


def run() -> None:
    """Print the median of many changes of a range, each never seen before."""
    import django
    from django.core.management import call_command
    from django.test import Client, override_settings

    django.setup()
    from server.settings import TASK_BACKENDS
    from server.workshop.archive import import_folder

    call_command("migrate", verbosity=0)
    for size in (2048, 4096):
        folder = Path(tempfile.mkdtemp(prefix="ektopos-bench-"))
        rng = np.random.default_rng(size)
        pixels = cv2.GaussianBlur(rng.integers(0, 256, (size, size, 3), np.uint8), (0, 0), 3)
        cv2.imwrite(str(folder / "wall_ORM.png"), pixels, [cv2.IMWRITE_PNG_COMPRESSION, 1])
        feed = {"map": "wall_ORM", "channels": "g"}
        document = {
            "ektopos": 1,
            "name": "bench",
            "maps": {"wall_ORM": {"file": "wall_ORM.png"}},
            "materials": {"wall": {"inputs": {"roughness": feed}}},
        }
        (folder / "bench.ektopos.json").write_text(json.dumps(document))
        with override_settings(TASKS={"default": TASK_BACKENDS["immediate"]}):
            project = import_folder(folder)
        client = Client(SERVER_NAME="localhost")

        def change(number: int, longest: int, project=project, client=client, feed=feed) -> None:
            entry = {
                "inputs": {"roughness": feed | {"range": [0.01 * number, 0.9 + 1e-5 * longest]}}
            }
            answer = client.post(
                f"/api/projects/{project.pk}/sheets/wall",
                json.dumps({"entry": entry}),
                content_type="application/json",
            )
            client.get(
                f"/api/stage-pictures/{answer.json()['stage']['pictures']['orm']}/{longest}.png"
            )

        change(99, 256)
        print(
            f"feed changed on a {size}² material: reduced {median_ms(lambda n: change(n, 256), 101):.0f} ms, "
            f"full preview {median_ms(lambda n: change(n, 1024), 31):.0f} ms"
        )
        shutil.rmtree(folder)
