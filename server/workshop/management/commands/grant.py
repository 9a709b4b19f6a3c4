"""Say which project may use which folder of this machine, in team mode; or list that."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db.models import Q

from ektopos.base.errors import EktoposError
from server.workshop.audit import write_down
from server.workshop.following import granted, take_back
from server.workshop.models import GrantedFolder, Project


class Command(BaseCommand):
    """`grant`, `grant PROJECT FOLDER` and `grant PROJECT FOLDER --revoke`."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        """The project by its name or number, and the folder."""
        parser.add_argument("project", nargs="?")
        parser.add_argument("folder", nargs="?")
        parser.add_argument("--revoke", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        """One line for each grant there is afterwards."""
        name, folder = options["project"], options["folder"]
        if name is not None:
            if folder is None:
                raise CommandError("Name the folder, too.", returncode=2)
            try:
                self._change(_project(name), folder, bool(options["revoke"]))
            except EktoposError as problem:
                raise CommandError(str(problem), returncode=2) from None
        for row in GrantedFolder.objects.select_related("project"):
            self.stdout.write(f"{row.project.name}: {row.folder}")

    def _change(self, project: Project, folder: str, revoke: bool) -> None:
        done = "taken back" if revoke else "granted"
        if revoke:
            row = project.granted_folders.filter(folder=folder).first()
            if row is None:
                raise CommandError(f"{project.name} has no grant for {folder}.", returncode=2)
            take_back(row)
        else:
            folder = granted(project, folder).folder
        write_down("folder", who="command line", project=project.pk, folder=folder, done=done)


def _project(name: str) -> Project:
    number = Q(pk=name) if len(name) == 36 else Q(pk__in=[])
    found = list(Project.objects.filter(Q(name=name) | number)[:2])
    if len(found) != 1:
        raise CommandError(
            f"{'Several projects are' if found else 'No project is'} called {name}.", returncode=2
        )
    return found[0]
