"""Doors that open only so often: who tries one too many times from one address waits."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from functools import wraps
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from server.access import door
from server.workshop.audit import address_of, write_down
from server.workshop.models import AuditEvent

View = Callable[..., HttpResponse]


def has_tried_too_often(request: HttpRequest, kind: str) -> bool:
    """Whether so many tries of a kind were written down for the address in the last minutes that it
    has to wait."""
    return is_tried_too_often(kind, address=address_of(request))


def is_tried_too_often(kind: str, **by: str) -> bool:
    """The same for whatever is written down with the tries, such as `who`."""
    since = timezone.now() - timedelta(minutes=settings.LOGIN_PAUSE_MINUTES)
    tries = AuditEvent.objects.filter(kind=kind, when__gte=since, **by)
    return tries[: settings.LOGIN_TRIES].count() >= settings.LOGIN_TRIES


def token_tried(enter: View) -> View:
    """The door that asks for the token, and writes down who does not know it."""

    def guarded(request: HttpRequest) -> HttpResponse:
        if has_tried_too_often(request, "token-failed"):
            return door(request, 429)
        answer = enter(request)
        if answer.status_code == 403:
            write_down("token-failed", request)
        return answer

    return guarded


def limited(kind: str, answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[View], View]:
    """A view that gives another `answer` (429) to whoever has tried too often."""

    def around(view: View) -> View:
        @wraps(view)
        def guarded(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
            if has_tried_too_often(request, kind):
                return answer(request)
            return view(request, *args, **kwargs)

        return guarded

    return around
