"""Pictures that are read on other cores while this one is busy: loading a program, mostly."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

from ektopos.base.hashing import hash_file
from ektopos.images.image import Image
from ektopos.images.read import read_image


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
