"""Meshes: slots, faults, recipes, which maps belong to which slot, and geometry for the stage."""

from __future__ import annotations

import contextlib
import hashlib
import json
from dataclasses import asdict
from typing import Annotated, Any, Literal
from uuid import UUID

import numpy as np
from django.http import FileResponse, HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import Field

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.document.mesh_steps import By, MeshStep, PackUvs
from ektopos.edits import SetRecipe
from ektopos.maps import sets_of
from ektopos.matching import Candidate, material_of_set, pair_slots, proposals, tile_in_set
from ektopos.material_import import Carried, carried_whole, says_something
from ektopos.meshes import Fault, SlotFacts, carried, groups_of
from ektopos.meshes.formats.gltf import GLTF_SUFFIXES
from ektopos.meshes.padding import padding_of
from ektopos.meshes.scene import Brought, NodeKind
from server.workshop import pictures
from server.workshop.api.files import JobOut
from server.workshop.api.maps import FOREVER
from server.workshop.api.projects import At, ProjectOut, project_or_404, shown
from server.workshop.mesh_cache import (
    called,
    changed_mesh,
    is_at_hand,
    kept_suggestions,
    measured,
    mesh_at,
    referred,
    scene_by_content,
    scene_content,
    source_mesh,
    stage_file,
)
from server.workshop.models import Job, MeshFacts, Project
from server.workshop.retention import ensure_measured
from server.workshop.store import cache_path, known_content, writing

router = Router(tags=["meshes"])
INSIDE_VERSION = 4
"""Of what is read of materials that come with a mesh; another one reads again."""


class FaultOut(Schema):
    """One kind of fault."""

    code: str
    slot: str | None
    count: int
    message: str
    seen: bool
    """Whether its faces can be shown."""


class StepOut(Schema):
    """One step of a recipe, in words."""

    step: MeshStep
    words: str


class Inside(Schema):
    """What the file brings with it."""

    maps: int = 0
    materials: int = 0
    not_taken: list[str] = []
    """What of the materials cannot be kept exactly, a sentence for each."""


class SceneNodeOut(Schema):
    """One node of a file's hierarchy."""

    name: str
    depth: int
    kind: NodeKind
    detail: str


class SceneOut(Schema):
    """What a mesh file holds besides its triangles."""

    nodes: list[SceneNodeOut]
    brings: list[str]
    kinds: list[Brought]
    morphs: list[str]
    playable: bool
    """Whether its animations and morph targets can be tried on the stage."""


class MeshOut(Schema):
    """One mesh with its slots and what is worn on them."""

    name: str
    file: str
    key: str
    measured: bool
    triangles: int
    size: list[float]
    notes: list[str]
    slots: list[SlotFacts]
    renamed: dict[str, str]
    """What slots are called now, by what the geometry for the stage calls them, where that differs:
    its address stays as it is when a slot is renamed."""
    assigned: dict[str, str | None]
    done: list[str]
    faults: list[FaultOut]
    recipe: list[StepOut]
    inside: Inside


class NewRecipe(At):
    """What is to be done to a mesh, made on a revision: the whole recipe, or one step after those
    that are there."""

    recipe: Annotated[list[MeshStep], Field(max_length=1000)] | None = None
    append: MeshStep | None = None


class RecipeOut(Schema):
    """The project with the change made, or the job that makes it."""

    project: ProjectOut | None = None
    job: JobOut | None = None


class Picked(Schema):
    """Faces that belong together with one that was chosen."""

    faces: list[int]
    """Numbers within the slot."""


class CandidateOut(Schema):
    """A map set that may belong to a slot."""

    set: str
    score: float
    reasons: list[str]
    material: str | None
    """A material that is fed from it."""
    tile: int | None
    """The UDIM tile of it that the slot lies on; 0 where it lies on several, or on none of it."""
    picture: str
    """The content of the map that shows it best."""


class SuggestionOut(Schema):
    """The map sets for one slot, best first."""

    slot: str
    candidates: list[CandidateOut]


class SuggestionsOut(Schema):
    """What has been compared, or that a job is comparing it."""

    ready: bool
    slots: list[SuggestionOut] = []


