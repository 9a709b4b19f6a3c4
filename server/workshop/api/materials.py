"""Materials: the feed sheet, and pictures of what its feeds give."""

from __future__ import annotations

import base64
from typing import Annotated, Any
from uuid import UUID

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.gzip import gzip_page
from ninja import Router, Schema
from pydantic import Field

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.base.types import Float
from ektopos.document import (
    Document,
    MaterialEntry,
)
from ektopos.export.input_destinations import destinations
from ektopos.export.plan import Plan, make_plan
from ektopos.export.profile import find_profile
from ektopos.images import (
    Image,
    ImageHeader,
    encode_png,
    linear_to_srgb,
    quantise,
    read_header,
)
from ektopos.materials import ProbeResult, probe, surface_of
from ektopos.materials.convert import convert_set
from ektopos.materials.resolve import Decoded, as_stated
from ektopos.materials.sheet import Sheet, Sources, StageLook, sheet_of, stage_looks
from server.workshop import pictures
from server.workshop.api.files import JobOut
from server.workshop.api.maps import FOREVER, picture
from server.workshop.api.projects import project_or_404
from server.workshop.models import Job, MapFacts, Project, Revision
from server.workshop.store import content_path

router = Router(tags=["materials"])
Coordinate = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]


class Converting(Schema):
    """The set to convert."""

    set: str


class FromHeight(Schema):
    """The material whose height becomes a normal."""

    material: str
    depth: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)] = 0.04
    """From black to white, in widths of the picture."""
    over: bool = False
    """Whether it lies over the normal that is there, as detail."""


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
    project = project_or_404(project_id)
    return _sheet(project, project.document, name)


@router.post("/projects/{uuid:project_id}/sheets/{path:name}", response=Sheet)
def try_sheet(request: HttpRequest, project_id: UUID, name: str, given: Trying) -> Sheet:
    """The feed sheet a material would have with other values, while a control is being moved.
    Nothing is saved."""
    project = project_or_404(project_id)
    tried = {"materials": project.document.materials | {name: given.entry}}
    document = project.document.model_copy(update=tried)
    return _sheet(project, document, name)


@router.get("/projects/{uuid:project_id}/stage", response=dict[str, StageLook])
def stages(
    request: HttpRequest, project_id: UUID, checkpoint: int | None = None
) -> dict[str, StageLook]:
    """What the stage needs of every material, now or at a checkpoint. Broken materials are left
    out."""
    project = project_or_404(project_id)
    revision = (
        project.head
        if checkpoint is None
        else get_object_or_404(project.checkpoints, pk=checkpoint).revision
    )
    document = revision.parsed
    return stage_looks(document, sources_of(revision, document))


@router.get("/projects/{uuid:project_id}/probe/{path:name}", response=list[ProbeResult])
def probe_point(
    request: HttpRequest,
    project_id: UUID,
    name: str,
    u: Coordinate,
    v: Coordinate,
    u1: Coordinate | None = None,
    v1: Coordinate | None = None,
) -> list[ProbeResult]:
    """Every input of a material at one point of a mesh, traced to its texels; `u1` and `v1` are of
    the second UV set."""
    project = project_or_404(project_id)
    document, revision = project.document, project.head

    def find(map_name: str) -> Decoded:
        entry = document.maps[map_name]
        image = as_stated(pictures.decoded(revision.sha_of(entry.file)), entry)
        return Decoded(image, entry.encoding, entry.normal_y)

    uvs = [(u, v)] if u1 is None or v1 is None else [(u, v), (u1, v1)]
    return probe(document, surface_of(document, name), uvs, find)


