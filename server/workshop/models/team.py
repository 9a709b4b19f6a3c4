"""Who may do what: members of projects, invitations, links to look, and keys of programs."""

from __future__ import annotations

import hashlib
import secrets
from typing import Self

from django.conf import settings
from django.db import models
from django.utils import timezone

from server.workshop.models.project import Project


class Role(models.TextChoices):
    """What a person may do in a project; each may do what the one before may."""

    LOOK = "look"
    WORK = "work"
    OWN = "own"

    def allows(self, wanted: Role) -> bool:
        """Whether this is enough for what wants that."""
        order = list(Role)
        return order.index(self) >= order.index(wanted)


def digest(secret: str) -> str:
    """What is kept of a secret that only its holder knows: enough to recognise it. A plain hash is
    enough, for the secrets are made here, and long."""
    return hashlib.sha256(secret.encode()).hexdigest()


class Member(models.Model):
    """A person in a project."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="members")
    person = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="memberships"
    )
    role = models.CharField(max_length=4, choices=Role.choices)
    where = models.CharField(max_length=300, blank=True, default="")
    """What they last looked at there."""
    seen = models.DateTimeField(null=True)
    """When they were last heard of there."""

    class Meta:
        ordering = ["person__username"]
        constraints = [
            models.UniqueConstraint(fields=["project", "person"], name="one_membership_a_person")
        ]


class _Secret(models.Model):
    """Something that is known by a secret, and ends."""

    secret_hash = models.CharField(max_length=64, unique=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    made = models.DateTimeField(auto_now_add=True)
    ends = models.DateTimeField()

    class Meta:
        abstract = True

    @classmethod
    def issue(cls, prefix: str = "", **values: object) -> tuple[Self, str]:
        """A new one and its secret, which is kept nowhere."""
        secret = prefix + secrets.token_urlsafe(32)
        return cls._default_manager.create(secret_hash=digest(secret), **values), secret

    @classmethod
    def known(cls, secret: str) -> Self | None:
        """The one of that secret, if it has not ended."""
        return cls._default_manager.filter(
            secret_hash=digest(secret), ends__gt=timezone.now()
        ).first()


class Invitation(_Secret):
    """A link by which a person makes an account, or an account joins a project."""

    project = models.ForeignKey(
        Project, null=True, on_delete=models.CASCADE, related_name="invitations"
    )
    role = models.CharField(max_length=4, choices=Role.choices, default=Role.WORK)
    email = models.EmailField(blank=True, default="")

    class Meta:
        ordering = ["-made"]


class SharedLink(_Secret):
    """A link by which anybody may look at a project until it ends."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="shared_links")
    label = models.CharField(max_length=120, blank=True, default="")

    class Meta:
        ordering = ["-made"]


class ApiKey(_Secret):
    """A key by which a program acts for a person in a project, within a scope."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="api_keys")
    label = models.CharField(max_length=120)
    scope = models.CharField(max_length=4, choices=Role.choices)
    used = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-made"]


class VerifiedAddress(models.Model):
    """A mail address that is known to be a person's."""

    person = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="verified_address"
    )
    email = models.CharField(max_length=254, db_index=True)


class SecondFactor(models.Model):
    """What a person proves by besides their password: codes that an app of theirs makes from a
    secret, or one of a few that are kept for the day when it is lost."""

    person = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="second_factor"
    )
    secret = models.CharField(max_length=64)
    """Base32."""
    last_step = models.BigIntegerField(default=0)
    """The period of the last code that was taken: none is taken twice."""
    spare_codes = models.JSONField(default=list)
    """Hashes of the codes for that day; each is good once."""
