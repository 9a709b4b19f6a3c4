"""Materials: the feed sheet, and pictures of what its feeds give."""

from __future__ import annotations

import base64
from typing import Annotated, Any, get_args
from uuid import UUID

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Schema
from pydantic import Field

from ektopos.document import (
    EXTRA_INPUTS,
    INPUTS,
    AlphaMode,
    Document,
    Feed,
    Filter,
    InputName,
    MaterialEntry,
    UvTransform,
)
from ektopos.errors import EktoposError, MissingReference
from ektopos.images import Image, ImageHeader, encode_png, linear_to_srgb, quantise, read_header
from ektopos.materials import Material, Probed, effective, feed_problem, gives, probe, stage_recipe
from ektopos.materials.adjust import clipped
from ektopos.materials.convert import convert_set
from ektopos.materials.preview import (
    STAGE_PICTURES,
    StagePicture,
    feed_recipe,
    recipe_values,
    stage_picture,
)
from ektopos.materials.resolve import Decoded
from ektopos.targets.plan import Plan, make_plan
from ektopos.targets.profile import Profile, find_profile
from ektopos.types import Float
from server.workshop import pictures
from server.workshop.api.files import JobOut
from server.workshop.api.maps import picture
from server.workshop.api.projects import found
from server.workshop.models import Job, MapFacts, Project, Revision
from server.workshop.store import content_path

router = Router(tags=["materials"])
Coordinate = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]


class GivesOut(Schema):
    """What an input gives, in numbers."""

    low: float
    high: float
    mean: float
    histogram: list[float]
    unit: str
    clipped: float
    """Share of texels that the adjustments cut off at 0 or 1."""
    suggestion: str = ""
    """What may be wrong, with the evidence; never changed automatically."""


class Leaves(Schema):
    """Where an input leaves in the current target."""

    file: str | None = None
    channels: str = ""
    words: str = ""
    quantity: str = ""
    """What is written where it is not the input itself: gloss, smoothness, diffuse or specular."""
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

    picture: str
    """The key of a rendered picture of the material on the specimen."""
    extras: dict[InputName, float | list[float]]
    """Means of the inputs beyond the seven."""

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
    size_limit: int | None
    rows: list[Row]
    stage: StageOut


class Converting(Schema):
    """The set to convert."""

    set: str


class ConvertedPart(Schema):
    """One quantity of a conversion."""

    name: str
    picture: str
    """A small picture, as a data address."""
    low: float
    high: float
    mean: float


class ConversionOut(Schema):
    """What a conversion would make, and how well it can be turned back."""

    before: list[ConvertedPart]
    after: list[ConvertedPart]
    way_back: dict[str, tuple[float, float]]


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
    """The feed sheet a material would have with other values, while a control is being moved.
    Nothing is saved."""
    project = found(project_id)
    tried = {"materials": project.document.materials | {name: given.entry}}
    document = project.document.model_copy(update=tried)
    return _sheet(project, document, name)


@router.get("/projects/{uuid:project_id}/stage", response=dict[str, StageOut])
def stages(
    request: HttpRequest, project_id: UUID, checkpoint: int | None = None
) -> dict[str, StageOut]:
    """What the stage needs of every material, now or at a checkpoint. Broken materials are left
    out."""
    project = found(project_id)
    revision = (
        project.head
        if checkpoint is None
        else get_object_or_404(project.checkpoints, pk=checkpoint).revision
    )
    document = revision.parsed
    result = {}
    usable_maps = _usable_maps(revision, document)
    for name in document.materials:
        try:
            result[name] = _stage(revision, document, effective(document, name), usable_maps)
        except EktoposError:
            continue
    return result


@router.get("/projects/{uuid:project_id}/probe/{path:name}", response=list[Probed])
def probe_point(
    request: HttpRequest, project_id: UUID, name: str, u: Coordinate, v: Coordinate
) -> list[Probed]:
    """Every input of a material at one point of a mesh, traced to its texels."""
    project = found(project_id)
    document, revision = project.document, project.head

    def find(map_name: str) -> Decoded:
        entry = document.maps[map_name]
        return Decoded(
            pictures.decoded(revision.sha_of(entry.file)), entry.encoding, entry.normal_y
        )

    return probe(document, effective(document, name), (u, v), find)


