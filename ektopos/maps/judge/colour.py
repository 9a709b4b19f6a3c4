"""Coloured pictures: base colour, emission, and what alpha holds."""

from __future__ import annotations

from ektopos.document import COLOUR_ROLES, Role
from ektopos.maps import evidence as ev
from ektopos.maps.evidence import OPPOSED
from ektopos.maps.judge.observations import (
    MapObservations,
    Words,
    weighed,
    words_against,
    words_for,
)
from ektopos.maps.roles import IDENTITIES
from ektopos.maps.verdict import Verdict, coloured, declared_as

UNSURE = 0.6
MOSTLY_BLACK = 0.7
"""Share of black from which a coloured picture could be light on black."""


def judge_colour(case: MapObservations, words: Words) -> Verdict:
    """A picture whose R, G and B differ, and show the same things."""
    s, named = case.measures, case.named
    if named in COLOUR_ROLES or named == "mask":
        return _as_named(case, named, words + words_for(coloured(s)))
    if named == "normal":
        words += words_against(
            f"only {100 * s.unit_length:.0f} % of texels have unit length, a normal map has "
            "nearly all"
        )
    conflict = named is not None and (s.colourfulness > 0.04 or s.saturation > 0.1)
    if named is not None and not conflict:
        return case.verdict({"rgb": named}, 0.8, words)
    text = coloured(s) + (f", which {declared_as(case.reading.roles)} is not" if conflict else "")
    words += weighed([text], fits=not conflict)
    dark = min(channel.at_zero for channel in s.channels[:3])
    alpha, reason = alpha_role(case)
    if dark > MOSTLY_BLACK and not alpha:
        words += words_for(f"black over {100 * dark:.0f} %")
        return case.verdict({"rgb": "emission"}, 0.5 if conflict else 0.6, words, conflict=conflict)
    words += reason
    if s.edges is not None:
        words += words_for(
            f"R, G and B show the same picture: their edges correlate to {s.edges:.2f}"
        )
    confidence = 0.5 if conflict else 0.85 if s.colourfulness > 0.04 else 0.65
    if any(pair is not None and pair < OPPOSED for pair in s.correlations):
        # Of a hundred base colours by other makers none was so.
        words += words_against(
            "one channel is another inverted, as roughness often is of metal: it may hold "
            "several quantities"
        )
        confidence = min(confidence, UNSURE)
    if named is None and ev.could_be_packed(s):
        words += words_against(
            "packed maps of one atlas have its edges in common too, and these channels are no "
            "mixtures of a few colours: it could be packed as well"
        )
        confidence = min(confidence, UNSURE)
    return case.verdict({"rgb": "base_color", **alpha}, confidence, words, conflict=conflict)


def _as_named(case: MapObservations, named: Role, words: Words) -> Verdict:
    s = case.measures
    alpha, reason = alpha_beside(case, named)
    dark = min(channel.at_zero for channel in s.channels[:3])
    if named == "emission" and dark < 0.05 and s.large_scale < 0.3:
        words += words_against("emission is mostly black, this is not")
        return case.verdict({"rgb": "base_color", **alpha}, 0.5, words, conflict=True)
    vague = named == "mask" and case.reading.word.lower() not in IDENTITIES
    return case.verdict({"rgb": named, **alpha}, 0.6 if vague else 0.95, words + reason)


def alpha_beside(case: MapObservations, named: Role) -> tuple[dict[str, Role], Words]:
    """What alpha holds beside a named role: what the name says, or of a base colour the pixels."""
    if case.named_alpha or named != "base_color":
        return case.named_alpha, Words()
    return alpha_role(case)


def alpha_role(case: MapObservations) -> tuple[dict[str, Role], Words]:
    """What a colour's alpha holds, where it varies."""
    alpha = case.measures.channels[-1]
    if alpha.name != "a" or alpha.is_constant:
        return {}, Words()
    if alpha.two_valued > 0.9:
        share = 100 * alpha.two_valued
        return {"a": "opacity"}, words_for(
            f"alpha has sharp areas of 0 and 1 ({share:.0f} %): opacity"
        )
    if all(channel.is_blank for channel in case.measures.channels[:-1]):
        return {"a": "opacity"}, words_for("alpha varies where nothing else does: opacity")
    role: Role = "opacity" if alpha.two_valued > 0.5 else "unknown"
    return {"a": role}, words_against(
        "alpha holds something between 0 and 1: opacity, gloss or height"
    )
