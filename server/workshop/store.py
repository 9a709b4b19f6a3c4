"""Files by content: what comes in lies once under its SHA-256, and what is made from it under its
recipe.

Everything here may be read by several processes at once, so files appear complete or not at all.
Where several machines share a store (`EKTOPOS_STORE`), this machine's folder is a copy of what it
has used: what is kept goes there before it is acknowledged, and what is not here is fetched.
"""

from __future__ import annotations

import contextlib
import hashlib
import io
import os
import re
import shutil
import tempfile
import time
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from django.core.files import File
from django.core.files.base import ContentFile
from django.core.files.storage import Storage, storages
from numpy.typing import NDArray

from ektopos.base.errors import DiskFull, MissingReference, is_disk_full

_HASH = re.compile(r"[0-9a-f]{64}")
_PIECE = 2**20
WANTED_HOURS = 1.0
"""How often the shared store is told that a content is still wanted."""
_wanted: dict[str, float] = {}


def is_hash(text: str) -> bool:
    """Whether a text is a SHA-256 in hexadecimal digits."""
    return _HASH.fullmatch(text) is not None


def content_path(sha256: str) -> Path:
    """Where a content lies, there or not; fetched, where another machine has brought it in. Raises
    `MissingReference` for what is no hash, and might be a path."""
    path = _content_place(sha256)
    fetch(path)
    return path


def content_here(sha256: str) -> Path | None:
    """Where a content lies, if it is there. Asked of every map of a project at once."""
    if not is_hash(sha256):
        return None
    path = _content_place(sha256)
    return path if fetch(path) else None


def _content_place(sha256: str) -> Path:
    if not is_hash(sha256):
        raise MissingReference("there is no such file.", subject=sha256[:12], hint="Send it again.")
    return Path(f"{settings.DATA_FOLDER}/files/{sha256[:2]}/{sha256}")


def shared() -> Storage | None:
    """The store that several machines share; `None` where this one is alone."""
    return storages["shared"] if settings.SHARED else None


def share_file(path: Path, *, again: bool = False) -> None:
    """Let other machines have a file of the data folder. What is there already stays, unless it
    goes there `again`."""
    storage = shared()
    if storage is None:
        return
    key = _key(path)
    if again or not storage.exists(key):
        with path.open("rb") as file:
            storage.save(key, File(file))


def fetch(path: Path) -> bool:
    """Have a file of the data folder here; gives whether it is."""
    if path.exists():
        return True
    storage = shared()
    if storage is None:
        return False
    try:
        with storage.open(_key(path), "rb") as source, writing(path) as temporary:
            with temporary.open("wb") as file:
                shutil.copyfileobj(source, file, _PIECE)
            if is_hash(path.name) and _hash_of(temporary) != path.name:
                raise FileNotFoundError(path)  # damaged there: as good as lost
            temporary.chmod(0o400 if is_hash(path.name) else 0o600)
    except FileNotFoundError:
        return False
    return path.exists()


def _key(path: Path) -> str:
    return path.relative_to(settings.DATA_FOLDER).as_posix()


def wanted_path(sha256: str) -> str:
    """Where the shared store remembers when a content was last wanted."""
    return f"wanted/{sha256[:2]}/{sha256}"


def _say_wanted(sha256: str) -> None:
    """Tell the shared store that a content is wanted, so that nobody collects it now."""
    storage = shared()
    now = time.monotonic()
    if storage is None or now - _wanted.get(sha256, -1e9) < 3600 * WANTED_HOURS:
        return
    share_file(_content_place(sha256))
    storage.save(wanted_path(sha256), ContentFile(b""))
    _wanted[sha256] = now


def known_content(sha256: str) -> Path | None:
    """A content that is here, kept from now on for as long as anything just brought in; `None` if
    it is not.

    Its size and hash are not looked at: `is_sound` does that.
    """
    path = content_path(sha256)
    with contextlib.suppress(OSError):
        os.utime(path)
        _say_wanted(sha256)
        return path
    return None


def is_sound(sha256: str) -> bool:
    """Whether a content is here and still is what its name says. Cost: reading it."""
    path = content_path(sha256)
    return path.is_file() and _hash_of(path) == sha256


def cache_path(kind: str, key: str) -> Path:
    """Where something derived lies, whether it is there yet or not. The cache folder may be deleted
    at any time."""
    return _derived("cache", kind, key)


def recipe_path(key: str) -> Path:
    """Where a recipe lies: pages refer to it by its key and cannot say it again, so it is not in
    the cache."""
    return _derived("recipes", "", key)


def package_folder(package: int) -> Path:
    """The folder of an exported package."""
    return Path(settings.DATA_FOLDER / "packages" / str(package))


