"""The API below /api, and the one page of the interface for everything else."""

from __future__ import annotations

from importlib import import_module

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie

from server import access
from server.documentation import documentation
from server.limiting import token_tried
from server.workshop.api import api


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse | FileResponse:
    """The interface's page; it finds its own way from the address."""
    index = settings.WEB_FOLDER / "index.html"
    if not index.is_file():
        return HttpResponse(
            "The interface is not built. Run ./run demo.", status=503, content_type="text/plain"
        )
    response = FileResponse(index.open("rb"), content_type="text/html")
    response["Cache-Control"] = "no-cache"
    return response


calls = api.urls
for pattern in calls[0]:
    # The router leaves Django's protection to whoever logs people in; here every call has it.
    setattr(pattern.callback, "csrf_exempt", False)  # noqa: B010

urlpatterns = [
    path("api/", calls),
    path("documentation", documentation),
    path("enter", token_tried(access.enter)),
    *(import_module("server.account_pages").patterns if settings.TEAM else ()),
    re_path(r"^(?!api/|assets/).*$", page),
]
handler400 = access.bad_request
handler404 = access.not_found
handler500 = access.broken
