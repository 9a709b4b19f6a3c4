"""What speaks for and against what a person has said of a map."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ektopos.base.types import Encoding, NormalY
from ektopos.document import COLOUR_ROLES, Role
from ektopos.maps import evidence as ev
from ektopos.maps.judge.observations import Words, weighed, words_for
from ektopos.maps.judge.remarks import with_remarks
from ektopos.maps.roles import encoding_of_roles
from ektopos.maps.verdict import Facts, Verdict, coloured, curl_way, way, weigh


def recheck(
    facts: Facts,
    roles: Mapping[Any, Role],
    encoding: Encoding,
    normal_y: NormalY | None,
    source: str = "you said so",
) -> Verdict:
    """What speaks for and against what a person, or the file that uses a map (`source`), has said
    of it. It stays as it was said, whatever the pixels say."""
    return with_remarks(facts, declared_by_person(facts, roles, encoding, normal_y, source))


def declared_by_person(
    facts: Facts,
    roles: Mapping[Any, Role],
    encoding: str | None,
    normal_y: NormalY | None,
    source: str,
) -> Verdict:
    """The verdict that a person has given, by word or by rule, with what the pixels say to it."""
    words = words_for(source)
    for group, role in roles.items():
        words += _against_pixels(facts, str(group), role, normal_y, several=len(roles) > 1)
    usual = encoding_of_roles(roles, is_float=facts.header.is_float)
    return Verdict(
        dict(roles),
        "srgb" if encoding == "srgb" else "linear" if encoding else usual,
        1.0,
        normal_y,
        words.evidence,
        words.doubts,
    )


def _against_pixels(
    facts: Facts, group: str, role: Role, normal_y: NormalY | None, *, several: bool
) -> Words:
    s = facts.statistics
    if role == "normal":
        return _normal_against_pixels(facts, normal_y)
    if role in COLOUR_ROLES:
        colour = not ev.is_grey(s)
        text = coloured(s) if colour else "no colour in it"
        return weighed([text], fits=colour or role == "specular")
    letter = group if len(group) == 1 else "r"
    channel = next((c for c in s.channels if c.name == letter), s.channels[0])
    weight, texts = weigh(channel, role)
    prefix = f"{letter.upper()}: " if several else ""
    return weighed([prefix + text for text in texts], fits=weight >= 0)


def _normal_against_pixels(facts: Facts, normal_y: NormalY | None) -> Words:
    s = facts.statistics
    words = weighed(
        [f"{100 * s.unit_length:.1f} % of texels have unit length"], fits=ev.is_normal(s)
    )
    seen = curl_way(s)
    if seen is not None and s.curl is not None:
        text = (
            f"green points {way(seen)} ({seen}Y): slopes agree with a height field, "
            f"{s.curl.correlation:+.2f}"
        )
        words += weighed([text], fits=normal_y in (None, seen))
    return words
