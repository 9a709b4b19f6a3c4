"""Heavy work in parts, which whatever worker is free does."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TypeVar

from django.conf import settings

from server.workshop.models import Job

PARTS = 16
"""Parts that a job has at the most: each is a process of its own, which takes a while to begin."""
T = TypeVar("T")


class Parted(Exception):
    """A job's work was handed out in parts, for which it waits."""


def may_hand_out(job: Job) -> bool:
    """Whether there are workers that a job's work could be handed to."""
    return settings.SPLITS and job.part_of_id is None


def hand_out(
    job: Job,
    kind: str,
    left: Sequence[T],
    least: int,
    arguments: Callable[[Sequence[T]], dict[str, object]],
) -> None:
    """Hand out what is left of a job's work in jobs of a kind, of at `least` so many pieces each.
    Returns where there is too little of it, where nothing splits, and once the parts have ended:
    what is left then is done by the job itself. Raises `Parted`."""
    if not may_hand_out(job) or len(left) < 2 * least:
        return
    if not job.parts.exists():
        size = max(least, -(-len(left) // PARTS))
        for start in range(0, len(left), size):
            Job.start(job.project, kind, arguments(left[start : start + size]), part_of=job)
        raise Parted
    if job.open_parts().exists():
        raise Parted
