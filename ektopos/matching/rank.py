"""Sets of pictures ranked for every slot of a mesh, and how sure the first is."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np

from ektopos.matching.image_spectra import ImageSpectra
from ektopos.matching.layout import FULL, Layout, packed_together
from ektopos.matching.layout_scores import LayoutScores, Pile, chance_of, measure_layout_scores
from ektopos.matching.surface import Surface

SHARED = 0.2
"""Share of a picture painted away from a slot's islands from which others may share it."""
REPEATS_COST = 2.0
"""What it speaks against a set, in standard deviations, that its pictures repeat where the UVs do
not."""
FULL_NAME = 0.8
"""How alike names have to be, 0–1, before a name alone can be sure."""
ATLAS_COST = 1.0
"""What it speaks against a set that all its pictures have a background where the UVs leave no room
for one."""
NAME_WORTH = 5.0
"""What names that are alike are worth, in standard deviations."""
NEAR_WORTH = 6.0
"""What it is worth that only one set lies in the folder of the mesh, in standard deviations."""
CLOSE = 0.3
"""How much a shared folder has to tell before it is given as a reason."""
SAID_WORTH = 20.0
"""What it is worth that the mesh's own file names the maps: more than all that is seen."""
ATLAS_WORTH = 1.5
"""What it is worth, in standard deviations, that another slot of the mesh surely has a set."""
TOGETHER_WORTH = 0.5
"""Share of what speaks for a set on all slots of an atlas together that each of them is given."""
SURE_EDGES = 8.0
"""Deviations that edges along the borders have to show alone before a candidate is sure."""
AGREE = {"edges": 4.0, "creases": 3.5, "seams": 2.0}
"""Deviations from which two signs of different kinds are enough."""
SURE_MARGIN = 3.0
"""Deviations that a sure candidate has to lead by."""
SURE_SHARE = 0.01
"""Share of the square that a layout covers at least before its signs can be sure."""


@dataclass(frozen=True)
class Candidate:
    """One set of pictures for a slot."""

    set: str
    score: float
    """0–1: how far it speaks for the slot; 0.5 says nothing."""
    reasons: list[str]
    sure: bool = False
    """Whether it is first, has evidence of its own, and clearly leads: such candidates are meant to
    be right in 98 of 100 cases."""


@dataclass(frozen=True)
class Told:
    """What is told of a set and a slot apart from pictures, each 0–1."""

    alike: float = 0.0
    """How alike their names are."""
    near: float = 0.0
    """How much the folder that they share tells the set from others."""
    said: float = 0.0
    """Share of the maps that the mesh's own file names for the slot that are in the set."""

    @property
    def worth(self) -> float:
        """All together, in standard deviations."""
        return NAME_WORTH * self.alike + NEAR_WORTH * self.near + SAID_WORTH * self.said


UNTOLD = Told()


@dataclass(frozen=True)
class _Match:
    """What speaks for one set on one slot."""

    worth: float
    signs: LayoutScores | None
    told: Told
    repeats: bool
    together: float = 0.0
    """What speaks for it on all slots of the atlas that this one lies in."""

    @property
    def by_pixels(self) -> float:
        """What it is worth by its pictures alone."""
        return self.worth - self.told.worth


