"""Folders that other programs save into: which files are there, which have changed and are whole,
and what of a project they are versions of."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator, Mapping
from pathlib import Path, PurePosixPath

from ektopos.base.errors import EktoposError
from ektopos.images import IMAGE_SUFFIXES
from ektopos.meshes import MESH_SUFFIXES

SETTLED = 0.4
"""Seconds that a file must have been left alone before it counts as whole."""
MOST = 20_000
"""Files below one folder; a larger one is mostly a mistake."""
COMPANIONS = (".bin", ".mtl", ".usd", ".usda", ".usdc")
"""Files that a mesh file may need beside it, pictures apart."""
TAKEN_UP = (*IMAGE_SUFFIXES, *MESH_SUFFIXES, *COMPANIONS)
Stamp = list[int]
"""Size in bytes and time of change in nanoseconds."""


def stamps(folder: Path) -> dict[str, Stamp]:
    """Size and time of every file below a folder that can come in, by path. Hidden files and links
    are left out. Raises `EktoposError` for too many, or a folder that is not there."""
    if not folder.is_dir():
        raise EktoposError(
            "there is no such folder.", subject=str(folder), hint="Look at its name."
        )
    found: dict[str, Stamp] = {}
    for path in _files(folder):
        try:
            status = path.stat(follow_symlinks=False)
        except OSError:
            continue  # taken away meanwhile
        found[path.relative_to(folder).as_posix()] = [status.st_size, status.st_mtime_ns]
        if len(found) > MOST:
            raise EktoposError(
                f"more than {MOST:,} files are in it.",
                subject=str(folder),
                hint="Name a folder below it.",
            )
    return found


def _files(folder: Path) -> Iterator[Path]:
    for root, folders, names in os.walk(folder):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        for name in sorted(names):
            path = Path(root, name)
            plain = not name.startswith(".") and path.suffix.lower() in TAKEN_UP
            if plain and not path.is_symlink():
                yield path


def is_whole(stamp: Stamp) -> bool:
    """Whether a file is neither empty nor so young that it may be written still."""
    size, changed = stamp
    return size > 0 and changed <= time.time_ns() - int(SETTLED * 1e9)


def known_as(path: str, files: Mapping[str, str]) -> str | None:
    """Which of a project's maps or meshes (their files by name) a file is a version of: the one at
    the same path below `maps/` or `meshes/`, or the only one whose path ends in the path that it
    came with, whatever kind of file it is; `None` where several do, or none.

    Without its folder a file is told by its name alone; with one, the folder has to fit, for every
    delivery has its `BaseColor.png`.
    """
    exact = [name for name, file in files.items() if file.partition("/")[2] == path]
    if exact:
        return exact[0]
    parts = _parts(path)
    ending = [name for name, file in files.items() if _parts(file)[-len(parts) :] == parts]
    return ending[0] if len(ending) == 1 else None


def _parts(path: str) -> tuple[str, ...]:
    plain = PurePosixPath(path.lower())
    return (*plain.parts[:-1], plain.stem)
