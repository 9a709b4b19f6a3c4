"""The HTTP API. Its schemas are the core's own models, and the interface's types are generated from it."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from ninja import NinjaAPI

from ektopos.errors import EktoposError, MissingReference, TooLarge
from server.workshop.api import files, maps, materials, meshes, packages, plan, projects
from server.workshop.models import StaleRevision

api = NinjaAPI(title="Ektopos", version="1", docs_url=None, openapi_extra={"info": {"description": "The workshop's API."}})
api.add_router("/projects", projects.router)
api.add_router("", files.router)
api.add_router("", maps.router)
api.add_router("", materials.router)
api.add_router("", meshes.router)
api.add_router("", plan.router)
api.add_router("", packages.router)


@api.exception_handler(EktoposError)
def said(request: HttpRequest, problem: EktoposError) -> HttpResponse:
    """An error a person can mend, with its words."""
    status = 404 if isinstance(problem, MissingReference) else 413 if isinstance(problem, TooLarge) else 422
    body = {"message": problem.message, "subject": problem.subject, "hint": problem.hint}
    return api.create_response(request, body, status=status)


@api.exception_handler(Http404)
def gone(request: HttpRequest, problem: Http404) -> HttpResponse:
    """Something that is not there, or not any more."""
    body = {"message": "There is nothing at this address.", "subject": "", "hint": "Look in the list of projects."}
    return api.create_response(request, body, status=404)


@api.exception_handler(StaleRevision)
def stale(request: HttpRequest, problem: StaleRevision) -> HttpResponse:
    """An edit made on an older state."""
    body = {
        "message": "The project has changed since this page was loaded.",
        "subject": "",
        "hint": "Load it again; your change was not made.",
    }
    return api.create_response(request, body, status=409)
