"""What a judgement starts from, and the words that it ends with."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from ektopos.document import Role
from ektopos.maps.names import NameReading
from ektopos.maps.relations import Related
from ektopos.maps.statistics import Statistics
from ektopos.maps.verdict import Facts, Verdict, make_verdict

SOLID = 0.995
"""Mean from which an even alpha says nothing: all of it is solid."""


@dataclass(frozen=True)
class MapObservations:
    """One map: its measures, the reading of its name, and how it relates to those beside it."""

    facts: Facts
    reading: NameReading
    related: Related = field(default_factory=Related)

    @property
    def measures(self) -> Statistics:
        """The measures of its pixels."""
        return self.facts.statistics

    @property
    def named(self) -> Role | None:
        """The role its name says first, if it says any."""
        return next(iter(self.reading.roles.values()), None)

    @property
    def names_channels(self) -> bool:
        """Whether its name says several roles, beyond a colour with its alpha."""
        roles = self.reading.roles
        return len(roles) > 1 and set(roles) != {"rgb", "a"}

    @property
    def named_alpha(self) -> dict[str, Role]:
        """What its name says of alpha, where the file has one."""
        alpha = self.measures.channels[-1]
        solid = alpha.is_constant and alpha.mean > SOLID
        says = "a" in self.reading.roles and alpha.name == "a" and not solid
        return {"a": self.reading.roles["a"]} if says else {}

    def verdict(
        self, roles: dict[str, Role], confidence: float, words: Words, *, conflict: bool = False
    ) -> Verdict:
        """A verdict with the encoding that its roles should have."""
        return make_verdict(
            roles,
            self.facts.header.is_float,
            confidence,
            None,
            words.evidence,
            words.doubts,
            conflict=conflict,
        )


@dataclass(frozen=True)
class Words:
    """What speaks for a judgement, and what against it or cannot be told."""

    evidence: tuple[str, ...] = ()
    doubts: tuple[str, ...] = ()

    def __add__(self, other: Words) -> Words:
        """Both, in order."""
        return Words(self.evidence + other.evidence, self.doubts + other.doubts)


def words_for(*evidence: str) -> Words:
    """Words for a judgement."""
    return Words(evidence)


def words_against(*doubts: str) -> Words:
    """Words against it."""
    return Words((), doubts)


def weighed(texts: Iterable[str], *, fits: bool) -> Words:
    """Words for a judgement if it fits, against it otherwise."""
    return words_for(*texts) if fits else words_against(*texts)
