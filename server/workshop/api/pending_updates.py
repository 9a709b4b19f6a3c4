"""New versions of files that wait to be taken."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from server.workshop.api.projects import At, ProjectOut, project_or_404, shown
from server.workshop.checking import findings_of
from server.workshop.delivering import deliver_by_itself
from server.workshop.models import MapFacts, Offer, Project
from server.workshop.pending_updates import Effect, effect_of, keeping_both, offers_of, taking
from server.workshop.retention import ensure_measured

router = Router(tags=["offers"])


class Version(Schema):
    """One of the two files."""

    sha256: str
    size: str
    """Width, height, channels and bits of a map; empty for a mesh."""


class OfferOut(Schema):
    """A file that came in under a name that the project has."""

    id: int
    kind: str
    """`map` or `mesh`."""
    name: str
    path: str
    made: datetime
    before: Version
    after: Version


class Chosen(At):
    """Some offers, and what is to be done with them."""

    ids: Annotated[list[int], Field(min_length=1, max_length=2000)]
    what: Literal["take", "keep-both", "leave"]


@router.get("/projects/{uuid:project_id}/offers", response=list[OfferOut])
def offers(request: HttpRequest, project_id: UUID) -> list[OfferOut]:
    """What waits, in the order in which it came."""
    project = project_or_404(project_id)
    rows = offers_of(project)
    document, head = project.document, project.head
    old = {
        row.pk: head.sha_of(entry.file)
        for row in rows
        if (entry := (document.maps if row.kind == "map" else document.meshes).get(row.name))
    }
    facts = MapFacts.values([*old.values(), *(row.sha256 for row in rows)])

    def version(sha: str) -> Version:
        header = facts[sha].header if sha in facts else None
        words = (
            f"{header.width} × {header.height}, {header.channels} × {header.bits} bit"
            if header
            else ""
        )
        return Version(sha256=sha, size=words)

    return [
        OfferOut(
            id=row.pk,
            kind=row.kind,
            name=row.name,
            path=row.path,
            made=row.made,
            before=version(old.get(row.pk, "")),
            after=version(row.sha256),
        )
        for row in rows
    ]


@router.get("/projects/{uuid:project_id}/offers/{int:offer_id}/effect", response=Effect)
def effect(request: HttpRequest, project_id: UUID, offer_id: int) -> Effect:
    """What taking one would change. Nothing is saved."""
    project = project_or_404(project_id)
    (offer,) = offers_of(project, [offer_id])
    return effect_of(project, offer, findings_of(project))


@router.post("/projects/{uuid:project_id}/offers", response=ProjectOut, by_alias=True)
def decide(request: HttpRequest, project_id: UUID, given: Chosen) -> ProjectOut:
    """Take offers, bring them in beside the old ones, or leave them: all as one step."""
    project = project_or_404(project_id)
    rows = offers_of(project, given.ids)
    if given.what != "leave":
        _done(project, rows, given)
    Offer.objects.filter(pk__in=[row.pk for row in rows]).delete()
    project = project_or_404(project_id)
    ensure_measured(project)
    return shown(project)


def _done(project: Project, rows: list[Offer], given: Chosen) -> None:
    if given.what == "keep-both":
        # One after the other: each chooses a name that the one before may have taken.
        for row in rows:
            one = keeping_both(project.fresh(), row)
            project.fresh().edit(one.edits, None, one.files, page=given.page)
        return
    taken = [taking(project, row) for row in rows]
    edits = [edit for one in taken for edit in one.edits]
    files = {path: sha for one in taken for path, sha in one.files.items()}
    project.edit(edits, given.revision, files, page=given.page)
    deliver_by_itself(project, edits)
