"""Materials: the feed sheet, and pictures of what its feeds give."""

from __future__ import annotations

from typing import Any, get_args
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema

from ektopos.document import INPUTS, AlphaMode, Document, Feed, Filter, InputName, MaterialEntry, UvTransform
from ektopos.errors import EktoposError
from ektopos.images import ImageHeader
from ektopos.materials import Material, effective, feed_problem, gives, stage_recipe
from ektopos.materials.preview import STAGE_PICTURES, StagePicture, recipe_values, stage_picture
from ektopos.targets import Plan, make_plan
from ektopos.targets.profile import find_profile
from server.workshop import pictures
from server.workshop.api.maps import picture
from server.workshop.api.projects import found
from server.workshop.models import MapFacts, Project, Revision

router = Router(tags=["materials"])


class GivesOut(Schema):
    """What an input gives, in numbers."""

    low: float
    high: float
    mean: float
    histogram: list[float]
    unit: str


class Leaves(Schema):
    """Where an input leaves in the current target."""

    file: str | None = None
    channels: str = ""
    words: str = ""
    carried: bool = True


class Row(Schema):
    """One row of the feed sheet."""

    input: InputName
    feed: Feed | None
    own: bool
    origin: str | None
    picture: str | None
    gives: GivesOut | None
    leaves: Leaves
    problem: str | None = None


class StageOut(Schema):
    """The pictures and settings the stage draws with."""

    pictures: dict[StagePicture, str]
    emission_factor: float
    alpha_mode: AlphaMode
    alpha_cutoff: float
    double_sided: bool
    uv: UvTransform
    filter: Filter


class Sheet(Schema):
    """A material's whole feed sheet."""

    material: str
    chain: list[str]
    derived: list[str]
    slots: list[str]
    own_settings: list[str]
    surface_tag: str | None
    rows: list[Row]
    stage: StageOut


class Trying(Schema):
    """A material as it would be, not saved."""

    entry: MaterialEntry


@router.get("/projects/{uuid:project_id}/sheets/{path:name}", response=Sheet)
def sheet(request: HttpRequest, project_id: UUID, name: str) -> Sheet:
    """A material's feed sheet."""
    project = found(project_id)
    return _sheet(project, project.document, name)


@router.post("/projects/{uuid:project_id}/sheets/{path:name}", response=Sheet)
def try_sheet(request: HttpRequest, project_id: UUID, name: str, given: Trying) -> Sheet:
    """The feed sheet a material would have with other values, while a control is being moved. Nothing is saved."""
    project = found(project_id)
    document = project.document
    document.materials[name] = given.entry
    return _sheet(project, document, name)


@router.get("/projects/{uuid:project_id}/stage", response=dict[str, StageOut])
def stages(request: HttpRequest, project_id: UUID) -> dict[str, StageOut]:
    """What the stage needs of every material, for meshes that wear several. Broken materials are left out."""
    project = found(project_id)
    document = project.document
    result = {}
    for name in document.materials:
        try:
            result[name] = _stage(project.head, document, effective(document, name))
        except EktoposError:
            continue
    return result


@router.get("/stage-pictures/{key}/{int:size}.png")
def stage_png(request: HttpRequest, key: str, size: int) -> HttpResponse:
    """The picture of a recipe, at most `size` texels a side."""
    safe = "".join(c for c in key if c in "0123456789abcdef")
    return picture(pictures.recipe_png(safe, min(max(size, 16), pictures.REDUCED)))


def _sheet(project: Project, document: Document, name: str) -> Sheet:
    material = effective(document, name)
    entry = document.materials[name]
    revision = project.head
    plan, planning_problem = _plan(document, revision)
    carried = find_profile(document.target).carried()
    rows = []
    for input_name in INPUTS:
        feed = material.feeds.get(input_name)
        row = Row(
            input=input_name, feed=feed, own=input_name in entry.inputs, origin=material.origin.get(input_name),
            picture=None, gives=None, leaves=_leaves(plan, planning_problem, material, input_name, carried),
        )  # fmt: skip
        if feed is not None:
            row.problem = feed_problem(document, feed, input_name) or _missing(revision, document, feed)
            if row.problem is None:
                recipe = _solo(revision, document, material, input_name)
                row.picture = pictures.keep_recipe(recipe)
                values = recipe_values(recipe, input_name, lambda key: pictures.reduced_map(key, pictures.QUICK))
                facts = gives(values, input_name)
                row.gives = GivesOut(**vars(facts))
        rows.append(row)
    return Sheet(
        material=name,
        chain=list(material.chain),
        derived=[other for other, e in document.materials.items() if e.base == name],
        slots=[f"{mesh} · {s}" for mesh, m in document.meshes.items() for s, worn in m.slots.items() if worn == name],
        own_settings=[key for key in entry.model_dump(exclude_none=True, exclude={"inputs"}) if key != "base"],
        surface_tag=material.surface_tag,
        rows=rows,
        stage=_stage(revision, document, material),
    )


