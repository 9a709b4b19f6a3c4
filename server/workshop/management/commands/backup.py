"""Put database and files into one file, also while Ektopos runs; or bring them back from it."""

from __future__ import annotations

import sqlite3
import tarfile
import tempfile
import time
from contextlib import closing
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import connection

from server.workshop.store import sync_folder, tell_when_full

DATABASE = "ektopos.sqlite3"
FOLDERS = ("files", "packages", "recipes")


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
            self.stdout.write(f"Restored. What was there before is in {restore(options['file'])}")
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


def restore(source: Path) -> Path:
    """Bring a backup back, also into a running application; gives where the database from before
    was put.

    Files are only added. The database is written over in one transaction, so whoever reads sees the
    one or the other.
    """
    try:
        whole = tarfile.is_tarfile(source)
    except OSError as problem:
        raise CommandError(
            f"{source.name} cannot be opened ({problem.strerror}).", returncode=2
        ) from None
    if not whole:
        raise CommandError(f"{source.name} cannot be opened: it is no tar file.", returncode=2)
    with (
        tarfile.open(source) as packed,
        tell_when_full(),
        tempfile.TemporaryDirectory(dir=settings.FILE_UPLOAD_TEMP_DIR) as folder,
    ):
        names = packed.getnames()
        if DATABASE not in names:
            raise CommandError(f"{source.name} is no backup of Ektopos.", returncode=2)
        for member in packed:
            if member.name.split("/")[0] in FOLDERS and member.isfile():
                packed.extract(member, settings.DATA_FOLDER, filter="data")
        packed.extract(DATABASE, folder, filter="data")
        before = settings.DATA_FOLDER / f"before-restore-{time.strftime('%Y%m%d-%H%M%S')}.sqlite3"
        name = _database()
        with closing(sqlite3.connect(name)) as live, closing(sqlite3.connect(before)) as kept:
            live.backup(kept)
        with (
            closing(sqlite3.connect(Path(folder) / DATABASE)) as given,
            closing(sqlite3.connect(name, timeout=60)) as live,
        ):
            _no_number_twice(live, given)
            given.backup(live)
    return before


def _no_number_twice(live: sqlite3.Connection, given: sqlite3.Connection) -> None:
    """Let the restored tables go on counting where the present ones are, so that no page takes
    another's state for its own."""
    rows = dict(live.execute("SELECT name, seq FROM sqlite_sequence"))
    for name, seq in rows.items():
        given.execute("UPDATE sqlite_sequence SET seq = max(seq, ?) WHERE name = ?", (seq, name))
    given.commit()


def _whole(member: tarfile.TarInfo) -> tarfile.TarInfo | None:
    return None if member.name.rpartition("/")[2].startswith("tmp-") else member


def _database() -> str:
    return str(settings.DATABASES["default"]["NAME"])
