"""Folders of this machine that projects follow."""

from __future__ import annotations

from django.db import models

from server.workshop.models.project import Project


class Followed(models.Model):
    """A folder whose maps and meshes a project takes up whenever they are saved."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="followed")
    folder = models.CharField(max_length=1000)
    takes = models.BooleanField(default=False)
    """Whether new versions replace the current ones automatically; else they wait for a review."""
    seen = models.JSONField(default=dict)
    """By path below the folder: size and time of the file as it was last taken up."""
    links = models.JSONField(default=dict)
    """By path below the folder: the map or mesh that it is a version of."""
    problem = models.CharField(max_length=400, blank=True, default="")
    """Why it is not followed at the moment."""

    class Meta:
        ordering = ["folder"]
        constraints = [
            models.UniqueConstraint(fields=["project", "folder"], name="one_follow_a_folder")
        ]
