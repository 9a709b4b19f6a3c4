"""Packed maps: several quantities, a channel each."""

from __future__ import annotations

from collections.abc import Iterable
from math import exp, log

from ektopos.document import Role
from ektopos.maps import evidence as ev
from ektopos.maps.judge.observations import (
    MapObservations,
    Words,
    weighed,
    words_against,
    words_for,
)
from ektopos.maps.roles import SPREAD
from ektopos.maps.statistics import ChannelFacts, Statistics
from ektopos.maps.verdict import SAY, Verdict, best_grey, declared_as, weigh

PACKINGS: tuple[tuple[tuple[Role, Role, Role], float], ...] = (
    (("occlusion", "roughness", "metallic"), 0.74),
    (("metallic", "roughness", "occlusion"), 0.06),
    (("roughness", "metallic", "occlusion"), 0.06),
    (("occlusion", "metallic", "roughness"), 0.04),
    (("roughness", "occlusion", "metallic"), 0.03),
    (("metallic", "occlusion", "roughness"), 0.03),
    (("occlusion", "roughness", "height"), 0.02),
)
"""What R, G and B of a packed map hold, and how often. glTF 2.0, 3.9.2 puts roughness in G and
metallic in B; the shares are common practice, with no source."""
PACKING_PRESETS: tuple[tuple[Role, ...], ...] = (
    *(packing for packing, _ in PACKINGS),
    ("occlusion", "gloss", "metallic"),
    ("metallic", "occlusion", "height", "gloss"),
)
"""The packings that a person can choose from, by R, G, B and A; those with gloss are told by names
alone. Common practice."""
MOST = 0.8
"""How sure a packed map can be without a name: roughness and gloss look alike."""


USUAL = 0.55
"""How sure a packed map can be of which only the usual places tell its channels apart."""
GREY_METAL = -0.5
"""Log-odds that greys speak against metal at most in a packed map, where places count as well:
painted by hand or baked from several parts, it is grey more often than as a mask of its own."""
PLAIN = 3.0
"""Log-odds from which pixels outweigh the order of a name."""


def judge_packed(case: MapObservations, words: Words) -> Verdict:
    """A map whose channels are different pictures, or whose name says so."""
    s, reading = case.measures, case.reading
    words += _independence(s)
    if case.names_channels:
        return _as_named(case, words)
    conflict = bool(reading.roles) and case.named not in ("mask", "roughness", "metallic")
    if conflict:
        words += words_against(
            f"the name says {declared_as(reading.roles)}, but the channels are different pictures"
        )
    roles, least, reasons = _by_pixels(s)
    words += reasons
    if {"roughness", "unknown"} & set(roles.values()):
        words += words_against(
            "what a packed map holds is guessed from its pixels: roughness and gloss look alike"
        )
    if ev.of_one_kind(s):
        words += words_against(
            "R, G and B are pictures of one kind: which holds what is only usual"
        )
        least = min(least, USUAL)
    if ev.could_be_two_channels(s):
        words += words_against(
            "R and G lie around the middle: they could be x and y of normals as well"
        )
        least = min(least, SAY)
    return case.verdict(roles, min(least, 0.5 if conflict else MOST), words, conflict=conflict)


def _independence(s: Statistics) -> Words:
    if not ev.different_pictures(s):
        return Words()
    known = [
        f"{pair} {correlation:.2f}"
        for pair, correlation in zip(("R–G", "R–B", "G–B"), s.correlations, strict=True)
        if correlation is not None
    ]
    if not known:
        return words_for("only one of R, G and B varies, the others are blank")
    return words_for("R, G and B are different pictures: correlation " + ", ".join(known))


def _as_named(case: MapObservations, words: Words) -> Verdict:
    s = case.measures
    names = [channel.name for channel in s.channels]
    roles = _placed(case)
    roles = {group: role for group, role in roles.items() if group in names or group in SPREAD}
    single = set(roles) - {*SPREAD, "a"}
    if len(s.channels) < 3 and len(set(case.reading.roles) - {"a"}) > 1:
        words += words_against(
            "it has one grey channel, and its name says "
            f"{declared_as(case.reading.roles)}: it holds one of them"
        )
        return case.verdict({"r": "unknown"}, 0.35, words, conflict=True)
    if single and s.equal_channels:
        words += words_against(
            "R, G and B are the same picture, so it holds one quantity, not several"
        )
        return case.verdict({"rgb": "unknown"}, 0.35, words, conflict=True)
    held = [(channel, roles[channel.name]) for channel in s.channels if channel.name in roles]
    fitting = sum(weigh(channel, role)[0] for channel, role in held)
    if single and fitting <= 1.0 and _is_one_coloured_picture(s):
        words += words_against(
            f"R, G and B show one coloured picture (edges correlate to {s.edges:.2f}), a packed "
            "map holds several"
        )
        return case.verdict({"rgb": "base_color"}, 0.5, words, conflict=True)
    against = 0
    for channel, role in held:
        weight, texts = weigh(channel, role)
        texts = [f"{channel.name.upper()}: {text}" for text in texts]
        words += weighed(texts, fits=weight >= 0)
        against += weight < -1.5
    if "roughness" in roles.values():
        words += words_against(
            "roughness is read by order; from its pixels alone it could be gloss"
        )
    confidence = max(0.93 - 0.25 * against, 0.5)
    return case.verdict(roles, confidence, words, conflict=against > 1)


