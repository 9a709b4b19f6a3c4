"""A mesh of six slots held against fifty sets of three maps whose traits are kept, and a mesh whose
triangles lie on each other. Goals: 1 and 2 s."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np

from bench.timing import median_ms

SETS, MAPS = 50, 3


def run() -> None:
    """Print the seconds of both."""
    from demo.make import make_sample
    from ektopos.maps import facts_of
    from ektopos.matching import MatchMap, rank_sets, spectra_of
    from ektopos.meshes import measure_mesh, read_mesh
    from tests.samples import noise, quads, save

    with tempfile.TemporaryDirectory(prefix="ektopos-bench-") as name:
        folder = Path(name)
        make_sample(folder)
        mesh = max(
            (read_mesh(path) for path in sorted(folder.rglob("meshes/**/*.glb"))),
            key=lambda mesh: len(mesh.slots),
        )
        facts = facts_of(save(folder / "noise.png", noise(512, 1)))
        rng = np.random.default_rng(1)
        pile = {
            f"set{number:02d}": [
                MatchMap(
                    f"{number}.{which}", facts, spectra_of(rng.random((256, 256, 3), np.float32))
                )
                for which in range(MAPS)
            ]
            for number in range(SETS)
        }
        took = median_ms(lambda _: rank_sets(mesh, pile), 3) / 1000
        print(f"{len(mesh.slots)} slots against {SETS} sets of {MAPS} maps: {took:.2f} s")
    cards = quads({"cards": 5000})
    took = median_ms(lambda _: measure_mesh(cards), 3) / 1000
    print(f"5,000 cards exactly on each other, measured: {took:.2f} s")
