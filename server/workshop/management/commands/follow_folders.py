"""Take up what is saved in followed folders, until it is stopped."""

from __future__ import annotations

import signal
import threading
from typing import Any

from django.core.management.base import BaseCommand

from server.workshop.following import watch


class Command(BaseCommand):
    """Started by `workshop`, and by itself where web and worker run apart."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Run until a signal says to end."""
        stopping = threading.Event()
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, lambda *_: stopping.set())
        watch(stopping)