@router.get("/projects/{uuid:project_id}/conversions/{path:set_name}", response=ConversionOut)
def conversion(request: HttpRequest, project_id: UUID, set_name: str) -> ConversionOut:
    """What the conversion of a set of the specular workflow would give, on reduced copies. Nothing
    is saved."""
    project = found(project_id)
    document = project.document
    usable = _usable_maps(project.head, document)

    def find(name: str) -> Decoded:
        if name not in usable:
            raise MissingReference(
                "its file is missing or still being measured.",
                subject=name,
                hint="Bring it in again.",
            )
        entry = document.maps[name]
        return Decoded(
            _quick(f"{project.head.sha_of(entry.file)}-{entry.encoding}"), "linear", entry.normal_y
        )

    made = convert_set(document, set_name, find)

    def part(name: str, values: Float) -> ConvertedPart:
        shown = (
            linear_to_srgb(values) if values.ndim == 3 else np.repeat(values[..., None], 3, axis=2)
        )
        png = base64.b64encode(encode_png(quantise(shown, 8))).decode()
        low, high, mean = (
            float(values.min()),
            float(values.max()),
            float(values.mean(dtype=np.float64)),
        )
        return ConvertedPart(
            name=name, picture=f"data:image/png;base64,{png}", low=low, high=high, mean=mean
        )

    return ConversionOut(
        before=[part(*pair) for pair in made.before.items()],
        after=[part(*pair) for pair in made.after.items()],
        way_back=made.way_back(),
    )


@router.post("/projects/{uuid:project_id}/convert", response=JobOut)
def start_convert(request: HttpRequest, project_id: UUID, given: Converting) -> Job:
    """Start making metallic-roughness maps and a material of a set's diffuse, specular and
    gloss.
    """
    return Job.start(found(project_id), "convert", {"set": given.set})


@router.get("/material-pictures/{key}/{light}/{int:size}.png")
def material_png(request: HttpRequest, key: str, light: str, size: int) -> HttpResponse:
    """A material rendered on the specimen by the reference renderer."""
    safe = "".join(c for c in key if c in "0123456789abcdef")
    return picture(pictures.material_png(safe, light, min(max(size, 16), 512)))


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
    usable_maps = _usable_maps(revision, document)
    profile = find_profile(document.target, document)
    rows = []
    for input_name in INPUTS:
        feed = material.feeds.get(input_name)
        if feed is None and input_name in EXTRA_INPUTS:
            continue
        row = Row(
            input=input_name,
            feed=feed,
            own=input_name in entry.inputs,
            origin=material.origin.get(input_name),
            picture=None,
            gives=None,
            leaves=_leaves(plan, planning_problem, material, input_name, profile),
        )
        if feed is not None:
            row.problem = feed_problem(document, feed, input_name) or _missing(usable_maps, feed)
            if row.problem is None:
                recipe = _solo(revision, document, material, input_name)
                row.picture = pictures.keep_recipe(recipe)
                values = recipe_values(recipe, input_name, _quick)
                facts = gives(values, input_name)
                lost = _clipped(recipe, input_name)
                said = _suggestion(document, material, input_name, facts.mean)
                row.gives = GivesOut(**vars(facts), clipped=lost, suggestion=said)
        rows.append(row)
    return Sheet(
        material=name,
        chain=list(material.chain),
        derived=[other for other, e in document.materials.items() if e.base == name],
        slots=[
            f"{mesh} · {s}"
            for mesh, m in document.meshes.items()
            for s, assigned in m.slots.items()
            if assigned == name
        ],
        own_settings=[
            key for key in entry.model_dump(exclude_none=True, exclude={"inputs"}) if key != "base"
        ],
        surface_tag=material.surface_tag,
        size_limit=material.size_limit,
        rows=rows,
        stage=_stage(revision, document, material, usable_maps),
    )


def _quick(key: str) -> Image:
    return pictures.reduced_map(key, pictures.QUICK)


def _mean(values: Float) -> float | list[float]:
    mean = values.reshape(-1, values.shape[2]).mean(axis=0) if values.ndim == 3 else values.mean()
    return [round(float(v), 5) for v in mean] if values.ndim == 3 else round(float(mean), 5)


def _clipped(recipe: dict[str, Any], name: InputName) -> float:
    """How much of an input its adjustments cut off."""
    if name == "normal":
        return 0.0
    feed = Feed.model_validate(recipe["inputs"][name])
    plain = {
        key: recipe["inputs"][name][key]
        for key in ("map", "channels", "value")
        if key in recipe["inputs"][name]
    }
    return clipped(recipe_values({"inputs": {name: plain}}, name, _quick), feed)


def _suggestion(document: Document, material: Material, name: InputName, mean: float) -> str:
    """“Too shiny? This may be gloss”, where a map is fed as roughness, is bright where gloss would
    be, and nobody has said."""
    feed = material.feeds.get(name)
    if name != "roughness" or feed is None or feed.map is None or feed.invert:
        return ""
    entry = document.maps[feed.map]
    letter = (feed.channels or "r")[0]
    held = next((role for group, role in entry.roles.items() if letter in group), "unknown")
    if held == "gloss":
        return "Too shiny? Its map holds gloss: invert it."
    if mean < 0.3 and not entry.by_hand and held in ("roughness", "unknown"):
        return f"Too shiny? This may be gloss: its mean is {mean:.2f}, and the pixels do not tell."
    return ""


