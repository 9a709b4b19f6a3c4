"""The pack plan: what a target would get, before anything is written."""

from __future__ import annotations

from typing import Any, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema

from ektopos.base.errors import EktoposError, InvalidDocument, MissingReference
from ektopos.base.types import Basis
from ektopos.document import INPUTS, Document, parse
from ektopos.export.atlas_estimate import AtlasEstimate, estimate_atlas
from ektopos.export.differences import converted, left_out
from ektopos.export.dropped_features import ExportedMesh, SceneOf, exported_mesh_of
from ektopos.export.estimate import estimated_bytes
from ektopos.export.plan import HeaderOf, Plan, PlanGround, PlannedFile, make_plan
from ektopos.export.profile import Profile, find_profile, profiles_of
from ektopos.export.reuse import texture_key
from ektopos.materials.adjust import changes
from ektopos.meshes.scene import FileScene
from server.workshop.api.materials import header_of
from server.workshop.api.projects import project_or_404
from server.workshop.mesh_cache import measured, scene_by_content
from server.workshop.models import Project
from server.workshop.store import content_path

router = Router(tags=["plan"])


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
    estimate: int
    """Bytes on disk, guessed."""
    levels: int
    basis: Basis | None
    """How its texels stay compressed in graphics memory."""
    state: Literal["new", "changed", "same"]
    """Against the last package for this target."""
    channels: dict[str, PlannedChannelOut | None]


class PlanOut(Schema):
    """The pack plan."""

    target: str
    title: str
    files: list[PlannedFileOut]
    factors: int
    left_out: list[str]
    """What the target does not carry."""
    unassigned: list[str]
    """Materials that are not exported, because no slot uses them."""
    converted: list[str]
    """What the target takes in another form."""
    meshes: list[ExportedMesh]
    """What of each mesh's file goes along, and what stays behind."""
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
    plan: PlanOut | None = None


@router.get("/projects/{uuid:project_id}/plan", response=PlanOut)
def plan(request: HttpRequest, project_id: UUID) -> PlanOut:
    """Which files the target gets."""
    project = project_or_404(project_id)
    profile = find_profile(project.document.target, project.document)
    head_of = header_of(project.head, project.document)
    return _plan(project, profile, make_plan(project.document, profile, head_of), head_of)


@router.get(
    "/projects/{uuid:project_id}/meshes/{path:name}/atlas-estimate", response=AtlasEstimate | None
)
def sets_of_mesh(request: HttpRequest, project_id: UUID, name: str) -> AtlasEstimate | None:
    """What the sets that a mesh wears weigh, and one set for all of its slots would; nothing with
    fewer than two."""
    project = project_or_404(project_id)
    document = project.document
    if name not in document.meshes:
        raise MissingReference(
            "there is no such mesh.", subject=name, hint="Choose another, or import it."
        )
    row = measured(project.head, [name]).get(name)
    if row is None:
        return None
    profile = find_profile(document.target, document)
    made = make_plan(document, profile, header_of(project.head, document))
    assigned = document.meshes[name].slots
    slots, _ = row.look()
    return estimate_atlas(
        made, [(s, m) for s in slots if (m := assigned.get(s.name)) in made.materials]
    )


@router.get("/projects/{uuid:project_id}/targets", response=list[Profile], by_alias=True)
def targets(request: HttpRequest, project_id: UUID) -> list[Profile]:
    """Every target that a project can use: the built-in ones and its own."""
    return list(profiles_of(project_or_404(project_id).document).values())


@router.get("/projects/{uuid:project_id}/comparison", response=list[TargetSummary])
def comparison(request: HttpRequest, project_id: UUID) -> list[TargetSummary]:
    """The project over all targets: what each loses and converts, and what it takes."""
    project = project_or_404(project_id)
    document = project.document
    head_of, profiles = header_of(project.head, document), profiles_of(document).values()
    try:
        ground = PlanGround(document, head_of)
    except EktoposError as problem:
        return [_unmade(project, profile, problem) for profile in profiles]
    summaries = []
    for profile in profiles:
        try:
            made = make_plan(document, profile, head_of, ground)
            summaries.append(_summary(project, profile, made, head_of))
        except EktoposError as problem:
            summaries.append(_unmade(project, profile, problem))
    return summaries


