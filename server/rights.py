"""Who may call what: one row for every operation of the API, and the middleware that keeps to it.

A project that somebody may not even look at is not there for them (404); what they may not do in
one that they can see is refused (403).
"""

from __future__ import annotations

import contextlib
import json
import re
import time
from collections.abc import Callable
from typing import Any, Literal
from uuid import UUID

from django.conf import settings
from django.contrib.auth import logout
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.utils.http import urlencode

from ektopos.base.errors import MissingReference
from server import second_factor
from server.access import Answer, refusal
from server.audit_middleware import AUDITED, write_down_call
from server.workshop.mesh_cache import mesh_row
from server.workshop.models import Job, Package, Project, Role, acting_for
from server.workshop.pictures import kept_recipe
from server.workshop.principals import Caller, find_caller

LOOK, WORK, OWN = Role.LOOK, Role.WORK, Role.OWN
Rule = Role | Literal["anybody", "known", "content"]
"""A role in the project that the call is about; `anybody`; `known`: whoever has logged in, or a
key; `content`: whoever may ask for the contents that the address names, or that its key was made
of."""
RULES: dict[str, Rule] = {
    "GET /api/me": "anybody",
    "GET /api/projects": "anybody",  # those that one may look at
    "POST /api/projects": "known",
    "POST /api/projects/sample": "known",
    "POST /api/projects/import": "known",
    "POST /api/uploads": "known",
    "POST /api/uploads/known": "known",
    "GET /api/projects/{project_id}": LOOK,
    "DELETE /api/projects/{project_id}": OWN,
    "GET /api/projects/{project_id}/pulse": LOOK,
    "POST /api/projects/{project_id}/edits": WORK,
    "POST /api/projects/{project_id}/undo": WORK,
    "POST /api/projects/{project_id}/redo": WORK,
    "POST /api/projects/{project_id}/checkpoints": WORK,
    "POST /api/projects/{project_id}/checkpoints/{checkpoint_id}/restore": WORK,
    "GET /api/projects/{project_id}/history": LOOK,
    "POST /api/projects/{project_id}/history/{revision_id}/bring-back": WORK,
    "GET /api/projects/{project_id}/notes": LOOK,
    "POST /api/projects/{project_id}/notes": WORK,
    "POST /api/projects/{project_id}/notes/{note_id}/close": WORK,
    "GET /api/projects/{project_id}/people": LOOK,
    "POST /api/projects/{project_id}/people": OWN,
    "POST /api/projects/{project_id}/invitations": OWN,
    "DELETE /api/projects/{project_id}/invitations/{invitation_id}": OWN,
    "POST /api/projects/{project_id}/shared-links": OWN,
    "DELETE /api/projects/{project_id}/shared-links/{link_id}": OWN,
    "POST /api/projects/{project_id}/keys": OWN,
    "DELETE /api/projects/{project_id}/keys/{key_id}": OWN,
    "GET /api/projects/{project_id}/checks": LOOK,
    "POST /api/projects/{project_id}/checks/preview": LOOK,  # it changes nothing
    "GET /api/mesh-evidence/{key}/{code}/{slot}.png": "content",
    "GET /api/projects/{project_id}/destination": OWN,
    "POST /api/projects/{project_id}/destination": OWN,
    "POST /api/projects/{project_id}/deliveries": OWN,
    "POST /api/projects/{project_id}/deliveries/bring-back": OWN,
    "POST /api/projects/{project_id}/imports": WORK,
    "GET /api/projects/{project_id}/jobs": LOOK,
    "GET /api/jobs/{job_id}": LOOK,
    "POST /api/jobs/{job_id}/cancel": WORK,
    "POST /api/projects/{project_id}/archive": WORK,
    "GET /api/jobs/{job_id}/file": LOOK,
    "GET /api/projects/{project_id}/followed": LOOK,
    "POST /api/projects/{project_id}/followed": OWN,
    "DELETE /api/projects/{project_id}/followed/{followed_id}": OWN,
    "GET /api/projects/{project_id}/grouping-suggestions": LOOK,
    "GET /api/projects/{project_id}/maps": LOOK,
    "GET /api/projects/{project_id}/maps/{name}": LOOK,
    "GET /api/map-pictures/{sha256}/{view}/{size}.png": "content",
    "GET /api/map-pictures/{sha256}/{view}/at/{x}/{y}/{width}x{height}.png": "content",
    "GET /api/map-differences/{sha256}/{other}/{size}.png": "content",
    "GET /api/map-pictures/{sha256}/texel/{x}/{y}": "content",
    "GET /api/map-files/{sha256}.{ending}": "content",
    "GET /api/projects/{project_id}/sheets/{name}": LOOK,
    "POST /api/projects/{project_id}/sheets/{name}": WORK,
    "GET /api/projects/{project_id}/stage": LOOK,
    "GET /api/projects/{project_id}/probe/{name}": LOOK,
    "GET /api/projects/{project_id}/conversions/{set_name}": LOOK,
    "POST /api/projects/{project_id}/convert": WORK,
    "POST /api/projects/{project_id}/normals": WORK,
    "GET /api/material-pictures/{key}/{light}/{size}.png": "content",
    "GET /api/stage-pictures/{key}/{size}.png": "content",
    "GET /api/lights/{key}.bin": "anybody",  # the program's own
    "GET /api/projects/{project_id}/meshes": LOOK,
    "POST /api/projects/{project_id}/meshes/{name}/recipe": WORK,
    "GET /api/projects/{project_id}/meshes/{name}/faces": LOOK,
    "GET /api/projects/{project_id}/meshes/{name}/suggestions": LOOK,
    "GET /api/projects/{project_id}/proposals": LOOK,
    "GET /api/projects/{project_id}/meshes/{name}/similar-mesh/{other}": LOOK,
    "GET /api/projects/{project_id}/meshes/{name}/padding/{map_name}": LOOK,
    "POST /api/projects/{project_id}/meshes/{name}/occlusion": WORK,
    "POST /api/projects/{project_id}/meshes/{name}/paint": WORK,
    "GET /api/projects/{project_id}/meshes/{name}/scene.glb": LOOK,
    "GET /api/projects/{project_id}/meshes/{name}/scene": LOOK,
    "POST /api/projects/{project_id}/meshes/{name}/embedded-materials": WORK,
    "GET /api/mesh-geometry/{key}.glb": "content",
    "GET /api/mesh-measures/{key}/{measure}.bin": "content",
    "GET /api/mesh-faults/{key}/{number}.bin": "content",
    "GET /api/projects/{project_id}/offers": LOOK,
    "POST /api/projects/{project_id}/offers": WORK,
    "GET /api/projects/{project_id}/offers/{offer_id}/effect": LOOK,
    "GET /api/projects/{project_id}/plan": LOOK,
    "GET /api/projects/{project_id}/meshes/{name}/atlas-estimate": LOOK,
    "GET /api/projects/{project_id}/targets": LOOK,
    "GET /api/projects/{project_id}/comparison": LOOK,
    "POST /api/projects/{project_id}/target-drafts": WORK,
    "POST /api/projects/{project_id}/exports": WORK,
    "GET /api/projects/{project_id}/packages": LOOK,
    "GET /api/projects/{project_id}/outdated-packages": LOOK,
    "POST /api/projects/{project_id}/packages": WORK,
    "POST /api/projects/{project_id}/packages/{package_id}/trial": WORK,
    "POST /api/projects/{project_id}/packages/{package_id}/archive": WORK,
    "POST /api/projects/{project_id}/packages/{package_id}/remove": WORK,
    "POST /api/projects/{project_id}/packages/{package_id}/bring-back": WORK,
    "GET /api/packages/{package_id}/report.html": LOOK,
    "GET /api/packages/{package_id}/report.pdf": LOOK,
    "GET /api/packages/{package_id}/arrived.glb": LOOK,
    "GET /api/packages/{package_id}/files/{path}": LOOK,
    "GET /api/packages/{package_id}/pictures/{number}-{what}.png": LOOK,
    "GET /api/projects/{project_id}/scene/default-placement": LOOK,
    "POST /api/projects/{project_id}/scene/file": WORK,
}
DESCRIPTION = "/api/openapi.json"
"""What the API is like: for whoever has an account."""
SAID_EVERY = 300.0
"""Seconds after which it is kept again that a session is in use."""
OPEN = ("/in", "/out", "/account/verify", "/join/", "/shared/", "/reset/", "/sso/", "/assets/")
"""Pages that are there for whoever has not logged in."""
_HASH, _KEY = re.compile(r"\b[0-9a-f]{64}\b"), re.compile(r"[0-9a-f]{40}([0-9a-f]{24})?")


