"""Packages that were exported, and their trials."""

from __future__ import annotations

from django.db import models

from server.workshop.models.ordered import OrderedJSON
from server.workshop.models.project import Project, Revision


class Package(models.Model):
    """One exported package; it is there once it is complete, until it is removed."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="packages")
    revision = models.ForeignKey(Revision, on_delete=models.CASCADE)
    target = models.CharField(max_length=60)
    files = OrderedJSON(default=list)
    seconds = models.FloatField(default=0.0)
    complete = models.BooleanField(default=False)
    brought_in = models.CharField(max_length=200, blank=True, default="")
    """The name of the file that it came in as, for a package that was made elsewhere."""
    trial = OrderedJSON(null=True)
    stored = models.JSONField(default=dict)
    """Where several machines share a store: the contents of its folder, by path there."""
    removed = models.DateTimeField(null=True)
    """When a person took it away; it can be brought back until the collector comes."""
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made"]
