"""Projects: list, open, edit, undo, checkpoints, in and out as zip."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated
from uuid import UUID

from django.db.models import Count, Max
from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema
from pydantic import Field

from ektopos.document import Document
from ektopos.edits import Edit
from server.workshop.archive import import_uploads
from server.workshop.models import Checkpoint, Job, Project
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


class Pulse(Schema):
    """What a page asks every second: whether anything is otherwise than it shows."""

    revision: int
    jobs: str
    """Another text whenever a job began, went on or ended."""


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
    """Every project, last changed first."""
    return list(Project.objects.exclude(head=None))


@router.post("", response=ProjectOut, by_alias=True)
def new_project(request: HttpRequest, given: NewProject) -> ProjectOut:
    """A new, empty project."""
    return shown(Project.begin(Document(name=given.name.strip()[:120] or "Untitled")))


@router.post("/sample", response=ProjectOut, by_alias=True)
def sample(request: HttpRequest) -> ProjectOut:
    """The sample as a new project."""
    return shown(open_sample())


@router.post("/import", response=ProjectOut, by_alias=True)
def import_project(request: HttpRequest, given: Uploads) -> ProjectOut:
    """A project from an uploaded zip, or from the uploaded files of its folder."""
    return shown(import_uploads([(file.path, file.sha256) for file in given.files]))


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
def pulse(request: HttpRequest, project_id: UUID) -> Pulse:
    """Whether anything has changed; cheap enough to be asked every second by every page."""
    head = Project.objects.filter(pk=project_id).values_list("head_id", flat=True).first()
    if head is None:
        raise Http404
    jobs = Job.objects.filter(project_id=project_id).aggregate(count=Count("id"), last=Max("beat"))
    return Pulse(revision=head, jobs=f"{jobs['count']}:{jobs['last']}")


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
    project.restore(
        checkpoint.revision, given.revision, f"bring back “{checkpoint.name}”", given.page
    )
    return shown(project_or_404(project_id))