def _is_one_coloured_picture(s: Statistics) -> bool:
    shared = s.edges is not None and s.edges > 0.8 and s.colourfulness > 0.04
    return shared and not ev.different_pictures(s)


def _placed(case: MapObservations) -> dict[str, Role]:
    """Where the roles that the name says lie. Of roughness and metallic alone, glTF's places are
    kept unless blue is blank and red is not: then they stand in the order of the name. Three stand
    in that order, unless the pixels plainly fit glTF's places."""
    roles = dict(case.reading.roles)
    colours = case.measures.channels[:3]
    if len(colours) < 3:
        return roles
    if set(roles) == {"g", "b"} and colours[2].is_blank and not colours[0].is_blank:
        return dict(zip("rg", roles.values(), strict=True))
    usual = PACKINGS[0][0]
    in_order = tuple(roles.get(letter, "unknown") for letter in "rgb")
    if sorted(in_order) == sorted(usual) and _fit(colours, usual) > _fit(colours, in_order) + PLAIN:
        return {**roles, **dict(zip("rgb", usual, strict=True))}
    return roles


def _by_pixels(s: Statistics) -> tuple[dict[str, Role], float, Words]:
    """What each channel most likely holds, how sure the least sure of those said is, and why:
    the usual packings weighed by how they fit."""
    colours = s.channels[:3]
    worth = [log(share) + _fit(colours, packing) for packing, share in PACKINGS]
    most = max(worth)
    shares = [exp(value - most) for value in worth]
    total = sum(shares) + exp(min(0.0, -most - 1.5))
    roles: dict[str, Role] = {}
    sure: list[float] = []
    words = Words()
    for i, channel in enumerate(colours):
        role, share = _most_likely(
            (packing[i], part / total) for (packing, _), part in zip(PACKINGS, shares, strict=True)
        )
        if i == 0 and channel.is_blank and role == "occlusion":
            words += words_for("R: blank, and only fills the place")
            continue
        roles[channel.name] = role if share >= SAY else "unknown"
        sure.append(share)
        words += words_for(
            *(f"{channel.name.upper()}: {text}" for text in _words_on(channel, role))
        )
    if len(s.channels) == 4 and not s.channels[3].is_constant:
        role, share, texts = best_grey(s.channels[3], taken=set(roles.values()))
        roles["a"] = role if share >= SAY and role != "gloss" else "unknown"
        words += words_for(*(f"A: {text}" for text in texts))
    return roles, min(sure, default=0.0), words


def _most_likely(shares: Iterable[tuple[Role, float]]) -> tuple[Role, float]:
    scores: dict[Role, float] = {}
    for role, share in shares:
        scores[role] = scores.get(role, 0.0) + share
    role = max(scores, key=lambda name: scores[name])
    return role, scores[role]


def _fit(colours: tuple[ChannelFacts, ...], packing: tuple[Role, ...]) -> float:
    return sum(_fits(channel, role) for channel, role in zip(colours, packing, strict=True))


def _fits(channel: ChannelFacts, role: Role) -> float:
    """Log-odds of a role for a channel of a packed map: a blank one is metal all over or nowhere,
    no occlusion, wholly rough, or mere filler."""
    if channel.is_blank:
        rough = -0.3 if channel.mean > 0.5 else -1.5
        return {"metallic": 0.5, "occlusion": 0.3, "roughness": rough}.get(role, -1.5)
    if channel.is_constant:
        return 0.5 if role == "roughness" else -1.0
    weight = weigh(channel, role)[0]
    return max(weight, GREY_METAL) if role == "metallic" else weight


def _words_on(channel: ChannelFacts, role: Role) -> list[str]:
    if channel.is_blank:
        return [
            f"blank at {channel.mean:.2f}" + (": all metal or none" if role == "metallic" else "")
        ]
    return weigh(channel, role)[1]