@router.post("/projects/{uuid:project_id}/target-drafts", response=DraftOut)
def try_target(request: HttpRequest, project_id: UUID, given: Draft) -> DraftOut:
    """What is wrong with a profile, or what it would give for this project. Nothing is saved."""
    project = project_or_404(project_id)
    try:
        profile = parse(Profile, given.profile, "")
    except InvalidDocument as problem:
        return DraftOut(problem=problem.message.replace("Value error, ", ""))
    head_of = header_of(project.head, project.document)
    try:
        made = make_plan(project.document, profile, head_of)
    except EktoposError as problem:
        return DraftOut(summary=_unmade(project, profile, problem))
    return DraftOut(
        summary=_summary(project, profile, made, head_of),
        plan=_plan(project, profile, made, head_of),
    )


def _summary(project: Project, profile: Profile, made: Plan, head_of: HeaderOf) -> TargetSummary:
    return TargetSummary(
        target=profile.id,
        title=profile.title,
        own=profile.id in project.document.targets,
        files=len(made.files),
        memory=sum(f.memory for f in made.files),
        compressed=sum(f.compressed for f in made.files),
        lost=left_out(made),
        converted=converted(made, profile, head_of),
    )


def _unmade(project: Project, profile: Profile, problem: EktoposError) -> TargetSummary:
    return TargetSummary(
        target=profile.id,
        title=profile.title,
        own=profile.id in project.document.targets,
        files=0,
        memory=0,
        compressed=0,
        lost=[],
        converted=[],
        problem=str(problem),
    )


def _plan(project: Project, profile: Profile, made: Plan, head_of: HeaderOf) -> PlanOut:
    document = project.document
    last = (
        project.packages.filter(target=profile.id, complete=True, brought_in="")
        .order_by("-id")
        .first()
    )
    listed = [
        part for file in (last.files if last else []) for part in (file, *file.get("images", []))
    ]
    before = {part["path"]: part.get("made_from") for part in listed}
    core, sha_of = project.core(), project.head.sha_of

    def sized(name: str) -> tuple[Any, int]:
        path = content_path(sha_of(document.maps[name].file))
        return head_of(name), path.stat().st_size if path.is_file() else 0

    files = [
        PlannedFileOut(
            path=file.path,
            materials=list(file.materials),
            width=file.width,
            height=file.height,
            bits=file.bits,
            encoding=file.encoding,
            memory=file.memory,
            compressed=file.compressed,
            estimate=estimated_bytes(file, sized),
            levels=file.levels,
            basis=file.basis and file.basis[0],
            channels=_channels(document, profile, file),
            state=_state(before, file.path, texture_key(file, profile, core, sha_of)),
        )
        for file in made.files
    ]
    factors = sum(len([i for i in inputs if i in INPUTS]) for inputs in made.factors.values())
    return PlanOut(
        target=profile.id,
        title=profile.title,
        files=files,
        factors=factors,
        left_out=left_out(made),
        unassigned=document.unassigned(),
        converted=converted(made, profile, head_of),
        meshes=[
            exported_mesh_of(core, profile, name, _scene_of(project))
            for name in core.document.exported().meshes
        ],
        memory=sum(file.memory for file in made.files),
        compressed=sum(file.compressed for file in made.files),
        budget=profile.budget * 2**20 if profile.budget else None,
    )


def _scene_of(project: Project) -> SceneOf:
    """The scenes of a project's meshes; nothing for one that cannot be read, which the checks
    say."""
    core = project.core()

    def scene_of(name: str) -> FileScene:
        file = core.document.meshes[name].file
        try:
            return scene_by_content(core, name, project.head.sha_of(file))
        except EktoposError:
            return FileScene()

    return scene_of


def _channels(
    document: Document, profile: Profile, file: PlannedFile
) -> dict[str, PlannedChannelOut | None]:
    channels: dict[str, PlannedChannelOut | None] = dict.fromkeys("rgba")
    for letter, channel in file.channels.items():
        if channel.carries is None:
            continue
        feed = channel.feed
        changed = changes(feed)
        if (
            channel.input == "normal"
            and feed.map
            and (document.maps[feed.map].normal_y or "+") != profile.normal_y
        ):
            changed.append("green flipped")
        source = (
            f"{feed.map}.{(feed.channels or 'rgb').upper()}"
            if feed.map
            else "covered"
            if feed.laid
            else "constant with layers"
            if feed.layers
            else "constant"
        )
        channels[letter] = PlannedChannelOut(
            carries=channel.carries, source=source, changed=", ".join(changed)
        )
    return channels


def _state(before: dict[str, str | None], path: str, key: str) -> Literal["new", "changed", "same"]:
    if path not in before:
        return "new"
    return "same" if before[path] == key else "changed"