def match(
    layouts: Mapping[str, Layout],
    pictures: Mapping[str, Sequence[ImageSpectra]],
    repeating: Mapping[str, bool],
    told: Mapping[str, Mapping[str, Told]] | None = None,
    surfaces: Mapping[str, Surface] | None = None,
) -> dict[str, list[Candidate]]:
    """Sets of pictures ranked for every slot, best first.

    `pictures` gives the traits of each set's pictures; `repeating` whether they repeat; `told` what
    is known of each slot and set beside pictures; `surfaces` what else the surface of each slot
    tells. Cost: slots × pictures × `GRID`².
    """
    from scipy.optimize import linear_sum_assignment

    known, faces = told or {}, surfaces or {}
    sets = list(pictures)
    every = [traits for name in sets for traits in pictures[name]]
    pile = Pile(every) if every else None

    def matched(slot: str) -> list[_Match]:
        told, surface = known.get(slot, {}), faces.get(slot)
        return _matches(layouts[slot], sets, pictures, pile, repeating, told, surface)

    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        matches = dict(zip(layouts, pool.map(matched, layouts), strict=True))
    _judge_together(layouts, matches, sets, pictures, pile, repeating)
    _share_atlases(layouts, matches)
    worth = np.array([[candidate.worth for candidate in row] for row in matches.values()])
    # All slots together: the assignment that is best as a whole gets the benefit of the doubt.
    # Slots may still share a set.
    rows, columns = linear_sum_assignment(-worth) if worth.size else ((), ())
    favoured = worth.copy()
    for i, j in zip(rows, columns, strict=True):
        favoured[i, j] += 0.5
    return {
        slot: _ranked(layouts[slot], sets, matches[slot], favoured[i])
        for i, slot in enumerate(layouts)
    }


def _matches(
    layout: Layout,
    sets: Sequence[str],
    pictures: Mapping[str, Sequence[ImageSpectra]],
    pile: Pile | None,
    repeating: Mapping[str, bool],
    told: Mapping[str, Told],
    surface: Surface | None = None,
) -> list[_Match]:
    laid_out = layout.count > 0 and not layout.tiles
    measured = measure_layout_scores(layout, pile, surface) if laid_out and pile else []
    full = layout.share > FULL
    chance, signs = chance_of(measured), iter(measured)
    matches = []
    for name in sets:
        repeats, known = repeating.get(name, False), told.get(name, UNTOLD)
        own = [next(signs) for _ in pictures[name]] if measured else []
        totals = [sign.total(chance) for sign in own]
        best = own[int(np.argmax(totals))] if own else None
        worth = known.worth
        if layout.tiles:
            worth += 2.0 if repeats else -2.0
        elif best is not None:
            # The best picture of many is good by chance; a layout shows in most pictures of its
            # set.
            worth += (max(totals) + sum(totals) / len(own)) / 2
            # A picture that fills the square may well repeat; one with a background was made for
            # islands.
            if full:
                worth -= ATLAS_COST * all(one.has_background for one in pictures[name])
            else:
                worth -= REPEATS_COST * repeats
        matches.append(_Match(worth, best, known, repeats))
    return matches


def _judge_together(
    layouts: Mapping[str, Layout],
    matches: dict[str, list[_Match]],
    sets: Sequence[str],
    pictures: Mapping[str, Sequence[ImageSpectra]],
    pile: Pile | None,
    repeating: Mapping[str, bool],
) -> None:
    """Slots that lie in one atlas beside each other most likely wear one set: what speaks for it on
    all of them speaks for it on each."""
    for slots, whole in packed_together(layouts):
        together = _matches(whole, sets, pictures, pile, repeating, {})
        for slot in slots:
            matches[slot] = [
                replace(own, worth=own.worth + TOGETHER_WORTH * both.worth, together=both.worth)
                for own, both in zip(matches[slot], together, strict=True)
            ]


def _share_atlases(layouts: Mapping[str, Layout], matches: dict[str, list[_Match]]) -> None:
    """A set that is sure for one slot of a mesh is likelier for others too: slots share atlases.
    Worth little beside evidence of their own."""
    shared = set()
    for slot, row in matches.items():
        order = sorted(range(len(row)), key=lambda j: -row[j].worth)
        if order and _is_sure(layouts[slot], [row[j] for j in order]):
            shared.add(order[0])
    for slot, row in matches.items():
        matches[slot] = [
            replace(
                candidate, worth=candidate.worth + ATLAS_WORTH * _may_share(candidate, j, shared)
            )
            for j, candidate in enumerate(row)
        ]


def _may_share(found: _Match, j: int, shared: set[int]) -> bool:
    return j in shared and found.signs is not None and found.signs.covered > 0.5


