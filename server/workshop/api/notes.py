"""Notes that people leave at things of a project, and answers to them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Schema
from pydantic import Field

from ektopos.base.errors import InvalidDocument
from server.workshop.api.projects import RowId, project_or_404
from server.workshop.models import Note, acting

router = Router(tags=["notes"])
At = Literal["project", "map", "material", "input", "mesh", "slot", "finding", "cell"]
_NAMES = {
    "project": 0,
    "map": 1,
    "material": 1,
    "input": 2,
    "mesh": 1,
    "slot": 2,
    "finding": 2,
    "cell": 4,
}
"""How many names lead to each: of a finding its code and subject, of a cell target, mesh, slot and
input."""


class Answer(Schema):
    """An answer to a note."""

    id: int
    author: str
    text: str
    made: datetime


class NoteOut(Answer):
    """A note with its answers, oldest first."""

    kind: At
    place: list[str]
    closed: datetime | None
    closed_by: str
    answers: list[Answer]


class NewNote(Schema):
    """A note at a thing, or an answer to one."""

    text: Annotated[str, Field(min_length=1, max_length=4000)]
    kind: At = "project"
    place: Annotated[list[Annotated[str, Field(max_length=400)]], Field(max_length=4)] = []
    answers: RowId | None = None


class Close(Schema):
    """Whether a note is closed, or open again."""

    closed: bool = True


@router.get("/projects/{uuid:project_id}/notes", response=list[NoteOut])
def notes(request: HttpRequest, project_id: UUID) -> list[NoteOut]:
    """Every note of a project, oldest first."""
    rows = list(
        project_or_404(project_id).notes.select_related("author", "closed_by").order_by("made")
    )
    return [
        NoteOut(
            **_answer(row).model_dump(),
            kind=row.kind,  # type: ignore[arg-type]
            place=row.place,
            closed=row.closed,
            closed_by=_name(row.closed_by),
            answers=[_answer(other) for other in rows if other.answers_id == row.pk],
        )
        for row in rows
        if row.answers_id is None
    ]


@router.post("/projects/{uuid:project_id}/notes", response=list[NoteOut])
def add_note(request: HttpRequest, project_id: UUID, given: NewNote) -> list[NoteOut]:
    """Leave a note, or answer one, which opens it again."""
    project = project_or_404(project_id)
    text = given.text.strip()
    if not text:
        raise InvalidDocument("it says nothing.", subject="the note", hint="Write something.")
    if given.answers is not None:
        above = get_object_or_404(Note, project=project, pk=given.answers, answers=None)
        Note.objects.filter(pk=above.pk).update(closed=None, closed_by=None)
        Note.objects.create(
            project=project,
            answers=above,
            kind=above.kind,
            place=above.place,
            text=text,
            author_id=acting(),
        )
        return notes(request, project_id)
    if len(given.place) != _NAMES[given.kind]:
        raise InvalidDocument(
            f"a note at a {given.kind} names {_NAMES[given.kind]} things.", subject="the note"
        )
    Note.objects.create(
        project=project, kind=given.kind, place=given.place, text=text, author_id=acting()
    )
    return notes(request, project_id)


@router.post("/projects/{uuid:project_id}/notes/{int:note_id}/close", response=list[NoteOut])
def close(request: HttpRequest, project_id: UUID, note_id: RowId, given: Close) -> list[NoteOut]:
    """Close a note, or open it again."""
    row = get_object_or_404(Note, project_id=project_id, pk=note_id, answers=None)
    Note.objects.filter(pk=row.pk).update(
        closed=timezone.now() if given.closed else None,
        closed_by_id=acting() if given.closed else None,
    )
    return notes(request, project_id)


def _answer(row: Note) -> Answer:
    return Answer(id=row.pk, author=_name(row.author), text=row.text, made=row.made)


def _name(person: object) -> str:
    return str(person) if person is not None else ""
