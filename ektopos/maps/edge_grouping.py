"""Maps whose names say nothing and that show one surface: their edges lie in the same places.

A proposal for a person: two surfaces may be laid out alike, so a pair counts only where no other
map of the same kind fits nearly as well.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float
from ektopos.document import ROLES, Role
from ektopos.maps.evidence import is_normal
from ektopos.maps.names import is_nameless, name_words
from ektopos.maps.statistics import Statistics, thumbnail_of
from ektopos.maps.verdict import Facts

LEAST = 0.45
"""Correlation of two maps' edges from which they can be of one surface."""
ISLAND_EDGE = 3 / 255
"""How far a texel is from the colour round the islands to be inside one."""
LEAST_COVERED = 0.05
SAME_ISLANDS = 0.9
"""The share of two maps' islands that lie over each other from which they have one layout: their
borders blur in a small picture."""
APART = 0.15
"""How much less any other map of the same kind must correlate."""


@dataclass(frozen=True)
class EdgeGroup:
    """Maps that seem to be of one surface."""

    maps: tuple[str, ...]
    correlation: float
    """Of the edges of those two that hold it together worst, 0–1."""


def group_by_edges(
    sets: Mapping[str, Sequence[str]],
    facts: Mapping[str, Facts],
    roles: Mapping[str, Mapping[Any, Role]],
) -> list[EdgeGroup]:
    """Groups among the maps that are alone in their sets and have names that say nothing; of one
    size, and no role twice. The surest come first.

    `facts` and `roles` are by map. Cost: one product of all such maps' thumbnails.
    """
    alone = [
        names[0]
        for set_, names in sets.items()
        if len(names) == 1 and names[0] in facts and is_nameless(name_words(set_))
    ]
    edges = {name: edge_map(facts[name].statistics) for name in alone}
    seen = {name: edge for name, edge in edges.items() if edge is not None}
    if len(seen) < 2:
        return []
    alone, pictures = list(seen), np.stack(list(seen.values()))
    like = np.maximum(pictures @ pictures.T, _shared_islands([facts[n].statistics for n in alone]))
    holds = np.array([_bits(roles.get(name, {})) for name in alone])
    headers = [facts[name].header for name in alone]
    sides = np.array([(header.width, header.height) for header in headers])
    of_one_size = (sides[:, None] == sides).all(axis=2)
    fit = of_one_size & (holds[:, None] & holds == 0)
    alike = holds[:, None] == holds
    groups = {i: {i} for i in range(len(alone))}
    said = holds.tolist()
    worst = [1.0] * len(alone)
    order = np.argwhere(np.triu(fit & (like >= LEAST), 1))
    for i, j in sorted(order.tolist(), key=lambda pair: -like[pair[0], pair[1]]):
        if _has_rival(like, alike, i, j) or groups[i] is groups[j] or said[i] & said[j]:
            continue
        joined, both = groups[i] | groups[j], said[i] | said[j]
        least = min(worst[i], worst[j], float(like[i, j]))
        for k in joined:
            groups[k], said[k], worst[k] = joined, both, least
    found = {id(group): group for group in groups.values() if len(group) > 1}
    made = [
        EdgeGroup(tuple(alone[k] for k in sorted(group)), round(worst[min(group)], 3))
        for group in found.values()
    ]
    return sorted(made, key=lambda one: -one.correlation)


def edge_map(s: Statistics) -> Float | None:
    """How strongly a map changes in every place, over all its channels, `(n,)` of mean 0 and length
    1; `None` for one that changes nowhere."""
    small = thumbnail_of(s)[..., :3]
    if is_normal(s):
        # Its vectors lean where the surface changes.
        strength = np.hypot(small[..., :1] - 0.5, small[..., 1:2] - 0.5)
    else:
        across = np.roll(small, -1, 1) - np.roll(small, 1, 1)
        along = np.roll(small, -1, 0) - np.roll(small, 1, 0)
        strength = np.hypot(across, along)
    spread = strength.std(axis=(0, 1))
    if not (spread > 1e-4).any():
        return None
    summed = np.sqrt((strength[..., spread > 1e-4] / spread[spread > 1e-4]).sum(axis=2))
    summed -= summed.mean()
    return np.asarray(summed / max(float(np.linalg.norm(summed)), 1e-9), np.float32).reshape(-1)


def islands_of(s: Statistics) -> NDArray[np.bool_] | None:
    """Where a map's islands are, `(n,)`: what is not the colour round them; `None` where it has
    none, or they fill all of it."""
    small = thumbnail_of(s)
    round_them = np.asarray(s.background_colour, np.float32)[: small.shape[2]] / np.float32(255)
    covered = (np.abs(small - round_them) > ISLAND_EDGE).any(axis=2).reshape(-1)
    return covered if LEAST_COVERED < covered.mean() < 1.0 - LEAST_COVERED else None


def _shared_islands(statistics: Sequence[Statistics]) -> Float:
    """How well the islands of maps lie over each other, `(n, n)` 0–1: the share of what either
    covers that both do, from `SAME_ISLANDS` on; else 0."""
    islands = [islands_of(s) for s in statistics]
    size = next((len(one) for one in islands if one is not None), 1)
    stacked = np.stack([np.zeros(size, bool) if o is None else o for o in islands]).astype(float)
    both = stacked @ stacked.T
    count = stacked.sum(axis=1)
    share = both / np.maximum(count[:, None] + count - both, 1.0)
    return np.asarray(np.where(share >= SAME_ISLANDS, share, 0.0), np.float32)


def _has_rival(like: Float, alike: NDArray[np.bool_], i: int, j: int) -> bool:
    """Whether another map of the one's kind goes nearly as well with the other."""
    for one, other in ((i, j), (j, i)):
        rivals = alike[other].copy()
        rivals[[one, other]] = False
        if rivals.any() and like[one][rivals].max() > like[i, j] - APART:
            return True
    return False


def _bits(roles: Mapping[Any, Role]) -> int:
    """What a map holds, as far as that is known, a bit for each role."""
    return sum(1 << ROLES.index(role) for role in set(roles.values()) - {"unknown"})
