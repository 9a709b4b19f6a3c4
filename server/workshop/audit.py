"""Writing down who did what, and from where."""

from __future__ import annotations

import ipaddress
import json
from typing import Any
from uuid import UUID

from django.conf import settings
from django.http import HttpRequest

from server.workshop.models import AuditEvent, Project

LONGEST = 300
TOLD = ("person", "role", "email", "label", "scope", "days", "target", "folder", "dry", "by_itself")
"""Of what a request says, that which is written down: nothing that lets anybody in."""


def write_down(
    kind: str,
    request: HttpRequest | None = None,
    *,
    who: str = "",
    project: UUID | None = None,
    about: str = "",
    **details: Any,
) -> None:
    """Write down something that was done, or tried. Without `who` it is whoever asks."""
    person = getattr(request, "user", None)
    caller = getattr(request, "caller", None)
    if caller is not None and caller.person is not None:
        person = caller.person
    if not who and person is not None and person.is_authenticated:
        who = person.get_username()
    if project is not None and not about:
        about = Project.objects.filter(pk=project).values_list("name", flat=True).first() or ""
    AuditEvent.objects.create(
        kind=kind,
        who=who[:254],
        project=project,
        about=about[:LONGEST],
        details=details,
        address=address_of(request) if request is not None else "",
    )


def told_by(request: HttpRequest) -> dict[str, Any]:
    """Of what a request says that which is written down of it."""
    try:
        said = json.loads(request.body or b"{}")
    except (ValueError, OSError):
        return {}
    if not isinstance(said, dict):
        return {}
    return {name: str(said[name])[:LONGEST] for name in TOLD if name in said}


def address_of(request: HttpRequest) -> str:
    """Where a request comes from: what the last proxy that is trusted says, else who has connected.

    Source: RFC 7239, 8.1: what stands further left in the list could have been invented.
    """
    here = str(request.META.get("REMOTE_ADDR", ""))
    chain = [part.strip() for part in request.headers.get("X-Forwarded-For", "").split(",")]
    for before in reversed([part for part in chain if part]):
        if not _is_trusted(here):
            break
        here = before
    return here[:64]


def _is_trusted(address: str) -> bool:
    try:
        known = ipaddress.ip_address(address)
    except ValueError:
        return False
    return any(known in network for network in settings.TRUSTED_PROXIES)
