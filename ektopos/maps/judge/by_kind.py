"""Which kind of picture a map is decides who judges it."""

from __future__ import annotations

from dataclasses import replace

from ektopos.document import COLOUR_ROLES
from ektopos.maps import evidence as ev
from ektopos.maps.judge.by_person import declared_by_person
from ektopos.maps.judge.colour import judge_colour
from ektopos.maps.judge.grey import judge_grey
from ektopos.maps.judge.normal import judge_normal, judge_object_normal
from ektopos.maps.judge.observations import MapObservations, Words, words_against, words_for
from ektopos.maps.judge.packed import judge_packed
from ektopos.maps.judge.remarks import with_remarks
from ektopos.maps.names import NameReading, udim_of
from ektopos.maps.relations import Related
from ektopos.maps.roles import MATERIALS_TOO
from ektopos.maps.verdict import Facts, Verdict, declared_as

GUESSED = 0.5
"""How sure a verdict is at the most where the pixels fit another kind of map as well."""


def judge(facts: Facts, reading: NameReading, related: Related | None = None) -> Verdict:
    """The verdict on one map from its measures, the reading of its name, and how it relates to the
    maps it came with."""
    if reading.by_rule:
        source = f"this project’s rule “…{reading.word}”"
        verdict = declared_by_person(
            facts, reading.roles, reading.encoding, reading.normal_y, source
        )
    else:
        verdict = _by_kind(MapObservations(facts, _doubted(facts, reading), related or Related()))
    return with_remarks(facts, verdict)


def _doubted(facts: Facts, reading: NameReading) -> NameReading:
    """The reading without its role, where the whole name is a word that means a material as well
    as a role (`metal.png`) and the picture is stored in colour."""
    alone = not any(word.isalpha() for word in reading.set_words)
    stored_in_colour = len(facts.statistics.channels) >= 3
    if alone and stored_in_colour and reading.word.lower() in MATERIALS_TOO:
        return replace(reading, roles={}, set_words=(reading.word, *reading.set_words))
    return reading


def _by_kind(case: MapObservations) -> Verdict:
    s, reading = case.measures, case.reading
    words = Words()
    if reading.roles:
        words += words_for(f"name says {declared_as(reading.roles)} (“{reading.word}”)")
    if tile := udim_of(reading.noise):
        words += words_for(f"tile {tile} of a layout over several squares (UDIM)")
    if ev.is_panorama(case.facts.header) and not reading.roles:
        return _surroundings(case, words)
    if ev.is_object_normal(s):
        return judge_object_normal(case, words)
    if ev.reads_as_normal(s, named=case.named == "normal"):
        return judge_normal(case, words)
    if case.named == "normal" and ev.could_be_in_green_and_alpha(s):
        return _normals_in_alpha(case, words)
    if case.names_channels:
        return judge_packed(case, words)
    if not reading.roles and ev.is_palette(case.facts.header, s):
        return _palette(case, words)
    if not reading.roles and ev.could_be_in_green_and_alpha(s):
        words += words_against(
            "green and alpha could be y and x of normals, which could not be fed"
        )
        likely = _by_channels(case, words)
        return replace(likely, confidence=min(likely.confidence, GUESSED))
    return _by_channels(case, words)


def _by_channels(case: MapObservations, words: Words) -> Verdict:
    s = case.measures
    packed = ev.plainly_packed(s) if case.named in COLOUR_ROLES else ev.different_pictures(s)
    if packed:
        return judge_packed(case, words)
    return judge_grey(case, words) if ev.is_grey(s) else judge_colour(case, words)


def _normals_in_alpha(case: MapObservations, words: Words) -> Verdict:
    words += words_against(
        "it keeps y of its normals in green and x in alpha, which cannot be fed: save it with x in "
        "red, y in green and z in blue"
    )
    return case.verdict({"rgb": "unknown"}, 0.9, words)


def _palette(case: MapObservations, words: Words) -> Verdict:
    header = case.facts.header
    words += words_for(
        f"{header.width} × {header.height} texels of colours: a palette, which is a base colour"
    )
    return case.verdict({"rgb": "base_color"}, 0.8, words)


def _surroundings(case: MapObservations, words: Words) -> Verdict:
    words += words_for(
        "twice as wide as high and in floats: a panorama of surroundings, no map of a surface"
    )
    return case.verdict({"rgb": "unknown"}, 0.9, words)
