"""Put a finished package in place of the one before, whole or not at all; bring one back."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from collections.abc import Collection, Iterable
from pathlib import Path, PurePosixPath

from ektopos.base.errors import DAMAGE, EktoposError
from ektopos.export.reuse import PACKAGE_LIST
from ektopos.project import is_safe


def put_in_place(
    out: Path,
    fresh: Path,
    files: list[str],
    backup: Path | None = None,
    before: Collection[str] | None = None,
) -> None:
    """Put a finished package in place of the one before, which goes to `backup`; on an error put
    that one back.

    `before` are the files of the one before, where there is a record of them; else the list in the
    folder says them. Nothing is written or removed through a link. Raises `EktoposError`.
    """
    before = files_of_package(out) if before is None else before
    refuse_links(out, {*before, *files})
    foreign = [
        file
        for file in [*files, PACKAGE_LIST]
        if os.path.lexists(out / file) and file not in before
    ]
    if foreign:
        raise EktoposError(
            f"{foreign[0]} is already there and is not part of an earlier package.",
            subject=str(out.name),
            hint="Move it away, or name another folder.",
        )
    with tempfile.TemporaryDirectory(prefix=f".{out.name}-before-", dir=out.parent) as kept:
        moved = [file for file in before if (out / file).exists()]
        try:
            for file in moved:
                _move(out / file, Path(kept) / file)
            for file in [*files, PACKAGE_LIST]:
                _move(fresh / file, out / file)
        except BaseException as problem:
            # Whatever stopped it, a person at the keyboard too: what has left `fresh` goes, what
            # lies in `kept` comes back.
            for file in [*files, PACKAGE_LIST]:
                if not (fresh / file).exists():
                    (out / file).unlink(missing_ok=True)
            for file in moved:
                if (Path(kept) / file).exists():
                    _move(Path(kept) / file, out / file)
            if isinstance(problem, OSError):
                raise EktoposError(
                    f"cannot be written ({problem.strerror}).", subject=str(out)
                ) from None
            raise
        if backup is not None and PACKAGE_LIST in moved:
            backup.mkdir(parents=True, exist_ok=True)
            put_in_place(backup, Path(kept), [file for file in moved if file != PACKAGE_LIST])


def refuse_links(out: Path, files: Iterable[str]) -> None:
    """Raise `EktoposError` where a folder on the way to one of the files is a link, which may lead
    anywhere."""
    for place in sorted({place for file in files for place in PurePosixPath(file).parents}):
        if (out / place).is_symlink() and str(place) != ".":
            raise EktoposError(
                f"{place} is a link to another folder, and nothing is written through links.",
                subject=str(out),
                hint="Put a real folder in its place, or name another folder.",
            )


def put_back(out: Path, backup: Path, before: Collection[str] | None = None) -> list[str]:
    """Put a package that was kept as a backup in place again; the one that it replaces becomes the
    backup.

    Gives the files that are back. Raises `EktoposError` if there is no whole package in `backup`.
    """
    files = [file for file in files_of_package(backup) if file != PACKAGE_LIST]
    missing = next((file for file in files if not (backup / file).is_file()), None)
    if not (backup / PACKAGE_LIST).is_file() or missing:
        reason = f"{missing} is missing from it." if missing else "there is no package in it."
        raise EktoposError(
            reason, subject=str(backup), hint="Name the folder that was given as the backup."
        )
    with tempfile.TemporaryDirectory(prefix=f".{out.name}-back-", dir=out.parent) as temporary:
        shutil.copytree(backup, temporary, dirs_exist_ok=True)
        put_in_place(out, Path(temporary), files, backup, before)
    return files


def files_of_package(out: Path) -> list[str]:
    """The files of the package that is in a folder now; none where its list is not ours, as that of
    another program's package."""
    listing = out / PACKAGE_LIST
    if not listing.is_file():
        return []
    try:
        listed = json.loads(listing.read_bytes())
        if not isinstance(listed["ektopos"], int):
            return []
        files = [file["path"] for file in listed["files"]]
    except DAMAGE:
        return []
    return [file for file in files if isinstance(file, str) and is_safe(file)] + [PACKAGE_LIST]


def _move(source: Path, goal: Path) -> None:
    goal.parent.mkdir(parents=True, exist_ok=True)
    shutil.move(source, goal)
