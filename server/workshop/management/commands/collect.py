"""Take away what nothing refers to any more, after its time of grace, and what the cache holds
beyond its limit."""

from typing import Any

from django.core.management.base import BaseCommand

from server.workshop.retention import collect


class Command(BaseCommand):
    """The workshop does this by itself every hour."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Say how much it was."""
        collected = collect()
        self.stdout.write(f"{collected.files} files taken away, {collected.bytes / 2**20:.1f} MiB.")
