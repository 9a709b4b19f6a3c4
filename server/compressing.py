"""Answers of the API are sent compressed. The interface's files were when it was built; pictures
and packages are by themselves."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.middleware.gzip import GZipMiddleware

from server.access import Answer


def answers_compressed(get_response: Answer) -> Answer:
    """Django's own compression, of JSON only, for whoever can read it."""
    packed = GZipMiddleware(get_response)

    def answer(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        if response.headers.get("Content-Type", "").startswith("application/json"):
            packed.process_response(request, response)
        return response

    return answer
