"""Folders of this machine that projects may use, in team mode."""

from __future__ import annotations

from django.db import models

from server.workshop.models.project import Project


class GrantedFolder(models.Model):
    """A folder below which a project may follow and deliver: an administrator says so."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="granted_folders")
    folder = models.CharField(max_length=1000)

    class Meta:
        ordering = ["folder"]
        constraints = [
            models.UniqueConstraint(fields=["project", "folder"], name="one_grant_a_folder")
        ]