class ProposalOut(Schema):
    """What a slot could wear."""

    mesh: str
    slot: str
    set: str
    material: str | None
    score: float
    reasons: list[str]
    sure: bool
    tile: int | None
    """The UDIM tile of the set that the slot lies on."""
    picture: str


class ProposalsOut(Schema):
    """What bare slots could wear, or that a job is comparing it."""

    ready: bool
    proposals: list[ProposalOut] = []


class SimilarSlots(Schema):
    """A slot that is like one of another mesh, or like several."""

    slot: str
    other: str | None
    material: str | None
    why: str


class PaddingOut(Schema):
    """How a map goes with a slot's UVs."""

    map: str
    width: int
    height: int
    padding: int | None
    """Texels; `None` where the map has no background."""


class Baking(Schema):
    """What occlusion to bake."""

    slot: str
    size: Literal[256, 512, 1024, 2048, 4096] = 1024
    samples: int = 64
    feed: bool = True


class Painting(Schema):
    """What to paint into a slot's UVs."""

    what: Literal["faces", "colours", "three-sides"]
    slot: str
    size: Literal[256, 512, 1024, 2048, 4096] = 1024
    at: list[int] | None = None
    """For a mask: the faces of the slot where it is 1."""
    metres: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)] = 1.0
    """From three sides: what the maps cover before they repeat …"""
    hardness: Annotated[float, Field(ge=1, le=64)] = 4.0
    """… how fast one side gives way to the next …"""
    offset: Annotated[float, Field(ge=0, le=0.5)] = 0.0
    """… and what of the normal does not count."""
    anew: bool = False
    """Whether the slot is unwrapped first; one without UVs always is."""


@router.get("/projects/{uuid:project_id}/meshes", response=list[MeshOut])
def meshes(request: HttpRequest, project_id: UUID) -> list[MeshOut]:
    """Every mesh of a project."""
    project = project_or_404(project_id)
    document = project.document
    rows = measured(project.head, list(document.meshes))
    if len(rows) < len(document.meshes):
        ensure_measured(project)
    result = []
    for name, entry in document.meshes.items():
        row = rows.get(name)
        faults = [
            Fault(f["code"], f["slot"], f["count"], tuple(f["faces"][:1]))
            for f in (row.faults if row else [])
        ]
        result.append(
            MeshOut(
                name=name,
                file=entry.file,
                key=row.key if row else "",
                measured=row is not None,
                triangles=row.triangles if row else 0,
                size=row.size if row else [0, 0, 0],
                notes=row.notes if row else [],
                slots=list(row.slots) if row else [],
                renamed=called(project.head, name),
                assigned=entry.slots,
                done=entry.done,
                faults=[
                    FaultOut(
                        code=f.code,
                        slot=f.slot,
                        count=f.count,
                        message=f.message,
                        seen=bool(f.faces),
                    )
                    for f in faults
                ],
                recipe=[StepOut(step=step, words=step.label()) for step in entry.recipe],
                inside=_inside(project, entry.file),
            )
        )
    return result


@router.post(
    "/projects/{uuid:project_id}/meshes/{path:name}/recipe", response=RecipeOut, by_alias=True
)
def set_recipe(request: HttpRequest, project_id: UUID, name: str, given: NewRecipe) -> RecipeOut:
    """Change what is done to a mesh; slots keep what they wear. What takes long, and measuring, is
    done by jobs."""
    project = project_or_404(project_id)
    revision = project.head
    made = (
        list(revision.core().document.meshes[name].recipe)
        if name in revision.document["meshes"]
        else []
    )
    steps = [*made, given.append] if given.append else list(given.recipe or [])
    if given.append is None and given.recipe is None:
        raise EktoposError(
            "neither a recipe nor a step is given.", subject=name, hint="Say what is to be done."
        )
    source = source_mesh(revision, name)
    starts_here = steps[: len(made)] == made
    new = steps[len(made) :] if starts_here else steps
    start = source if starts_here else source_mesh(revision, name, [])
    if (
        any(isinstance(step, PackUvs) for step in new)
        or not is_at_hand(start)
        or not is_at_hand(source)
    ):
        arguments = {
            "mesh": name,
            "revision": revision.pk,
            "recipe": [step.model_dump(mode="json") for step in steps],
        }
        job = Job.start(project, "recipe", arguments, given.page)
        return RecipeOut(job=JobOut.from_orm(job))
    before, after = mesh_at(revision, name), changed_mesh(revision, name, steps)
    project.edit(
        [SetRecipe(mesh=name, recipe=steps, came_from=carried(before, after))],
        given.revision,
        page=given.page,
    )
    project = project_or_404(project_id)
    ensure_measured(project)
    return RecipeOut(project=shown(project))


