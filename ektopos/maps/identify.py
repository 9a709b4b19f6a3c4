"""One verdict on every map, from names and pixels together, with its evidence in plain words."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from math import exp
from pathlib import Path
from typing import Any

from ektopos.document import ROLES, Role
from ektopos.images import Image, ImageHeader, read_header, read_image
from ektopos.maps import evidence as ev
from ektopos.maps.names import Reading, read_names, set_name
from ektopos.maps.roles import SPREAD, encoding_of
from ektopos.maps.statistics import ChannelFacts, Statistics, measure
from ektopos.types import Encoding, NormalY

SURE = 0.75
"""Confidence below which a map is shown as unsure."""
SAY = 0.5
"""Confidence below which pixels alone say nothing."""
_GREY_ROLES: tuple[Role, ...] = ("metallic", "opacity", "occlusion", "height", "roughness", "gloss", "emission")


@dataclass(frozen=True)
class Verdict:
    """What a map is, how sure that is, and why."""

    roles: dict[str, Role]
    """Role by channel group, as the document keeps it."""
    encoding: Encoding
    confidence: float
    normal_y: NormalY | None
    evidence: tuple[str, ...]
    """What speaks for it."""
    doubts: tuple[str, ...] = ()
    """What speaks against it, or cannot be told."""
    conflict: bool = False
    """Whether name and pixels contradict each other."""

    @property
    def role(self) -> str:
        """The map's one role, or `packed`."""
        held = set(self.roles.values())
        if not held:
            return "unknown"
        return "packed" if len(self.roles) > 1 or not (set(self.roles) & {*SPREAD, "r"}) else next(iter(held))


@dataclass(frozen=True)
class Facts:
    """Everything about one map's pixels that does not depend on its name. Kept by content."""

    header: ImageHeader
    statistics: Statistics
    notes: tuple[str, ...] = field(default=())


def facts_of(path: Path) -> Facts:
    """Read and measure a map. Raises `UnreadableFile` or `TooLarge`."""
    header = read_header(path)
    image = read_image(path)
    return facts_of_image(header, image)


def facts_of_image(header: ImageHeader, image: Image) -> Facts:
    """Measure a decoded map."""
    return Facts(header, measure(image), tuple(dict.fromkeys((*header.notes, *image.notes))))


def judge(facts: Facts, reading: Reading) -> Verdict:
    """The verdict on one map from its measures and the reading of its name."""
    s = facts.statistics
    is_float = facts.header.is_float
    said: list[str] = []
    doubts: list[str] = []
    if reading.roles:
        said.append(f"name says {_said_as(reading.roles)} (“{reading.word}”)")
    if ev.is_normal(s):
        return _judge_normal(facts, reading, said, doubts)
    if len(reading.roles) > 1:
        return _judge_packed(facts, reading, said, doubts)
    named = next(iter(reading.roles.values()), None)
    if named == "normal":
        doubts.append(f"only {100 * s.unit_length:.0f} % of texels have unit length, a normal map has nearly all")
        weak = s.unit_length < 0.3 or s.upward < 0.7
        return _verdict({"rgb": "normal"}, is_float, 0.3 if weak else 0.7, None, said, doubts, conflict=weak)
    if ev.different_pictures(s) and named not in ("base_color", "emission", "specular", "subsurface", "mask"):
        return _judge_packed(facts, reading, said, doubts)
    if not ev.is_grey(s):
        return _judge_colour(facts, reading, named, said, doubts)
    return _judge_grey(facts, reading, named, said, doubts)


def _judge_normal(facts: Facts, reading: Reading, said: list[str], doubts: list[str]) -> Verdict:
    s = facts.statistics
    said.append(f"{100 * s.unit_length:.1f} % of texels have unit length")
    named = next(iter(reading.roles.values()), None)
    conflict = named not in (None, "normal")
    if conflict:
        doubts.append(f"the name says {_said_as(reading.roles)}, the pixels are normals")
    roles: dict[str, Role] = {"rgb": "normal"}
    if "a" in reading.roles:
        roles["a"] = reading.roles["a"]
    direction = _green_direction(s, reading, said, doubts)
    confidence = 0.8 if conflict else 0.99 if named else 0.96
    return _verdict(roles, facts.header.is_float, confidence, direction, said, doubts, conflict=conflict)


