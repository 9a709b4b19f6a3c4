"""Pages for whoever looks after the server, and for one's own account: plain HTML, in team mode
only."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from functools import wraps
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.decorators import login_required
from django.contrib.auth.forms import PasswordChangeForm
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.db import transaction
from django.http import (
    Http404,
    HttpRequest,
    HttpResponse,
    HttpResponseRedirect,
    StreamingHttpResponse,
)
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.urls import path
from django.utils import timezone
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_http_methods, require_POST

from ektopos.base.errors import EktoposError
from server.addresses import has_verified_address, send_link, taken
from server.limiting import has_tried_too_often
from server.workshop.audit import write_down
from server.workshop.following import granted, take_back
from server.workshop.models import AuditEvent, GrantedFolder, Project, SecondFactor
from server.workshop.revoking import issued_by, revoke

View = Callable[..., HttpResponseBase]
SHOWN = 200


def administrators(view: View) -> View:
    """Only for whoever looks after the server; for all others the page is not there."""

    @wraps(view)
    @never_cache
    def guarded(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponseBase:
        if not (request.user.is_authenticated and request.user.is_superuser):
            raise Http404
        return view(request, *args, **kwargs)

    return guarded


@administrators
def accounts(request: HttpRequest) -> HttpResponse:
    """Everybody who has an account."""
    people = User.objects.order_by("username")
    return render(request, "people/accounts.html", {"title": "Accounts", "people": people})


@administrators
@require_http_methods(["GET", "POST"])
def account_of(request: HttpRequest, person_id: int) -> HttpResponse:
    """One account: what ends with it is listed, and then ended at once."""
    person = get_object_or_404(User, pk=person_id)
    if request.method == "POST":
        if "second-factor" in request.POST:
            SecondFactor.objects.filter(person=person).delete()
            end_sessions(person)
            write_down("second-factor", request, about=person.username, done="removed")
        elif person == request.user:
            messages.error(request, "Another administrator can do that; your own account stays.")
        elif person.is_active:
            with transaction.atomic():
                person.is_active = False
                person.save(update_fields=["is_active"])
                ended = revoke(issued_by(person))
                end_sessions(person)
                write_down(
                    "account", request, about=person.username, done="deactivated", ended=ended
                )
        else:
            User.objects.filter(pk=person.pk).update(is_active=True)
            write_down("account", request, about=person.username, done="activated")
        return HttpResponseRedirect(request.path)
    context = {"title": person.username, "person": person, "issued": issued_by(person)}
    context["second_factor"] = SecondFactor.objects.filter(person=person).exists()
    return render(request, "people/account_of.html", context)


@administrators
def audit(request: HttpRequest) -> HttpResponse:
    """What was done last."""
    rows = AuditEvent.objects.all()[:SHOWN]
    context = {"title": "Audit log", "rows": rows, "days": settings.AUDIT_DAYS}
    return render(request, "people/audit.html", context)


@administrators
def audit_lines(request: HttpRequest) -> StreamingHttpResponse:
    """All of it, one JSON object a line, the oldest first."""

    def lines() -> Iterator[str]:
        for row in AuditEvent.objects.order_by("when", "pk").iterator():
            yield json.dumps(row.as_json(), ensure_ascii=False) + "\n"

    answer = StreamingHttpResponse(lines(), content_type="application/x-ndjson")
    answer["Content-Disposition"] = 'attachment; filename="audit.jsonl"'
    return answer


@administrators
@require_http_methods(["GET", "POST"])
def folders(request: HttpRequest) -> HttpResponse:
    """Which project may use which folders of this machine."""
    if request.method == "POST":
        try:
            if "remove" in request.POST:
                row = get_object_or_404(GrantedFolder, pk=int(request.POST["remove"]))
                take_back(row)
                done, project, folder = "taken back", row.project, row.folder
            else:
                project = get_object_or_404(Project, pk=request.POST.get("project") or None)
                folder = granted(project, request.POST.get("folder", "")).folder
                done = "granted"
            write_down("folder", request, project=project.pk, folder=folder, done=done)
        except EktoposError as problem:
            messages.error(request, str(problem))
        return HttpResponseRedirect(request.path)
    context = {
        "title": "Folders",
        "rows": GrantedFolder.objects.select_related("project").order_by("project__name", "folder"),
        "projects": Project.objects.order_by("name"),
        "roots": settings.FOLDERS,
    }
    return render(request, "people/folders.html", context)


@never_cache
@login_required
@require_http_methods(["GET", "POST"])
def own_account(request: HttpRequest) -> HttpResponse:
    """One's own password and sessions."""
    person: User = request.user  # type: ignore[assignment]
    form = PasswordChangeForm(person, request.POST or None)
    if request.method == "POST" and form.is_valid():
        form.save()
        # All other sessions end with the old password.
        update_session_auth_hash(request, person)
        write_down("password", request, about=person.username, done="changed")
        messages.success(request, "Your new password is kept. You are logged out elsewhere.")
        return HttpResponseRedirect(request.path)
    context = {"title": person.username, "form": form, "verified": has_verified_address(person)}
    context["second_factor"] = SecondFactor.objects.filter(person=person).exists()
    return render(request, "people/own.html", context)


@never_cache
@login_required
@require_POST
def ask_to_verify(request: HttpRequest) -> HttpResponse:
    """Send a link to one's own address; only so often."""
    person: User = request.user  # type: ignore[assignment]
    if not person.email or has_tried_too_often(request, "verify-asked"):
        messages.error(request, "No link was sent. Wait a little, and ask again.")
    else:
        write_down("verify-asked", request, about=person.username)
        send_link(request, person)
        messages.success(request, f"A link is on its way to {person.email}.")
    return HttpResponseRedirect("/account")


@never_cache
def verify_address(request: HttpRequest) -> HttpResponse:
    """Follow such a link."""
    person = taken(request.GET.get("token", ""))
    if person is None:
        context = {"title": "No link", "said": "This link has ended. Ask for another."}
        return render(request, "people/form.html", context, status=404)
    write_down("account", request, who=person.username, about=person.username, done="verified")
    said = {"title": "Verified", "said": f"{person.email} is yours.", "links": [("/", "Go on")]}
    return render(request, "people/form.html", said)


@never_cache
@login_required
@require_POST
def end_own_sessions(request: HttpRequest) -> HttpResponse:
    """Log out everywhere else."""
    person: User = request.user  # type: ignore[assignment]
    count = end_sessions(person, but=request.session.session_key)
    write_down("sessions", request, about=person.username, ended=count)
    messages.success(request, "You are logged out everywhere else.")
    return HttpResponseRedirect("/account")


def end_sessions(person: User, but: str | None = None) -> int:
    """End the sessions of an account; gives how many there were."""
    ended = 0
    for session in Session.objects.filter(expire_date__gte=timezone.now()).iterator():
        if session.session_key != but and session.get_decoded().get("_auth_user_id") == str(
            person.pk
        ):
            session.delete()
            ended += 1
    return ended


patterns = [
    path("accounts", accounts),
    path("accounts/<int:person_id>", account_of),
    path("audit", audit),
    path("audit.jsonl", audit_lines),
    path("folders", folders),
    path("account", own_account),
    path("account/sessions", end_own_sessions),
    path("account/verify/send", ask_to_verify),
    path("account/verify", verify_address),
]
