"""What the maps beside one say of it: a set has one base colour, so a grey picture of a set without
one is most likely that; and light on black beside a base colour is emission."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import PurePosixPath

from ektopos.base.names import in_words
from ektopos.document import Role
from ektopos.maps import evidence as ev
from ektopos.maps.names import NameReading, as_spelled, folder_of_set, is_nameless, means_nothing
from ektopos.maps.roles import encoding_of
from ektopos.maps.verdict import SURE, Facts, Verdict

BASE = 0.6
"""How sure a base colour can be that only its company tells."""
OPEN_ROLES = ("unknown", "roughness", "height", "occlusion", "emission")
"""What a grey or dark picture may be taken for, from its pixels alone, and still be a base
colour."""


@dataclass(frozen=True)
class SetContext:
    """Maps that came together: paths, readings of their names, sets, measures, in one order."""

    paths: Sequence[str]
    readings: Sequence[NameReading]
    sets: Sequence[str]
    facts: Sequence[Facts]

    @cached_property
    def folders(self) -> list[PurePosixPath]:
        """The folder of each map's set."""
        pairs = zip(self.paths, self.readings, strict=True)
        return [folder_of_set(path, reading) for path, reading in pairs]

    @cached_property
    def in_folder(self) -> Counter[PurePosixPath]:
        """How many maps each folder has."""
        return Counter(self.folders)


def separate_nameless_sets(
    paths: Sequence[str],
    readings: Sequence[NameReading],
    sets: Sequence[str],
    verdicts: Sequence[Verdict],
) -> list[str]:
    """The sets, with nameless maps told apart by their own names where those of a folder cannot be
    one set: two of them hold the same."""
    names = list(sets)
    members: dict[str, list[int]] = defaultdict(list)
    for i, name in enumerate(sets):
        if means_nothing(readings[i].set_words):
            members[name].append(i)
    for name, group in members.items():
        roles = Counter(verdicts[i].role for i in group if verdicts[i].confidence >= SURE)
        if max(roles.values(), default=0) > 1:
            for i in group:
                own = as_spelled(PurePosixPath(paths[i]).stem, readings[i])
                if own and own != name:
                    names[i] = f"{name}_{own}" if folder_of_set(paths[i], readings[i]).name else own
    return names


def resolve_from_set(company: SetContext, verdicts: Sequence[Verdict]) -> list[Verdict]:
    """The verdicts, once those that pixels leave open are decided by what stands beside them."""
    verdicts = _yielding(company, verdicts)
    settled = list(verdicts)
    for group in _together(company, verdicts):
        if any(_is_base(verdicts[i]) for i in group):
            for i in group:
                if verdicts[i].role == "emission" and not company.readings[i].roles:
                    settled[i] = _surer_emission(verdicts[i])
            continue
        if (chosen := _left_for_base(company, group, verdicts)) is not None:
            settled[chosen] = _as_base(company, chosen, verdicts[chosen], alone=len(group) == 1)
    return settled


def _yielding(company: SetContext, verdicts: Sequence[Verdict]) -> list[Verdict]:
    """The verdicts, where a guess never takes the place of a map whose name says what it is: a
    packed map without a name that would hold what others of its set are called."""
    named: dict[str, set[Role]] = defaultdict(set)
    for name, reading in zip(company.sets, company.readings, strict=True):
        named[name] |= set(reading.roles.values())
    yielding = list(verdicts)
    for i, verdict in enumerate(verdicts):
        taken = set(verdict.roles.values()) & named[company.sets[i]]
        if company.readings[i].roles or verdict.role != "packed" or not taken - {"unknown"}:
            continue
        words = ", ".join(sorted(in_words(role) for role in taken))
        has_base = "base_color" in named[company.sets[i]]
        yielding[i] = replace(
            verdict,
            roles={"rgb": "unknown" if has_base else "base_color"},
            encoding="linear" if has_base else encoding_of("base_color"),
            confidence=0.4 if has_base else BASE,
            doubts=(f"its set has maps that are called {words}", *verdict.doubts),
        )
    return yielding


