"""What people have to say to each other about a thing of a project."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from server.workshop.models.project import Project


class Note(models.Model):
    """A note at a map, an input, a slot, a finding or a cell of a trial, or an answer to one."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="notes")
    answers = models.ForeignKey("self", null=True, on_delete=models.CASCADE, related_name="replies")
    kind = models.CharField(max_length=10)
    """What it is at: `map`, `material`, `input`, `slot`, `mesh`, `finding`, `cell` or `project`."""
    place = models.JSONField(default=list)
    """The names that lead there, as `["dome", "copper", "roughness"]`."""
    text = models.TextField(max_length=4000)
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    made = models.DateTimeField(auto_now_add=True)
    closed = models.DateTimeField(null=True)
    closed_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )

    class Meta:
        ordering = ["made"]
