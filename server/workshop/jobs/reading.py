"""Which files a job is reading right now, written where it outlives the process: whatever ends that
was one of them."""

from __future__ import annotations

import contextlib
import json
import threading
from collections.abc import Callable, Iterator

from server.workshop.models import Job
from server.workshop.store import cache_path


class FilesBeingRead:
    """Files that a job is reading."""

    def __init__(self, job: Job) -> None:
        self.path = cache_path("reading", f"{job.pk}.json")
        self.names: list[str] = []
        self.lock = threading.Lock()

    @contextlib.contextmanager
    def file(self, name: str) -> Iterator[None]:
        """A file, while the block runs."""
        self._write(lambda: self.names.append(name))
        try:
            yield
        finally:
            self._write(lambda: self.names.remove(name))

    def _write(self, change: Callable[[], object]) -> None:
        with self.lock:
            change()
            with contextlib.suppress(OSError):
                self.path.parent.mkdir(parents=True, exist_ok=True)
                self.path.write_text(json.dumps(self.names))


def was_reading(job: Job) -> list[str]:
    """What a job was reading when its process ended."""
    try:
        kept = json.loads(FilesBeingRead(job).path.read_text())
    except (OSError, ValueError):
        return []
    return [str(name) for name in kept]
