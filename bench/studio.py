"""A project of 2,000 maps and 400 materials, as a studio has them: what its screens ask for, the
first time in a process and then again. Goals: the board in 0.5 s, one map's reader in 0.1 s, the
comparison of targets in 2 s."""

from __future__ import annotations

import importlib
import io
import os
import subprocess
import sys
import time
from typing import Any

MATERIALS = 400
PARTS = ("albedo", "normal", "roughness", "metallic", "height")
ASKED = {
    "board": "/maps",
    "one map": "/maps/m7_normal",
    "comparison of targets": "/comparison",
    "plan": "/plan",
}


def run() -> None:
    """Print seconds of each; the first time is that of a process that has answered nothing yet."""
    subprocess.run([sys.executable, "-c", "from bench.studio import make; make()"], check=True)
    for name in ASKED:
        code = f"from bench.studio import ask; ask({name!r})"
        subprocess.run([sys.executable, "-c", code], check=True)


def _client() -> Any:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
    os.environ["EKTOPOS_TASKS"] = "immediate"
    import django

    django.setup()
    from django.core.management import call_command
    from django.test import Client

    call_command("migrate", verbosity=0)
    importlib.import_module("server.urls")  # as the web server does before it answers
    return Client(headers={"host": "127.0.0.1"})


def make() -> None:
    """Make the project in the data folder."""
    client = _client()
    import numpy as np
    from PIL import Image

    from server.workshop.jobs.measuring import keep_map
    from server.workshop.models import Project

    rng = np.random.default_rng(1)
    project_id = client.post(
        "/api/projects", {"name": "Studio"}, content_type="application/json"
    ).json()["id"]
    maps, files, materials = {}, {}, []
    for number in range(MATERIALS):
        inputs = {}
        for part in PARTS:
            name = f"m{number}_{part}"
            picture = io.BytesIO()
            texels = rng.integers(0, 256, (16, 16, 3), np.uint8)
            Image.fromarray(texels if part in PARTS[:2] else texels[..., 0]).save(picture, "png")
            content = picture.getvalue()
            files[f"maps/{name}.png"] = keep_map(
                f"{name}.png", lambda p, c=content: p.write_bytes(c)
            )
            encoding = "srgb" if part == "albedo" else "linear"
            maps[name] = {"file": f"maps/{name}.png", "set": f"m{number}", "encoding": encoding}
        for name, part, channels in (
            ("base_color", "albedo", "rgb"),
            ("normal", "normal", "rgb"),
            ("roughness", "roughness", "r"),
            ("metallic", "metallic", "r"),
        ):
            inputs[name] = {"map": f"m{number}_{part}", "channels": channels}
        materials.append((f"m{number}", inputs))
    from ektopos.edits import AddMaterial, Import, SetFeed

    edits = [Import(maps=maps)]
    for name, inputs in materials:
        edits.append(AddMaterial(name=name))
        edits += [SetFeed(material=name, input=part, feed=feed) for part, feed in inputs.items()]
    Project.objects.get(pk=project_id).edit(edits, None, files)


def ask(name: str) -> None:
    """Ask for one thing ten times: the first is said, and the median of the others."""
    client = _client()
    from server.workshop.models import Project

    place = f"/api/projects/{Project.objects.get().pk}{ASKED[name]}"
    seconds = []
    for _ in range(10):
        began = time.perf_counter()
        answer = client.get(place)
        seconds.append(time.perf_counter() - began)
        assert answer.status_code == 200, answer.content[:300]
    again = sorted(seconds[1:])[4]
    print(f"{name}: {seconds[0]:.2f} s the first time, {again:.2f} s again")
