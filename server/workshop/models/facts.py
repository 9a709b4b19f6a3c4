"""Facts measured once for each content."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db import models
from pydantic import TypeAdapter

from ektopos.maps import Facts
from ektopos.maps.statistics import VERSION
from ektopos.meshes import Fault, SlotFacts

_FACTS = TypeAdapter(Facts)
_SLOTS = TypeAdapter(list[SlotFacts])
_FAULTS = TypeAdapter(list[Fault])
KEPT = 4096
"""Facts of maps that a process remembers."""
_values: dict[str, Facts] = {}


class MapFacts(models.Model):
    """What a map's pixels say."""

    sha256 = models.CharField(primary_key=True, max_length=64)
    bytes = models.BigIntegerField()
    facts = models.JSONField()

    measured_again = 0
    """How often this process has measured what it knew: what it has made of facts is out of date
    then."""

    @classmethod
    def known(cls, contents: Iterable[str]) -> dict[str, MapFacts]:
        """Facts by content, in one query; those of older measures count as not known."""
        rows = cls.objects.filter(sha256__in=set(contents), facts__statistics__version=VERSION)
        return {row.sha256: row for row in rows}

    @classmethod
    def values(cls, contents: Iterable[str]) -> dict[str, Facts]:
        """The facts themselves by content. They never change, so those that this process has read
        are not asked for again."""
        wanted = set(contents)
        missing = wanted - _values.keys()
        for sha, row in cls.known(missing).items() if missing else ():
            _values[sha] = row.value()
        found = {sha: _values[sha] for sha in wanted if sha in _values}
        while len(_values) > KEPT:
            _values.pop(next(iter(_values)))
        return found

    @classmethod
    def sizes(cls, contents: Iterable[str]) -> dict[str, int]:
        """Bytes by content, of those that are known."""
        rows = cls.objects.filter(sha256__in=set(contents))
        return dict(rows.values_list("sha256", "bytes"))

    @classmethod
    def keep(cls, sha256: str, size: int, facts: Facts) -> None:
        """Keep a map's facts."""
        if _values.pop(sha256, None) is not None:
            cls.measured_again += 1
        stored = _FACTS.dump_python(facts, mode="json")
        cls.objects.update_or_create(sha256=sha256, defaults={"bytes": size, "facts": stored})

    def value(self) -> Facts:
        """The facts as the core knows them."""
        return _FACTS.validate_python(self.facts)


class MeshFacts(models.Model):
    """What a mesh's geometry says. The key is the hash of the file, those it refers to, and what is
    done to it."""

    key = models.CharField(primary_key=True, max_length=64)
    name = models.CharField(max_length=200)
    triangles = models.IntegerField()
    size = models.JSONField()
    notes = models.JSONField(default=list)
    slots = models.JSONField()
    faults = models.JSONField()
    source = models.JSONField(default=dict)
    """What it was made from, so that its geometry can be made again: `file`, `parts` (content by
    path), `steps`."""

    def look(self) -> tuple[tuple[SlotFacts, ...], tuple[Fault, ...]]:
        """Slots and faults as the core knows them; faults without their faces."""
        faults = [fault | {"faces": []} for fault in self.faults]
        return tuple(_SLOTS.validate_python(self.slots)), tuple(_FAULTS.validate_python(faults))

    @staticmethod
    def dump(slots: list[SlotFacts], faults: list[Fault]) -> tuple[Any, Any]:
        """Slots and faults as plain JSON values."""
        return _SLOTS.dump_python(slots, mode="json"), _FAULTS.dump_python(faults, mode="json")
