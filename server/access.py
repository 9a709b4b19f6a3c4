"""Who may ask, and how a refusal looks: the token, requests forged by other pages, and errors in
one shape."""

from __future__ import annotations

import sys
from collections.abc import Callable
from http import HTTPStatus

from django.conf import settings
from django.db import OperationalError
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, JsonResponse
from django.middleware.csrf import get_token
from django.utils.cache import patch_vary_headers
from django.utils.crypto import constant_time_compare, salted_hmac
from django.utils.html import escape
from django.utils.http import url_has_allowed_host_and_scheme

Answer = Callable[[HttpRequest], HttpResponse]
TOKEN_COOKIE = "ektopos_token"
TOKEN_DAYS = 90


def refusal(status: int, message: str, *, subject: str = "", hint: str = "") -> JsonResponse:
    """An error as every part of the API says it."""
    return JsonResponse({"message": message, "subject": subject, "hint": hint}, status=status)


def own_resources(get_response: Answer) -> Answer:
    """No other site may take pictures or files from here into its pages."""

    def answer(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        response["Cross-Origin-Resource-Policy"] = "same-origin"
        return response

    return answer


def plain_refusals(get_response: Answer) -> Answer:
    """Whatever refuses a call of the API, a router or Django itself, says it in the API's words."""

    def answer(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        if response.status_code < 400 or not request.path.startswith("/api/"):
            return response
        if "json" in response.headers.get("Content-Type", ""):
            return response
        words = HTTPStatus(response.status_code).phrase
        refused = refusal(
            response.status_code,
            f"{words}: {request.method} {request.path[:200]}.",
            hint="Load the page again.",
        )
        for name in ("Allow", "Retry-After"):
            if name in response:
                refused[name] = response[name]
        return refused

    return answer


SAID_BY_BROWSERS = ("Origin", "Referer", "Sec-Fetch-Site", "Cookie")


def programs_are_trusted(get_response: Answer) -> Answer:
    """Ask for Django's protection against forged requests only where a browser can have made the
    request.

    A program that calls the API sends neither cookies nor the headers by which browsers say where a
    request comes from, so it has nothing that could be forged.
    """

    def answer(request: HttpRequest) -> HttpResponse:
        if not any(request.headers.get(name) for name in SAID_BY_BROWSERS):
            request._dont_enforce_csrf_checks = True  # type: ignore[attr-defined]
        elif settings.DEBUG and request.method == "GET":
            get_token(
                request
            )  # the page comes from the interface's own server then, without its cookie
        return get_response(request)

    return answer


def forged(request: HttpRequest, reason: str = "") -> JsonResponse:
    """A write that did not come from a page of this server, or from one that is too old."""
    return refusal(
        403, "This request does not come from a page of this server.", hint="Load the page again."
    )


def token_asked(get_response: Answer) -> Answer:
    """Let nobody in who does not know the token, if there is one (`EKTOPOS_TOKEN`)."""

    def answer(request: HttpRequest) -> HttpResponse:
        if not settings.ACCESS_TOKEN or _knows_token(request):
            return get_response(request)
        if request.path == "/enter" and request.method == "POST":
            return get_response(request)
        if request.path.startswith("/api/"):
            refused = refusal(
                401, "This server asks for its token.", hint="Open its page and enter the token."
            )
            refused["WWW-Authenticate"] = "Bearer"
            return refused
        return door(request, 401)

    return answer


def enter(request: HttpRequest) -> HttpResponse:
    """Take the token from the door's form and remember that it was right."""
    goal = request.POST.get("next", "/")
    if not url_has_allowed_host_and_scheme(goal, None):
        goal = "/"
    if request.method != "POST" or not settings.ACCESS_TOKEN:
        return HttpResponseRedirect("/")
    if not constant_time_compare(request.POST.get("token", ""), settings.ACCESS_TOKEN):
        return door(request, 403, goal)
    response = HttpResponseRedirect(goal)
    response.set_cookie(
        TOKEN_COOKIE,
        _proof(),
        max_age=TOKEN_DAYS * 86400,
        httponly=True,
        samesite="Strict",
        secure=settings.HTTPS,
    )
    return response


def _proof() -> str:
    """What a browser keeps: made from the token, so that another token ends it, and not the token
    itself."""
    return salted_hmac("ektopos.token", settings.ACCESS_TOKEN, algorithm="sha256").hexdigest()


def _knows_token(request: HttpRequest) -> bool:
    kind, _, given = request.headers.get("Authorization", "").partition(" ")
    if kind == "Bearer" and constant_time_compare(given, settings.ACCESS_TOKEN):
        return True
    return constant_time_compare(request.COOKIES.get(TOKEN_COOKIE, ""), _proof())


def door(request: HttpRequest, status: int, goal: str | None = None) -> HttpResponse:
    """The page that asks for the token: plain HTML, for nothing else is shown yet."""
    pause = f"Too many tries. Wait {settings.LOGIN_PAUSE_MINUTES:.0f} minutes."
    said = {403: "That is not the token.", 429: pause}
    wrong = f"<p role='alert'>{said[status]}</p>" if status in said else ""
    where = escape(goal or request.get_full_path())
    page = f"""<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Ektopos</title>
<meta name="viewport" content="width=device-width, initial-scale=1">
<style>body{{font:15px/1.5 sans-serif;background:#e3e3e3;color:#1b1b1b}}
body{{display:grid;place-items:center;min-height:90vh}}
form{{display:grid;gap:12px;width:320px}}input,button{{font:inherit;padding:8px}}
button{{background:#1f6f6b;color:#fff;border:0}}</style></head>
<body><main><form method="post" action="/enter"><h1>Ektopos</h1>{wrong}
<label for="token">This server asks for its token</label>
<input id="token" name="token" type="password" autocomplete="current-password" autofocus required>
<input type="hidden" name="next" value="{where}">
<input type="hidden" name="csrfmiddlewaretoken" value="{get_token(request)}">
<button>Enter</button></form></main></body></html>"""
    response = HttpResponse(page, status=status)
    patch_vary_headers(response, ("Cookie",))
    return response


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    """A request that Django itself refuses, such as one for another host."""
    return refusal(
        400, "The request cannot be understood, or is for another host.", hint="Check the address."
    )


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """An address that leads nowhere."""
    return refusal(404, "There is nothing at this address.", hint="Look in the list of projects.")


def is_held(problem: BaseException | None) -> bool:
    """Whether something else has kept the database for longer than one waits for it."""
    said = str(problem).lower()
    return isinstance(problem, OperationalError) and any(
        words in said for words in ("database is locked", "table is locked", "lock timeout")
    )


def held() -> HttpResponse:
    """The answer while it does."""
    answer = refusal(
        503,
        "Something else has been writing to it for long, and nothing was changed.",
        subject="the database",
        hint="Try again in a moment.",
    )
    answer["Retry-After"] = "2"
    return answer


def broken(request: HttpRequest) -> HttpResponse:
    """A mistake of ours; what it was is in the log. A database that is held is none."""
    if is_held(sys.exception()):
        return held()
    return refusal(
        500, "Something went wrong that should not have; it is in the log.", hint="Try again."
    )
