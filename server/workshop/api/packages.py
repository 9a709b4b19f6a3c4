"""Exports, trials, packages from elsewhere, downloads and reports."""

from __future__ import annotations

import base64
import json
from datetime import datetime
from functools import lru_cache
from pathlib import Path, PurePosixPath
from typing import Annotated, Any, Literal
from uuid import UUID

from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from django.utils.http import content_disposition_header
from ninja import Router, Schema
from pydantic import Field

from ektopos.base.errors import MissingReference
from ektopos.base.strict_json import json_value
from ektopos.document import exported_part
from ektopos.export.dropped_features import DroppedFeature
from ektopos.export.hand_over import ManualSetting
from ektopos.export.profile import find_profile, profiles_of
from ektopos.export.reuse import PACKAGE_LIST
from ektopos.project import folder_files
from ektopos.trial.cells import Cell
from ektopos.trial.renders import Rendered
from ektopos.trial.report import Report, page
from server.workshop.api.files import JobOut
from server.workshop.api.maps import FOREVER
from server.workshop.api.projects import Path_, RowId, Sha256, project_or_404
from server.workshop.checking import findings_in
from server.workshop.external_packages import check_package
from server.workshop.models import Job, Package, Revision
from server.workshop.packages import fetched_package_folder, file_of
from server.workshop.principals import caller_of
from server.workshop.store import ARRIVED

router = Router(tags=["packages"])

VIEWED = {
    ".glb": "model/gltf-binary",
    ".gltf": "model/gltf+json",
    ".png": "image/png",
    ".jpg": "image/jpeg",
}
"""Kinds of files that the stage reads; of all others only bytes are given."""


class PackageFile(Schema):
    """One file of a package; of one that was made elsewhere only its path and size are known."""

    path: str
    bytes: int
    width: int | None = None
    height: int | None = None
    encoding: str | None = None
    materials: list[str] = []
    channels: dict[str, str | None] = {}
    images: list[PackageFile] = []
    """Pictures inside it, where it is a container."""


class TrialPicture(Schema):
    """What the pictures of a trial with this number show."""

    material: str
    input: str


class TrialOut(Schema):
    """What a trial found."""

    target: str
    passed: bool
    cells: list[Cell]
    renders: list[Rendered] = []
    by_hand: list[ManualSetting] = []
    left: list[DroppedFeature] = []
    pictures: list[TrialPicture] = []


class PackageOut(Schema):
    """An exported package."""

    id: int
    target: str
    revision: int
    made: datetime
    seconds: float
    files: list[PackageFile]
    brought_in: str
    """The name of the file that it came in as, if it was made elsewhere."""
    trial: TrialOut | None = None
    holds: dict[str, str]
    """By mesh, the file of the package that it is in, as the package's list says."""
    arrived: bool
    """Whether what the stand-in engine read of it can be looked at."""


class Brought(Schema):
    """A package that was made elsewhere: an uploaded zip, GLB or USDZ."""

    path: Path_
    sha256: Sha256
    target: Annotated[str, Field(max_length=120)] | None = None
    """Whose rules it is read by; told from the package itself where that is not said."""


class NewExport(Schema):
    """What to export."""

    revision: RowId
    trial: bool = True
    target: Annotated[str, Field(max_length=120)] | None = None
    """Another target than the project's."""


@router.post("/projects/{uuid:project_id}/exports", response=JobOut)
def start_export(request: HttpRequest, project_id: UUID, given: NewExport) -> Job:
    """Start writing the package of the state that is on screen."""
    project = project_or_404(project_id)
    revision = get_object_or_404(project.revisions, pk=given.revision)
    target = given.target or str(revision.document["target"])
    find_profile(target, revision.core().document)
    return Job.start(
        project, "export", {"revision": revision.pk, "target": target, "try": given.trial}
    )


