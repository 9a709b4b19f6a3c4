"""A GLB of a million triangles by another writer: read, measured with all faults, made ready for
the stage."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import trimesh

ROUND, ALONG = 1000, 500
SLOTS = 3


def ring(path: Path) -> None:
    """A bumpy ring of three materials, mapped in three strips, its vertices split at their
    seams."""
    scene = trimesh.Scene()
    for number in range(SLOTS):
        rows = np.arange(ALONG * number // SLOTS, ALONG * (number + 1) // SLOTS + 1)
        u, v = np.meshgrid(np.linspace(0, 1, ROUND + 1), rows / ALONG)
        around, across = 2 * np.pi * (u % 1), 2 * np.pi * (v % 1)
        radius = 0.3 + 0.02 * np.sin(9 * around) * np.sin(7 * across)
        out = 1 + radius * np.cos(across)
        points = np.stack(
            [out * np.cos(around), radius * np.sin(across), out * np.sin(around)], axis=-1
        )
        index = np.arange(points.shape[0] * points.shape[1]).reshape(points.shape[:2])
        a, b, c, d = index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1]
        faces = np.concatenate(
            [np.stack([a, d, b], -1).reshape(-1, 3), np.stack([b, d, c], -1).reshape(-1, 3)]
        )
        uvs = np.stack([u * 0.98 + 0.01, v * 0.98 + 0.01], axis=-1).reshape(-1, 2)
        material = trimesh.visual.material.PBRMaterial(name=f"Strip {number}")
        scene.add_geometry(
            trimesh.Trimesh(
                points.reshape(-1, 3),
                faces,
                visual=trimesh.visual.TextureVisuals(uv=uvs, material=material),
                process=False,
            ),
            node_name=f"strip{number}",
        )
    path.write_bytes(scene.export(file_type="glb", include_normals=True))


def run() -> None:
    """Print the seconds of each step, the least of three runs."""
    with tempfile.TemporaryDirectory(prefix="ektopos-bench-") as name:
        path = Path(name) / "ring.glb"
        ring(path)
        rounds = [seconds_of_steps(path) for _ in range(3)]
    least = {step: min(one[step] for one in rounds) for step in rounds[0]}
    parts = ", ".join(f"{step} {seconds:.2f}" for step, seconds in least.items())
    print(f"a million triangles: {sum(least.values()):.2f} s ({parts})")


def seconds_of_steps(path: Path) -> dict[str, float]:
    from ektopos import meshes

    seconds: dict[str, float] = {}

    def timed(step: str, do: Callable[[], Any]) -> Any:
        started = time.perf_counter()
        made = do()
        seconds[step] = time.perf_counter() - started
        return made

    mesh = timed("read", lambda: meshes.read_mesh(path))
    measured = timed("triangles", lambda: meshes.measured_triangles(mesh))
    _, found = timed("slots and faults", lambda: meshes.measure_mesh(mesh, measured))
    timed("measures", lambda: meshes.triangle_measures(mesh, measured))
    timed("stage", lambda: meshes.pack_glb(*meshes.build_gltf({mesh.name: mesh}, {})))
    assert not found, found
    return seconds
