"""Projects: list, open, edit, undo, checkpoints, in and out as zip."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Annotated
from uuid import UUID

from django.db.models import Count, Max, Q
from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Schema
from pydantic import Field

from ektopos.document import Document
from ektopos.edits import Edit
from server.workshop.archive import import_uploads
from server.workshop.models import (
    Checkpoint,
    Job,
    Member,
    Note,
    Project,
    Role,
    acting,
    one_writer,
)
from server.workshop.principals import caller_of
from server.workshop.sample import open_sample

router = Router(tags=["projects"])


class ErrorOut(Schema):
    """An error a person can mend."""

    message: str
    subject: str
    hint: str


class ProjectRow(Schema):
    """A project in the list."""

    id: UUID
    name: str
    changed: datetime
    maps: int
    materials: int
    meshes: int


class CheckpointOut(Schema):
    """A state with a name."""

    id: int
    name: str
    made: datetime


class ProjectOut(Schema):
    """A project as it is now."""

    id: UUID
    revision: int
    document: Document
    undo: str | None
    redo: str | None
    changed: datetime
    checkpoints: list[CheckpointOut]


Sha256 = Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
RowId = Annotated[int, Field(ge=0, lt=2**63)]
Path_ = Annotated[str, Field(min_length=1, max_length=1000)]
Page = Annotated[str, Field(max_length=40)]
Where = Annotated[str, Field(max_length=300)]
AWAY = 15.0
"""Seconds after which somebody who was not heard of is not there any more."""


class NewProject(Schema):
    """What a new project needs."""

    name: Annotated[str, Field(max_length=1000)]


class At(Schema):
    """The revision a request was made on, and the page it comes from, whose own edits never stand
    in each other's way."""

    revision: RowId
    page: Page = ""


class Edits(At):
    """Edits made on a revision, done together or not at all."""

    edits: Annotated[list[Edit], Field(min_length=1, max_length=2000)]


class NewCheckpoint(Schema):
    """A name for the state as it is now."""

    name: Annotated[str, Field(max_length=1000)]


class UploadRef(Schema):
    """An uploaded file by content, with its path among the others."""

    path: Path_
    sha256: Sha256


class Uploads(Schema):
    """Uploaded files that belong together."""

    files: Annotated[list[UploadRef], Field(min_length=1, max_length=20_000)]


class Here(Schema):
    """Somebody who is in the project now."""

    name: str
    where: str
    """The address within the project of what they look at."""


class Pulse(Schema):
    """What a page asks every second: whether anything is otherwise than it shows."""

    revision: int
    jobs: str
    """Another text whenever a job began, went on or ended."""
    notes: str
    """Another text whenever a note was left, answered or closed."""
    here: list[Here] = []
    """Who else looks at the project now, and at what."""


def shown(project: Project) -> ProjectOut:
    """A project as the interface needs it."""
    head = project.head
    following = head.following()
    return ProjectOut(
        id=project.pk,
        revision=head.pk,
        document=head.parsed,
        undo=head.label if head.parent_id else None,
        redo=following.label if following else None,
        changed=project.changed,
        checkpoints=[
            CheckpointOut(id=c.pk, name=c.name, made=c.made) for c in project.checkpoints.all()
        ],
    )


def project_or_404(project_id: UUID) -> Project:
    """A project by its id, or 404."""
    return get_object_or_404(
        Project.objects.select_related("head").exclude(head=None), pk=project_id
    )


@router.get("", response=list[ProjectRow])
def list_projects(request: HttpRequest) -> list[Project]:
    """Every project that one may look at, last changed first."""
    return list(caller_of(request).projects().exclude(head=None))


@router.post("", response=ProjectOut, by_alias=True)
def new_project(request: HttpRequest, given: NewProject) -> ProjectOut:
    """A new, empty project."""
    document = Document(name=given.name.strip()[:120] or "Untitled")
    return shown(_owned(lambda: Project.begin(document)))


@router.post("/sample", response=ProjectOut, by_alias=True)
def sample(request: HttpRequest) -> ProjectOut:
    """The sample as a new project."""
    return shown(_owned(open_sample))


@router.post("/import", response=ProjectOut, by_alias=True)
def import_project(request: HttpRequest, given: Uploads) -> ProjectOut:
    """A project from an uploaded zip, or from the uploaded files of its folder."""
    files = [(file.path, file.sha256) for file in given.files]
    caller_of(request).check_holds(files)
    return shown(_owned(lambda: import_uploads(files)))


