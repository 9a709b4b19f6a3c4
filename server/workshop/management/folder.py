"""The data folder: whose it is, and that only one Ektopos works on it at a time."""

from __future__ import annotations

import contextlib
import fcntl
import os
import shutil
from collections.abc import Iterator
from pathlib import Path

from django.core.management.base import CommandError

MARKER = "EKTOPOS_DATA"
_WORDS = "This folder was made by Ektopos and holds its database and files.\n"
_OURS = ("ektopos.sqlite3", "files", "secret.key")


@contextlib.contextmanager
def only_one(folder: Path) -> Iterator[int]:
    """Hold a data folder for oneself; gives the open file by which it is held. Raises
    `CommandError` if another Ektopos does, or what one has left running."""
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / "lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            lock.seek(0)
            who = lock.read().strip() or "unknown"
            reason = (
                f"Ektopos is running on {folder} already (process {who}). Stop it, or set "
                "EKTOPOS_DATA to another folder."
            )
            raise CommandError(reason, returncode=1) from None
        lock.truncate(0)
        lock.write(str(os.getpid()))
        lock.flush()
        yield lock.fileno()


def mark(folder: Path) -> None:
    """Say that a folder is Ektopos' own, and that it is nobody else's to read."""
    folder.chmod(0o700)
    for path in folder.glob("*.sqlite3*"):
        path.chmod(0o600)
    (folder / MARKER).write_text(_WORDS)


def is_ours(folder: Path) -> bool:
    """Whether a folder is one that Ektopos made: by its mark, or, from before there were marks, by
    what is in it."""
    return (folder / MARKER).is_file() or all((folder / name).exists() for name in _OURS)


def was_never_used(folder: Path) -> bool:
    """Whether there is nothing in a folder but what looking at the settings makes there."""
    return all(
        path.name in ("lock", "secret.key") or (path.is_dir() and not any(path.iterdir()))
        for path in folder.iterdir()
    )


def empty(folder: Path) -> None:
    """Take everything out of a data folder but its lock."""
    for path in folder.iterdir():
        if path.name == "lock":
            continue
        if path.is_dir() and not path.is_symlink():
            shutil.rmtree(path)
        else:
            path.unlink()
