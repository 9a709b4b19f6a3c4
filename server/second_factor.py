"""A second factor: six digits that an app makes from a secret and the time, asked for after the
password. Source: RFC 6238, by pyotp.

An organisation's own log-in asks for its own, and keys of programs are for programs: neither is
asked here.
"""

from __future__ import annotations

import secrets
import time
from typing import Any

import pyotp
import segno
from django import forms
from django.conf import settings
from django.contrib import messages
from django.contrib.auth import login
from django.contrib.auth.decorators import login_required
from django.contrib.auth.models import User
from django.db import transaction
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import path
from django.utils.http import url_has_allowed_host_and_scheme
from django.utils.safestring import mark_safe
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_http_methods

from server.administration_pages import end_sessions
from server.limiting import has_tried_too_often, is_tried_too_often
from server.workshop.audit import write_down
from server.workshop.models import SecondFactor, digest

PAGE = "/account/second-factor"
SPARE_CODES = 10
WAITS_FOR_CODE = 600.0
"""Seconds between the password and the code."""
_SHOWN, _PENDING, _PROVED = "second_factor_shown", "second_factor_pending", "second_factor_proved"
_BACKEND = "django.contrib.auth.backends.ModelBackend"
_WRONG = "This is not the code of now. Look at the app again; its clock has to be right."


class CodeForm(forms.Form):
    """The digits."""

    code = forms.CharField(
        label="Code",
        max_length=20,
        widget=forms.TextInput({"autocomplete": "one-time-code", "autofocus": True}),
    )


