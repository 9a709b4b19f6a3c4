"""Vitest's cases, each reported; vectors of adjustments and of places in the scene come from the core."""

from __future__ import annotations

import json
import os
import subprocess
from pathlib import Path
from unittest import TestCase

import numpy as np

from ektopos.document import Feed, SceneItem
from ektopos.materials.adjust import shape
from ektopos.meshes import apply_recipe
from ektopos.document.scene_layout import matrices
from ektopos.document.mesh_steps import MoveUvs
from tests.samples import folder, quads

WEB = Path(__file__).resolve().parents[2] / "web"
FEEDS = (
    {"invert": True},
    {"range": (0.1, 0.8)},
    {"range_in": (0.2, 0.7)},
    {"gamma": 2.2},
    {"contrast": 1.7, "pivot": 0.3},
    {"multiply": 0.5, "offset": 0.25},
    {"invert": True, "range_in": (0.1, 0.9), "gamma": 0.5, "contrast": 0.8, "multiply": 1.5, "offset": -0.1, "range": (0.9, 0.2)},
)  # one of each, and all together in their order


ITEMS = (
    SceneItem(mesh="m", position=(1.5, 0.25, -2.0), rotation=(20.0, -75.0, 40.0), scale=1.75),
    SceneItem(mesh="m", rotation=(0.0, 30.0, 0.0), repeat=(3, 2), every=(0.5, -1.25)),
)
UNDERSIDE = (0.3, -0.2, 0.1)


def places() -> list[dict[str, object]]:
    """Where the core stands some things, their matrices by rows."""
    return [
        {"item": item.model_dump(mode="json"), "underside": UNDERSIDE, "matrices": matrices(item, UNDERSIDE).reshape(-1, 16).tolist()}
        for item in ITEMS
    ]


MOVES = (
    ({"offset": (0.25, -0.5), "rotation": 30.0, "scale": (2.0, -0.5)}, None),
    ({"offset": (0.1, 0.2), "rotation": -90.0, "scale": (1.5, 1.0), "about": None}, [2, 1]),
)


def moves() -> list[dict[str, object]]:
    """Where the core moves the UVs of some faces: of every corner, before and after."""
    mesh = quads({"A": 2}, uv_scale=0.75)
    before = mesh.corner_uvs().reshape(-1).tolist()
    found = []
    for move, at in MOVES:
        step = MoveUvs(kind="move-uvs", slots=["A"], at=at, **move)
        after = apply_recipe(mesh, [step]).corner_uvs().reshape(-1).tolist()
        said = {"offset": step.offset, "rotation": step.rotation, "scale": step.scale, "about": step.about}
        found.append({"move": said, "at": at, "before": before, "after": after})
    return found


def vectors() -> list[dict[str, object]]:
    """What the core makes of some values by some chains of adjustments."""
    values = np.linspace(0.0, 1.0, 11)
    found = []
    for change in FEEDS:
        feed = Feed(value=0.0, **change)
        found.append({"feed": feed.model_dump(mode="json"), "values": values.tolist(), "given": shape(values, feed).tolist()})
    return found


class Vitest(TestCase):
    def test_every_case(self) -> None:
        with folder() as root:
            (root / "vectors.json").write_text(json.dumps(vectors()))
            (root / "places.json").write_text(json.dumps(places()))
            (root / "moves.json").write_text(json.dumps(moves()))
            environment = {**os.environ, "EKTOPOS_VECTORS": str(root / "vectors.json"), "EKTOPOS_PLACES": str(root / "places.json"), "EKTOPOS_MOVES": str(root / "moves.json"),}
            command = ["npx", "--no-install", "vitest", "run", "--reporter=json", f"--outputFile={root / 'report.json'}"]
            ended = subprocess.run(command, cwd=WEB, env=environment, capture_output=True, text=True)
            self.assertTrue((root / "report.json").is_file(), ended.stderr[-2000:])
            report = json.loads((root / "report.json").read_text())
        cases = [case for file in report["testResults"] for case in file["assertionResults"]]
        for file in report["testResults"]:
            self.assertTrue(file["assertionResults"], file.get("message"))
        for case in cases:
            with self.subTest(case["fullName"]):
                self.assertEqual(case["status"], "passed", "\n".join(case["failureMessages"])[:2000])
        self.assertGreater(len(cases), 40)
        self.assertEqual(ended.returncode, 0)
