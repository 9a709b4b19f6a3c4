"""What was changed, by whom and when; before and after; and bringing a state back."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from functools import lru_cache
from typing import Any, Literal
from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from ektopos.base.errors import EktoposError
from ektopos.document.delta import difference
from ektopos.materials.layering import surface_of
from ektopos.materials.sheet import stage_look
from server.workshop.api.materials import sources_of
from server.workshop.api.projects import At, ProjectOut, RowId, project_or_404, shown
from server.workshop.models import Revision

router = Router(tags=["history"])
PAGE = 60
MOST_PICTURES = 3
"""Things of one step that are pictured."""
Kind = Literal["map", "material", "mesh"]
_PARTS: dict[str, Kind] = {"maps": "map", "materials": "material", "meshes": "mesh"}


class ChangedThing(Schema):
    """A thing that a step changed, and its pictures where it has some."""

    kind: Kind
    name: str
    before: str | None = None
    after: str | None = None


class Step(Schema):
    """A step in a project's history."""

    revision: int
    label: str
    author: str
    """Empty where nobody logs in."""
    made: datetime
    state: Literal["now", "past", "undone"]
    touched: list[ChangedThing]


class History(Schema):
    """Steps, newest first."""

    steps: list[Step]
    more: int | None
    """The revision before which there are more."""


@router.get("/projects/{uuid:project_id}/history", response=History)
def history(
    request: HttpRequest,
    project_id: UUID,
    before: RowId | None = None,
    kind: Kind | None = None,
    name: str = "",
    pictures: bool = False,
) -> History:
    """The steps of a project, or those that changed one thing of it, newest first; with pictures of
    what they changed, if that is asked for."""
    project = project_or_404(project_id)
    parents: dict[int, int | None] = dict(project.revisions.values_list("pk", "parent_id"))
    past: set[int] = set()
    current: int | None = project.head.pk
    while current is not None:
        past.add(current)
        current = parents[current]
    rows = project.revisions.select_related("author").defer("whole").order_by("-pk")
    if before is not None:
        rows = rows.filter(pk__lt=before)
    steps: list[Step] = []
    for row in rows.iterator(chunk_size=100):
        touched = [ChangedThing(kind=k, name=n) for k, n in _touched(row)]
        about = [t for t in touched if kind is None or (t.kind, t.name) == (kind, name)]
        if kind is not None and not about:
            continue
        if len(steps) == PAGE:
            return History(steps=steps, more=steps[-1].revision)
        if pictures:
            for thing in [t for t in about if t.kind != "mesh"][:MOST_PICTURES]:
                thing.before = _picture(row.parent, thing.kind, thing.name)
                thing.after = _picture(row, thing.kind, thing.name)
        steps.append(
            Step(
                revision=row.pk,
                label=row.label,
                author=str(row.author) if row.author else "",
                made=row.made,
                state="now"
                if row.pk == project.head.pk
                else "past"
                if row.pk in past
                else "undone",
                touched=touched,
            )
        )
    return History(steps=steps, more=None)


@router.post(
    "/projects/{uuid:project_id}/history/{int:revision_id}/bring-back",
    response=ProjectOut,
    by_alias=True,
)
def bring_back(request: HttpRequest, project_id: UUID, revision_id: RowId, given: At) -> ProjectOut:
    """Bring the state after a step back, as a step that can be undone."""
    project = project_or_404(project_id)
    revision = get_object_or_404(project.revisions, pk=revision_id)
    label = f"restore the version after “{revision.label}” of {revision.made:%d %b %H:%M}"
    project.restore(revision, given.revision, label, given.page)
    return shown(project_or_404(project_id))


def _touched(row: Revision) -> tuple[tuple[Kind, str], ...]:
    """The maps, materials and meshes that a step changed, added or took away; of the first step
    none."""
    if row.parent_id is None:
        return ()
    if row.patch is not None:
        return tuple(_things(row.patch))
    return _touched_by(row.pk)


@lru_cache(maxsize=1024)
def _touched_by(number: int) -> tuple[tuple[Kind, str], ...]:
    """The same of a step that is kept whole; states never change."""
    row = Revision.objects.select_related("parent").get(pk=number)
    before = {} if row.parent is None else row.parent.state._asdict()
    return tuple(_things(difference(before, row.state._asdict())))


def _things(patch: dict[str, Any]) -> Iterator[tuple[Kind, str]]:
    inside = patch.get("in", {}).get("document", {}).get("in", {})
    for part, kind in _PARTS.items():
        delta = inside.get(part, {})
        for name in (*delta.get("set", {}), *delta.get("in", {}), *delta.get("drop", ())):
            yield kind, name


def _picture(revision: Revision | None, kind: Kind, name: str) -> str | None:
    """The address of a thing's picture in a state; `None` where it has none."""
    if revision is None:
        return None
    document = revision.parsed
    if kind == "map":
        sha = revision.sha_of(document.maps[name].file) if name in document.maps else ""
        return f"/api/map-pictures/{sha}/rgb/160.png" if sha else None
    if name not in document.materials:
        return None
    try:
        look = stage_look(document, surface_of(document, name), sources_of(revision, document))
    except EktoposError:
        return None
    return f"/api/material-pictures/{look.picture}/grey-room/160.png"
