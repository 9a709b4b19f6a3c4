"""Take the second factor off an account whose owner has lost it, in team mode."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from server.workshop.audit import write_down
from server.workshop.models import SecondFactor


class Command(BaseCommand):
    """`second_factor NAME --remove`."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        """The account's name."""
        parser.add_argument("name")
        parser.add_argument("--remove", action="store_true", required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        """One line."""
        name = options["name"]
        if not SecondFactor.objects.filter(person__username=name).delete()[0]:
            raise CommandError(f"There is no account {name} with a second factor.", returncode=2)
        write_down("second-factor", who="command line", about=name, done="removed")
        self.stdout.write(f"{name} has no second factor now.")
