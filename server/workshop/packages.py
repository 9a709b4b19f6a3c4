"""Packages and what their trials have kept: folders of this machine, which others can have too."""

from __future__ import annotations

import hashlib
import json
import shutil
from pathlib import Path

from server.workshop.models import Package
from server.workshop.store import content_path, package_folder, put_file, shared, writing

_LIST = "stored.json"
"""In a package's folder: what it holds, as the database says it."""


def keep(package: Package) -> None:
    """Let other machines have a package as it is in its folder now: each file is a content."""
    if shared() is None:
        return
    folder = package_folder(package.pk)
    held = {
        path.relative_to(folder).as_posix(): path
        for path in sorted(folder.rglob("*"))
        if path.is_file() and path.name != _LIST
    }
    # The package's own files never change; what its trials keep does.
    known = {name: sha for name, sha in package.stored.items() if name.startswith("files/")}
    package.stored = {name: known.get(name) or put_file(path)[0] for name, path in held.items()}
    package.save(update_fields=["stored"])
    _mark(package)


def fetched_package_folder(package: Package) -> Path:
    """A package's folder, with everything that it holds by now."""
    folder = package_folder(package.pk)
    if shared() is None or not package.stored or _is_as_stored(package):
        return folder
    for path in folder.rglob("*"):
        if path.is_file() and path.relative_to(folder).as_posix() not in package.stored:
            path.unlink(missing_ok=True)
    for name, sha256 in package.stored.items():
        goal = folder / name
        goal.parent.mkdir(parents=True, exist_ok=True)
        with writing(goal) as temporary:
            shutil.copyfile(content_path(sha256), temporary)
            temporary.chmod(0o600)
    _mark(package)
    return folder


def file_of(package: Package, name: str) -> Path | None:
    """One file of a package's folder, by its path there, without having all of it here; `None` if
    there is none."""
    if shared() is not None and package.stored and not _is_as_stored(package):
        sha256 = package.stored.get(name)
        return content_path(sha256) if sha256 else None
    path = package_folder(package.pk) / name
    return path if path.is_file() else None


def _mark(package: Package) -> None:
    with writing(package_folder(package.pk) / _LIST) as temporary:
        temporary.write_text(_state(package))


def _is_as_stored(package: Package) -> bool:
    try:
        return (package_folder(package.pk) / _LIST).read_text() == _state(package)
    except OSError:
        return False


def _state(package: Package) -> str:
    text = json.dumps(package.stored, sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()