def _usable_maps(revision: Revision, document: Document) -> set[str]:
    """The maps whose files are there and measured, in one query."""
    shas = {name: revision.sha_of(entry.file) for name, entry in document.maps.items()}
    known = MapFacts.known(shas.values())
    return {name for name, sha in shas.items() if sha in known}


def _missing(usable: set[str], feed: Feed) -> str | None:
    gone = sorted(feed.maps() - usable)
    return f"the file of {gone[0]} is missing or still being measured." if gone else None


def _stage(
    revision: Revision, document: Document, material: Material, usable_maps: set[str]
) -> StageOut:
    usable = {
        n: f
        for n, f in material.feeds.items()
        if not feed_problem(document, f, n) and not _missing(usable_maps, f)
    }
    shown = Material(**{**vars(material), "feeds": usable})
    keys: dict[StagePicture, str] = {}
    factor = 1.0
    for kind in get_args(StagePicture):
        beyond = kind not in ("base", "orm", "normal", "emission")
        if beyond and not any(
            usable[name].maps() for name in STAGE_PICTURES[kind] if name in usable
        ):
            continue
        recipe = stage_recipe(
            shown, kind, document.maps, lambda name: revision.sha_of(document.maps[name].file)
        )
        keys[kind] = pictures.keep_recipe(recipe)
        if kind == "emission" and STAGE_PICTURES[kind][0] in usable:
            _, factor = stage_picture(recipe, _quick, pictures.QUICK)
    extras = {
        n: _mean(recipe_values(_solo(revision, document, material, n), n, _quick))
        for n in usable
        if n in EXTRA_INPUTS
    }
    drawn = [
        n
        for n in usable
        if n not in EXTRA_INPUTS and not (n == "opacity" and material.alpha_mode == "opaque")
    ]
    inputs = {n: _solo(revision, document, material, n)["inputs"][n] for n in drawn}
    rendered: dict[str, Any] = {
        "picture": "material",
        "inputs": inputs,
        "alpha_mode": material.alpha_mode,
        "alpha_cutoff": material.alpha_cutoff,
        "double_sided": material.double_sided,
        "uv": material.uv.model_dump(mode="json"),
        "filter": material.filter,
        "ior": extras.get("ior", 1.5),
    }
    return StageOut(
        picture=pictures.keep_recipe(rendered),
        extras=extras,
        pictures=keys,
        emission_factor=factor,
        alpha_mode=material.alpha_mode,
        alpha_cutoff=material.alpha_cutoff,
        double_sided=material.double_sided,
        uv=material.uv,
        filter=material.filter,
    )


def _solo(
    revision: Revision, document: Document, material: Material, name: InputName
) -> dict[str, Any]:
    """The recipe of one input by itself."""
    part = feed_recipe(
        material.feeds[name], document.maps, lambda used: revision.sha_of(document.maps[used].file)
    )
    return {"picture": "solo", "inputs": {name: part}}


def header_of(revision: Revision, document: Document) -> Any:
    """A look-up of map headers from measured facts, in one query; from the file itself where it is
    not measured yet."""
    shas = {name: revision.sha_of(entry.file) for name, entry in document.maps.items()}
    rows = {sha: row.facts["header"] for sha, row in MapFacts.known(shas.values()).items()}

    def look_up(name: str) -> ImageHeader:
        header = rows.get(shas.get(name, ""))
        if header is None:
            path = content_path(shas[name]) if shas.get(name) else None
            if path is None or not path.is_file():
                raise MissingReference(
                    "the map's file is missing.", subject=name, hint="Bring it in again."
                )
            return read_header(path)
        return ImageHeader(**{**header, "notes": tuple(header["notes"])})

    return look_up


def _plan(document: Document, revision: Revision) -> tuple[Plan | None, str]:
    try:
        return make_plan(
            document, find_profile(document.target, document), header_of(revision, document)
        ), ""
    except EktoposError as problem:
        return None, str(problem)


def _leaves(
    plan: Plan | None, problem: str, material: Material, name: InputName, profile: Profile
) -> Leaves:
    if name not in material.feeds:
        return Leaves(words="not written")
    if not profile.carries(name, not material.feeds[name].maps()):
        return Leaves(words="not carried", carried=False)
    if plan is None:
        return Leaves(words=f"no plan: {problem}")
    path = plan.file_of.get((material.name, name))
    if path is not None:
        file = next(f for f in plan.files if f.path == path)
        holding = {
            letter: channel
            for letter, channel in file.channels.items()
            if channel.carries and channel.input == name
        }
        quantity = next((channel.quantity for channel in holding.values()), "")
        return Leaves(
            file=path.rpartition("/")[2],
            channels="".join(holding),
            words=file.suffix,
            quantity=quantity,
        )
    if name == "opacity" and material.alpha_mode == "opaque":
        return Leaves(words="not written")
    if name in material.origin:
        return Leaves(words="as a number")
    return Leaves(words="not written")
