"""Grey pictures: one quantity, in one channel or in three that say the same."""

from __future__ import annotations

from ektopos.base.names import in_words
from ektopos.document import COLOUR_ROLES, Role
from ektopos.maps.judge.colour import alpha_beside, alpha_role
from ektopos.maps.judge.observations import (
    MapObservations,
    Words,
    weighed,
    words_against,
    words_for,
)
from ektopos.maps.statistics import ChannelFacts
from ektopos.maps.verdict import SAY, Verdict, best_grey, weigh


def judge_grey(case: MapObservations, words: Words) -> Verdict:
    """A picture of one quantity: which, by its name, its pixels and the normals beside it."""
    if _is_cut_out(case):
        alpha, reason = alpha_role(case)
        return case.verdict({"rgb": "base_color", **alpha}, 0.7, words + reason)
    role, belief, texts = _looks_like(case)
    if case.named is not None:
        return _as_named(case, case.named, (role, belief, texts), words)
    alpha, reason = alpha_role(case)
    words += words_for(*texts) + reason
    if role in ("roughness", "gloss"):
        role, belief = "roughness", min(belief, 0.55)
        words += words_against(
            "it could be gloss as well: the pixels do not tell them apart; compare both on the "
            "stage"
        )
        words += words_for(*([case.related.creases] if case.related.creases else []))
    if role == "emission" and alpha and _group(case) == "rgb":
        # Light on black needs no alpha; a dark colour with a soft border does.
        words += words_against("dark with an alpha of its own: a base colour more often than light")
        return case.verdict({"rgb": "base_color", **alpha}, 0.55, words)
    if belief < SAY:
        words += words_against("neither name nor pixels say what this is")
        return case.verdict({_group(case): "unknown", **alpha}, belief, words)
    most = 0.9 if role == "height" and case.related.follows_height else 0.65
    return case.verdict({_group(case): role, **alpha}, min(belief, most), words)


def _is_cut_out(case: MapObservations) -> bool:
    """Whether it is an even colour whose alpha cuts a shape."""
    *colours, last = case.measures.channels
    even = all(channel.is_constant for channel in colours)
    return last.name == "a" and len(colours) >= 3 and even and not last.is_constant


def _group(case: MapObservations) -> str:
    return "rgb" if len(case.measures.channels) >= 3 else "r"


def _looks_like(case: MapObservations) -> tuple[Role, float, list[str]]:
    role, belief, texts = best_grey(case.measures.channels[0], taken=set())
    follows = case.related.follows_height
    if follows and not (role == "occlusion" and belief > SAY):
        text = f"its slopes are those of {case.related.other} (correlation {follows:.2f})"
        return "height", 0.9 if follows > 0.9 else 0.65, [text]
    return role, belief, texts


def _as_named(
    case: MapObservations, named: Role, seen: tuple[Role, float, list[str]], words: Words
) -> Verdict:
    channel, group = case.measures.channels[0], _group(case)
    alpha, reason = alpha_beside(case, named)
    role, belief, texts = seen
    weight, named_texts = weigh(channel, named)
    if _seen_otherwise(channel, named, role, weight, belief):
        look = f"the pixels look like {in_words(role)}"
        words += words_against(*(named_texts or [f"{look}: {texts[0]}" if texts else look]))
        told = belief > 0.6 and role not in ("roughness", "gloss")
        shown = role if told else named
        return case.verdict({group: shown, **alpha}, 0.5, words + reason, conflict=True)
    words += weighed(named_texts, fits=weight >= 0) + reason
    confidence = min(0.97, 0.86 + 0.04 * weight) if weight >= 0 else 0.7
    return case.verdict({group: named, **alpha}, confidence, words)


def _seen_otherwise(
    channel: ChannelFacts, named: Role, role: Role, weight: float, belief: float
) -> bool:
    """Whether the pixels of a grey picture contradict its name."""
    if named == "normal":
        return True
    if (
        channel.is_blank
        or {named, role} <= {"roughness", "gloss"}
        or {named, role} <= {"metallic", "opacity", "mask"}
    ):
        return False
    return weight <= -1.5 or (weight <= 0 and belief > 0.8 and named not in COLOUR_ROLES)