def _together(company: SetContext, verdicts: Sequence[Verdict]) -> list[list[int]]:
    """Maps by sets; those whose names are codes by folders, where no two of them hold the same."""
    groups: dict[str, list[int]] = defaultdict(list)
    coded: dict[PurePosixPath, list[int]] = defaultdict(list)
    for i, name in enumerate(company.sets):
        reading = company.readings[i]
        nameless = is_nameless(reading.set_words) and not reading.roles
        folder = company.folders[i]
        (coded[folder] if nameless and folder.name else groups[name]).append(i)
    joined = list(groups.values())
    for group in coded.values():
        roles = Counter(verdicts[i].role for i in group if not _is_open(verdicts[i], alone=False))
        joined += [[i] for i in group] if max(roles.values(), default=0) > 1 else [group]
    return joined


def _is_base(verdict: Verdict) -> bool:
    return verdict.roles.get("rgb", verdict.roles.get("r")) == "base_color"


def _left_for_base(
    company: SetContext, group: Sequence[int], verdicts: Sequence[Verdict]
) -> int | None:
    """The one map of a set without base colour that can only be it; `None` where several could."""
    alone = len(group) == 1
    if alone and not _says_something(company, group[0]):
        return group[0] if _is_what_is_left(company.facts[group[0]], verdicts[group[0]]) else None
    left = [
        i
        for i in group
        if not company.readings[i].roles
        and _is_open(verdicts[i], alone=alone)
        and not _is_two_valued(company.facts[i])
    ]
    coloured = [i for i in left if not ev.is_grey(company.facts[i].statistics)]
    stored = [i for i in left if company.facts[i].header.channels >= 3]
    for best in (coloured, stored, left):
        if best:
            return best[0] if len(best) == 1 else None
    return None


def _says_something(company: SetContext, i: int) -> bool:
    """Whether a map that is a set of its own is called like a thing, or lies alone in its
    folder."""
    words = company.readings[i].set_words
    if not is_nameless(words):
        return True
    folder = company.folders[i]
    return bool(folder.name) and company.in_folder[folder] == 1


def _is_what_is_left(facts: Facts, verdict: Verdict) -> bool:
    """Whether a map that nothing is known of is stored in colour and fits no quantity, or is grey
    light on black, as dark colours with a few marks are as well."""
    main = next(iter(verdict.roles.values()), "unknown")
    return (
        facts.header.channels >= 3
        and (main == "unknown" or (main == "emission" and ev.is_grey(facts.statistics)))
        and _is_open(verdict, alone=False)
    )


def _is_two_valued(facts: Facts) -> bool:
    """Whether a grey picture is only black and white, as masks are and base colours are not."""
    s = facts.statistics
    return ev.is_grey(s) and s.channels[0].two_valued > 0.9


def _is_open(verdict: Verdict, *, alone: bool) -> bool:
    single = len(set(verdict.roles) - {"a"}) == 1
    roles = OPEN_ROLES + (("metallic", "opacity") if alone else ())
    main = next(iter(verdict.roles.values()), "unknown")
    return single and main in roles and verdict.confidence <= 0.75


def _as_base(company: SetContext, i: int, verdict: Verdict, *, alone: bool) -> Verdict:
    facts = company.facts[i]
    group = "rgb" if facts.header.channels >= 3 else "r"
    alpha = {"a": verdict.roles["a"]} if "a" in verdict.roles else {}
    instead = in_words(next(iter(verdict.roles.values()), "unknown"))
    return replace(
        verdict,
        roles={group: "base_color", **alpha},
        encoding=encoding_of("base_color", is_float=facts.header.is_float),
        confidence=BASE - 0.05 * alone,
        evidence=(
            "it has no map beside it and its name says no role: most such maps are base colours"
            if alone
            else "its set has no base colour, and this is the only map that can be it",
            *verdict.evidence,
        ),
        doubts=(
            *([f"by its pixels it could be {instead} as well"] if instead != "unknown" else []),
            *verdict.doubts,
        ),
    )


def _surer_emission(verdict: Verdict) -> Verdict:
    return replace(
        verdict,
        confidence=max(verdict.confidence, 0.72),
        evidence=(*verdict.evidence, "its set has a base colour already"),
    )
