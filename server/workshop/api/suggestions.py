"""Which maps belong on which slot, and which slots are alike."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema

from ektopos.base.errors import EktoposError
from ektopos.maps import sets_of
from ektopos.matching import Candidate, material_of_set, pair_slots, proposals, tile_in_set
from server.workshop.api.projects import project_or_404
from server.workshop.mesh_cache import (
    kept_suggestions,
    measured,
    mesh_at,
)
from server.workshop.models import Job, Project

router = Router(tags=["meshes"])


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
