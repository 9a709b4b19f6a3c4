"""Files that came in under names that a project has, and wait to be taken."""

from __future__ import annotations

from django.db import models

from server.workshop.models.ordered import OrderedJSON
from server.workshop.models.project import Project


class Offer(models.Model):
    """A file with another content than the map or mesh of its name; the project is as it was until
    a person has taken it, and each name has one at the most."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="offers")
    kind = models.CharField(max_length=8)
    """`map` or `mesh`."""
    name = models.CharField(max_length=200)
    """The map or mesh that it would replace."""
    path = models.CharField(max_length=1000)
    """As it came."""
    sha256 = models.CharField(max_length=64)
    parts = models.JSONField(default=dict)
    """Of a mesh: contents of the files that it refers to, by the paths it gives them."""
    entry = OrderedJSON(default=dict)
    """What it would be in the document by itself, beside the old one."""
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["made"]
        constraints = [
            models.UniqueConstraint(fields=["project", "kind", "name"], name="one_offer_a_name")
        ]
