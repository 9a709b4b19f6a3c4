"""What was done by whom: written once, never changed."""

from __future__ import annotations

from datetime import timedelta
from typing import Any, Self

from django.db import models
from django.utils import timezone


class _Kept(models.QuerySet["AuditEvent"]):
    """Rows that nothing changes or removes before their time."""

    def update(self, **values: Any) -> int:
        """Raises `TypeError`."""
        raise TypeError("what was done is not changed afterwards")

    def delete(self) -> tuple[int, dict[str, int]]:
        """Raises `TypeError`."""
        raise TypeError("what was done is not taken away; `forget` does, after its time")

    def older_than(self, days: float) -> Self:
        """Those of before so many days."""
        return self.filter(when__lt=timezone.now() - timedelta(days=days))

    def forget(self, days: float) -> int:
        """Take away what is older than so many days; gives how many rows that were."""
        return int(self.older_than(days)._raw_delete(self.db))


class AuditEvent(models.Model):
    """Something that somebody did, or tried. Names stand as they were then, for people and projects
    may go."""

    when = models.DateTimeField(auto_now_add=True, db_index=True)
    kind = models.CharField(max_length=40)
    who = models.CharField(max_length=254, blank=True, default="")
    project = models.UUIDField(null=True)
    about = models.CharField(max_length=300, blank=True, default="")
    """The project, account or the like that it is about."""
    details = models.JSONField(default=dict)
    address = models.CharField(max_length=64, blank=True, default="")
    """Where the request came from."""

    objects = _Kept.as_manager()

    class Meta:
        ordering = ["-when", "-pk"]

    def save(self, *args: Any, **kwargs: Any) -> None:
        """Once. Raises `TypeError` later."""
        if self.pk is not None:
            raise TypeError("what was done is not changed afterwards")
        super().save(*args, **kwargs)

    def delete(self, *args: Any, **kwargs: Any) -> tuple[int, dict[str, int]]:
        """Raises `TypeError`."""
        raise TypeError("what was done is not taken away")

    def as_json(self) -> dict[str, Any]:
        """A line of the export."""
        return {
            "when": self.when.isoformat(),
            "kind": self.kind,
            "who": self.who,
            "project": str(self.project) if self.project else None,
            "about": self.about,
            "details": self.details,
            "address": self.address,
        }
