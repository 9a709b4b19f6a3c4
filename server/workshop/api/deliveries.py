"""Packages delivered to folders of this machine."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from ektopos.export.placing import put_back
from ektopos.export.profile import find_profile
from ektopos.export.reuse import PACKAGE_LIST
from server.workshop.api.files import JobOut
from server.workshop.api.projects import project_or_404
from server.workshop.following import deliverable, roots_of
from server.workshop.models import Destination, Job, Project
from server.workshop.store import delivery_backup

router = Router(tags=["deliveries"])


class LastDelivery(Schema):
    """What became of the last delivery to that folder."""

    ended: datetime
    passed: bool
    changed: int
    problem: str
    """Why there was none, in words."""


class SetDestination(Schema):
    """Where the current target's package goes, and whether by itself."""

    folder: str
    by_itself: bool


class DestinationOut(Schema):
    """Where the current target's package goes."""

    roots: list[str]
    folder: str
    backup: bool
    """Whether the package that was there before is kept."""
    by_itself: bool
    """Whether it is delivered after each changed file that is taken."""
    last: LastDelivery | None


class Deliver(Schema):
    """What to deliver, and where."""

    revision: int
    folder: str
    dry: bool = True
    """Only say what would change."""


class BroughtBack(Schema):
    """What is back."""

    files: list[str]


@router.get("/projects/{uuid:project_id}/destination", response=DestinationOut)
def destination(request: HttpRequest, project_id: UUID) -> DestinationOut:
    """Where the project's package for its target goes."""
    project = project_or_404(project_id)
    target = project.document.target
    row = project.destinations.filter(target=target).first()
    backup = delivery_backup(project.pk, target) / PACKAGE_LIST
    return DestinationOut(
        roots=[str(root) for root in roots_of(project)],
        folder=row.folder if row else "",
        backup=backup.is_file(),
        by_itself=row.by_itself if row else False,
        last=_last(project, target),
    )


def _last(project: Project, target: str) -> LastDelivery | None:
    """The last delivery for a target that was no mere look."""
    ended = project.jobs.filter(
        kind="deliver", state__in=(Job.State.DONE, Job.State.FAILED), finished__isnull=False
    )
    for job in ended.order_by("-finished")[:50]:
        if job.arguments["target"] != target or job.arguments["dry"] or job.finished is None:
            continue
        result, error = job.result or {}, job.error or {}
        wrong = (result.get("wrong") or [""])[0]
        return LastDelivery(
            ended=job.finished,
            passed=bool(result.get("passed")),
            changed=len(result.get("changed", [])),
            problem=str(error.get("message", wrong)),
        )
    return None


@router.post("/projects/{uuid:project_id}/destination", response=DestinationOut)
def set_destination(
    request: HttpRequest, project_id: UUID, given: SetDestination
) -> DestinationOut:
    """Say where the package for the project's target goes, and whether by itself."""
    project = project_or_404(project_id)
    folder = str(deliverable(given.folder, project))
    row = Destination.towards(project, project.document.target, folder)
    Destination.objects.filter(pk=row.pk).update(by_itself=given.by_itself)
    return destination(request, project_id)


@router.post("/projects/{uuid:project_id}/deliveries", response=JobOut)
def start_delivery(request: HttpRequest, project_id: UUID, given: Deliver) -> Job:
    """Start delivering the project's package for its target, and remember where it goes."""
    project = project_or_404(project_id)
    revision = get_object_or_404(project.revisions, pk=given.revision)
    target = find_profile(revision.parsed.target, revision.parsed).id
    folder = str(deliverable(given.folder, project))
    Destination.towards(project, target, folder)
    arguments = {"revision": revision.pk, "target": target, "folder": folder, "dry": given.dry}
    return Job.start(project, "deliver", arguments)


@router.post("/projects/{uuid:project_id}/deliveries/bring-back", response=BroughtBack)
def bring_delivery_back(request: HttpRequest, project_id: UUID) -> BroughtBack:
    """Put the package that the last delivery replaced in its place again."""
    project = project_or_404(project_id)
    row = get_object_or_404(project.destinations, target=project.document.target)
    backup = delivery_backup(project.pk, row.target)
    files = put_back(deliverable(row.folder, project), backup, row.delivered())
    row.keep_record([*files, PACKAGE_LIST])
    return BroughtBack(files=files)