def _ranked(
    layout: Layout, sets: Sequence[str], matches: Sequence[_Match], favoured: np.ndarray
) -> list[Candidate]:
    order = np.argsort(-favoured, kind="stable")
    ranked = [
        Candidate(
            sets[j],
            round(float(1.0 / (1.0 + np.exp(-0.35 * favoured[j]))), 3),
            _reasons(layout, matches[j]),
        )
        for j in order
    ]
    if ranked and _is_sure(layout, [matches[j] for j in order]):
        ranked[0] = replace(ranked[0], sure=True)
    return ranked


def _is_sure(layout: Layout, ranked: Sequence[_Match]) -> bool:
    """Whether the first is right beyond doubt: by what the mesh's file says, by what its pictures
    show, or by a name that no other set has; a picture that repeats never is by itself, nor one on
    a few cells of the square."""
    first, *others = ranked
    lead = first.worth - max((other.worth for other in others), default=0.0)
    painted = first.by_pixels - max((other.by_pixels for other in others), default=0.0)
    by_pixels = (
        first.signs is not None
        and _shows_plainly(first.signs)
        and layout.share >= SURE_SHARE
        and painted >= SURE_MARGIN / 2
        and not first.repeats
    )
    alike, said = first.told.alike, first.told.said
    by_name = alike >= FULL_NAME and all(other.told.alike < 0.5 * alike for other in others)
    by_file = said > 0.0 and all(other.told.said < said for other in others)
    return by_file or (by_pixels and lead >= SURE_MARGIN) or (by_name and lead > 0.5 * NAME_WORTH)


def _shows_plainly(signs: LayoutScores) -> bool:
    agreeing = sum(getattr(signs, kind) >= least for kind, least in AGREE.items())
    return signs.edges >= SURE_EDGES or agreeing > 1


def _reasons(layout: Layout, match: _Match) -> list[str]:
    reasons = [
        sentence
        for is_so, sentence in (
            (match.told.said > 0, "the mesh's own file names its maps for this slot"),
            (match.told.alike > 0, "the names are alike"),
            (match.told.near > CLOSE, "its maps lie in the folder of the mesh"),
        )
        if is_so
    ]
    if layout.tiles:
        repeats = "and so does the picture" if match.repeats else "the picture does not"
        return [*reasons, f"the UVs repeat, {repeats}"]
    if match.signs is None:
        return reasons or ["the slot has no UVs"]
    reasons += _reasons_in_the_picture(match.signs, follows_others=match.together > 1)
    signs = match.signs
    if signs.beyond > SHARED and signs.covered > 0.9 and reasons:
        reasons.append(
            f"{100 * signs.beyond:.0f} % of what is painted lies beyond this slot's islands: "
            "others may share the maps"
        )
    if match.repeats and not reasons:
        reasons.append("repeats in x and y: fits any layout, speaks for none")
    if signs.borders < -1:
        reasons.append("seams cross the islands")
    return reasons or ["nothing in the picture follows this layout"]


def _reasons_in_the_picture(signs: LayoutScores, *, follows_others: bool) -> list[str]:
    """What of a picture speaks for a layout, in words."""
    said = (
        (
            signs.borders > 2,
            f"edges of the picture follow the island borders ({signs.borders:.1f} deviations "
            "above other places)",
        ),
        (
            signs.ridges > 2 and signs.borders <= 2,
            f"colours meet halfway between the islands ({signs.ridges:.1f} deviations)",
        ),
        (
            signs.creases > 2,
            f"edges of the picture follow the creases of the mesh ({signs.creases:.1f} deviations)",
        ),
        (signs.seams > 1, f"its colours go on across the seams ({signs.seams:.1f} deviations)"),
        (follows_others, "it follows the slots that lie beside this one in one atlas"),
        (
            signs.background > 2,
            f"its background lies outside the islands; {100 * signs.covered:.0f} % of them is "
            "painted",
        ),
    )
    return [sentence for is_so, sentence in said if is_so]