@router.get("/projects/{uuid:project_id}/meshes/{path:name}/faces", response=Picked)
def faces_with(
    request: HttpRequest, project_id: UUID, name: str, slot: str, face: int, by: By
) -> Picked:
    """The faces of a slot that belong together with one of them."""
    mesh = mesh_at(project_or_404(project_id).head, name)
    own = np.flatnonzero(
        mesh.triangle_slot == (mesh.slots.index(slot) if slot in mesh.slots else -1)
    )
    if not 0 <= face < len(own):
        raise EktoposError("the mesh has no such face.", subject=slot, hint="Load the page again.")
    group = groups_of(mesh, own, by)
    return Picked(faces=[int(number) for number in np.flatnonzero(group == group[face])])


@router.get("/projects/{uuid:project_id}/meshes/{path:name}/suggestions", response=SuggestionsOut)
def suggest(request: HttpRequest, project_id: UUID, name: str) -> SuggestionsOut:
    """Which map sets belong to which slot of a mesh, and why; compared by a job, to be asked for
    again meanwhile."""
    project = project_or_404(project_id)
    compared = _suggestions(project, name)
    if compared is None:
        return SuggestionsOut(ready=False)
    document, shows = project.document, _best_maps(project)
    tiles, sets = _tiles(project, [name]).get(name, {}), sets_of(document)

    def candidate(one: Candidate, slot: str) -> CandidateOut:
        tile = tile_in_set(document, one.set, tiles.get(slot, ()), sets)
        return CandidateOut(
            set=one.set,
            score=one.score,
            reasons=one.reasons,
            material=material_of_set(document, one.set, tile, sets),
            tile=tile,
            picture=shows.get(one.set, ""),
        )

    slots = [
        SuggestionOut(slot=slot, candidates=[candidate(c, slot) for c in ranked[:3]])
        for slot, ranked in compared.items()
    ]
    return SuggestionsOut(ready=True, slots=slots)


def _tiles(project: Project, names: list[str]) -> dict[str, dict[str, list[int]]]:
    """By mesh and slot, the UDIM tiles that it lies on; nothing for what nobody has measured."""
    return {
        name: {slot["name"]: slot["uv"].get("tiles", []) for slot in row.slots}
        for name, row in measured(project.head, names).items()
    }


@router.get("/projects/{uuid:project_id}/proposals", response=ProposalsOut)
def propose(request: HttpRequest, project_id: UUID) -> ProposalsOut:
    """What every slot that wears nothing could wear; compared by jobs, to be asked for again
    meanwhile."""
    project = project_or_404(project_id)
    document = project.document
    shows = _best_maps(project)
    bare = [
        name
        for name, entry in document.meshes.items()
        if any(assigned is None for assigned in entry.slots.values())
    ]
    compared = {name: _suggestions(project, name) for name in bare}
    if any(ranked is None for ranked in compared.values()):
        return ProposalsOut(ready=False)
    tiles = _tiles(project, bare)
    made = [
        p
        for name, ranked in compared.items()
        for p in proposals(document, name, ranked or {}, tiles.get(name, {}))
    ]
    return ProposalsOut(
        ready=True, proposals=[ProposalOut(**vars(p), picture=shows.get(p.set, "")) for p in made]
    )