class CodeAndPassword(CodeForm):
    """The digits, and who says them."""

    password = forms.CharField(
        label="Your password", widget=forms.PasswordInput({"autocomplete": "current-password"})
    )

    def __init__(self, person: User, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.person = person

    def clean_password(self) -> str:
        """It has to be right."""
        password: str = self.cleaned_data["password"]
        if not self.person.check_password(password):
            raise forms.ValidationError("This is not your password.")
        return password


def is_asked_for(person: User) -> bool:
    """Whether somebody is asked for a code after the password."""
    return SecondFactor.objects.filter(person=person).exists()


def ask_for_code(request: HttpRequest, person: User, goal: str) -> HttpResponse:
    """After the password, before anybody is logged in."""
    request.session[_PENDING] = {"person": person.pk, "goal": goal, "at": time.time()}
    return HttpResponseRedirect("/in/code")


def lacks(request: HttpRequest) -> bool:
    """Whether somebody has logged in without the second factor that the settings ask for."""
    if not settings.SECOND_FACTOR_REQUIRED or not request.user.is_authenticated:
        return False
    by_password = request.session.get("_auth_user_backend") == _BACKEND
    return by_password and not request.session.get(_PROVED)


def _step_of(secret: str, said: str) -> int | None:
    """The period that a code belongs to: that of now, or the one before or after, for clocks and
    hands are slow."""
    made = pyotp.TOTP(secret)
    now = int(time.time()) // made.interval
    for step in (now, now - 1, now + 1):
        if secrets.compare_digest(made.generate_otp(step).encode(), said.encode()):
            return step
    return None


def _plain(code: str) -> str:
    return "".join(code.split()).replace("-", "").lower()


@transaction.atomic
def takes(factor: SecondFactor, code: str) -> str:
    """What a code is, each only once: `code`, `spare code`, or "" where it is none."""
    said = _plain(code)
    rows = SecondFactor.objects.filter(pk=factor.pk)
    step = _step_of(factor.secret, said)
    if step is not None:
        return "code" if rows.filter(last_step__lt=step).update(last_step=step) else ""
    kept = rows.select_for_update().get()
    if digest(said) not in kept.spare_codes:
        return ""
    kept.spare_codes.remove(digest(said))
    kept.save(update_fields=["spare_codes"])
    return "spare code"


@never_cache
@require_http_methods(["GET", "POST"])
def enter_code(request: HttpRequest) -> HttpResponse:
    """The code, for whoever has just given the right password."""
    pending = request.session.get(_PENDING) or {}
    factor = SecondFactor.objects.filter(
        person=pending.get("person"), person__is_active=True
    ).first()
    if factor is None or time.time() - pending["at"] > WAITS_FOR_CODE:
        return HttpResponseRedirect("/in")
    person: User = factor.person
    form = CodeForm(request.POST or None)
    # Whoever is here knows the password, so the name alone counts: no other address tries on.
    if is_tried_too_often("code-failed", who=person.username):
        said = f"Too many wrong codes. Try again in {settings.LOGIN_PAUSE_MINUTES:.0f} minutes."
        context = {"title": "Wait a little", "said": said, "links": [("/in", "Back")]}
        return render(request, "people/form.html", context, status=429)
    if request.method == "POST" and form.is_valid():
        kind = takes(factor, form.cleaned_data["code"])
        if kind:
            login(request, person, backend=_BACKEND)
            request.session[_PROVED] = True
            if kind == "spare code":
                write_down("second-factor", request, about=person.username, done="spare code used")
            goal = str(pending["goal"])
            return HttpResponseRedirect(
                goal if url_has_allowed_host_and_scheme(goal, None) else "/"
            )
        write_down("code-failed", request, who=person.username)
        form.add_error("code", _WRONG)
    said = "The six digits that your app shows now, or one of your spare codes."
    return render(
        request,
        "people/form.html",
        {
            "title": "Second factor",
            "said": said,
            "form": form,
            "does": "Log in",
            "links": [("/in", "Back")],
        },
    )


@never_cache
@login_required
@require_http_methods(["GET", "POST"])
def own_second_factor(request: HttpRequest) -> HttpResponse:
    """Set it up, or turn it off."""
    person: User = request.user  # type: ignore[assignment]
    form = CodeAndPassword(person, request.POST or None)
    if request.method == "POST" and has_tried_too_often(request, "code-failed"):
        messages.error(request, "Too many tries. Wait a little.")
        return HttpResponseRedirect(PAGE)
    factor = SecondFactor.objects.filter(person=person).first()
    if factor is not None:
        return _turn_off(request, person, factor, form)
    secret = request.session.setdefault(_SHOWN, pyotp.random_base32())
    if request.method == "POST" and form.is_valid():
        step = _step_of(secret, _plain(form.cleaned_data["code"]))
        if step is not None:
            return _set_up(request, person, secret, step)
        write_down("code-failed", request)
        form.add_error("code", _WRONG)
    address = pyotp.TOTP(secret).provisioning_uri(name=person.get_username(), issuer_name="Ektopos")
    picture = segno.make(address, micro=False).svg_inline(scale=4, dark="#000", light="#fff")
    context = {
        "title": "Set up a second factor",
        "form": form,
        # Made here, of the secret and the name; segno escapes neither into the picture.
        "picture": mark_safe(picture),
        "secret": " ".join(secret[i : i + 4] for i in range(0, len(secret), 4)),
        "required": lacks(request),
    }
    return render(request, "people/second_factor.html", context)


def _set_up(request: HttpRequest, person: User, secret: str, step: int) -> HttpResponse:
    spare = [secrets.token_hex(5) for _ in range(SPARE_CODES)]
    SecondFactor.objects.create(
        person=person, secret=secret, last_step=step, spare_codes=[digest(code) for code in spare]
    )
    del request.session[_SHOWN]
    request.session[_PROVED] = True
    end_sessions(person, but=request.session.session_key)
    write_down("second-factor", request, about=person.username, done="set up")
    context = {"title": "Your spare codes", "spare": [f"{c[:5]}-{c[5:]}" for c in spare]}
    return render(request, "people/second_factor.html", context)


def _turn_off(
    request: HttpRequest, person: User, factor: SecondFactor, form: CodeAndPassword
) -> HttpResponse:
    if request.method == "POST" and form.is_valid():
        if takes(factor, form.cleaned_data["code"]):
            factor.delete()
            request.session.pop(_PROVED, None)
            write_down("second-factor", request, about=person.username, done="turned off")
            messages.success(request, "Your second factor is turned off.")
            return HttpResponseRedirect("/account")
        write_down("code-failed", request)
        form.add_error("code", _WRONG)
    context = {"title": "Turn off your second factor", "form": form, "has": True}
    return render(request, "people/second_factor.html", context)


patterns = [path("in/code", enter_code), path(PAGE[1:], own_second_factor)]
