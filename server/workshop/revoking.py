"""What a person has issued: invitations, links and keys end with the membership behind them."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib.auth.models import User
from django.db.models import QuerySet
from django.utils import timezone

from server.workshop.models import ApiKey, Invitation, Project, SharedLink


@dataclass(frozen=True)
class IssuedCredentials:
    """What has not ended yet."""

    invitations: QuerySet[Invitation]
    links: QuerySet[SharedLink]
    keys: QuerySet[ApiKey]


def issued_by(person: User, project: Project | None = None) -> IssuedCredentials:
    """What a person has issued in a project, or in all and for the server."""
    given = {"made_by": person, "ends__gt": timezone.now()}
    if project is not None:
        given["project"] = project
    return IssuedCredentials(
        Invitation.objects.filter(**given),
        SharedLink.objects.filter(**given),
        ApiKey.objects.filter(**given),
    )


def revoke(issued: IssuedCredentials) -> dict[str, int]:
    """End all of it; gives how many there were of each. Within the caller's transaction."""
    return {
        "invitations": issued.invitations.delete()[0],
        "links": issued.links.delete()[0],
        "keys": issued.keys.delete()[0],
    }
