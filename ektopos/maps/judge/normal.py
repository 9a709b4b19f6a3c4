"""Maps of normals, in tangent space and in object space."""

from __future__ import annotations

from dataclasses import replace

from ektopos.base.types import NormalY
from ektopos.document import Role
from ektopos.maps import evidence as ev
from ektopos.maps.judge.observations import MapObservations, Words, words_against, words_for
from ektopos.maps.verdict import Verdict, curl_way, declared_as, way


def judge_normal(case: MapObservations, words: Words) -> Verdict:
    """Normals in tangent space: which way green points, and whether they were saved as colour."""
    s = case.measures
    saved_as_colour = ev.is_normal_saved_as_colour(s)
    conflict = case.named not in (None, "normal")
    words += _looks_like_normals(case, saved_as_colour=saved_as_colour)
    if conflict:
        words += words_against(
            f"the name says {declared_as(case.reading.roles)}, the pixels are normals"
        )
    direction, green = _green_direction(case)
    roles: dict[str, Role] = {"rgb": "normal", **case.named_alpha}
    plain = ev.is_normal(s) and not conflict
    confidence = (0.99 if case.named else 0.96) if plain else 0.9 if case.named == "normal" else 0.8
    verdict = replace(
        case.verdict(roles, confidence, words + green, conflict=conflict), normal_y=direction
    )
    return replace(verdict, encoding="srgb") if saved_as_colour else verdict


def judge_object_normal(case: MapObservations, words: Words) -> Verdict:
    """Normals in object space: named as what they are, and not to be fed as others are."""
    fits = case.named in (None, "normal")
    words += words_for(
        f"object space: {100 * case.measures.unit_length:.1f} % of texels have unit length, and "
        "they point to all sides"
    )
    words += words_against(
        "a material takes normals in tangent space: bake it to that, or feed another map"
    )
    verdict = case.verdict({"rgb": "normal"}, 0.9 if fits else 0.6, words, conflict=not fits)
    return replace(verdict, space="object")


def _looks_like_normals(case: MapObservations, *, saved_as_colour: bool) -> Words:
    s = case.measures
    if saved_as_colour:
        return words_against(
            "saved as if it were colour: only decoded from sRGB do its texels have unit length"
        )
    if ev.is_two_channel_normal(s):
        return words_for("R and G are x and y of normals; blue says nothing, and follows from them")
    if s.unit_length > 0.5:
        return words_for(f"{100 * s.unit_length:.1f} % of texels have unit length")
    if s.unit_error < ev.UNIT_ERROR:
        return words_for(
            f"three quarters of the texels are within {s.unit_error:.2f} of unit length, as in a "
            "compressed normal map"
        )
    return words_for(
        "red and green lie around the middle and blue is high, as in a normal map"
    ) + words_against(
        f"its normals are not of unit length (three quarters within {s.unit_error:.2f}): resized, "
        "compressed or exaggerated"
    )


def _green_direction(case: MapObservations) -> tuple[NormalY | None, Words]:
    s, stated, related = case.measures, case.reading.normal_y, case.related
    seen = curl_way(s)
    words = Words()
    if seen is not None and s.curl is not None:
        words = words_for(
            f"green points {way(seen)} ({seen}Y): slopes agree with a height field, "
            f"{s.curl.correlation:+.2f}"
        )
    elif related.normal_y is not None:
        seen = related.normal_y
        words = words_for(
            f"green points {way(seen)} ({seen}Y): its slopes are those of {related.other}"
        )
    if seen is None and stated:
        return stated, words_for(f"name says green points {way(stated)}; the pixels cannot tell")
    if seen is None:
        return None, words_against(
            "which way green points cannot be told: the slopes fit no height field"
        )
    if stated and stated != seen:
        words += words_against(
            f"the name says green points {way(stated)}, the pixels say {way(seen)}"
        )
    return seen, words
