"""Only pages that this server served may change anything."""

from __future__ import annotations

from collections.abc import Callable
from urllib.parse import urlsplit

from django.http import HttpRequest, HttpResponse, JsonResponse

_SAFE = ("GET", "HEAD", "OPTIONS")


class SameOriginMiddleware:
    """Refuse writes from pages of another origin.

    There are no accounts and so no cookies to protect, but a page elsewhere could still post to the loopback address; the
    browser's own Origin header tells it apart.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Let the request through, or refuse it."""
        origin = request.headers.get("Origin")
        if request.method not in _SAFE and origin and urlsplit(origin).netloc != request.get_host():
            return JsonResponse({"message": "This request comes from another site.", "subject": "", "hint": ""}, status=403)
        return self.get_response(request)
