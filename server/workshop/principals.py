"""Who asks, and what they may do in which project."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.contrib.auth.models import User
from django.db.models import Q, QuerySet
from django.http import HttpRequest
from django.utils import timezone

from ektopos.base.errors import MissingReference
from server.workshop.models import ApiKey, Held, Member, Project, Role, SharedLink

AT_ONCE = 5000
"""Contents that one query asks for."""
LINKS = "links"
"""In a session: the links by which its browser may look at projects."""


@dataclass(frozen=True)
class Caller:
    """Whoever asks. Without team mode it is everybody, who may do everything."""

    everybody: bool = False
    person: User | None = None
    """Who has logged in, or whose key it is."""
    key: ApiKey | None = None
    links: tuple[SharedLink, ...] = ()

    @property
    def is_admin(self) -> bool:
        """Whether they look after the server."""
        return self.everybody or (
            self.key is None and self.person is not None and self.person.is_superuser
        )

    @property
    def is_known(self) -> bool:
        """Whether it is somebody in particular."""
        return self.everybody or self.person is not None

    def role_in(self, project: UUID | None) -> Role | None:
        """What they may do in a project; `None` for nothing, not even know that it is there."""
        if self.is_admin:
            return Role.OWN
        if self.key is not None and self.key.project_id != project:
            return None
        own = (
            Member.objects.filter(project=project, person=self.person).values_list("role").first()
            if self.person is not None
            else None
        )
        role = Role(own[0]) if own else None
        if self.key is not None and self.person is not None and self.person.is_superuser:
            role = Role.OWN
        if role is not None and self.key is not None and not Role(self.key.scope).allows(role):
            role = Role(self.key.scope)
        if role is None and any(link.project_id == project for link in self.links):
            role = Role.LOOK
        return role

    def projects(self) -> QuerySet[Project]:
        """Those that they may look at."""
        if self.is_admin:
            return Project.objects.all()
        mine = Q(members__person=self.person) if self.person is not None else Q(pk__in=[])
        if self.key is not None:
            opens = self.role_in(self.key.project_id) is not None
            return Project.objects.filter(pk__in=[self.key.project_id] if opens else [])
        linked = [link.project_id for link in self.links]
        return Project.objects.filter(mine | Q(pk__in=linked)).distinct()

    def holds(self, contents: Iterable[str]) -> bool:
        """Whether they may ask for all these contents."""
        wanted = set(contents)
        return self.known_among(wanted) == wanted

    def known_among(self, contents: Iterable[str]) -> set[str]:
        """Those of some contents that they may ask for."""
        wanted = sorted(set(contents))
        if self.is_admin or not wanted:
            return set(wanted)
        theirs = Q(project__in=self.projects().values("pk"))
        if self.person is not None:
            theirs |= Q(person=self.person)
        found: set[str] = set()
        for start in range(0, len(wanted), AT_ONCE):
            rows = Held.objects.filter(theirs, sha256__in=wanted[start : start + AT_ONCE])
            found.update(rows.values_list("sha256", flat=True))
        return found

    def check_holds(self, contents: Iterable[tuple[str, str]]) -> None:
        """Raises `MissingReference` for the first `(name, content)` that they have not sent and no
        project of theirs has."""
        given = list(contents)
        known = self.known_among(sha for _, sha in given)
        for name, sha in given:
            if sha not in known:
                raise MissingReference(
                    "it has not been uploaded.", subject=name, hint="Drop it again."
                )


EVERYBODY = Caller(everybody=True)


def caller_of(request: HttpRequest) -> Caller:
    """Who asks. The middleware of team mode has found it out; without it, it is everybody."""
    found: Caller = getattr(request, "caller", EVERYBODY)
    return found


def find_caller(request: Any) -> Caller:
    """Who asks, by key, by having logged in, or by a link that their browser has opened."""
    kind, _, secret = request.headers.get("Authorization", "").partition(" ")
    if kind == "Bearer":
        key = ApiKey.known(secret)
        if key is None or not key.made_by.is_active:
            return Caller()
        now = timezone.now()
        if key.used is None or (now - key.used).total_seconds() > 60:
            ApiKey.objects.filter(pk=key.pk).update(used=now)
        return Caller(person=key.made_by, key=key)
    numbers = request.session.get(LINKS, [])
    links = (
        tuple(SharedLink.objects.filter(pk__in=numbers, ends__gt=timezone.now())) if numbers else ()
    )
    person = request.user if request.user.is_authenticated else None
    return Caller(person=person, links=links)