@router.get("/projects/{uuid:project_id}/packages", response=list[PackageOut])
def packages(request: HttpRequest, project_id: UUID) -> list[PackageOut]:
    """The project's packages, newest first."""
    rows = project_or_404(project_id).packages.filter(complete=True, removed=None)[:10]
    return [
        PackageOut(
            id=row.pk,
            target=row.target,
            revision=row.revision_id,
            made=row.made,
            seconds=row.seconds,
            files=row.files,
            brought_in=row.brought_in,
            trial=row.trial,
            holds=_holds(row),
            arrived=file_of(row, ARRIVED) is not None,
        )
        for row in rows
    ]


@router.get("/projects/{uuid:project_id}/outdated-packages", response=list[int])
def outdated_packages(request: HttpRequest, project_id: UUID) -> list[int]:
    """The packages that would be others if they were exported now. What no package holds (the
    scene, accepted findings, ticks) makes none outdated."""
    project = project_or_404(project_id)
    rows = project.packages.filter(complete=True, removed=None).select_related("revision")[:10]
    now = _exported_state(project.head)
    return [
        row.pk
        for row in rows
        if row.revision_id != project.head_id and _exported_state(row.revision) != now
    ]


def _exported_state(revision: Revision) -> tuple[dict[str, Any], dict[str, str]]:
    """What packages of a state are made of: part of the document, and its files' contents."""
    state = revision.state
    return exported_part(state.document), state.files


def _holds(package: Package) -> dict[str, str]:
    """Which file of a package holds which mesh; nothing where it has no list that can be read."""
    path = file_of(package, f"files/{PACKAGE_LIST}")
    if path is None:
        return {}
    try:
        return _held_by(path, path.stat().st_mtime_ns)
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return {}


@lru_cache(maxsize=64)
def _held_by(path: Path, written: int) -> dict[str, str]:
    """The same of a list as it was written then: every screen asks for the packages."""
    meshes = json.loads(path.read_bytes())["meshes"]
    return {mesh: str(entry["file"]) for mesh, entry in meshes.items()}


@router.post("/projects/{uuid:project_id}/packages", response=JobOut)
def import_package(request: HttpRequest, project_id: UUID, given: Brought) -> Job:
    """Take in a package that was made elsewhere, and put it to trial against the project as it
    is.
    """
    project = project_or_404(project_id)
    caller_of(request).check_holds([(given.path, given.sha256)])
    check_package(project, given.path, given.sha256, given.target)
    return Job.start(
        project, "package", {"name": given.path, "sha256": given.sha256, "target": given.target}
    )


@router.post("/projects/{uuid:project_id}/packages/{int:package_id}/trial", response=JobOut)
def start_trial(request: HttpRequest, project_id: UUID, package_id: int) -> Job:
    """Put a package to trial again."""
    project = project_or_404(project_id)
    get_object_or_404(project.packages, pk=package_id, complete=True, removed=None)
    return Job.start(project, "trial", {"package": package_id})


@router.post("/projects/{uuid:project_id}/packages/{int:package_id}/archive", response=JobOut)
def start_archive(request: HttpRequest, project_id: UUID, package_id: int) -> Job:
    """Start packing a package as a zip."""
    project = project_or_404(project_id)
    get_object_or_404(project.packages, pk=package_id, complete=True, removed=None)
    return Job.start(project, "package-archive", {"package": package_id})


@router.post("/projects/{uuid:project_id}/packages/{int:package_id}/remove", response={204: None})
def remove(request: HttpRequest, project_id: UUID, package_id: int) -> tuple[int, None]:
    """Take a package away; it can be brought back for a day."""
    package = get_object_or_404(project_or_404(project_id).packages, pk=package_id, complete=True)
    Package.objects.filter(pk=package.pk).update(removed=timezone.now())
    return 204, None


@router.post(
    "/projects/{uuid:project_id}/packages/{int:package_id}/bring-back", response={204: None}
)
def bring_back(request: HttpRequest, project_id: UUID, package_id: int) -> tuple[int, None]:
    """Bring a package back that was taken away."""
    package = get_object_or_404(project_or_404(project_id).packages, pk=package_id, complete=True)
    Package.objects.filter(pk=package.pk).update(removed=None)
    return 204, None


