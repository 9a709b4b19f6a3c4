"""How often maps by other makers are judged rightly, at every confidence; and how long a mesh takes
to be matched against a pile of maps, of which the traits are kept."""

from __future__ import annotations

import tempfile
from collections.abc import Iterable
from pathlib import Path

import numpy as np

from bench.timing import median_ms
from ektopos.maps import facts_of, identify
from ektopos.matching import MatchMap, rank_sets, spectra_of
from ektopos.meshes import read_mesh


def run() -> None:
    """Print the curve of confidence over the table of real maps, and the time of a match."""
    from tests.real import PROFILES, is_right, table

    with tempfile.TemporaryDirectory(prefix="ektopos-bench-") as folder:
        facts = {}
        for number, row in enumerate(table()):
            path = Path(folder, f"{number}{Path(row.map).suffix}")
            path.write_bytes(row.content())
            facts[row] = facts_of(path)
    for named in (True, False):
        paths = {
            f"{row.folder}/{row.map if named else f'{number:06x}a.png'}": row
            for number, row in enumerate(facts)
        }
        judged = identify({path: facts[row] for path, row in paths.items()})
        said = [(v.confidence, is_right(paths[p].role, dict(v.roles))) for p, v, _ in judged]
        print(f"{'named' if named else 'nameless'}: {_share(ok for _, ok in said)} right")
        for least in (0.5, 0.6, 0.7, 0.8, 0.9):
            print(f"  said at {least} or more: {_share(ok for c, ok in said if c >= least)} right")
    mesh = read_mesh(PROFILES / "generic-trigger/left.glb")
    rng = np.random.default_rng(1)
    pile = {
        f"{number:03d}": [
            MatchMap(str(number), facts[row], spectra_of(rng.random((256, 256, 3), np.float32)))
        ]
        for number, row in zip(range(300), list(facts) * 3, strict=False)
    }
    spent = median_ms(lambda _: rank_sets(mesh, pile), 3)
    print(f"one slot against {len(pile)} maps with kept traits: {spent:.0f} ms")


def _share(right: Iterable[bool]) -> str:
    found = list(right)
    return f"{sum(found)} of {len(found)} ({100 * sum(found) / max(1, len(found)):.1f} %)"
