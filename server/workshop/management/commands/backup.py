"""Put database and files into one file, also while Ektopos runs; or bring them back from it."""

from __future__ import annotations

import sqlite3
import tarfile
import tempfile
from contextlib import closing
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import connection

from ektopos.base.errors import EktoposError
from server.workshop.restoring import DATABASE, FOLDERS, restore
from server.workshop.store import sync_folder, tell_when_full


class Command(BaseCommand):
    """`backup FILE` and `backup FILE --restore`."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        """The file, and which way."""
        parser.add_argument("file", type=Path)
        parser.add_argument("--restore", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        """Write it whole or not at all."""
        if connection.vendor != "sqlite":
            raise CommandError(
                "This is for SQLite. Back the database up with its own tools, and the folder "
                "beside it."
            )
        if options["restore"]:
            try:
                before = restore(options["file"])
            except EktoposError as problem:
                raise CommandError(str(problem), returncode=2) from None
            self.stdout.write(f"Restored. What was there before is in {before}")
        else:
            backup(options["file"])
            self.stdout.write(
                f"{options['file']}: {options['file'].stat().st_size / 2**20:.1f} MiB"
            )


def backup(goal: Path) -> None:
    """Everything that cannot be made again, as one tar file.

    The database is copied first, in one moment; the files that it names never change, and none is
    collected so soon.
    """
    with tell_when_full(), tempfile.TemporaryDirectory(dir=settings.FILE_UPLOAD_TEMP_DIR) as folder:
        copy = Path(folder) / DATABASE
        with (
            closing(sqlite3.connect(_database())) as live,
            closing(sqlite3.connect(copy)) as other,
        ):
            live.backup(other)
        temporary = goal.with_name(f".{goal.name}.part")
        try:
            with tarfile.open(temporary, "w") as packed:
                packed.add(copy, DATABASE)
                for name in FOLDERS:
                    place = settings.DATA_FOLDER / name
                    if place.is_dir():
                        packed.add(place, name, filter=_whole)
            temporary.replace(goal)
            sync_folder(goal.resolve().parent)
        finally:
            temporary.unlink(missing_ok=True)


def _whole(member: tarfile.TarInfo) -> tarfile.TarInfo | None:
    return None if member.name.rpartition("/")[2].startswith("tmp-") else member


def _database() -> str:
    return str(settings.DATABASES["default"]["NAME"])
