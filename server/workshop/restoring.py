"""Bring a backup back: every member is looked at before anything of it counts, and all of it comes
or nothing."""

from __future__ import annotations

import hashlib
import json
import re
import shutil
import sqlite3
import tarfile
import tempfile
import time
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path

from django.conf import settings

from ektopos.base.errors import InvalidDocument
from ektopos.materials.preview import recipe_key
from ektopos.project import is_safe
from server.workshop.store import tell_when_full

DATABASE = "ektopos.sqlite3"
FOLDERS = ("files", "packages", "recipes")
_CONTENT = re.compile(r"files/([0-9a-f]{2})/(\1[0-9a-f]{62})")
_RECIPE = re.compile(r"recipes/([0-9a-f]{2})/(\1[0-9a-f]{38})\.json")
_PACKAGE = re.compile(r"packages/([0-9]{1,18})/.+")
_TABLES = {"workshop_project", "workshop_revision", "workshop_job", "django_migrations"}
_HINT = "Take another backup: nothing was changed."
_PIECE = 2**20


@dataclass
class _Checked:
    """A backup whose members were all looked at, unpacked into a folder of its own."""

    folder: Path
    packages: set[str] = field(default_factory=set)
    added: list[str] = field(default_factory=list)
    """Contents and recipes."""


def restore(source: Path) -> Path:
    """Bring a backup back, also into a running application; gives where the database from before
    was put.

    Contents and recipes are only added. The database is written over in one transaction, so whoever
    reads sees the one or the other; packages go back to where they were, where that fails. Raises
    `InvalidDocument` for what is no whole backup, before anything is changed.
    """
    data = Path(settings.DATA_FOLDER)
    with tell_when_full(), tempfile.TemporaryDirectory(prefix="restoring-", dir=data) as folder:
        checked = _looked_at(source, Path(folder) / "new")
        _database_of(checked, source)
        before = data / f"before-restore-{time.strftime('%Y%m%d-%H%M%S')}.sqlite3"
        for member in checked.added:
            goal = data / member
            if not goal.exists():
                goal.parent.mkdir(parents=True, exist_ok=True)
                (checked.folder / member).replace(goal)
        _with_packages(checked, data, Path(folder) / "old", before)
    return before


def _looked_at(source: Path, folder: Path) -> _Checked:
    """Unpack a backup and look at every member: its name, its kind, and its hash."""
    checked = _Checked(folder)
    names: set[str] = set()
    try:
        with tarfile.open(source, "r:") as packed:
            for member in packed:
                if member.isdir() and member.name.partition("/")[0] in FOLDERS:
                    continue
                if member.name in names or not member.isreg():
                    raise _wrong(source, f"its member {member.name[:120]} is no plain file")
                names.add(member.name)
                _unpack(packed, member, source, checked)
    except (tarfile.TarError, EOFError, UnicodeError) as problem:
        raise _wrong(source, f"it is no tar file, or it is damaged ({problem})") from None
    except OSError as problem:
        if problem.filename is None:
            raise
        raise _wrong(source, f"it cannot be opened ({problem.strerror})") from None
    if DATABASE not in names:
        raise _wrong(source, "there is no database of Ektopos in it")
    return checked


def _unpack(
    packed: tarfile.TarFile, member: tarfile.TarInfo, source: Path, checked: _Checked
) -> None:
    name = member.name
    content, recipe, package = (p.fullmatch(name) for p in (_CONTENT, _RECIPE, _PACKAGE))
    if not (name == DATABASE or content or recipe or (package and is_safe(name))):
        raise _wrong(source, f"its member {name[:120]} is none of a backup")
    goal = checked.folder / name
    goal.parent.mkdir(parents=True, exist_ok=True)
    seen, file = hashlib.sha256(), packed.extractfile(member)
    assert file is not None, "it is a plain file"
    with goal.open("wb") as out:
        while piece := file.read(_PIECE):
            seen.update(piece)
            out.write(piece)
    if goal.stat().st_size != member.size:
        raise _wrong(source, f"its member {name[:120]} breaks off")
    if content and seen.hexdigest() != content.group(2):
        raise _wrong(source, f"its member {name[:120]} is not what its name says")
    if recipe and not _is_recipe(goal, recipe.group(2)):
        raise _wrong(source, f"its member {name[:120]} is not what its name says")
    goal.chmod(0o400 if content else 0o600)
    if package:
        checked.packages.add(package.group(1))
    elif content or recipe:
        checked.added.append(name)


def _is_recipe(path: Path, key: str) -> bool:
    try:
        return recipe_key(json.loads(path.read_bytes())) == key
    except ValueError:
        return False


def _database_of(checked: _Checked, source: Path) -> None:
    """See that the database of a backup is whole, and ours."""
    try:
        with closing(sqlite3.connect(checked.folder / DATABASE)) as given:
            sound = given.execute("PRAGMA integrity_check(1)").fetchone() == ("ok",)
            rows = given.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
            tables = {name for (name,) in rows}
    except sqlite3.DatabaseError:
        sound, tables = False, set()
    if not sound or not tables >= _TABLES:
        raise _wrong(source, "its database is damaged, or is not one of Ektopos")


def _with_packages(checked: _Checked, data: Path, old: Path, before: Path) -> None:
    """Put packages and database in place, or neither."""
    placed: list[str] = []
    old.mkdir()
    (data / "packages").mkdir(exist_ok=True)
    try:
        for package in sorted(checked.packages):
            goal = data / "packages" / package
            if goal.exists():
                goal.rename(old / package)
            placed.append(package)
            (checked.folder / "packages" / package).rename(goal)
        _write_over(checked.folder / DATABASE, before)
    except BaseException:
        for package in placed:
            goal = data / "packages" / package
            shutil.rmtree(goal, ignore_errors=True)
            if (old / package).exists():
                (old / package).rename(goal)
        raise


def _write_over(fresh: Path, before: Path) -> None:
    """Keep the present database in a file, and write another over it in one transaction."""
    name = str(settings.DATABASES["default"]["NAME"])
    with closing(sqlite3.connect(name)) as live, closing(sqlite3.connect(before)) as kept:
        live.backup(kept)
    with (
        closing(sqlite3.connect(fresh)) as given,
        closing(sqlite3.connect(name, timeout=60)) as live,
    ):
        _no_number_twice(live, given)
        given.backup(live)


def _no_number_twice(live: sqlite3.Connection, given: sqlite3.Connection) -> None:
    """Let the restored tables go on counting where the present ones are, so that no page takes
    another's state for its own."""
    rows = dict(live.execute("SELECT name, seq FROM sqlite_sequence"))
    for name, seq in rows.items():
        given.execute("UPDATE sqlite_sequence SET seq = max(seq, ?) WHERE name = ?", (seq, name))
    given.commit()


def _wrong(source: Path, why: str) -> InvalidDocument:
    return InvalidDocument(f"{why}.", subject=source.name, hint=_HINT)
