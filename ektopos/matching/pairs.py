"""Slots of one mesh that are like slots of another, one to one.

Names come first where they mean something; the rest is told by UV layout, tiling, density and share
together, and left open where several fit alike.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ektopos.matching.layout import Layout, layout_of, shared_share
from ektopos.matching.name_similarity import meaningful
from ektopos.meshes import Mesh
from ektopos.meshes.uvs import signed_areas

LEAST = 0.8
"""How alike two slots are at least, 0–1, to be taken for the same."""
APART = 0.08
"""How much less alike any other must be."""


@dataclass(frozen=True)
class Pair:
    """A slot, and the one of the other mesh that it is like."""

    slot: str
    other: str | None
    """`None` where several are alike."""
    why: str


@dataclass(frozen=True)
class _Slot:
    name: str
    layout: Layout
    span: tuple[float, float]
    """Of its UVs, across and down."""
    density: float
    """UV units per metre."""
    share: float
    """Of the mesh's area."""


def pair_slots(mesh: Mesh, other: Mesh) -> list[Pair]:
    """For the slots of a mesh those of another that they are like, each once; slots that are like
    none are left out. Cost: one layout a slot."""
    own, theirs = _slots(mesh), _slots(other)
    pairs = []
    for slot in list(own):
        same = [o for o in theirs if o.name.lower() == slot.name.lower()]
        if same and meaningful(slot.name):
            pairs.append(Pair(slot.name, same[0].name, "the same name"))
            own.remove(slot)
            theirs.remove(same[0])
    like = np.array([[_like(a, b) for b in theirs] for a in own]).reshape(len(own), len(theirs))
    for row, slot in enumerate(own):
        if not theirs or like[row].max() < LEAST:
            continue
        best = int(like[row].argmax())
        rivals = np.concatenate([np.delete(like[row], best), np.delete(like[:, best], row)])
        if rivals.size and rivals.max() > like[row, best] - APART:
            fitting = [theirs[i].name for i in np.flatnonzero(like[row] > like[row].max() - APART)]
            words = (
                f"{', '.join(fitting)} fit alike"
                if len(fitting) > 1
                else f"{fitting[0]} is as much like another slot here"
            )
            pairs.append(Pair(slot.name, None, words))
        else:
            pairs.append(Pair(slot.name, theirs[best].name, _words(slot, theirs[best])))
    order = {name: number for number, name in enumerate(mesh.slots)}
    return sorted(pairs, key=lambda pair: order[pair.slot])


def _slots(mesh: Mesh) -> list[_Slot]:
    areas, in_uvs = mesh.areas(), np.abs(signed_areas(mesh.corner_uvs()))
    whole = max(float(areas.sum()), 1e-30)
    found = []
    for number, name in enumerate(mesh.slots):
        there = mesh.triangle_slot == number
        if not there.any():
            continue
        area, covered = float(areas[there].sum()), float(np.nansum(in_uvs[there]))
        corners = mesh.corner_uvs()[there].reshape(-1, 2)
        known = corners[np.isfinite(corners).all(axis=1)]
        span = np.ptp(known, axis=0) if len(known) else np.zeros(2)
        found.append(
            _Slot(
                name,
                layout_of(mesh, number),
                (float(span[0]), float(span[1])),
                float(np.sqrt(covered / area)) if area > 0 else 0.0,
                area / whole,
            )
        )
    return found


def _like(one: _Slot, other: _Slot) -> float:
    """How alike two slots are, 0–1; without UVs there is too little to go by."""
    if not (one.density and other.density):
        return 0.0
    spans = min(_ratio(a, b) for a, b in zip(one.span, other.span, strict=True))
    return (
        0.5 * shared_share(one.layout, other.layout)
        + 0.15 * spans
        + 0.15 * _ratio(one.density, other.density)
        + 0.2 * _ratio(one.share, other.share)
    )


def _ratio(a: float, b: float) -> float:
    return min(a, b) / max(a, b) if a > 0 and b > 0 else 0.0


def _words(one: _Slot, other: _Slot) -> str:
    return (
        f"{shared_share(one.layout, other.layout):.0%} of the UV layout, "
        f"density {_ratio(one.density, other.density):.0%} "
        f"and share of the mesh {_ratio(one.share, other.share):.0%} alike"
    )
