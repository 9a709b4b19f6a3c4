"""Lines of the log that say to which request they belong, and for whom it was made."""

from __future__ import annotations

import logging
from contextvars import ContextVar

from django.apps import apps

request_name: ContextVar[str] = ContextVar("request_name", default="")


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
