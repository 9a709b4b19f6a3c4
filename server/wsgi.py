"""The WSGI application."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterable
from importlib import import_module
from typing import Any

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
GRACE_SECONDS = 30
LEAST_BYTES_A_SECOND = 2000


class SteadyBody:
    """A request's body that must keep coming: whoever trickles it, so that a thread waits for them,
    is cut off.

    Source: RFC 9110, 15.5.9 (408, Request Timeout). A single silent read is ended by the socket
    (`server/gunicorn_conf.py`).
    """

    def __init__(self, body: Any) -> None:
        self.body, self.began, self.size = body, time.monotonic(), 0

    def _counted(self, part: bytes) -> bytes:
        self.size += len(part)
        spent = time.monotonic() - self.began
        if part and spent > GRACE_SECONDS + self.size / LEAST_BYTES_A_SECOND:
            raise TimeoutError("the body comes too slowly")
        return part

    def read(self, *size: int) -> bytes:
        """As a file's."""
        return self._counted(self.body.read(*size))

    def readline(self, *size: int) -> bytes:
        """As a file's."""
        return self._counted(self.body.readline(*size))

    def readlines(self, *hint: int) -> list[bytes]:
        """As a file's."""
        return [self._counted(line) for line in self.body.readlines(*hint)]

    def __iter__(self) -> Iterable[bytes]:
        """Line by line."""
        return iter(self.readline, b"")


def steady(app: Callable[..., Iterable[bytes]]) -> Callable[..., Iterable[bytes]]:
    """The application, with bodies that must keep coming."""

    def answer(environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        return app({**environ, "wsgi.input": SteadyBody(environ["wsgi.input"])}, start_response)

    return answer


application = steady(get_wsgi_application())
import_module("server.urls")  # a second that the first page would wait for
