"""Projects: list, open, edit, undo, checkpoints, in and out as zip."""

from __future__ import annotations

import tempfile
from datetime import datetime
from pathlib import Path
from uuid import UUID

from django.conf import settings
from django.http import FileResponse, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from ektopos.checks import Finding, run_checks
from ektopos.document import Document, document_json
from ektopos.edits import Edit
from ektopos.targets.profile import find_profile
from server.workshop.archive import import_uploads, write_archive
from server.workshop.models import Checkpoint, Project

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


class NewProject(Schema):
    """What a new project needs."""

    name: str


class Edits(Schema):
    """Edits made on a revision, done together or not at all."""

    revision: int
    edits: list[Edit]


class At(Schema):
    """The revision a request was made on."""

    revision: int


class NewCheckpoint(Schema):
    """A name for the state as it is now."""

    name: str


class UploadRef(Schema):
    """An uploaded file by content, with its path among the others."""

    path: str
    sha256: str


class Uploads(Schema):
    """Uploaded files that belong together."""

    files: list[UploadRef]


def shown(project: Project) -> ProjectOut:
    """A project as the interface needs it."""
    head = project.head
    following = head.children.order_by("-id").first()
    return ProjectOut(
        id=project.pk,
        revision=head.pk,
        document=document_json(project.document),
        undo=head.label if head.parent_id else None,
        redo=following.label if following else None,
        changed=project.changed,
        checkpoints=[CheckpointOut(id=c.pk, name=c.name, made=c.made) for c in project.checkpoints.all()],
    )


def found(project_id: UUID) -> Project:
    """A project by its id, or 404."""
    return get_object_or_404(Project.objects.select_related("head"), pk=project_id)


@router.get("", response=list[ProjectRow])
def list_projects(request: HttpRequest) -> list[ProjectRow]:
    """Every project, last changed first."""
    rows = []
    for project in Project.objects.select_related("head"):
        document = project.head.document
        counts = {key: len(document.get(key, {})) for key in ("maps", "materials", "meshes")}
        rows.append(ProjectRow(id=project.pk, name=project.name, changed=project.changed, **counts))
    return rows


@router.post("", response=ProjectOut, by_alias=True)
def new_project(request: HttpRequest, given: NewProject) -> ProjectOut:
    """A new, empty project."""
    return shown(Project.begin(Document(name=given.name.strip()[:120] or "Untitled")))


@router.post("/import", response=ProjectOut, by_alias=True)
def import_project(request: HttpRequest, given: Uploads) -> ProjectOut:
    """A project from an uploaded zip, or from the uploaded files of its folder."""
    return shown(import_uploads([(file.path, file.sha256) for file in given.files]))


@router.get("/{uuid:project_id}", response=ProjectOut, by_alias=True)
def get_project(request: HttpRequest, project_id: UUID) -> ProjectOut:
    """A project as it is now."""
    return shown(found(project_id))


@router.delete("/{uuid:project_id}", response={204: None})
def delete_project(request: HttpRequest, project_id: UUID) -> tuple[int, None]:
    """Delete a project with its history. Its files stay in the store as long as others use them."""
    project = found(project_id)
    Project.objects.filter(pk=project.pk).update(head=None)
    project.delete()
    return 204, None


@router.post("/{uuid:project_id}/edits", response={200: ProjectOut, 409: ErrorOut, 422: ErrorOut}, by_alias=True)
def edit_project(request: HttpRequest, project_id: UUID, given: Edits) -> ProjectOut:
    """Apply edits as one step. 409 if the project has changed meanwhile."""
    project = found(project_id)
    project.edit(list(given.edits), given.revision)
    return shown(found(project_id))


@router.post("/{uuid:project_id}/undo", response={200: ProjectOut, 409: ErrorOut}, by_alias=True)
def undo(request: HttpRequest, project_id: UUID, given: At) -> ProjectOut:
    """One step back."""
    found(project_id).undo(given.revision)
    return shown(found(project_id))


@router.post("/{uuid:project_id}/redo", response={200: ProjectOut, 409: ErrorOut}, by_alias=True)
def redo(request: HttpRequest, project_id: UUID, given: At) -> ProjectOut:
    """One step forward."""
    found(project_id).redo(given.revision)
    return shown(found(project_id))


@router.post("/{uuid:project_id}/checkpoints", response=ProjectOut, by_alias=True)
def add_checkpoint(request: HttpRequest, project_id: UUID, given: NewCheckpoint) -> ProjectOut:
    """Name the state as it is now."""
    project = found(project_id)
    Checkpoint.objects.create(project=project, revision=project.head, name=given.name.strip()[:120] or "checkpoint")
    return shown(found(project_id))


@router.post(
    "/{uuid:project_id}/checkpoints/{int:checkpoint_id}/restore", response={200: ProjectOut, 409: ErrorOut}, by_alias=True
)
def restore_checkpoint(request: HttpRequest, project_id: UUID, checkpoint_id: int, given: At) -> ProjectOut:
    """Bring a named state back, as a step that can be undone."""
    project = found(project_id)
    checkpoint = get_object_or_404(project.checkpoints, pk=checkpoint_id)
    project.restore(checkpoint.revision, given.revision, f"bring back “{checkpoint.name}”")
    return shown(found(project_id))


@router.get("/{uuid:project_id}/checks", response=list[Finding])
def checks(request: HttpRequest, project_id: UUID) -> list[Finding]:
    """Everything the checks find, worst first."""
    project = found(project_id)
    return run_checks(project.core(), find_profile(project.document.target, project.document))


@router.get("/{uuid:project_id}/archive")
def archive(request: HttpRequest, project_id: UUID) -> FileResponse:
    """The project as a zip of its document and its files."""
    project = found(project_id)
    handle = tempfile.NamedTemporaryFile(dir=settings.FILE_UPLOAD_TEMP_DIR, suffix=".zip")  # noqa: SIM115 — closed by the response
    write_archive(project, Path(handle.name))
    return FileResponse(handle, as_attachment=True, filename=f"{project.name}.zip")
