"""Uploads, and the jobs that work on them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any
from uuid import UUID

from django.conf import settings
from django.db.models import Q
from django.http import FileResponse, HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Form, Router, Schema
from ninja.files import UploadedFile
from pydantic import Field

from ektopos.base.errors import EktoposError, MissingReference, TooLarge
from server.workshop.api.projects import Uploads, project_or_404
from server.workshop.jobs.turns import running_job
from server.workshop.models import Held, Job, acting
from server.workshop.principals import caller_of
from server.workshop.quotas import check_person, check_project
from server.workshop.store import archive_path, fetch, is_hash, is_sound, known_content, put

router = Router(tags=["files"])


class Upload(Schema):
    """A file that has arrived."""

    path: str
    sha256: str
    bytes: int


class Hashes(Schema):
    """SHA-256 of files that could be sent."""

    sha256: Annotated[list[str], Field(max_length=20_000)]


class JobOut(Schema):
    """A job and how far it is."""

    id: UUID
    kind: str
    state: str
    share: float
    doing: str
    result: Any = None
    error: Any = None
    made: datetime
    waits_for: str | None = None
    """The kind of work that it waits for, while it waits."""
    waits_elsewhere: bool = False
    """Whether that is for another project."""


@router.post("/uploads", response=Upload)
def upload(request: HttpRequest, file: File[UploadedFile], path: Form[str]) -> Upload:
    """Keep one file by its content. Nothing is read from it yet."""
    if not path or len(path) > 1000 or "\0" in path:
        raise EktoposError("the file has no name that can be kept.", hint="Give it another name.")
    if file.size is not None and file.size > settings.MAX_UPLOAD_BYTES:
        most = f"{settings.MAX_UPLOAD_BYTES / 2**30:g} GiB"
        raise TooLarge(
            f"the file is larger than {most}.",
            subject=path,
            hint="Make it smaller before bringing it in.",
        )
    sender = acting()
    check_person(sender, file.size or 0)
    sha256, size = put(file.chunks())
    if sender is not None:
        Held.by_person(sender, sha256)
    return Upload(path=path, sha256=sha256, bytes=size)


@router.post("/uploads/known", response=list[str])
def known(request: HttpRequest, given: Hashes) -> list[str]:
    """Which contents are here already, whole and undamaged, so that they need not be sent again."""
    theirs = caller_of(request).known_among(given.sha256)
    return [
        sha
        for sha in given.sha256
        if sha in theirs and is_hash(sha) and known_content(sha) is not None and is_sound(sha)
    ]


@router.post("/projects/{uuid:project_id}/imports", response=JobOut)
def start_import(request: HttpRequest, project_id: UUID, given: Uploads) -> Job:
    """Start measuring uploaded files and adding them to the project."""
    caller_of(request).check_holds((file.path, file.sha256) for file in given.files)
    for file in given.files:
        if known_content(file.sha256) is None:
            raise MissingReference(
                "it has not been uploaded.", subject=file.path, hint="Drop it again."
            )
    files = [{"path": file.path, "sha256": file.sha256} for file in given.files]
    project = project_or_404(project_id)
    check_project(project, {file.sha256 for file in given.files})
    return Job.start(project, "bring-in", {"files": files})


@router.get("/projects/{uuid:project_id}/jobs", response=list[JobOut])
def jobs(request: HttpRequest, project_id: UUID) -> list[JobOut]:
    """The project's last jobs, newest first."""
    rows = list(project_or_404(project_id).jobs.filter(part_of=None)[:20])
    told = [JobOut.from_orm(job) for job in rows]
    waiting = [job for job in told if job.state == Job.State.WAITING]
    running = running_job() if waiting else None
    if running is not None:
        for job in waiting:
            job.waits_for = running.kind
            job.waits_elsewhere = running.project_id != project_id
    return told


@router.get("/jobs/{uuid:job_id}", response=JobOut)
def get_job(request: HttpRequest, job_id: UUID) -> Job:
    """One job."""
    return get_object_or_404(Job, pk=job_id)


@router.post("/jobs/{uuid:job_id}/cancel", response=JobOut)
def cancel(request: HttpRequest, job_id: UUID) -> Job:
    """Ask a job to stop; one that has not begun stops at once."""
    now = timezone.now()
    whole = Job.objects.filter(Q(pk=job_id) | Q(part_of_id=job_id))
    whole.update(cancel_requested=True, beat=now)
    whole.filter(state=Job.State.WAITING).update(state=Job.State.CANCELLED, finished=now)
    return get_object_or_404(Job, pk=job_id)


@router.post("/projects/{uuid:project_id}/archive", response=JobOut)
def start_archive(request: HttpRequest, project_id: UUID) -> Job:
    """Start packing the project as a zip of its document and its files."""
    return Job.start(project_or_404(project_id), "archive", {})


@router.get("/jobs/{uuid:job_id}/file")
def packed(request: HttpRequest, job_id: UUID) -> FileResponse:
    """The file that a job has packed: a zip, or a scene."""
    job = get_object_or_404(
        Job, pk=job_id, state=Job.State.DONE, kind__in=("archive", "package-archive", "scene")
    )
    path, name = archive_path(job.pk), (job.result or {})["name"]
    if not fetch(path):
        raise MissingReference(
            "the file is not kept any more.", subject=name, hint="Save it again."
        )
    return FileResponse(path.open("rb"), as_attachment=True, filename=name)