ARRIVED = "arrived.glb"
"""In a package's folder: what the stand-in engine read of it, to be looked at."""


def delivery_backup(project: object, target: str) -> Path:
    """The package that the last delivery of a project for a target replaced."""
    return Path(settings.DATA_FOLDER / "replaced" / str(project) / target)


def archive_path(job: object) -> Path:
    """The file that a job has packed to be downloaded."""
    return _derived("archives", "", f"{job}.zip")


def put(chunks: Iterable[bytes]) -> tuple[str, int]:
    """Keep a content; gives its hash and its size. It is on the disk when this returns. Raises
    `DiskFull`.

    What is there already is checked and, if it is damaged, replaced.
    """
    digest, size = hashlib.sha256(), 0
    folder = Path(settings.DATA_FOLDER / "files")
    folder.mkdir(exist_ok=True)
    with (
        tell_when_full(),
        tempfile.NamedTemporaryFile(dir=folder, prefix=f"tmp-{os.getpid()}-", delete=False) as file,
    ):
        temporary = Path(file.name)
        try:
            for chunk in chunks:
                digest.update(chunk)
                size += len(chunk)
                file.write(chunk)
            file.flush()
            os.fsync(file.fileno())
            share_file(_place(temporary, digest.hexdigest()))
        finally:
            temporary.unlink(missing_ok=True)
    return digest.hexdigest(), size


def put_file(path: Path) -> tuple[str, int]:
    """Keep a file's content."""
    with path.open("rb") as file:
        return put(iter(lambda: file.read(_PIECE), b""))


@contextlib.contextmanager
def writing(path: Path) -> Iterator[Path]:
    """A temporary path that becomes `path` when the block ends well. Raises `DiskFull`."""
    with tell_when_full():
        temporary = _temporary(path)
        try:
            yield temporary
            temporary.replace(path)
        finally:
            temporary.unlink(missing_ok=True)


def write_array(path: Path, array: NDArray[Any]) -> None:
    """Keep an array. Through bytes, because NumPy says of a full disk only that less was written
    than it wished."""
    content = io.BytesIO()
    np.save(content, array)
    with writing(path) as temporary:
        temporary.write_bytes(content.getbuffer())


def named(content: Path, path: str) -> Path:
    """A content under a name that ends as its file's does, because readers choose the format by the
    suffix."""
    link = cache_path("named", f"{content.name}{Path(path).suffix.lower()[:12]}")
    if link.is_symlink() and link.readlink() == content:
        return link
    link.parent.mkdir(parents=True, exist_ok=True)
    temporary = link.with_name(f"{link.name}.{os.getpid()}.{os.urandom(4).hex()}")
    temporary.symlink_to(content)
    temporary.replace(link)
    return link


def sync_folder(folder: Path) -> None:
    """See that what was created or renamed in a folder is on the disk."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def sync_tree(folder: Path) -> None:
    """See that every file below a folder is on the disk. Raises `DiskFull`."""
    with tell_when_full():
        for path in sorted(folder.rglob("*")):
            if path.is_file():
                with path.open("rb") as file:
                    os.fsync(file.fileno())
            elif path.is_dir():
                sync_folder(path)
        sync_folder(folder)


@contextlib.contextmanager
def tell_when_full() -> Iterator[None]:
    """Turn a full disk into the one sentence that people read of it."""
    try:
        yield
    except OSError as problem:
        if is_disk_full(problem):
            raise DiskFull from problem
        raise


def _derived(*parts: str) -> Path:
    key = parts[-1]
    return Path(settings.DATA_FOLDER, *filter(None, parts[:-1]), key[:2], key)


def _temporary(path: Path) -> Path:
    """A new file beside a path, whose folder is made where it is missing; it may be deleted at any
    time."""
    for _ in range(3):
        try:
            handle, name = tempfile.mkstemp(
                dir=path.parent, prefix=f"tmp-{os.getpid()}-", suffix=path.suffix
            )
        except FileNotFoundError:
            path.parent.mkdir(parents=True, exist_ok=True)
            continue
        os.close(handle)
        return Path(name)
    raise FileNotFoundError(path.parent)


def _hash_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _place(temporary: Path, sha256: str) -> Path:
    goal = _content_place(sha256)
    if (
        goal.is_file()
        and goal.stat().st_size == temporary.stat().st_size
        and _hash_of(goal) == sha256
    ):
        os.utime(goal)
        return goal
    goal.parent.mkdir(parents=True, exist_ok=True)
    temporary.chmod(0o400)
    temporary.replace(goal)
    sync_folder(goal.parent)
    sync_folder(goal.parent.parent)
    return goal
