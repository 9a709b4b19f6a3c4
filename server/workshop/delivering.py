"""Deliveries that are made by themselves, once a changed file was taken."""

from __future__ import annotations

from collections.abc import Iterable

from ektopos.edits import Edit, ReplaceMap, ReplaceMesh
from server.workshop.models import Job, Project


def deliver_by_itself(project: Project, edits: Iterable[Edit]) -> None:
    """Start delivering the package of the project's target where that is wished, if some edits took
    a new version of a file. A delivery that waits already will have it too."""
    if not any(isinstance(edit, ReplaceMap | ReplaceMesh) for edit in edits):
        return
    target = project.fresh().document.target
    row = project.destinations.filter(target=target, by_itself=True).first()
    if row is None:
        return
    waiting = project.jobs.filter(kind="deliver", state=Job.State.WAITING)
    if not any(job.arguments.get("newest") for job in waiting):
        arguments = {"target": target, "folder": row.folder, "dry": False, "newest": True}
        Job.start(project, "deliver", arguments)
