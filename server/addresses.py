"""Mail addresses count once they are verified: whoever has one has followed a link that was sent
there."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.core import signing
from django.core.mail import send_mail
from django.http import HttpRequest

from server.workshop.models import Invitation, VerifiedAddress

SALT = "ektopos.address"
DAYS = 3


def verify(person: User, email: str) -> None:
    """From now on a person's address counts."""
    VerifiedAddress.objects.update_or_create(person=person, defaults={"email": email.lower()})


def has_verified_address(person: User) -> bool:
    """Whether the address of somebody's account counts."""
    return VerifiedAddress.objects.filter(person=person, email__iexact=person.email).exists()


def is_invited(person: Any, invitation: Invitation) -> bool:
    """Whether an invitation is for somebody who has an account: one with an address is for whoever
    has that address, and for nobody else."""
    email = invitation.email.lower()
    return not email or VerifiedAddress.objects.filter(person=person, email=email).exists()


def send_link(request: HttpRequest, person: User) -> None:
    """Send a link to somebody's address that verifies it."""
    secret = signing.dumps({"person": person.pk, "email": person.email.lower()}, salt=SALT)
    link = request.build_absolute_uri(f"/account/verify?token={secret}")
    send_mail(
        "Your mail address for Ektopos",
        f"Open this link to verify your mail address. It ends in {DAYS} days.\n\n{link}\n\n"
        "If you did not ask for it, leave it alone: nothing happens.\n",
        None,
        [person.email],
    )


def taken(secret: str) -> User | None:
    """Take such a link; gives whose address it has verified, `None` for one that has ended or that
    is for an address the account has no more."""
    try:
        told = signing.loads(secret, salt=SALT, max_age=DAYS * 86400)
        person = User.objects.get(pk=told["person"], email__iexact=told["email"], is_active=True)
    except (signing.BadSignature, User.DoesNotExist, KeyError, TypeError):
        return None
    verify(person, told["email"])
    return person
