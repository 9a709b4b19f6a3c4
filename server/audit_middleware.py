"""What is written down by itself: sign-ins, and calls of the API that change who may do what or
that let something out."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.signals import user_logged_in, user_logged_out, user_login_failed
from django.dispatch import receiver
from django.http import HttpRequest, HttpResponse

from server.workshop.audit import told_by, write_down

AUDITED = {
    "POST /api/projects/{project_id}/people": "role",
    "POST /api/projects/{project_id}/invitations": "invitation",
    "DELETE /api/projects/{project_id}/invitations/{invitation_id}": "invitation",
    "POST /api/projects/{project_id}/shared-links": "link",
    "DELETE /api/projects/{project_id}/shared-links/{link_id}": "link",
    "POST /api/projects/{project_id}/keys": "key",
    "DELETE /api/projects/{project_id}/keys/{key_id}": "key",
    "POST /api/projects/{project_id}/followed": "folder",
    "DELETE /api/projects/{project_id}/followed/{followed_id}": "folder",
    "POST /api/projects/{project_id}/destination": "folder",
    "POST /api/projects/{project_id}/exports": "export",
    "POST /api/projects/{project_id}/archive": "export",
    "POST /api/projects/{project_id}/packages/{package_id}/archive": "export",
    "POST /api/projects/{project_id}/deliveries": "delivery",
    "POST /api/projects/{project_id}/deliveries/bring-back": "delivery",
    "DELETE /api/projects/{project_id}": "deletion",
    "POST /api/projects/{project_id}/packages/{package_id}/remove": "deletion",
}
"""Kinds of events by the calls that they are written down for, if they were done."""


def write_down_call(
    request: HttpRequest, response: HttpResponse, operation: str, project: Any, about: str
) -> None:
    """Write a call down, if it is one of those and was done. `about` is what the project was called
    before."""
    kind = AUDITED.get(operation)
    if kind is not None and response.status_code < 400:
        ended = {"call": operation.replace("{project_id}/", "")}
        details = told_by(request) | (ended if request.method == "DELETE" else {})
        write_down(kind, request, project=project, about=about, **details)


@receiver(user_logged_in)
def _came_in(request: HttpRequest | None, user: Any, **_: Any) -> None:
    write_down("sign-in", request, who=user.get_username())


@receiver(user_logged_out)
def _went(request: HttpRequest | None, user: Any, **_: Any) -> None:
    if user is not None:
        write_down("sign-out", request, who=user.get_username())


@receiver(user_login_failed)
def _was_refused(credentials: dict[str, Any], request: HttpRequest | None = None, **_: Any) -> None:
    write_down("sign-in-failed", request, who=str(credentials.get("username", ""))[:150])
