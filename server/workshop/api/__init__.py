"""The HTTP API. Its schemas are the core's own models, and the interface's types are generated from
it."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.exceptions import ObjectDoesNotExist, RequestDataTooBig
from django.db import IntegrityError, OperationalError
from django.http import Http404, HttpRequest, HttpResponse, UnreadablePostError
from ninja import NinjaAPI
from ninja.errors import HttpError, ValidationError
from ninja.openapi.schema import OpenAPISchema
from ninja.parser import Parser

from ektopos.base.errors import DiskFull, EktoposError, MissingReference, TooLarge, is_disk_full
from ektopos.base.strict_json import read_json
from server.access import held, is_held
from server.workshop.api import (
    baking,
    checks,
    deliveries,
    files,
    following,
    history,
    maps,
    materials,
    mesh_files,
    mesh_geometry,
    meshes,
    notes,
    packages,
    pending_updates,
    plan,
    projects,
    scene,
    suggestions,
    team,
)
from server.workshop.api.projects import ErrorOut
from server.workshop.models import StaleRevision
from server.workshop.pictures import Busy

REFUSALS = {
    "4XX": "Something in the request cannot be done; it says what, and what to do.",
    "503": "It is being made, or the database is busy; ask again in a moment.",
    "507": "There is no room left on the disk.",
}


class CarefulParser(Parser):
    """Bodies as JSON that nothing after it can trip over."""

    def parse_body(self, request: HttpRequest) -> Any:
        """The body's value. Raises `InvalidDocument`."""
        return read_json(request.body, "the request")


class Api(NinjaAPI):
    """The API, with what any of its calls may be refused with in its description."""

    def get_openapi_schema(self, *args: Any, **kwargs: Any) -> OpenAPISchema:
        """As Ninja's, and with the refusals."""
        schema = super().get_openapi_schema(*args, **kwargs)
        schema["components"]["schemas"]["ErrorOut"] = ErrorOut.model_json_schema()
        body = {"application/json": {"schema": {"$ref": "#/components/schemas/ErrorOut"}}}
        for calls in schema["paths"].values():
            for call in calls.values():
                call["responses"] |= {
                    code: {"description": words, "content": body}
                    for code, words in REFUSALS.items()
                }
        return schema


api = Api(
    title="Ektopos",
    version="1",
    docs_url=None,
    parser=CarefulParser(),
    openapi_extra={"info": {"description": "The workshop's API."}},
)
api.add_router("/projects", projects.router)
api.add_router("", checks.router)
api.add_router("", deliveries.router)
api.add_router("", files.router)
api.add_router("", following.router)
api.add_router("", history.router)
api.add_router("", maps.router)
api.add_router("", materials.router)
api.add_router("", meshes.router)
api.add_router("", mesh_files.router)
api.add_router("", mesh_geometry.router)
api.add_router("", suggestions.router)
api.add_router("", baking.router)
api.add_router("", notes.router)
api.add_router("", pending_updates.router)
api.add_router("", plan.router)
api.add_router("", packages.router)
api.add_router("", scene.router)
api.add_router("", team.router)


def _refused(
    request: HttpRequest, status: int, message: str, subject: str = "", hint: str = ""
) -> HttpResponse:
    # What came in may hold halves of characters, which no answer can.
    content = {"message": message, "subject": subject, "hint": hint}
    plain = {key: text.encode("utf-8", "replace").decode() for key, text in content.items()}
    return api.create_response(request, plain, status=status)


@api.exception_handler(EktoposError)
def mendable(request: HttpRequest, problem: EktoposError) -> HttpResponse:
    """An error a person can mend, with its words."""
    statuses = ((MissingReference, 404), (TooLarge, 413), (DiskFull, 507), (Busy, 503))
    status = next((status for kind, status in statuses if isinstance(problem, kind)), 422)
    response = _refused(request, status, problem.message, problem.subject, problem.hint)
    if status == 503:
        response["Retry-After"] = "1"
    return response


@api.exception_handler(Http404)
def gone(request: HttpRequest, problem: Http404) -> HttpResponse:
    """Something that is not there, or not any more."""
    return _refused(
        request, 404, "There is nothing at this address.", hint="Look in the list of projects."
    )


@api.exception_handler(ObjectDoesNotExist)
def gone_meanwhile(request: HttpRequest, problem: Exception) -> HttpResponse:
    """Something that was there when the request came, and was deleted while it was answered."""
    return _refused(
        request, 404, "This was deleted meanwhile.", hint="Look in the list of projects."
    )


@api.exception_handler(IntegrityError)
def orphaned(request: HttpRequest, problem: IntegrityError) -> HttpResponse:
    """A job or a row of a project that somebody has deleted meanwhile. Other breaches are faults of
    ours, and stay."""
    if "FOREIGN KEY" not in str(problem).upper():
        raise problem
    return gone_meanwhile(request, problem)


@api.exception_handler(StaleRevision)
def stale(request: HttpRequest, problem: StaleRevision) -> HttpResponse:
    """An edit made on a state in which what it concerns was otherwise."""
    message = f"This was changed meanwhile: {'; '.join(problem.what)}."
    return _refused(
        request,
        409,
        message,
        hint=(
            "Your change was not made. What is there now is shown; make it again if you still "
            "want it."
        ),
    )


@api.exception_handler(ValidationError)
def misunderstood(request: HttpRequest, problem: ValidationError) -> HttpResponse:
    """A request that does not say what it must."""
    first = problem.errors[0] if problem.errors else {"loc": (), "msg": "it is not understood"}
    place = ".".join(str(part) for part in first["loc"][1:] if part != "given")
    return _refused(
        request,
        422,
        f"{first['msg'][:300]}.",
        subject=place[:200] or "the request",
        hint="Correct it and send it again.",
    )


@api.exception_handler(HttpError)
def refused(request: HttpRequest, problem: HttpError) -> HttpResponse:
    """Whatever else the router refuses, such as a body that is no JSON."""
    why = problem.__cause__ or problem.__context__
    if isinstance(why, EktoposError):
        return _refused(request, problem.status_code, why.message, why.subject, why.hint)
    return _refused(
        request, problem.status_code, f"{problem}.", hint="Correct it and send it again."
    )


@api.exception_handler(RequestDataTooBig)
def too_big(request: HttpRequest, problem: RequestDataTooBig) -> HttpResponse:
    """A body that is larger than any edit."""
    return _refused(
        request,
        413,
        f"The request is larger than {settings.DATA_UPLOAD_MAX_MEMORY_SIZE // 2**20} MiB.",
        hint="Send less at once; files go to /api/uploads.",
    )


@api.exception_handler(OperationalError)
def database(request: HttpRequest, problem: OperationalError) -> HttpResponse:
    """The database cannot write: for want of room, or because something else does for long."""
    if is_held(problem):
        return held()
    if "full" not in str(problem) and "No space left" not in str(problem):
        raise problem
    return mendable(request, DiskFull())


@api.exception_handler(OSError)
def machine(request: HttpRequest, problem: OSError) -> HttpResponse:
    """No room left; a body that did not come. All else is a mistake of ours."""
    if is_disk_full(problem):
        return mendable(request, DiskFull())
    if isinstance(problem, UnreadablePostError | TimeoutError | BlockingIOError):
        return _refused(request, 408, "The request did not arrive whole.", hint="Send it again.")
    raise problem