class RightsMiddleware:
    """Let nobody do what they may not."""

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Find out who asks; a page is for whoever has logged in, or has a link."""
        caller = find_caller(request)
        request.caller = caller  # type: ignore[attr-defined]
        is_call = request.path.startswith("/api/")
        keyed = request.headers.get("Authorization", "").startswith("Bearer ")
        if keyed and not caller.is_known:
            # A key that is wrong or has ended says so, and is not taken for nobody.
            return _not_there(caller)
        if not caller.is_known and not request.path.startswith(("/api/", *OPEN)):
            linked = {f"/projects/{link.project_id}" for link in caller.links}
            if not any(request.path.startswith(place) for place in linked):
                goal = urlencode({"next": request.get_full_path()})
                return HttpResponseRedirect(f"/in?{goal}")
        if _has_ended(request):
            logout(request)
            goal = urlencode({"next": request.get_full_path()})
            return _not_there(Caller()) if is_call else HttpResponseRedirect(f"/in?{goal}")
        if caller.key is None and second_factor.lacks(request):
            if is_call:
                return refusal(
                    403, "This server asks for a second factor.", hint="Set it up: Your account."
                )
            if not request.path.startswith((*OPEN, second_factor.PAGE)):
                if second_factor.is_asked_for(request.user):  # type: ignore[arg-type]
                    logout(request)
                return HttpResponseRedirect(second_factor.PAGE)
        with acting_for(caller.person.pk if caller.person else None):
            response = self.get_response(request)
            audit = getattr(request, "audit", None)
            if audit is not None:
                write_down_call(request, response, *audit)
            return response

    def process_view(
        self, request: HttpRequest, view: Callable[..., Any], args: Any, kwargs: dict[str, Any]
    ) -> HttpResponse | None:
        """Refuse a call of the API that the caller may not make."""
        if not request.path.startswith("/api/"):
            return None
        operation = f"{request.method} {pattern_of(request)}"
        rule = RULES.get(operation)
        if operation in AUDITED:
            project = _project_of(kwargs)
            name = Project.objects.filter(pk__in=[project]).values_list("name", flat=True).first()
            request.audit = (operation, project, name or "")  # type: ignore[attr-defined]
        caller: Caller = request.caller  # type: ignore[attr-defined]
        if request.path == DESCRIPTION and not caller.is_known:
            return _not_there(Caller())
        if rule is None or rule == "anybody":
            # What is no operation the router refuses by itself.
            return None
        if rule == "content":
            asks = caller.is_known or caller.links
            held = asks and caller.holds(_contents(request.path, kwargs))
            return None if held else _not_there(caller)
        if rule == "known":
            forbidden = caller.key is not None and not _for_keys(request, caller)
            return _not_there(caller) if not caller.is_known else _no() if forbidden else None
        role = caller.role_in(_project_of(kwargs))
        if role is None:
            return _not_there(caller)
        return None if role.allows(Role(rule)) else _no()


def _has_ended(request: HttpRequest) -> bool:
    """Whether a session has been idle, or there, for too long; else that it is in use is kept, now
    and then."""
    if not request.user.is_authenticated:
        return False
    now, session = time.time(), request.session
    began, seen = session.setdefault("began", now), session.setdefault("seen", now)
    if now - seen > 3600 * settings.SESSION_IDLE_HOURS or now - began > settings.SESSION_COOKIE_AGE:
        return True
    if now - seen > SAID_EVERY:
        session["seen"] = now
    return False


def pattern_of(request: HttpRequest) -> str:
    """The address of a call as the API's description writes it."""
    route = request.resolver_match.route if request.resolver_match else ""
    return "/" + re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", route)


