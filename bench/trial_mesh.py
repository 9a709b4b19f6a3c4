"""The trial of a mesh of a million triangles: in the order of its file, and in another."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

import numpy as np
import pygltflib

from bench.timing import median_ms
from tests.samples import quads, save_glb

TRIANGLES = 1_000_000


def reordered(path: Path) -> None:
    """The same triangles in another order, each begun at its next corner."""
    gltf = pygltflib.GLTF2().load(str(path))
    blob = bytearray(gltf.binary_blob())
    accessor = gltf.accessors[gltf.meshes[0].primitives[0].indices]
    start = gltf.bufferViews[accessor.bufferView].byteOffset + (accessor.byteOffset or 0)
    run = np.frombuffer(blob, np.uint32, accessor.count, start).reshape(-1, 3)
    order = np.random.default_rng(2).permutation(len(run))
    blob[start : start + run.nbytes] = np.roll(run[order], 1, axis=1).tobytes()
    gltf.set_binary_blob(bytes(blob))
    gltf.save(str(path))


def run() -> None:
    """Print the medians of 3 runs."""
    from ektopos.export.profile import find_profile
    from ektopos.export.write_package import export_package
    from ektopos.project import open_project
    from ektopos.trial.compare import run_trial

    document = {
        "ektopos": 1,
        "name": "bench",
        "target": "gltf-glb",
        "materials": {"field": {"inputs": {"base_color": {"value": [0.5, 0.5, 0.5]}}}},
        "meshes": {"field": {"file": "field.glb", "slots": {"Field": "field"}}},
    }
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        save_glb(folder / "field.glb", quads({"Field": TRIANGLES // 2}))
        (folder / "bench.ektopos.json").write_text(json.dumps(document))
        profile = find_profile("gltf-glb")
        with open_project(folder) as project:
            export_package(project, profile, folder / "out")

            def tried(_: int) -> None:
                assert run_trial(project, folder / "out", profile, renders=False).passed

            ordered = median_ms(tried, 3)
            reordered(folder / "out/field.glb")
            other = median_ms(tried, 3)
    print(f"trial of {TRIANGLES:,} triangles: {ordered:.0f} ms; in another order {other:.0f} ms")
