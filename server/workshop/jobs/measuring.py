"""Measure maps and meshes, each file by itself: one that cannot be read is said with its reason and
stops no other."""

from __future__ import annotations

import logging
import tempfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, as_completed
from pathlib import Path, PurePosixPath
from typing import Any

from django.conf import settings

from ektopos.base.errors import Cancelled, DiskFull, EktoposError, is_disk_full
from ektopos.base.types import Progress
from ektopos.images import read_header, read_image
from ektopos.maps import Facts
from ektopos.maps.identify import facts_of_image
from server.workshop.jobs.reading import FilesBeingRead
from server.workshop.jobs.subtasks import hand_out
from server.workshop.models import Job, MapFacts
from server.workshop.pictures import keep_reduced
from server.workshop.store import content_path, named, put_file

logger = logging.getLogger(__name__)
ENDED = "it ended the process that read it. Import it alone, or save it again."


PART = 8
"""Maps that one part of a job measures at the least."""


def reason(problem: BaseException) -> str:
    """Why a file could not be used, for people. Raises what is no fault of the file: a full disk, a
    cancelled job."""
    if isinstance(problem, Cancelled | DiskFull):
        raise problem
    if is_disk_full(problem):
        raise DiskFull from problem
    if isinstance(problem, EktoposError):
        return f"{problem.message} {problem.hint}".strip()
    if isinstance(problem, MemoryError):
        return "there is not enough memory to decode it. Make it smaller."
    logger.error("a file could not be read", exc_info=problem)
    return f"it is damaged ({type(problem).__name__}). Save it again."


def measure_maps(
    job: Job, maps: dict[str, str], progress: Progress
) -> tuple[dict[str, Facts], dict[str, str]]:
    """Facts of maps by path, and why for those that have none. `maps` gives contents by path; what
    is known is not read."""
    known = {sha: row.value() for sha, row in MapFacts.known(maps.values()).items()}
    facts = {path: known[sha] for path, sha in maps.items() if sha in known}
    failed = {path: ENDED for path in maps if path in job.reading and path not in facts}
    reading = FilesBeingRead(job)

    def one(path: str) -> Facts:
        with reading.file(path):
            return _measure_map(path, maps[path])

    def done(path: str, found: Facts) -> None:
        facts[path] = found
        MapFacts.keep(maps[path], content_path(maps[path]).stat().st_size, found)

    for part in job.parts.all():
        failed |= (part.result or {}).get("failed", {})
    left = [path for path in maps if path not in facts and path not in failed]
    hand_out(
        job, "measure-part", left, PART, lambda some: {"maps": {path: maps[path] for path in some}}
    )
    _each(left, one, done, failed, progress)
    return facts, failed


def measure_part(job: Job, progress: Progress) -> dict[str, Any]:
    """Measure some maps (`maps`: contents by path) of a job that waits for them."""
    _, failed = measure_maps(job, dict(job.arguments["maps"]), progress)
    return {"failed": failed}


def _each(
    paths: list[str],
    one: Callable[[str], Any],
    done: Callable[[str, Any], None],
    failed: dict[str, str],
    progress: Progress,
) -> None:
    with ThreadPoolExecutor(max_workers=settings.JOB_THREADS) as pool:
        waiting = {pool.submit(one, path): path for path in paths}
        try:
            for count, finished in enumerate(as_completed(waiting)):
                path = waiting[finished]
                problem = finished.exception()
                if problem is None:
                    done(path, finished.result())
                else:
                    failed[path] = reason(problem)
                progress((count + 1) / len(waiting), f"measured {path}")
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise


def _measure_map(path: str, sha: str) -> Facts:
    content = named(content_path(sha), path)
    header = read_header(content)
    image = read_image(content)
    keep_reduced(sha, image)
    return facts_of_image(content, header, image)


def keep_map(name: str, write: Callable[[Path], object]) -> str:
    """Keep a map that was made here, measured: `write` writes its file to a path that ends as
    `name` does. Gives its content."""
    with tempfile.TemporaryDirectory(dir=settings.FILE_UPLOAD_TEMP_DIR) as folder:
        path = Path(folder) / f"map{PurePosixPath(name).suffix}"
        write(path)
        image = read_image(path)
        sha, size = put_file(path)
        MapFacts.keep(sha, size, facts_of_image(path, read_header(path), image))
    keep_reduced(sha, image)
    return sha
