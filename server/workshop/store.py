"""Files by content: what comes in lies once under its SHA-256, and what is made from it under its recipe.

Everything here may be read by several processes at once, so files appear complete or not at all.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import tempfile
from collections.abc import Iterable, Iterator
from pathlib import Path

from django.conf import settings


def is_hash(text: str) -> bool:
    """Whether a text is a SHA-256 in hexadecimal digits."""
    return len(text) == 64 and all(c in "0123456789abcdef" for c in text)


def content_path(sha256: str) -> Path:
    """Where a content lies."""
    return Path(settings.DATA_FOLDER / "files" / sha256[:2] / sha256)


def cache_path(kind: str, key: str) -> Path:
    """Where something derived lies, whether it is there yet or not. The cache folder may be deleted at any time."""
    path = Path(settings.DATA_FOLDER / "cache" / kind / key[:2] / key)
    path.parent.mkdir(parents=True, exist_ok=True)
    return path


def package_folder(package: int) -> Path:
    """The folder of an exported package."""
    return Path(settings.DATA_FOLDER / "packages" / str(package))


def put(chunks: Iterable[bytes]) -> tuple[str, int]:
    """Keep a content; gives its hash and its size."""
    digest, size = hashlib.sha256(), 0
    folder = settings.DATA_FOLDER / "files"
    folder.mkdir(exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=folder, delete=False) as file:
        for chunk in chunks:
            digest.update(chunk)
            size += len(chunk)
            file.write(chunk)
    _place(Path(file.name), content_path(digest.hexdigest()))
    return digest.hexdigest(), size


def put_file(path: Path) -> tuple[str, int]:
    """Keep a file's content."""
    with path.open("rb") as file:
        return put(iter(lambda: file.read(2**20), b""))


@contextlib.contextmanager
def writing(path: Path) -> Iterator[Path]:
    """A temporary path that becomes `path` when the block ends well."""
    handle, name = tempfile.mkstemp(dir=path.parent, suffix=path.suffix)
    os.close(handle)
    temporary = Path(name)
    try:
        yield temporary
        temporary.replace(path)
    finally:
        temporary.unlink(missing_ok=True)


def named(content: Path, path: str) -> Path:
    """A content under a name that ends as its file's does, because readers choose the format by the suffix."""
    link = cache_path("named", f"{content.name}{Path(path).suffix.lower()}")
    if not link.exists():
        link.unlink(missing_ok=True)
        with contextlib.suppress(FileExistsError):
            link.symlink_to(content)
    return link


def _place(temporary: Path, goal: Path) -> None:
    if goal.exists():
        temporary.unlink()
        return
    goal.parent.mkdir(parents=True, exist_ok=True)
    temporary.chmod(0o444)
    temporary.replace(goal)
