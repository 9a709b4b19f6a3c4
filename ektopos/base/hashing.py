"""Files, and plain values, told by their content."""

from __future__ import annotations

import hashlib
import json
from functools import lru_cache
from pathlib import Path

_AT_ONCE = 16 * 2**20
"""Bytes hashed in one go. In small pieces a thread waits, between any two, for one that is loading
the program."""


def hash_file(path: Path) -> str:
    """The SHA-256 of a file, taken once for as long as it stays as it is."""
    status = path.stat()
    return _hash_of(path, status.st_size, status.st_mtime_ns)


@lru_cache(maxsize=4096)
def _hash_of(path: Path, size: int, changed: int) -> str:
    seen = hashlib.sha256()
    with path.open("rb") as file:
        while part := file.read(_AT_ONCE):
            seen.update(part)
    return seen.hexdigest()


def hash_json(parts: object) -> str:
    """The SHA-256 of plain JSON values, as 64 hexadecimal digits."""
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()
