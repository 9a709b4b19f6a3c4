"""The pack plan, exports, trials and downloads."""

from __future__ import annotations

import tempfile
import zipfile
from datetime import datetime
from pathlib import Path
from typing import Any, Literal
from uuid import UUID

from django.conf import settings
from django.http import FileResponse, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from ektopos.document import INPUTS
from ektopos.errors import MissingReference
from ektopos.materials.adjust import changes
from ektopos.targets import make_plan
from ektopos.targets.profile import find_profile
from server.workshop.api.files import JobOut
from server.workshop.api.maps import FOREVER
from server.workshop.api.materials import header_of
from server.workshop.api.projects import found
from server.workshop.models import Job, Package
from server.workshop.store import package_folder

router = Router(tags=["packages"])


class PlannedChannelOut(Schema):
    """What one channel of a planned file holds."""

    carries: str
    source: str
    changed: str


class PlannedFileOut(Schema):
    """One file of the pack plan."""

    path: str
    materials: list[str]
    width: int
    height: int
    bits: int
    encoding: str
    memory: int
    channels: dict[str, PlannedChannelOut | None]


class PlanOut(Schema):
    """The pack plan."""

    target: str
    title: str
    files: list[PlannedFileOut]
    factors: int
    notes: list[str]
    memory: int


class PackageOut(Schema):
    """An exported package."""

    id: int
    target: str
    revision: int
    made: datetime
    seconds: float
    files: list[Any]
    trial: Any = None


class NewExport(Schema):
    """What to export."""

    revision: int
    trial: bool = True


@router.get("/projects/{uuid:project_id}/plan", response=PlanOut)
def plan(request: HttpRequest, project_id: UUID) -> PlanOut:
    """Which files the target gets, before anything is written."""
    project = found(project_id)
    document = project.document
    profile = find_profile(document.target, document)
    made = make_plan(document, profile, header_of(project.head, document))
    files = []
    for file in made.files:
        channels: dict[str, PlannedChannelOut | None] = dict.fromkeys("rgba")
        for letter, channel in file.channels.items():
            if channel.carries is None:
                continue
            feed = channel.feed
            changed = changes(feed)
            if channel.input == "normal" and feed.map and (document.maps[feed.map].normal_y or "+") != profile.normal_y:
                changed.append("green turned round")
            source = (
                f"{feed.map}.{(feed.channels or 'rgb').upper()}"
                if feed.map
                else "constant with layers"
                if feed.layers
                else "constant"
            )
            channels[letter] = PlannedChannelOut(carries=channel.carries, source=source, changed=", ".join(changed))
        files.append(
            PlannedFileOut(
                path=file.path, materials=list(file.materials), width=file.width, height=file.height, bits=file.bits,
                encoding=file.encoding, memory=file.memory, channels=channels,
            )
        )  # fmt: skip
    factors = sum(len([i for i in inputs if i in INPUTS]) for inputs in made.factors.values())
    return PlanOut(
        target=profile.id, title=profile.title, files=files, factors=factors, notes=list(made.notes),
        memory=sum(file.memory for file in made.files),
    )  # fmt: skip


@router.post("/projects/{uuid:project_id}/exports", response=JobOut)
def start_export(request: HttpRequest, project_id: UUID, given: NewExport) -> Job:
    """Start writing the package of the state that is on screen."""
    project = found(project_id)
    revision = get_object_or_404(project.revisions, pk=given.revision)
    target = str(revision.document["target"])
    find_profile(target, revision.core().document)
    return Job.start(project, "export", {"revision": revision.pk, "target": target, "try": given.trial})


@router.get("/projects/{uuid:project_id}/packages", response=list[PackageOut])
def packages(request: HttpRequest, project_id: UUID) -> list[PackageOut]:
    """The project's packages, newest first."""
    rows = Package.objects.filter(project_id=project_id, complete=True)[:10]
    return [
        PackageOut(
            id=row.pk, target=row.target, revision=row.revision_id, made=row.made, seconds=row.seconds, files=row.files,
            trial=row.trial,
        )
        for row in rows
    ]  # fmt: skip


@router.post("/projects/{uuid:project_id}/packages/{int:package_id}/trial", response=JobOut)
def start_trial(request: HttpRequest, project_id: UUID, package_id: int) -> Job:
    """Put a package to trial again."""
    project = found(project_id)
    get_object_or_404(project.packages, pk=package_id, complete=True)
    return Job.start(project, "trial", {"package": package_id})


@router.get("/packages/{int:package_id}/download")
def download(request: HttpRequest, package_id: int) -> FileResponse:
    """A package as a zip."""
    package = get_object_or_404(Package, pk=package_id, complete=True)
    folder = package_folder(package.pk) / "files"
    handle = tempfile.NamedTemporaryFile(dir=settings.FILE_UPLOAD_TEMP_DIR, suffix=".zip")  # noqa: SIM115 — closed by the response
    with zipfile.ZipFile(Path(handle.name), "w", zipfile.ZIP_STORED) as packed:
        for path in sorted(p for p in folder.rglob("*") if p.is_file()):
            packed.write(path, path.relative_to(folder))
    return FileResponse(handle, as_attachment=True, filename=f"{package.project.name} {package.target}.zip")


@router.get("/packages/{int:package_id}/pictures/{int:number}-{what}.png")
def trial_picture(
    request: HttpRequest, package_id: int, number: int, what: Literal["meant", "arrived", "difference"]
) -> FileResponse:
    """A small picture kept by a trial."""
    path = package_folder(package_id) / "pictures" / f"{number}-{what}.png"
    if not path.is_file():
        raise MissingReference("there is no such picture.", subject=str(package_id))
    response = FileResponse(path.open("rb"), content_type="image/png")
    response["Cache-Control"] = FOREVER.replace("31536000", "60").replace(", immutable", "")
    return response
