"""How much a project and a person may keep on the server: by settings, 0 for no limit."""

from __future__ import annotations

from collections.abc import Iterable

from django.conf import settings

from ektopos.base.errors import TooLarge
from server.workshop.models import Held, Project
from server.workshop.store import content_here


def check_person(person: int | None, more: int) -> None:
    """Raises `TooLarge` where somebody who has logged in would have sent more than they may."""
    most = settings.PERSON_BYTES
    if most and person is not None:
        _check("What you have sent", _bytes(_contents(person=person)) + more, most)


def check_project(project: Project, contents: Iterable[str]) -> None:
    """Raises `TooLarge` where a project would keep more than it may."""
    most = settings.PROJECT_BYTES
    if most:
        _check("The project", _bytes(_contents(project=project) | set(contents)), most)


def _contents(**of: object) -> set[str]:
    return set(Held.objects.filter(**of).values_list("sha256", flat=True))


def _bytes(contents: Iterable[str]) -> int:
    places = (content_here(sha) for sha in contents)
    return sum(place.stat().st_size for place in places if place is not None)


def _check(what: str, size: int, most: int) -> None:
    if size > most:
        raise TooLarge(
            f"{what} would take {size / 2**20:,.0f} MiB; this server keeps {most / 2**20:,.0f}.",
            hint="Remove what is not needed any more, or ask whoever looks after the server.",
        )
