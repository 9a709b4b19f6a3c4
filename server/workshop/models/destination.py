"""Where a project's packages are delivered to on this machine."""

from __future__ import annotations

from django.db import models, transaction

from server.workshop.models.project import Project


class Destination(models.Model):
    """The folder that a target's package goes to, as an engine's project folder. It is of this
    machine, so it stands beside the document and not in it."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="destinations")
    target = models.CharField(max_length=60)
    folder = models.CharField(max_length=1000)
    by_itself = models.BooleanField(default=False)
    """Whether it is delivered after each new version of a file that is taken."""
    files = models.JSONField(null=True, default=list)
    """Files that the folder has got from here, by their paths in it: what may be replaced and
    removed there. `None` for a row from before this was kept."""

    class Meta:
        ordering = ["target"]
        constraints = [
            models.UniqueConstraint(fields=["project", "target"], name="one_destination_a_target")
        ]

    @classmethod
    def towards(cls, project: Project, target: str, folder: str) -> Destination:
        """Where a target's package goes from now on. Of another folder nothing is known yet."""
        row, _ = cls._default_manager.get_or_create(
            project=project, target=target, defaults={"folder": folder}
        )
        if row.folder != folder:
            row.folder, row.files = folder, []
            row.save()
        return row

    def delivered(self) -> list[str] | None:
        """What its folder has got from this project, for whatever target; `None` where that is not
        known."""
        rows = list(self.project.destinations.filter(folder=self.folder))
        known = [row.files for row in rows if row.files is not None]
        if len(known) < len(rows):
            return None
        return sorted({file for files in known for file in files})

    def keep_record(self, files: list[str]) -> None:
        """Keep what the folder has got from here, all of it in the row of this target."""
        with transaction.atomic():
            self.project.destinations.filter(folder=self.folder).exclude(pk=self.pk).update(
                files=[]
            )
            type(self)._default_manager.filter(pk=self.pk).update(files=files)
