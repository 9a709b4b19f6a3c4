"""People: who may do what in a project, invitations, links to look, and keys of programs."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Annotated, Literal
from uuid import UUID

from django.conf import settings
from django.contrib.auth.models import User
from django.db.models import Q
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Schema
from pydantic import Field

from ektopos.base.errors import EktoposError, InvalidDocument, MissingReference
from server.workshop.api.projects import RowId, project_or_404
from server.workshop.models import (
    ApiKey,
    Invitation,
    Member,
    Project,
    Role,
    SharedLink,
    acting,
    one_writer,
)
from server.workshop.principals import caller_of
from server.workshop.revoking import issued_by, revoke

router = Router(tags=["team"])
RoleName = Literal["look", "work", "own"]
Label = Annotated[str, Field(max_length=120)]
Days = Annotated[int, Field(ge=1, le=366)]
INVITED_DAYS = 14
LINK_DAYS, KEY_DAYS = 14, 90
"""How long view-only links and API keys last, where nothing else is asked for."""


class Me(Schema):
    """Who asks."""

    team: bool
    """Whether people log in here at all."""
    name: str
    admin: bool


class Person(Schema):
    """A member of a project."""

    id: int
    name: str
    role: RoleName
    seen: datetime | None
    """When they were last heard of there."""
    where: str
    """What they last looked at."""


class Pending(Schema):
    """An invitation, link or key that has not ended; its secret is shown once, when it is made."""

    id: int
    label: str
    role: RoleName
    made_by: str
    ends: datetime
    used: datetime | None = None


class People(Schema):
    """Who may do what in a project."""

    role: RoleName
    """Of whoever asks."""
    people: list[Person]
    invitations: list[Pending] = []
    links: list[Pending] = []
    keys: list[Pending] = []


class SetRole(Schema):
    """What somebody may do from now on; `none` takes them out."""

    person: Annotated[str, Field(min_length=1, max_length=254)]
    """Their name, or the mail address of their account."""
    role: Literal["look", "work", "own", "none"]


class Invite(Schema):
    """An invitation to a project."""

    role: RoleName = "work"
    email: Annotated[str, Field(max_length=254)] = ""


class Share(Schema):
    """A link by which anybody may look."""

    label: Label = ""
    days: Days = LINK_DAYS


class NewKey(Schema):
    """A key for a program, which acts for whoever makes it."""

    label: Label
    scope: Literal["look", "work"] = "work"
    days: Days = KEY_DAYS


class IssuedSecret(Schema):
    """Something new with its secret, which nobody can look up later."""

    id: int
    secret: str
    """A key, or the path of a link."""


@router.get("/me", response=Me)
def me(request: HttpRequest) -> Me:
    """Who asks, and whether people log in here."""
    caller = caller_of(request)
    name = caller.person.get_username() if caller.person else ""
    return Me(team=settings.TEAM, name=name, admin=caller.is_admin)


@router.get("/projects/{uuid:project_id}/people", response=People)
def people(request: HttpRequest, project_id: UUID) -> People:
    """Who is in a project; what is pending is for its owners to see."""
    return _people(request, project_or_404(project_id))


@router.post("/projects/{uuid:project_id}/people", response=People)
def set_role(request: HttpRequest, project_id: UUID, given: SetRole) -> People:
    """Take somebody in who has an account, change what they may do, or take them out."""
    _only_in_teams()
    project = project_or_404(project_id)
    by_name = Q(username__iexact=given.person) | (
        Q(verified_address__email=given.person.lower()) if "@" in given.person else Q(pk__in=[])
    )
    found = list(User.objects.filter(by_name, is_active=True)[:2])
    if len(found) != 1:
        raise MissingReference(
            "there is no such account, or its address is not verified."
            if not found
            else "several accounts have that address.",
            subject=given.person,
            hint="Send an invitation instead." if not found else "Say the name.",
        )
    with one_writer():
        project = project.held_now()
        if given.role == "none":
            Member.objects.filter(project=project, person=found[0]).delete()
        else:
            Member.objects.update_or_create(
                project=project, person=found[0], defaults={"role": given.role}
            )
        if given.role != "own":
            # Only owners issue: what lets others in ends with the right to let them in.
            revoke(issued_by(found[0], project))
        if not project.members.filter(role=Role.OWN).exists():
            raise InvalidDocument(
                "a project has an owner.",
                subject=given.person,
                hint="Make somebody else an owner first.",
            )
    return _people(request, project)


@router.post("/projects/{uuid:project_id}/invitations", response=IssuedSecret)
def invite(request: HttpRequest, project_id: UUID, given: Invite) -> IssuedSecret:
    """A link by which one person makes an account and joins, or joins with theirs."""
    _only_in_teams()
    row, secret = Invitation.issue(
        project=project_or_404(project_id),
        role=given.role,
        email=given.email,
        made_by_id=acting(),
        ends=timezone.now() + timedelta(days=INVITED_DAYS),
    )
    return IssuedSecret(id=row.pk, secret=f"/join/{secret}")


@router.delete("/projects/{uuid:project_id}/invitations/{int:invitation_id}", response={204: None})
def withdraw(request: HttpRequest, project_id: UUID, invitation_id: RowId) -> tuple[int, None]:
    """Take an invitation back."""
    get_object_or_404(Invitation, project_id=project_id, pk=invitation_id).delete()
    return 204, None


@router.post("/projects/{uuid:project_id}/shared-links", response=IssuedSecret)
def share(request: HttpRequest, project_id: UUID, given: Share) -> IssuedSecret:
    """A link by which anybody may look at the project until it ends."""
    _only_in_teams()
    row, secret = SharedLink.issue(
        project=project_or_404(project_id),
        label=given.label.strip(),
        made_by_id=acting(),
        ends=timezone.now() + timedelta(days=given.days),
    )
    return IssuedSecret(id=row.pk, secret=f"/shared/{secret}")


@router.delete("/projects/{uuid:project_id}/shared-links/{int:link_id}", response={204: None})
def unshare(request: HttpRequest, project_id: UUID, link_id: RowId) -> tuple[int, None]:
    """End a link now."""
    get_object_or_404(SharedLink, project_id=project_id, pk=link_id).delete()
    return 204, None


@router.post("/projects/{uuid:project_id}/keys", response=IssuedSecret)
def new_key(request: HttpRequest, project_id: UUID, given: NewKey) -> IssuedSecret:
    """A key for a build machine."""
    _only_in_teams()
    row, secret = ApiKey.issue(
        "ektopos_",
        project=project_or_404(project_id),
        label=given.label.strip() or "key",
        scope=given.scope,
        made_by_id=acting(),
        ends=timezone.now() + timedelta(days=given.days),
    )
    return IssuedSecret(id=row.pk, secret=secret)


@router.delete("/projects/{uuid:project_id}/keys/{int:key_id}", response={204: None})
def end_key(request: HttpRequest, project_id: UUID, key_id: RowId) -> tuple[int, None]:
    """End a key now."""
    get_object_or_404(ApiKey, project_id=project_id, pk=key_id).delete()
    return 204, None


def _only_in_teams() -> None:
    if not settings.TEAM or acting() is None:
        raise EktoposError(
            "nobody logs in here.",
            subject="people",
            hint="Whoever looks after the server can set EKTOPOS_TEAM=1; docs/deploy.md says how.",
        )


def _people(request: HttpRequest, project: Project) -> People:
    caller = caller_of(request)
    role = caller.role_in(project.pk) or Role.LOOK
    found = People(
        role=role.value,  # type: ignore[arg-type]
        people=[
            Person(
                id=row.person_id,
                name=row.person.get_username(),
                role=row.role,  # type: ignore[arg-type]
                seen=row.seen,
                where=row.where,
            )
            for row in project.members.select_related("person")
        ]
        if caller.is_known
        else [],
    )
    if settings.TEAM and role.allows(Role.OWN):
        now = timezone.now()
        found.invitations = [
            _pending(row, row.email, row.role)
            for row in project.invitations.filter(ends__gt=now).select_related("made_by")
        ]
        found.links = [
            _pending(row, row.label, "look")
            for row in project.shared_links.filter(ends__gt=now).select_related("made_by")
        ]
        found.keys = [
            _pending(row, row.label, row.scope)
            for row in project.api_keys.filter(ends__gt=now).select_related("made_by")
        ]
    return found


def _pending(row: Invitation | SharedLink | ApiKey, label: str, role: str) -> Pending:
    return Pending(
        id=row.pk,
        label=label,
        role=role,  # type: ignore[arg-type]
        made_by=row.made_by.get_username(),
        ends=row.ends,
        used=getattr(row, "used", None),
    )