def _missing(revision: Revision, document: Document, feed: Feed) -> str | None:
    if feed.map is None:
        return None
    sha = revision.sha_of(document.maps[feed.map].file)
    if not sha or not MapFacts.objects.filter(sha256=sha).exists():
        return f"the file of {feed.map} is missing or still being measured."
    return None


def _stage(revision: Revision, document: Document, material: Material) -> StageOut:
    usable = {
        n: f for n, f in material.feeds.items() if not feed_problem(document, f, n) and not _missing(revision, document, f)
    }
    shown = Material(**{**vars(material), "feeds": usable})
    keys: dict[StagePicture, str] = {}
    factor = 1.0
    for kind in get_args(StagePicture):
        if kind == "height" and "height" not in usable:
            continue
        recipe = stage_recipe(shown, kind, document.maps, lambda name: revision.sha_of(document.maps[name].file))
        keys[kind] = pictures.keep_recipe(recipe)
        if kind == "emission" and STAGE_PICTURES[kind][0] in usable:
            _, factor = stage_picture(recipe, lambda key: pictures.reduced_map(key, pictures.QUICK), pictures.QUICK)
    return StageOut(
        pictures=keys, emission_factor=factor, alpha_mode=material.alpha_mode, alpha_cutoff=material.alpha_cutoff,
        double_sided=material.double_sided, uv=material.uv, filter=material.filter,
    )  # fmt: skip


def _solo(revision: Revision, document: Document, material: Material, name: InputName) -> dict[str, Any]:
    """The recipe of one input by itself."""
    feed = material.feeds[name]
    part: dict[str, Any] = {"feed": feed.model_dump(mode="json", exclude={"map"}, exclude_defaults=True)}
    if feed.map is not None:
        entry = document.maps[feed.map]
        part |= {"content": revision.sha_of(entry.file), "encoding": entry.encoding, "normal_y": entry.normal_y}
    return {"picture": "solo", "inputs": {name: part}}


def header_of(revision: Revision, document: Document) -> Any:
    """A look-up of map headers from measured facts, in one query."""
    shas = {name: revision.sha_of(entry.file) for name, entry in document.maps.items()}
    rows = {sha: row.facts["header"] for sha, row in MapFacts.known(shas.values()).items()}

    def look_up(name: str) -> ImageHeader:
        header = rows.get(shas.get(name, ""))
        if header is None:
            raise EktoposError("the map's file is missing or still being measured.", subject=name, hint="Bring it in again.")
        return ImageHeader(**{**header, "notes": tuple(header["notes"])})

    return look_up


def _plan(document: Document, revision: Revision) -> tuple[Plan | None, str]:
    try:
        return make_plan(document, find_profile(document.target), header_of(revision, document)), ""
    except EktoposError as problem:
        return None, str(problem)


def _leaves(plan: Plan | None, problem: str, material: Material, name: InputName, carried: set[str]) -> Leaves:
    if name not in material.feeds:
        return Leaves(words="not written")
    if name not in carried:
        return Leaves(words="not carried by this target", carried=False)
    if plan is None:
        return Leaves(words=f"no plan: {problem}")
    path = plan.file_of.get((material.name, name))
    if path is not None:
        file = next(f for f in plan.files if f.path == path)
        letters = "".join(letter for letter, channel in file.channels.items() if channel.carries == name)
        return Leaves(file=path.rpartition("/")[2], channels=letters, words=file.suffix)
    if name == "opacity" and material.alpha_mode == "opaque":
        return Leaves(words="not written: opaque")
    if name in material.origin:
        return Leaves(words="as a number")
    return Leaves(words="not written")