def _project_of(kwargs: dict[str, Any]) -> UUID | None:
    """The project that a call is about; `None` where what it names is not there."""
    if "project_id" in kwargs:
        return UUID(str(kwargs["project_id"]))
    rows = (
        Job.objects.filter(pk=kwargs["job_id"])
        if "job_id" in kwargs
        else Package.objects.filter(pk=kwargs["package_id"])
    )
    return rows.values_list("project_id", flat=True).first()


def _contents(path: str, kwargs: dict[str, Any]) -> set[str]:
    """The contents that a call would show, or show something of; none where there is nothing to
    be shown, which the call says itself."""
    if "sha256" in kwargs:
        return {str(kwargs[name]) for name in ("sha256", "other") if name in kwargs}
    key = str(kwargs["key"])
    if not _KEY.fullmatch(key):
        return set()
    with contextlib.suppress(MissingReference):
        if path.startswith("/api/mesh-"):
            source = mesh_row(key)[1]
            return {source.sha256, *source.parts.values()}
        return set(_HASH.findall(json.dumps(kept_recipe(key))))
    return set()


def _for_keys(request: HttpRequest, caller: Caller) -> bool:
    """Whether a program may call what is about no project: it may send files, if it may work."""
    assert caller.key is not None
    return request.path.startswith("/api/uploads") and Role(caller.key.scope).allows(WORK)


def _not_there(caller: Caller) -> HttpResponse:
    if not caller.is_known and not caller.links:
        refused = refusal(401, "Nobody has logged in.", hint="Log in, or send a key.")
        refused["WWW-Authenticate"] = "Bearer"
        return refused
    return refusal(404, "There is nothing at this address.", hint="Look in the list of projects.")


def _no() -> HttpResponse:
    return refusal(
        403,
        "Your role in this project does not allow that.",
        hint="Ask one of its owners; Project, “People” names them.",
    )