@router.get(
    "/projects/{uuid:project_id}/meshes/{path:name}/similar-mesh/{path:other}",
    response=list[SimilarSlots],
)
def similar_mesh(
    request: HttpRequest, project_id: UUID, name: str, other: str
) -> list[SimilarSlots]:
    """Slots of a mesh that are like slots of another, with what those wear."""
    project = project_or_404(project_id)
    assigned = project.document.meshes[other].slots if other in project.document.meshes else {}
    return [
        SimilarSlots(
            slot=pair.slot,
            other=pair.other,
            material=assigned.get(pair.other) if pair.other else None,
            why=pair.why,
        )
        for pair in pair_slots(mesh_at(project.head, name), mesh_at(project.head, other))
    ]


@router.get(
    "/projects/{uuid:project_id}/meshes/{path:name}/padding/{path:map_name}", response=PaddingOut
)
def padding(
    request: HttpRequest, project_id: UUID, name: str, map_name: str, slot: str
) -> PaddingOut:
    """How far a map is painted on beyond the islands of a slot and of those that wear the same."""
    project = project_or_404(project_id)
    document = project.document
    mesh = mesh_at(project.head, name)
    assigned = document.meshes[name].slots
    sharing = [
        s
        for s in mesh.slots
        if s == slot or (assigned.get(slot) is not None and assigned.get(s) == assigned.get(slot))
    ]
    faces = np.isin(mesh.triangle_slot, [mesh.slots.index(s) for s in sharing])
    corners = mesh.corner_uvs()[faces]
    corners = corners[np.isfinite(corners).all(axis=(1, 2))]
    entry = document.maps.get(map_name)
    if entry is None:
        raise MissingReference("there is no such map.", subject=map_name, hint="Choose another.")
    image = pictures.decoded(project.head.sha_of(entry.file))
    texels = padding_of(image.pixels, corners) if len(corners) else None
    return PaddingOut(map=map_name, width=image.width, height=image.height, padding=texels)


@router.post("/projects/{uuid:project_id}/meshes/{path:name}/occlusion", response=JobOut)
def start_bake(request: HttpRequest, project_id: UUID, name: str, given: Baking) -> Job:
    """Start baking the occlusion of a slot and of those that wear the same material."""
    if not 1 <= given.samples <= 1024:
        raise EktoposError("between 1 and 1,024 rays a texel are possible.", hint="64 are usual.")
    return Job.start(project_or_404(project_id), "occlusion", {"mesh": name, **given.dict()})


@router.post("/projects/{uuid:project_id}/meshes/{path:name}/paint", response=JobOut)
def start_paint(request: HttpRequest, project_id: UUID, name: str, given: Painting) -> Job:
    """Start painting a mask, vertex colours, or a material from three sides into a slot's UVs."""
    return Job.start(project_or_404(project_id), "paint", {"mesh": name, **given.dict()})


@router.get("/projects/{uuid:project_id}/meshes/{path:name}/scene.glb")
def scene_file(request: HttpRequest, project_id: UUID, name: str) -> HttpResponse:
    """The scene of a mesh that came as glTF, with its slots and UVs as they are now and without
    materials: for the stage, where animations are played and morph targets tried."""
    revision = project_or_404(project_id).head
    path = cache_path("scenes", f"{source_mesh(revision, name).key}.glb")
    content = pictures.kept_or_made(path, lambda: scene_content(revision, name))
    response = HttpResponse(content, content_type="model/gltf-binary")
    # Its address names what it was made of.
    response["Cache-Control"] = "private, max-age=86400"
    return response


@router.get("/projects/{uuid:project_id}/meshes/{path:name}/scene", response=SceneOut)
def scene(request: HttpRequest, project_id: UUID, name: str) -> dict[str, Any]:
    """What a mesh file holds: its nodes, and whatever else it brings along."""
    project = project_or_404(project_id)
    core = project.core()
    entry = core.document.meshes.get(name)
    if entry is None:
        raise MissingReference(
            "there is no such mesh.", subject=name, hint="It may have been removed meanwhile."
        )
    contents = scene_by_content(core, name, project.head.sha_of(entry.file))
    return asdict(contents) | {"playable": entry.file.lower().endswith(GLTF_SUFFIXES)}


