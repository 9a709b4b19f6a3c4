"""Look whether every file in the store still is what it was, and say what is damaged or missing."""

from typing import Any

from django.core.management.base import BaseCommand

from server.workshop.retention import verify_files


class Command(BaseCommand):
    """Exit code 1 if anything is wrong."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """One line for each damaged file, and how to mend it."""
        count = 0
        for damage in verify_files():
            count += 1
            what = "is missing" if damage.missing else "is damaged"
            where = "; ".join(damage.used) or "no project’s present state names it"
            self.stdout.write(f"{damage.sha256[:12]} {what}: {where}")
        if count:
            self.stdout.write(
                f"{count} in all. Import the same files again to replace what is damaged."
            )
            raise SystemExit(1)
        self.stdout.write("Every file is what it was.")
