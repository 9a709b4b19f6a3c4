"""Maps that are decoded on other cores while this one loads the rest of the program: a first export
is mostly these two, and each needs what the other leaves idle.

Nothing but the time may tell.
"""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

from ektopos.base.errors import DAMAGE
from ektopos.base.hashing import hash_file
from ektopos.images.image import Image
from ektopos.images.read import read_image

AHEAD_BYTES = 64 * 2**20
"""The most that is decoded ahead, as it lies on disk."""


def maps_ahead(project: Path, out: Path) -> list[Path]:
    """Maps that a first export will want, so that they can be decoded while the rest of the core is
    loaded.

    The document is looked at, not read: what is wrong with it is said later. Nothing for a zip, for
    much, or where a package lies already, of which most will stay.
    """
    documents = [project] if project.is_file() else sorted(project.glob("*.ektopos.json"))
    if len(documents) != 1 or (out / "package.json").exists():
        return []
    try:
        maps = json.loads(documents[0].read_bytes())["maps"].values()
        base = documents[0].parent.resolve()
        paths = [(base / entry["file"]).resolve() for entry in maps]
        inside = [path for path in paths if path.is_relative_to(base) and path.is_file()]
        return inside if sum(path.stat().st_size for path in inside) < AHEAD_BYTES else []
    except (OSError, *DAMAGE):
        return []


@contextlib.contextmanager
def read_ahead(paths: Iterable[Path]) -> Iterator[Callable[[Path], Image]]:
    """Reads and hashes files from now on. What it gives reads as `read_image` does, from what is
    there already if it is.

    A picture that came ahead is given once, so that it is not held twice.
    """
    # More at once than there are cores: the third of three would be decoded beside an idle core.
    pool = ThreadPoolExecutor(max_workers=2 * (os.cpu_count() or 1))
    coming: dict[Path, Future[Image]] = {path: pool.submit(_read, path) for path in paths}

    def read(path: Path) -> Image:
        ahead = coming.pop(path, None)
        return read_image(path) if ahead is None else ahead.result()

    try:
        yield read
    finally:
        pool.shutdown(cancel_futures=True)


def _read(path: Path) -> Image:
    image = read_image(path)
    hash_file(path)
    return image