def _green_direction(s: Statistics, reading: Reading, said: list[str], doubts: list[str]) -> NormalY | None:
    curl = s.curl
    if curl is None or curl.strength < ev.CURL_LEAST or abs(curl.correlation) < ev.CURL_SURE:
        if reading.normal_y:
            said.append(f"name says green points {_way(reading.normal_y)}; the pixels cannot tell")
        else:
            doubts.append("which way green points cannot be told: the slopes fit no height field")
        return reading.normal_y
    seen: NormalY = "+" if curl.correlation > 0 else "-"
    said.append(f"green points {_way(seen)} ({seen}Y): slopes agree with a height field, {curl.correlation:+.2f}")
    if reading.normal_y and reading.normal_y != seen:
        doubts.append(f"the name says green points {_way(reading.normal_y)}, the pixels say {_way(seen)}")
    return seen


def _judge_colour(facts: Facts, reading: Reading, named: Role | None, said: list[str], doubts: list[str]) -> Verdict:
    s = facts.statistics
    colourful = f"coloured: R, G and B differ by {100 * s.colourfulness:.0f} % of the range"
    if named in ("base_color", "emission", "specular", "subsurface", "mask"):
        said.append(colourful)
        alpha = _alpha_role(facts, said, doubts) if named == "base_color" else {}
        return _verdict({"rgb": named, **alpha}, facts.header.is_float, 0.95, None, said, doubts)
    if named is not None and s.colourfulness > 0.06:
        doubts.append(f"{colourful}, which {_said_as({'rgb': named})} is not")
        return _verdict({"rgb": named}, facts.header.is_float, 0.4, None, said, doubts, conflict=True)
    if named is not None:
        return _verdict({"rgb": named}, facts.header.is_float, 0.8, None, said, doubts)
    brightness = max(channel.at_zero for channel in s.channels[:3])
    said.append(colourful)
    dark = min(channel.at_zero for channel in s.channels[:3])
    if dark > 0.7:
        said.append(f"black over {100 * dark:.0f} %")
        return _verdict({"rgb": "emission"}, facts.header.is_float, 0.6, None, said, doubts)
    alpha = _alpha_role(facts, said, doubts)
    return _verdict(
        {"rgb": "base_color", **alpha}, facts.header.is_float, 0.85 if brightness < 0.7 else 0.6, None, said, doubts
    )


def _alpha_role(facts: Facts, said: list[str], doubts: list[str]) -> dict[str, Role]:
    s = facts.statistics
    if len(s.channels) != 4:
        return {}
    alpha = s.channels[3]
    if alpha.is_constant:
        if alpha.low > 0.99:
            doubts.append("alpha is 1 everywhere and says nothing")
        return {}
    if alpha.two_valued > 0.9:
        said.append(f"alpha has sharp areas of 0 and 1 ({100 * alpha.two_valued:.0f} %): opacity")
        return {"a": "opacity"}
    doubts.append("alpha holds something between 0 and 1: opacity, gloss or height")
    return {"a": "opacity" if alpha.two_valued > 0.5 else "unknown"}


def _judge_packed(facts: Facts, reading: Reading, said: list[str], doubts: list[str]) -> Verdict:
    s = facts.statistics
    names = [channel.name for channel in s.channels]
    known = [(pair, c) for pair, c in zip(("R–G", "R–B", "G–B"), s.correlations, strict=True) if c is not None]
    if ev.different_pictures(s):
        said.append("different pictures: correlation " + ", ".join(f"{pair} {c:.2f}" for pair, c in known))
    if len(reading.roles) > 1:
        roles = {c: r for c, r in reading.roles.items() if c in names or c in SPREAD or (c == "r" and names[0] == "r")}
        confidence = 0.93
        if s.equal_channels and set(roles) - {*SPREAD, "a"}:
            doubts.append("R, G and B are the same picture, so it holds one quantity, not several")
            return _verdict(roles, facts.header.is_float, 0.35, None, said, doubts, conflict=True)
        for channel in s.channels:
            held = roles.get(channel.name)
            if held:
                weight, words = _weigh(channel, held)
                (said if weight >= 0 else doubts).extend(f"{channel.name.upper()}: {text}" for text in words)
                confidence -= 0.3 if weight < -1.5 else 0.0
        if "roughness" in roles.values():
            doubts.append("roughness is read by order; from its pixels alone it could be gloss")
        return _verdict(roles, facts.header.is_float, max(confidence, 0.3), None, said, doubts, conflict=confidence < 0.6)
    guessed: dict[str, Role] = {}
    least = 1.0
    for channel in s.channels:
        if channel.is_constant and channel.name == "a":
            continue
        role, confidence, words = _best_grey(channel, taken=set(guessed.values()))
        guessed[channel.name] = role if confidence >= SAY else "unknown"
        least = min(least, confidence)
        said.extend(f"{channel.name.upper()}: {text}" for text in words)
    doubts.append("the order of a packed map is guessed from its pixels: roughness and gloss look alike")
    return _verdict(guessed, facts.header.is_float, min(least, 0.7), None, said, doubts)


