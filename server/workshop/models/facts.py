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


class MapFacts(models.Model):
    """What a map's pixels say."""

    sha256 = models.CharField(primary_key=True, max_length=64)
    bytes = models.BigIntegerField()
    facts = models.JSONField()

    @classmethod
    def known(cls, contents: Iterable[str]) -> dict[str, MapFacts]:
        """Facts by content, in one query; those of older measures count as not known."""
        rows = cls.objects.filter(sha256__in=set(contents), facts__statistics__version=VERSION)
        return {row.sha256: row for row in rows}

    @classmethod
    def keep(cls, sha256: str, size: int, facts: Facts) -> None:
        """Keep a map's facts."""
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

    @staticmethod
    def dump(slots: list[SlotFacts], faults: list[Fault]) -> tuple[Any, Any]:
        """Slots and faults as plain JSON values."""
        return _SLOTS.dump_python(slots, mode="json"), _FAULTS.dump_python(faults, mode="json")
