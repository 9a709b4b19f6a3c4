"""Bring a project folder or zip in from the command line, once."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from server.workshop.archive import import_folder
from server.workshop.models import Project


class Command(BaseCommand):
    """Used by `./run demo` to have the sample there."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        """The folder to open."""
        parser.add_argument("folder", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        """Import it unless a project is there already; print the id of the project to show."""
        project = Project.objects.order_by("created").first()
        if project is None:
            project = import_folder(options["folder"])
        self.stdout.write(str(project.pk))