def _judge_grey(facts: Facts, reading: Reading, named: Role | None, said: list[str], doubts: list[str]) -> Verdict:
    s = facts.statistics
    channel = s.channels[0]
    group = "rgb" if len(s.channels) >= 3 else "r"
    if len(s.channels) >= 3:
        said.append("R, G and B are the same picture: one grey channel would do")
    if named is not None:
        weight, words = _weigh(channel, named)
        (said if weight >= 0 else doubts).extend(words)
        best, best_confidence, best_words = _best_grey(channel, taken=set())
        conflict = weight < -1.5 and best_confidence > 0.6 and best != named
        if conflict:
            doubts.append(f"from its pixels it looks like {_said_as({'r': best})}: {'; '.join(best_words)}")
        if named in ("roughness", "gloss"):
            doubts.append(f"{_said_as({'r': named})} by name; its pixels alone could be the other")
        confidence = 0.35 if conflict else min(0.97, 0.85 + 0.05 * weight) if weight >= 0 else 0.7
        return _verdict({group: named}, facts.header.is_float, confidence, None, said, doubts, conflict=conflict)
    role, confidence, words = _best_grey(channel, taken=set())
    said.extend(words)
    if role in ("roughness", "gloss"):
        doubts.append("roughness and gloss cannot be told apart from pixels: compare both on the stage")
    if confidence < SAY:
        doubts.append("neither name nor pixels say what this is")
        return _verdict({group: "unknown"}, facts.header.is_float, confidence, None, said, doubts)
    return _verdict({group: role}, facts.header.is_float, min(confidence, 0.7), None, said, doubts)


def _weigh(channel: ChannelFacts, role: Role) -> tuple[float, list[str]]:
    """Log-odds of a role for one channel and the words of what decided it."""
    found = [sign for sign in ev.SIGNS if sign.role == role and sign.holds(channel)]
    total = sum(sign.weight for sign in found)
    return total, [sign.words(channel) for sign in found if (sign.weight >= 0) == (total >= 0)]


def _best_grey(channel: ChannelFacts, taken: set[Role]) -> tuple[Role, float, list[str]]:
    """The role that a channel's pixels fit best, its share of the belief, and why."""
    weights = {role: _weigh(channel, role) for role in _GREY_ROLES if role not in taken}
    role = max(weights, key=lambda name: weights[name][0])
    # The 1 stands for every role that is not listed.
    total = 1.0 + sum(exp(weight) for weight, _ in weights.values())
    return role, exp(weights[role][0]) / total, weights[role][1]


def _verdict(
    roles: Mapping[Any, Role], is_float: bool, confidence: float, normal_y: NormalY | None,
    said: list[str], doubts: list[str], *, conflict: bool = False,
) -> Verdict:  # fmt: skip
    main = next(iter(roles.values()), "unknown")
    encoding = encoding_of(main, is_float=is_float) if set(roles) & set(SPREAD) else "linear"
    return Verdict(dict(roles), encoding, round(confidence, 3), normal_y, tuple(said), tuple(doubts), conflict)


def _said_as(roles: Mapping[Any, Role]) -> str:
    return " · ".join(role.replace("_", " ").replace("color", "colour") for role in roles.values())


def _way(normal_y: NormalY) -> str:
    return "up" if normal_y == "+" else "down"


def channel_roles(roles: Mapping[Any, Role], channels: int) -> dict[str, Role | None]:
    """Role of each of the letters r, g, b and a; `None` where the file has no such channel."""
    present = {1: "r", 2: "ra", 3: "rgb", 4: "rgba"}[channels]
    found: dict[str, Role | None] = {}
    for letter in "rgba":
        covering = [role for group, role in roles.items() if letter in group]
        found[letter] = (covering[0] if covering else None) if letter in present else None
    return found


def identify(paths: list[tuple[str, Path]], facts: dict[str, Facts]) -> list[tuple[str, Verdict, str]]:
    """Verdicts on measured maps: for each `(name as given, file)` whose facts are known, its verdict and its set's name."""
    known = [given for given, _ in paths if given in facts]
    read = read_names(known)
    return [(g, judge(facts[g], reading), set_name(g, reading)) for g, reading in zip(known, read, strict=True)]


assert set(_GREY_ROLES) <= set(ROLES)
