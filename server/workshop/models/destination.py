"""Where a project's packages are delivered to on this machine."""

from __future__ import annotations

from django.db import models

from server.workshop.models.project import Project


class Destination(models.Model):
    """The folder that a target's package goes to, as an engine's project folder. It is of this
    machine, so it stands beside the document and not in it."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="destinations")
    target = models.CharField(max_length=60)
    folder = models.CharField(max_length=1000)
    by_itself = models.BooleanField(default=False)
    """Whether it is delivered after each new version of a file that is taken."""

    class Meta:
        ordering = ["target"]
        constraints = [
            models.UniqueConstraint(fields=["project", "target"], name="one_destination_a_target")
        ]