@router.get("/projects/{uuid:project_id}/conversions/{path:set_name}", response=ConversionOut)
def conversion(request: HttpRequest, project_id: UUID, set_name: str) -> ConversionOut:
    """What the conversion of a set of the specular workflow would give, on reduced copies. Nothing
    is saved."""
    project = project_or_404(project_id)
    document = project.document
    usable = _usable_maps(project.head, document)

    def find(name: str) -> Decoded:
        if name not in usable:
            raise MissingReference(
                "its file is missing or still being measured.",
                subject=name,
                hint="Import it again.",
            )
        entry = document.maps[name]
        return Decoded(
            _quick(f"{project.head.sha_of(entry.file)}-{entry.decoding}"), "linear", entry.normal_y
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
    return Job.start(project_or_404(project_id), "convert", {"set": given.set})


@router.post("/projects/{uuid:project_id}/normals", response=JobOut)
def start_normal(request: HttpRequest, project_id: UUID, given: FromHeight) -> Job:
    """Start making a normal map of what feeds a material's height."""
    return Job.start(project_or_404(project_id), "normal", given.dict())


@router.get("/material-pictures/{key}/{light}/{int:size}.png")
def material_png(request: HttpRequest, key: str, light: str, size: int) -> HttpResponse:
    """A material rendered on the specimen by the reference renderer."""
    safe = "".join(c for c in key if c in "0123456789abcdef")
    return picture(pictures.swatch_png(safe, light, min(max(size, 16), 512)))


@router.get("/lights/{key}.bin")
@gzip_page
def filtered_lights(request: HttpRequest, key: str) -> HttpResponse:
    """All light set-ups as surfaces reflect them, for a page without a graphics card: half floats,
    see `ektopos/rendering/filtered.py`."""
    response = HttpResponse(pictures.lights(key), content_type="application/octet-stream")
    response["Cache-Control"] = FOREVER
    return response


@router.get("/stage-pictures/{key}/{int:size}.png")
def stage_png(request: HttpRequest, key: str, size: int) -> HttpResponse:
    """The picture of a recipe, at most `size` texels a side."""
    safe = "".join(c for c in key if c in "0123456789abcdef")
    return picture(pictures.recipe_png(safe, min(max(size, 16), pictures.REDUCED)))


def _sheet(project: Project, document: Document, name: str) -> Sheet:
    """The sheet of a material in a document that may differ from the saved one in values."""
    revision = project.head
    profile = find_profile(document.target, document)
    plan, problem = _plan(document, revision)
    return sheet_of(
        document,
        name,
        sources_of(revision, document),
        lambda material, input_name: destinations(plan, problem, material, input_name, profile),
    )


def sources_of(revision: Revision, document: Document) -> Sources:
    """Where sheets and looks have from what a document does not hold."""
    return Sources(
        content=lambda name: revision.sha_of(document.maps[name].file),
        usable=_usable_maps(revision, document),
        reduced=_quick,
        longest=pictures.QUICK,
        keep=pictures.keep_recipe,
    )


def _quick(key: str) -> Image:
    return pictures.reduced_map(key, pictures.QUICK)


def _usable_maps(revision: Revision, document: Document) -> set[str]:
    """The maps whose files are there and measured."""
    shas = {name: revision.sha_of(entry.file) for name, entry in document.maps.items()}
    known = MapFacts.values(shas.values())
    return {name for name, sha in shas.items() if sha in known}


def header_of(revision: Revision, document: Document) -> Any:
    """A look-up of map headers from measured facts; from the file itself where it is not measured
    yet."""
    shas = {name: revision.sha_of(entry.file) for name, entry in document.maps.items()}
    known = MapFacts.values(shas.values())

    def look_up(name: str) -> ImageHeader:
        facts = known.get(shas.get(name, ""))
        if facts is not None:
            return facts.header
        path = content_path(shas[name]) if shas.get(name) else None
        if path is None or not path.is_file():
            raise MissingReference(
                "the map's file is missing.", subject=name, hint="Import it again."
            )
        return read_header(path)

    return look_up


def _plan(document: Document, revision: Revision) -> tuple[Plan | None, str]:
    try:
        return make_plan(
            document, find_profile(document.target, document), header_of(revision, document)
        ), ""
    except EktoposError as problem:
        return None, str(problem)
