"""How maps that came together relate: slopes that agree with a normal map, and creases that are
rougher.

A relation is worth more than a picture alone: a grey map whose slopes are those of the normal map
beside it is its height, and it also tells which way the green points where the normals themselves
cannot.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float, NormalY
from ektopos.base.vectors import raw_vectors
from ektopos.maps import evidence as ev
from ektopos.maps.statistics import Statistics, thumbnail_of
from ektopos.maps.verdict import Facts


@dataclass(frozen=True)
class Related:
    """What the other maps say of one."""

    follows_height: float | None = None
    """Correlation of its slopes with those of a normal map, where that is strong."""
    normal_y: NormalY | None = None
    """For a normal map: which way green points, by a height map of the same surface."""
    other: str = ""
    """The map that says so."""
    creases: str = ""
    """In words, how it behaves in the creases of an occlusion map."""


def relate(names: Sequence[str], sets: Sequence[str], facts: Sequence[Facts]) -> list[Related]:
    """The relations of maps that came together: compared within their sets, or, where a set is a
    single map, with all of the same size that also stand alone. Cost: a product of 32² texels a
    pair of normal map and grey map.
    """
    members: dict[object, list[int]] = defaultdict(list)
    for i, set_ in enumerate(sets):
        members[set_].append(i)
    groups = [group for group in members.values() if len(group) > 1]
    alone: dict[object, list[int]] = defaultdict(list)
    for group in members.values():
        if len(group) == 1:
            header = facts[group[0]].header
            alone[header.width, header.height].append(group[0])
    relations = [Related() for _ in names]
    for group in (*groups, *alone.values()):
        _relate_group(group, names, facts, relations)
    return relations


def _relate_group(
    group: list[int], names: Sequence[str], facts: Sequence[Facts], found: list[Related]
) -> None:
    normals = [i for i in group if ev.is_normal(facts[i].statistics)]
    greys = [
        i
        for i in group
        if ev.is_grey(facts[i].statistics) and facts[i].statistics.channels[0].two_valued < 0.9
    ]
    if normals and greys:
        across, along = _agreements(
            [_slopes(facts[i].statistics) for i in normals],
            [_slopes_of_height(_grey(facts[j].statistics)) for j in greys],
        )
        follows = (across > ev.FOLLOWS_HEIGHT) & (np.abs(along) > ev.FOLLOWS_HEIGHT)
        for row in np.flatnonzero(follows.any(axis=1)):
            best = int(np.where(follows[row], across[row], -2.0).argmax())
            i, j, way = normals[row], greys[best], float(along[row, best])
            agreement = min(float(across[row, best]), abs(way))
            found[j] = Related(follows_height=agreement, other=_short(names[i]))
            found[i] = Related(normal_y="+" if way > 0 else "-", other=_short(names[j]))
    _relate_creases(greys, facts, found)


def _relate_creases(greys: list[int], facts: Sequence[Facts], found: list[Related]) -> None:
    """Dust settles in creases, so what is dark in the occlusion tends to be rough. A tendency,
    never a proof."""
    open_ = [
        i
        for i in greys
        if facts[i].statistics.channels[0].median > 0.84
        and facts[i].statistics.channels[0].skew < -0.6
    ]
    if len(open_) != 1:
        return
    occlusion = _grey(facts[open_[0]].statistics)
    for i in greys:
        if i == open_[0] or found[i].follows_height:
            continue
        correlation = _correlation(_grey(facts[i].statistics), occlusion)
        if correlation < -0.3:
            found[i] = Related(
                creases=(
                    f"brighter in the creases (correlation {correlation:.2f}), as roughness "
                    "tends to be"
                )
            )
        elif correlation > 0.3:
            found[i] = Related(
                creases=(
                    f"darker in the creases (correlation {correlation:.2f}), as gloss tends to be"
                )
            )


def _slopes(s: Statistics) -> tuple[Float, Float]:
    vectors = raw_vectors(thumbnail_of(s)[..., :3])
    z: Float = np.maximum(vectors[..., 2], 0.2)
    return -vectors[..., 0] / z, -vectors[..., 1] / z


def _grey(s: Statistics) -> Float:
    return thumbnail_of(s)[..., 0]


def _slopes_of_height(height: Float) -> tuple[Float, Float]:
    """A picture's slopes in x and y, if it is a height; rows run down and +Y points up."""
    half = np.float32(0.5)
    across = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) * half
    along = (np.roll(height, 1, 0) - np.roll(height, -1, 0)) * half
    return across, along


def _agreements(
    first: Sequence[tuple[Float, Float]], second: Sequence[tuple[Float, Float]]
) -> tuple[Float, Float]:
    """Correlations of the slopes of each of the first with those of each of the second, in x and in
    y, `(first, second)`; 0 where one has none. All at once: a folder without sets has thousands of
    pairs."""
    across, along = (
        np.asarray(
            _standard([slopes[axis] for slopes in first])
            @ _standard([slopes[axis] for slopes in second]).T,
            np.float32,
        )
        for axis in (0, 1)
    )
    return across, along


def _standard(planes: list[Float]) -> Float:
    """Planes as rows of mean 0 and length 1, or of zeros where they do not vary."""
    rows = np.stack([plane.ravel() for plane in planes])
    rows = rows - rows.mean(axis=1, keepdims=True)
    lengths = np.sqrt((rows**2).sum(axis=1, keepdims=True))
    return np.where(lengths > 1e-6, rows / np.maximum(lengths, 1e-6), 0).astype(np.float32)


def _correlation(first: NDArray[np.floating[Any]], second: NDArray[np.floating[Any]]) -> float:
    a, b = first - first.mean(), second - second.mean()
    spread = float(np.sqrt((a**2).mean() * (b**2).mean()))
    return float((a * b).mean()) / spread if spread > 1e-7 else 0.0


def _short(path: str) -> str:
    return path.replace("\\", "/").rpartition("/")[2]
