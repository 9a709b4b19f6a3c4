"""The pack plan, exports, trials and downloads."""

from __future__ import annotations

import base64
import tempfile
import zipfile
from datetime import datetime
from pathlib import Path
from typing import Any, Literal
from uuid import UUID

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from ektopos.document import INPUTS, parse
from ektopos.errors import EktoposError, InvalidDocument, MissingReference
from ektopos.materials.adjust import changes
from ektopos.targets import make_plan
from ektopos.targets.profile import Profile, find_profile, profiles_of
from ektopos.targets.reuse import texture_key
from ektopos.trial.report import Report, page
from server.workshop.api.files import JobOut
from server.workshop.api.maps import FOREVER
from server.workshop.api.materials import header_of
from server.workshop.api.projects import found
from server.workshop.models import Job, Package, Project
from server.workshop.store import package_folder

router = Router(tags=["packages"])
INSTEAD = {"gloss": "roughness", "smoothness": "roughness", "diffuse": "base colour", "specular": "metallic"}


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
    compressed: int
    state: Literal["new", "changed", "same"]
    """Against the last package for this target."""
    channels: dict[str, PlannedChannelOut | None]


class PlanOut(Schema):
    """The pack plan."""

    target: str
    title: str
    files: list[PlannedFileOut]
    factors: int
    notes: list[str]
    memory: int
    compressed: int
    budget: int | None
    """Bytes that the textures should stay within, if the target says so."""


class TargetSummary(Schema):
    """What a project comes to for one target."""

    target: str
    title: str
    own: bool
    files: int
    memory: int
    compressed: int
    lost: list[str]
    """What the target does not carry."""
    converted: list[str]
    """What it takes in another form."""
    problem: str = ""


class Draft(Schema):
    """A profile as it is being written."""

    profile: dict[str, Any]


class DraftOut(Schema):
    """What is wrong with it, or what it would give."""

    problem: str = ""
    summary: TargetSummary | None = None


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
    last = project.packages.filter(target=profile.id, complete=True).order_by("-id").first()
    listed = [part for file in (last.files if last else []) for part in (file, *file.get("images", []))]
    before = {part["path"]: part.get("made_from") for part in listed}

    def hash_of(name: str) -> str:
        return project.head.sha_of(document.maps[name].file)

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
                encoding=file.encoding, memory=file.memory, compressed=file.compressed, channels=channels,
                state=_state(before, file.path, texture_key(file, profile, hash_of)),
            )
        )  # fmt: skip
    factors = sum(len([i for i in inputs if i in INPUTS]) for inputs in made.factors.values())
    return PlanOut(
        target=profile.id, title=profile.title, files=files, factors=factors, notes=list(made.notes),
        memory=sum(file.memory for file in made.files), compressed=sum(file.compressed for file in made.files),
        budget=profile.budget * 2**20 if profile.budget else None,
    )  # fmt: skip


def _state(before: dict[str, str | None], path: str, key: str) -> Literal["new", "changed", "same"]:
    if path not in before:
        return "new"
    return "same" if before[path] == key else "changed"


@router.get("/projects/{uuid:project_id}/targets", response=list[Profile], by_alias=True)
def targets(request: HttpRequest, project_id: UUID) -> list[Profile]:
    """Every target that a project can use: the built-in ones and its own."""
    return list(profiles_of(found(project_id).document).values())


@router.get("/projects/{uuid:project_id}/comparison", response=list[TargetSummary])
def comparison(request: HttpRequest, project_id: UUID) -> list[TargetSummary]:
    """The project over all targets: what each loses and converts, and what it takes."""
    project = found(project_id)
    return [_summary(project, profile) for profile in profiles_of(project.document).values()]


@router.post("/projects/{uuid:project_id}/target-drafts", response=DraftOut)
def try_target(request: HttpRequest, project_id: UUID, given: Draft) -> DraftOut:
    """What is wrong with a profile, or what it would give for this project. Nothing is saved."""
    project = found(project_id)
    try:
        profile = parse(Profile, given.profile, "")
    except InvalidDocument as problem:
        return DraftOut(problem=problem.message.replace("Value error, ", ""))
    return DraftOut(summary=_summary(project, profile))


def _summary(project: Project, profile: Profile) -> TargetSummary:
    document = project.document
    told = {"target": profile.id, "title": profile.title, "own": profile.id in document.targets}
    try:
        made = make_plan(document, profile, header_of(project.head, document))
    except EktoposError as problem:
        return TargetSummary(**told, files=0, memory=0, compressed=0, lost=[], converted=[], problem=str(problem))
    quantities = {c.quantity for file in made.files for c in file.channels.values() if c.quantity}
    converted = [f"{name} instead of {INSTEAD[name]}" for name in quantities]
    if profile.normal_y == "-" and any(c.input == "normal" for file in made.files for c in file.channels.values()):
        converted.append("green of normals points down")
    return TargetSummary(
        **told, files=len(made.files), memory=sum(f.memory for f in made.files),
        compressed=sum(f.compressed for f in made.files), lost=list(made.notes), converted=sorted(converted),
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


@router.get("/packages/{int:package_id}/report.html")
def report(request: HttpRequest, package_id: int) -> HttpResponse:
    """A package and its trial on one page, to be printed; its pictures are in it, so that it can be passed on."""
    package = get_object_or_404(Package, pk=package_id, complete=True)
    if not package.trial:
        raise MissingReference("it has not been put to trial.", subject=package.target, hint="Try it first.")
    profiles = profiles_of(package.revision.core().document)
    folder = package_folder(package.pk) / "pictures"
    shown = {}
    for number, entry in enumerate(package.trial.get("pictures", [])):
        if entry["input"].startswith("render "):
            sides = [(folder / f"{number}-{what}.png").read_bytes() for what in ("meant", "arrived")]
            meant, arrived = (f"data:image/png;base64,{base64.b64encode(raw).decode()}" for raw in sides)
            shown[entry["material"], entry["input"].removeprefix("render ")] = (meant, arrived)
    title = profiles[package.target].title if package.target in profiles else package.target
    told = Report(package.project.name, title, f"{package.made:%-d %B %Y, %H:%M}", package.files, shown)
    return HttpResponse(page(told, package.trial))


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
