"""Lines of the log that say which request they belong to and who made it; and no secrets."""

from __future__ import annotations

import logging
import re
from contextvars import ContextVar

from django.apps import apps

request_name: ContextVar[str] = ContextVar("request_name", default="")
_SECRETS = (
    re.compile(r"(/(?:join|shared)/)[^/\s?\"'<>]+"),
    re.compile(r"(/reset/)[^/\s]+/[^/\s?\"'<>]+"),
    re.compile(r"([?&](?:token|code|state|key)=)[^&\s\"'<>]+"),
    re.compile(r"(Bearer\s+)[\w.~+/=-]+", re.IGNORECASE),
)
"""What lets somebody in: addresses of invitations, links and new passwords, tokens, keys."""


def masked(text: str) -> str:
    """A text without what lets somebody in.

    >>> masked("Not Found: /join/abc?next=/"), masked("GET /reset/MQ/c1-2f/ 200")
    ('Not Found: /join/…?next=/', 'GET /reset/…/ 200')
    """
    for secret in _SECRETS:
        text = secret.sub(r"\1…", text)
    return text


class Masked(logging.Filter):
    """Takes secrets out of each line, whoever writes it and at whatever level."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Every line stays."""
        try:
            said = record.getMessage()
        except (TypeError, ValueError):
            return True  # which the handler complains of
        record.msg, record.args = masked(said), ()
        if record.exc_info and not record.exc_text:
            record.exc_text = masked(logging.Formatter().formatException(record.exc_info))
        return True


class Named(logging.Filter):
    """Adds both to each line."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Every line stays."""
        record.request_id = request_name.get()
        record.person = ""
        if apps.ready:
            from server.workshop.models import acting

            record.person = str(acting() or "")
        return True
