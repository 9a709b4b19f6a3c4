"""Judge one map: from the kind of picture it is, the reading of its name, and what the maps beside
it say."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from ektopos.document import COLOUR_ROLES, Role
from ektopos.maps import evidence as ev
from ektopos.maps.names import Reading, udim_of
from ektopos.maps.relations import Related
from ektopos.maps.roles import SPREAD, encoding_of
from ektopos.maps.statistics import ChannelFacts, Statistics
from ektopos.maps.verdict import (
    SAY,
    Facts,
    Verdict,
    best_grey,
    coloured,
    curl_way,
    make_verdict,
    said_as,
    way,
    weigh,
)
from ektopos.types import Encoding, NormalY


def judge(facts: Facts, reading: Reading, related: Related | None = None) -> Verdict:
    """The verdict on one map from its measures, the reading of its name, and how it relates to the
    maps it came with."""
    if reading.by_rule:
        found = _by_person(
            facts,
            reading.roles,
            reading.encoding,
            reading.normal_y,
            f"this project’s rule “…{reading.word}”",
        )
    else:
        found = _by_kind(facts, reading, related or Related())
    notes = _remarks(facts, found)
    return replace(found, doubts=(*found.doubts, *notes))


def recheck(
    facts: Facts, roles: Mapping[Any, Role], encoding: Encoding, normal_y: NormalY | None
) -> Verdict:
    """What speaks for and against what a person has said of a map. It stays as it was said,
    whatever the pixels say."""
    found = _by_person(facts, roles, encoding, normal_y, "you said so")
    return replace(found, doubts=(*found.doubts, *_remarks(facts, found)))


def _by_person(
    facts: Facts,
    roles: Mapping[Any, Role],
    encoding: str | None,
    normal_y: NormalY | None,
    source: str,
) -> Verdict:
    s = facts.statistics
    said, doubts = [source], list[str]()
    for group, role in roles.items():
        if role == "normal":
            fits = ev.is_normal(s)
            (said if fits else doubts).append(
                f"{100 * s.unit_length:.1f} % of texels have unit length"
            )
            seen = curl_way(s)
            if seen is not None and s.curl is not None:
                agrees = normal_y in (None, seen)
                (said if agrees else doubts).append(
                    f"green points {way(seen)} ({seen}Y): slopes agree with a height field, "
                    f"{s.curl.correlation:+.2f}"
                )
        elif role in COLOUR_ROLES:
            colour = not ev.is_grey(s)
            text = coloured(s) if colour else "no colour in it"
            (said if colour or role == "specular" else doubts).append(text)
        else:
            letter = group if len(group) == 1 else "r"
            channel = next((c for c in s.channels if c.name == letter), s.channels[0])
            weight, words = weigh(channel, role)
            prefix = f"{letter.upper()}: " if len(roles) > 1 else ""
            (said if weight >= 0 else doubts).extend(prefix + text for text in words)
    usual = encoding_of(next(iter(roles.values()), "unknown"), is_float=facts.header.is_float)
    return Verdict(
        dict(roles),
        "srgb" if encoding == "srgb" else "linear" if encoding else usual,
        1.0,
        normal_y,
        tuple(said),
        tuple(doubts),
    )


def _by_kind(facts: Facts, reading: Reading, related: Related) -> Verdict:
    s = facts.statistics
    said = [f"name says {said_as(reading.roles)} (“{reading.word}”)"] if reading.roles else []
    doubts: list[str] = []
    if tile := udim_of(reading.noise):
        said.append(f"tile {tile} of a layout over several squares (UDIM)")
    named = next(iter(reading.roles.values()), None)
    saved_as_colour = ev.is_normal_saved_as_colour(s)
    if ev.is_object_normal(s):
        return _judge_object_normal(facts, reading, said, doubts)
    if ev.is_normal(s) or saved_as_colour or ev.is_two_channel_normal(s):
        return _judge_normal(facts, reading, related, said, doubts, saved_as_colour)
    if len(reading.roles) > 1 and set(reading.roles) != {"rgb", "a"}:
        return _judge_packed(facts, reading, said, doubts)
    if ev.plainly_packed(s) if named in COLOUR_ROLES else ev.different_pictures(s):
        return _judge_packed(facts, reading, said, doubts)
    if not ev.is_grey(s):
        return _judge_colour(facts, reading, named, said, doubts)
    return _judge_grey(facts, reading, named, related, said, doubts)


def _judge_normal(
    facts: Facts,
    reading: Reading,
    related: Related,
    said: list[str],
    doubts: list[str],
    saved_as_colour: bool,
) -> Verdict:
    s = facts.statistics
    named = next(iter(reading.roles.values()), None)
    conflict = named not in (None, "normal")
    if saved_as_colour:
        doubts.append(
            "saved as if it were colour: only decoded from sRGB do its texels have unit length"
        )
    elif ev.is_two_channel_normal(s):
        said.append("R and G are x and y of normals; blue says nothing, and follows from them")
    elif s.unit_length > 0.5:
        said.append(f"{100 * s.unit_length:.1f} % of texels have unit length")
    else:
        said.append(
            f"three quarters of the texels are within {s.unit_error:.2f} of unit length, as in "
            "a compressed normal map"
        )
    if conflict:
        doubts.append(f"the name says {said_as(reading.roles)}, the pixels are normals")
    roles: dict[str, Role] = {"rgb": "normal"}
    if "a" in reading.roles:
        roles["a"] = reading.roles["a"]
    direction = _green_direction(s, reading, related, said, doubts)
    confidence = 0.8 if conflict or saved_as_colour else 0.99 if named else 0.96
    found = make_verdict(
        roles, facts.header.is_float, confidence, direction, said, doubts, conflict=conflict
    )
    return replace(found, encoding="srgb") if saved_as_colour else found


def _judge_object_normal(
    facts: Facts, reading: Reading, said: list[str], doubts: list[str]
) -> Verdict:
    """Normals in object space: named as what they are, and not to be fed as others are."""
    s = facts.statistics
    named = next(iter(reading.roles.values()), None)
    said.append(
        f"object space: {100 * s.unit_length:.1f} % of texels have unit length, and they point to "
        "all sides"
    )
    doubts.append("a material takes normals in tangent space: bake it to that, or feed another map")
    found = make_verdict(
        {"rgb": "normal"},
        facts.header.is_float,
        0.9 if named in (None, "normal") else 0.6,
        None,
        said,
        doubts,
        conflict=named not in (None, "normal"),
    )
    return replace(found, space="object")


def _green_direction(
    s: Statistics, reading: Reading, related: Related, said: list[str], doubts: list[str]
) -> NormalY | None:
    seen = curl_way(s)
    if seen is not None and s.curl is not None:
        said.append(
            f"green points {way(seen)} ({seen}Y): slopes agree with a height field, "
            f"{s.curl.correlation:+.2f}"
        )
    elif related.normal_y is not None:
        seen = related.normal_y
        said.append(f"green points {way(seen)} ({seen}Y): its slopes are those of {related.other}")
    if seen is None:
        if reading.normal_y:
            said.append(f"name says green points {way(reading.normal_y)}; the pixels cannot tell")
        else:
            doubts.append("which way green points cannot be told: the slopes fit no height field")
        return reading.normal_y
    if reading.normal_y and reading.normal_y != seen:
        doubts.append(
            f"the name says green points {way(reading.normal_y)}, the pixels say {way(seen)}"
        )
    return seen


def _judge_colour(
    facts: Facts, reading: Reading, named: Role | None, said: list[str], doubts: list[str]
) -> Verdict:
    s = facts.statistics
    is_float = facts.header.is_float
    colourful = coloured(s)
    dark = min(channel.at_zero for channel in s.channels[:3])
    named_alpha: dict[str, Role] = (
        {"a": reading.roles["a"]} if "a" in reading.roles and len(s.channels) == 4 else {}
    )
    if named in COLOUR_ROLES or named == "mask":
        said.append(colourful)
        alpha = named_alpha or (_alpha_role(facts, said, doubts) if named == "base_color" else {})
        if named == "emission" and dark < 0.05 and s.large_scale < 0.3:
            doubts.append("emission is mostly black, this is not")
            return make_verdict(
                {"rgb": "base_color", **alpha}, is_float, 0.5, None, said, doubts, conflict=True
            )
        return make_verdict({"rgb": named, **alpha}, is_float, 0.95, None, said, doubts)
    if named == "normal":
        doubts.append(
            f"only {100 * s.unit_length:.0f} % of texels have unit length, a normal map has "
            "nearly all"
        )
        if (
            s.unit_error < 2 * ev.UNIT_ERROR
            and s.upward > 0.9
            and s.mean_direction[2] > 0.3
            and ev.is_centred(s)
        ):
            return make_verdict({"rgb": "normal"}, is_float, 0.6, curl_way(s), said, doubts)
    conflict = named is not None and (s.colourfulness > 0.04 or s.saturation > 0.1)
    if named is not None and not conflict:
        return make_verdict({"rgb": named}, is_float, 0.8, None, said, doubts)
    (doubts if conflict else said).append(
        colourful + (f", which {said_as(reading.roles)} is not" if conflict else "")
    )
    if dark > 0.7:
        said.append(f"black over {100 * dark:.0f} %")
        return make_verdict(
            {"rgb": "emission"},
            is_float,
            0.5 if conflict else 0.72,
            None,
            said,
            doubts,
            conflict=conflict,
        )
    alpha = _alpha_role(facts, said, doubts)
    if s.edges is not None:
        said.append(f"R, G and B show the same picture: their edges correlate to {s.edges:.2f}")
    confidence = 0.5 if conflict else 0.85 if s.colourfulness > 0.04 else 0.6
    return make_verdict(
        {"rgb": "base_color", **alpha}, is_float, confidence, None, said, doubts, conflict=conflict
    )


def _alpha_role(facts: Facts, said: list[str], doubts: list[str]) -> dict[str, Role]:
    s = facts.statistics
    if len(s.channels) != 4:
        return {}
    alpha = s.channels[3]
    if alpha.is_constant:
        return {}
    if alpha.two_valued > 0.9:
        said.append(f"alpha has sharp areas of 0 and 1 ({100 * alpha.two_valued:.0f} %): opacity")
        return {"a": "opacity"}
    doubts.append("alpha holds something between 0 and 1: opacity, gloss or height")
    return {"a": "opacity" if alpha.two_valued > 0.5 else "unknown"}


def _judge_packed(facts: Facts, reading: Reading, said: list[str], doubts: list[str]) -> Verdict:
    s = facts.statistics
    known = [
        (pair, c)
        for pair, c in zip(("R–G", "R–B", "G–B"), s.correlations, strict=True)
        if c is not None
    ]
    different = ev.different_pictures(s)
    if different:
        said.append(
            "R, G and B are different pictures: correlation "
            + ", ".join(f"{pair} {c:.2f}" for pair, c in known)
        )
    if len(reading.roles) > 1:
        return _judge_named_packed(facts, reading, said, doubts, different)
    conflict = bool(reading.roles)
    if conflict:
        doubts.append(
            f"the name says {said_as(reading.roles)}, but the channels are different pictures"
        )
    guessed, least = _guess_channels(s, said)
    if "roughness" in guessed.values() or "unknown" in guessed.values():
        doubts.append(
            "what a packed map holds is guessed from its pixels: roughness and gloss look alike"
        )
    confidence = min(least, 0.45 if conflict else 0.7)
    return make_verdict(
        guessed, facts.header.is_float, confidence, None, said, doubts, conflict=conflict
    )


def _judge_named_packed(
    facts: Facts, reading: Reading, said: list[str], doubts: list[str], different: bool
) -> Verdict:
    s = facts.statistics
    names = [channel.name for channel in s.channels]
    roles = {c: r for c, r in reading.roles.items() if c in names or c in SPREAD}
    single = set(roles) - {*SPREAD, "a"}
    if len(s.channels) < 3 and len(set(reading.roles) - {"a"}) > 1:
        doubts.append(
            f"it has one grey channel, and its name says {said_as(reading.roles)}: it holds one of "
            "them"
        )
        return make_verdict(
            {"r": "unknown"}, facts.header.is_float, 0.35, None, said, doubts, conflict=True
        )
    if single and s.equal_channels:
        doubts.append("R, G and B are the same picture, so it holds one quantity, not several")
        return make_verdict(roles, facts.header.is_float, 0.35, None, said, doubts, conflict=True)
    fitting = sum(
        weigh(channel, roles[channel.name])[0] for channel in s.channels if channel.name in roles
    )
    if (
        single
        and not different
        and fitting <= 1.0
        and s.edges is not None
        and s.edges > 0.8
        and s.colourfulness > 0.04
    ):
        doubts.append(
            f"R, G and B show one coloured picture (edges correlate to {s.edges:.2f}), a packed "
            "map holds several"
        )
        return make_verdict(
            {"rgb": "base_color"}, facts.header.is_float, 0.45, None, said, doubts, conflict=True
        )
    against = 0
    for channel in s.channels:
        held = roles.get(channel.name)
        if held:
            weight, words = weigh(channel, held)
            (said if weight >= 0 else doubts).extend(
                f"{channel.name.upper()}: {text}" for text in words
            )
            against += weight < -1.5
    if "roughness" in roles.values():
        doubts.append("roughness is read by order; from its pixels alone it could be gloss")
    confidence = max(0.93 - 0.3 * against, 0.3)
    return make_verdict(
        roles, facts.header.is_float, confidence, None, said, doubts, conflict=against > 1
    )


def _guess_channels(s: Statistics, said: list[str]) -> tuple[dict[str, Role], float]:
    """What each channel of an unnamed packed map holds, and how sure the least sure of them is.

    The usual packing is occlusion, roughness and metallic in some order (common practice), so a
    blank channel beside others is metallic, and one that lies between is roughness.
    """
    guessed: dict[str, Role] = {}
    least = 0.9
    for channel in s.channels:
        if channel.name == "a" and channel.is_constant:
            continue
        role, confidence, words = best_grey(channel, taken=set(guessed.values()))
        if channel.is_blank and "metallic" not in guessed.values():
            role, confidence, words = (
                "metallic",
                0.55,
                [f"blank at {channel.mean:.2f}: all metal or none"],
            )
        if role == "gloss":
            role = "roughness"
        if confidence < SAY or role in guessed.values():
            role = "unknown"
        guessed[channel.name] = role
        least = min(least, confidence)
        said.extend(f"{channel.name.upper()}: {text}" for text in words)
    return guessed, least


def _judge_grey(
    facts: Facts,
    reading: Reading,
    named: Role | None,
    related: Related,
    said: list[str],
    doubts: list[str],
) -> Verdict:
    s = facts.statistics
    channel = s.channels[0]
    is_float = facts.header.is_float
    group = "rgb" if len(s.channels) >= 3 else "r"
    alpha: dict[str, Role] = (
        {"a": reading.roles["a"]} if "a" in reading.roles and s.channels[-1].name == "a" else {}
    )
    role, belief, words = best_grey(channel, taken=set())
    if related.follows_height and not (role == "occlusion" and belief > SAY):
        role, belief = "height", 0.9 if related.follows_height > 0.9 else 0.65
        words = [
            f"its slopes are those of {related.other} (correlation {related.follows_height:.2f})"
        ]
    if named is not None:
        weight, named_words = weigh(channel, named)
        against = _seen_otherwise(channel, named, role, weight, belief)
        if against:
            doubts.extend(
                named_words or [f"the pixels look like {role.replace('_', ' ')}: {words[0]}"]
            )
            shown, confidence = (
                (role, 0.5)
                if belief > 0.6 and role not in ("roughness", "gloss")
                else (named, 0.35)
            )
            return make_verdict(
                {group: shown, **alpha}, is_float, confidence, None, said, doubts, conflict=True
            )
        (said if weight >= 0 else doubts).extend(named_words)
        confidence = min(0.97, 0.86 + 0.04 * weight) if weight >= 0 else 0.7
        return make_verdict({group: named, **alpha}, is_float, confidence, None, said, doubts)
    said.extend(words)
    if role in ("roughness", "gloss"):
        role = "roughness"
        doubts.append(
            "it could be gloss as well: the pixels do not tell them apart; compare both on the "
            "stage"
        )
        belief = min(belief, 0.55)
        if related.creases:
            said.append(related.creases)
    if belief < SAY:
        doubts.append("neither name nor pixels say what this is")
        return make_verdict({group: "unknown"}, is_float, belief, None, said, doubts)
    return make_verdict(
        {group: role}, is_float, min(belief, 0.9 if role == "height" else 0.7), None, said, doubts
    )


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


def _remarks(facts: Facts, verdict: Verdict) -> list[str]:
    """What else the pixels say that a person should know, whatever the map holds."""
    s, header = facts.statistics, facts.header
    found = []
    if header.bits == 16 and not header.is_float and not s.low_byte:
        found.append("a 16-bit file that uses only 8 bits")
    if len(s.channels) >= 3 and s.equal_channels:
        found.append("R, G and B are the same picture: one grey channel would do")
    if s.channels[-1].name == "a" and s.channels[-1].is_constant:
        found.append(f"alpha is {s.channels[-1].mean:.2f} everywhere and says nothing")
    if verdict.role == "base_color" and len(s.channels) >= 3 and not s.equal_channels:
        brightness = sum(channel.mean for channel in s.channels[:3]) / 3
        if brightness < 0.06 and s.colourfulness > 0.01:
            found.append("very dark for a base colour: it may have been saved as linear")
        if s.large_scale > ev.LIGHT_PAINTED:
            found.append(
                f"brightness changes by {100 * s.large_scale:.0f} % over large areas: light or "
                "shadow may be painted in "
                "(large patches of two materials look the same to this measure)"
            )
    return found
