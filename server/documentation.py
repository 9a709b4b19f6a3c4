"""The API's documentation as a page of this server: every call, what it does, and who may."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from server.rights import RULES
from server.workshop.api import api

MAY = {
    "look": "whoever may look at the project",
    "work": "whoever works on it",
    "own": "its owners",
    "known": "whoever has an account",
    "content": "whoever has the file",
    "anybody": "anybody",
}


def documentation(request: HttpRequest) -> HttpResponse:
    """All calls, by what they are about; nothing is fetched for it."""
    sections: dict[str, list[dict[str, str]]] = {}
    for path, calls in api.get_openapi_schema()["paths"].items():
        for method, call in calls.items():
            rule = RULES[f"{method.upper()} {path}"]
            sections.setdefault(call["tags"][0], []).append(
                {
                    "method": method.upper(),
                    "path": path,
                    "about": call.get("description") or call["summary"],
                    "may": MAY[str(rule)],
                }
            )
    context = {
        "title": "API",
        "sections": sections,
        "team": settings.TEAM,
        "address": request.build_absolute_uri("/"),
    }
    return render(request, "people/documentation.html", context)