def _owned(begin: Callable[[], Project]) -> Project:
    """A new project, which is whoever's begins it."""
    with one_writer():
        project = begin()
        person = acting()
        if person is not None:
            Member.objects.create(project=project, person_id=person, role=Role.OWN)
    return project


@router.get("/{uuid:project_id}", response=ProjectOut, by_alias=True)
def get_project(request: HttpRequest, project_id: UUID) -> ProjectOut:
    """A project as it is now."""
    return shown(project_or_404(project_id))


@router.delete("/{uuid:project_id}", response={204: None})
def delete_project(request: HttpRequest, project_id: UUID) -> tuple[int, None]:
    """Delete a project with its history. Its files stay in the store as long as others use them."""
    project_or_404(project_id).erase()
    return 204, None


@router.get("/{uuid:project_id}/pulse", response=Pulse)
def pulse(request: HttpRequest, project_id: UUID, where: Where = "") -> Pulse:
    """Whether anything has changed; cheap enough to be asked every second by every page, which says
    what it shows."""
    head = Project.objects.filter(pk=project_id).values_list("head_id", flat=True).first()
    if head is None:
        raise Http404
    jobs = Job.objects.filter(project_id=project_id).aggregate(count=Count("id"), last=Max("beat"))
    notes = Note.objects.filter(project_id=project_id).aggregate(
        count=Count("id"),
        last=Max("made"),
        closed_last=Max("closed"),
        open=Count("id", Q(closed__isnull=True)),
    )
    return Pulse(
        revision=head,
        jobs=f"{jobs['count']}:{jobs['last']}",
        notes=":".join(str(part) for part in notes.values()),
        here=_here(project_id, acting(), where),
    )


def _here(project_id: UUID, person: int | None, where: str) -> list[Here]:
    """Who else is there, having said that one is there oneself."""
    if person is None:
        return []
    now = timezone.now()
    rows = list(
        Member.objects.filter(project_id=project_id)
        .filter(Q(person_id=person) | Q(seen__gt=now - timedelta(seconds=AWAY)))
        .select_related("person")
    )
    for row in rows:
        stale = row.seen is None or (now - row.seen).total_seconds() > AWAY / 3
        if row.person_id == person and (row.where != where or stale):
            Member.objects.filter(pk=row.pk).update(seen=now, where=where)
    return [
        Here(name=row.person.get_username(), where=row.where)
        for row in rows
        if row.person_id != person
    ]


@router.post("/{uuid:project_id}/edits", response=ProjectOut, by_alias=True)
def edit_project(request: HttpRequest, project_id: UUID, given: Edits) -> ProjectOut:
    """Apply edits as one step. 409 if somebody else has changed what they read or write since that
    revision."""
    project_or_404(project_id).edit(list(given.edits), given.revision, page=given.page)
    return shown(project_or_404(project_id))


@router.post("/{uuid:project_id}/undo", response=ProjectOut, by_alias=True)
def undo(request: HttpRequest, project_id: UUID, given: At) -> ProjectOut:
    """One step back."""
    project_or_404(project_id).undo(given.revision, given.page)
    return shown(project_or_404(project_id))


@router.post("/{uuid:project_id}/redo", response=ProjectOut, by_alias=True)
def redo(request: HttpRequest, project_id: UUID, given: At) -> ProjectOut:
    """One step forward."""
    project_or_404(project_id).redo(given.revision, given.page)
    return shown(project_or_404(project_id))


@router.post("/{uuid:project_id}/checkpoints", response=ProjectOut, by_alias=True)
def add_checkpoint(request: HttpRequest, project_id: UUID, given: NewCheckpoint) -> ProjectOut:
    """Name the state as it is now."""
    project = project_or_404(project_id)
    Checkpoint.objects.create(
        project=project, revision=project.head, name=given.name.strip()[:120] or "checkpoint"
    )
    return shown(project_or_404(project_id))


@router.post(
    "/{uuid:project_id}/checkpoints/{int:checkpoint_id}/restore", response=ProjectOut, by_alias=True
)
def restore_checkpoint(
    request: HttpRequest, project_id: UUID, checkpoint_id: int, given: At
) -> ProjectOut:
    """Bring a named state back, as a step that can be undone."""
    project = project_or_404(project_id)
    checkpoint = get_object_or_404(project.checkpoints, pk=checkpoint_id)
    project.restore(checkpoint.revision, given.revision, f"restore “{checkpoint.name}”", given.page)
    return shown(project_or_404(project_id))