@router.post("/projects/{uuid:project_id}/meshes/{path:name}/embedded-materials", response=JobOut)
def start_inside(request: HttpRequest, project_id: UUID, name: str) -> Job:
    """Start bringing in the maps and materials that come with a mesh file."""
    return Job.start(project_or_404(project_id), "embedded", {"mesh": name})


@router.get("/mesh-geometry/{key}.glb")
def geometry(request: HttpRequest, key: str) -> FileResponse:
    """A mesh's geometry for the stage: one primitive a slot."""
    return _kept(key, ".glb", "model/gltf-binary")


@router.get("/mesh-measures/{key}/{measure}.bin")
def measure(
    request: HttpRequest, key: str, measure: Literal["density", "stretch", "flipped"]
) -> FileResponse:
    """A measure of every triangle, float32, in the order of the geometry's slots."""
    return _kept(key, f"-{measure}.bin", "application/octet-stream")


@router.get("/mesh-faults/{key}/{int:number}.bin")
def fault_faces(request: HttpRequest, key: str, number: int) -> HttpResponse:
    """Whether each triangle has a fault, one byte each, in the order of the geometry's slots."""
    row = MeshFacts.objects.filter(key=key).first()
    if row is None or number >= len(row.faults):
        raise MissingReference(
            "the mesh has not been measured.", subject=key[:12], hint="Load the page again."
        )
    order = np.load(stage_file(_safe(key), "-order.npy"))
    mask = np.zeros(len(order), np.uint8)
    mask[row.faults[number]["faces"]] = 1
    response = HttpResponse(mask[order].tobytes(), content_type="application/octet-stream")
    response["Cache-Control"] = FOREVER
    return response


def _suggestions(project: Project, name: str) -> dict[str, list[Candidate]] | None:
    """What has been compared; `None` while a job does it. Raises `EktoposError` with what the last
    one failed with."""
    kept = kept_suggestions(project.head, name)
    if kept is not None:
        return kept
    last = project.jobs.filter(kind="match", arguments={"mesh": name}).first()
    if last is not None and last.state == Job.State.FAILED and last.made > project.changed:
        error = last.error or {}
        raise EktoposError(error.get("message", ""), subject=name, hint=error.get("hint", ""))
    Job.start_once(project, "match", {"mesh": name})
    return kept_suggestions(project.head, name)


def _safe(key: str) -> str:
    return "".join(c for c in key if c in "0123456789abcdef")


def _kept(key: str, ending: str, kind: str) -> FileResponse:
    response = FileResponse(stage_file(_safe(key), ending).open("rb"), content_type=kind)
    response["Cache-Control"] = FOREVER
    return response


def _inside(project: Project, file: str) -> Inside:
    """What a mesh file has inside, read once."""
    sha = project.head.sha_of(file)
    content = known_content(sha) if sha else None
    if content is None:
        return Inside()
    core = project.core()
    find = core.find_pictures(file)
    parts = map(find, referred(sha, file, project.head.sha_of))
    beside = sorted(str(part) for part in parts if part is not None)
    key = hashlib.sha256(repr((INSIDE_VERSION, sha, beside)).encode()).hexdigest()
    path = cache_path("inside", key)
    with contextlib.suppress(OSError, ValueError):
        return Inside(**json.loads(path.read_text()))
    try:
        brings = carried_whole(content, find, file, str, contents=False)
    except EktoposError:
        brings = Carried()
    inside = Inside(
        maps=len(brings.maps),
        materials=sum(map(says_something, brings.materials.values())),
        not_taken=[
            f"{line.subject.removeprefix('material ')}: {line.message}" for line in brings.not_taken
        ],
    )
    with writing(path) as temporary:
        temporary.write_text(inside.model_dump_json())
    return inside


def _best_maps(project: Project) -> dict[str, Any]:
    """The content of the map of every set that shows it best: base colour if there is one."""
    document = project.document
    result = {}
    for name, members in sets_of(document).items():
        first = next(
            (m for m in members if "base_color" in document.maps[m].roles.values()), members[0]
        )
        result[name] = project.head.sha_of(document.maps[first].file)
    return result