@router.get("/packages/{int:package_id}/report.html")
def report(request: HttpRequest, package_id: int) -> HttpResponse:
    """A package and its trial on one page; its pictures are in it, so that it can be passed on."""
    return HttpResponse(_report(package_id)[1])


@router.get("/packages/{int:package_id}/report.pdf")
def printed(request: HttpRequest, package_id: int) -> HttpResponse:
    """The same page, printed."""
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher

    package, text = _report(package_id)
    # All pictures are in the page itself; nothing else is ever fetched.
    inside = URLFetcher(allowed_protocols=("data",))
    response = HttpResponse(
        HTML(string=text, url_fetcher=inside).write_pdf(), content_type="application/pdf"
    )
    response["Content-Disposition"] = content_disposition_header(
        True, f"{package.project.name} {package.target}.pdf"
    )
    return response


def _report(package_id: int) -> tuple[Package, str]:
    package = get_object_or_404(Package, pk=package_id, complete=True)
    if not package.trial:
        raise MissingReference(
            "it has not been put to trial.", subject=package.target, hint="Try it first."
        )
    profiles = profiles_of(package.revision.core().document)
    folder = fetched_package_folder(package) / "pictures"
    shown = {}
    for number, entry in enumerate(package.trial.get("pictures", [])):
        if entry["input"].startswith("render "):
            sides = [
                (folder / f"{number}-{what}.png").read_bytes() for what in ("meant", "arrived")
            ]
            meant, arrived = (
                f"data:image/png;base64,{base64.b64encode(raw).decode()}" for raw in sides
            )
            shown[entry["material"], entry["input"].removeprefix("render ")] = (meant, arrived)
    title = profiles[package.target].title if package.target in profiles else package.target
    revision = package.revision
    findings = findings_in(package.project, revision.core().document, revision.files)
    told = Report(
        package.project.name,
        title,
        f"{package.made:%-d %B %Y, %H:%M}",
        package.files,
        shown,
        json_value(findings),
    )
    return package, page(told, package.trial)


@router.get("/packages/{int:package_id}/arrived.glb")
def arrived(request: HttpRequest, package_id: int) -> FileResponse:
    """What the stand-in engine read of a package, to be looked at."""
    package = get_object_or_404(Package, pk=package_id, complete=True)
    return _sent(file_of(package, ARRIVED), ARRIVED)


@router.get("/packages/{int:package_id}/files/{path:path}")
def package_file(request: HttpRequest, package_id: int, path: str) -> FileResponse:
    """A file of a package as it is, for whoever reads it by itself."""
    package = get_object_or_404(Package, pk=package_id, complete=True)
    found = folder_files(fetched_package_folder(package) / "files")(path)
    return _sent(found, path)


def _sent(path: Path | None, subject: str) -> FileResponse:
    if path is None or not path.is_file():
        raise MissingReference(
            "there is no such file.", subject=subject, hint="Export and try once more."
        )
    name = PurePosixPath(subject)
    kind = VIEWED.get(name.suffix.lower(), "application/octet-stream")
    response = FileResponse(path.open("rb"), content_type=kind)
    response["Content-Disposition"] = content_disposition_header(True, name.name)
    response["Cache-Control"] = "private, max-age=0, must-revalidate"
    return response


@router.get("/packages/{int:package_id}/pictures/{int:number}-{what}.png")
def trial_picture(
    request: HttpRequest,
    package_id: int,
    number: int,
    what: Literal["meant", "arrived", "difference", "over"],
) -> FileResponse:
    """A small picture kept by a trial."""
    package = get_object_or_404(Package, pk=package_id)
    path = file_of(package, f"pictures/{number}-{what}.png")
    if path is None:
        raise MissingReference("there is no such picture.", subject=str(package_id))
    response = FileResponse(path.open("rb"), content_type="image/png")
    response["Cache-Control"] = FOREVER.replace("31536000", "60").replace(", immutable", "")
    return response
