"""Whose turn it is: importing and measuring go before all else, projects take turns, and what is
small goes before what is large."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from django.db.models import Exists, Max, OuterRef
from django.utils import timezone

from server.workshop.models import Job
from server.workshop.store import content_path

URGENT = ("bring-in", "measure", "measure-part", "match")
"""What somebody waits for before they can do anything: it goes first, and beside other work."""
LOOKED_AT = 200
"""Jobs that are compared; more wait in the order in which they came."""


def next_job(*, urgent_only: bool = False) -> Job | None:
    """The job whose turn it is; `None` where none waits. Cost: the jobs that wait."""
    unfinished = Job.objects.filter(
        part_of=OuterRef("pk"), state__in=(Job.State.WAITING, Job.State.RUNNING)
    )
    waiting = Job.objects.filter(~Exists(unfinished), state=Job.State.WAITING)
    if urgent_only:
        waiting = waiting.filter(kind__in=URGENT)
    jobs = list(waiting.order_by("made")[:LOOKED_AT])
    if len(jobs) < 2:
        return jobs[0] if jobs else None
    served = _last_served({job.project_id for job in jobs})

    def turn(job: Job) -> tuple[bool, datetime, int, datetime]:
        return job.kind not in URGENT, served[job.project_id], job_size(job), job.made

    return min(jobs, key=turn)


def _last_served(projects: set[Any]) -> dict[Any, datetime]:
    """When work for each project was last begun or done; long ago for one that had none."""
    never = timezone.now().replace(year=1970)
    rows = (
        Job.objects.filter(project__in=projects)
        .exclude(state=Job.State.WAITING)
        .values_list("project")
        .annotate(last=Max("beat"))
    )
    return dict.fromkeys(projects, never) | {project: last or never for project, last in rows}


def job_size(job: Job) -> int:
    """How much a job has to read or make, in bytes or texels: only to be compared."""
    arguments: Mapping[str, Any] = job.arguments
    files = arguments.get("files")
    if isinstance(files, list):
        return sum(_stored(str(file.get("sha256", ""))) for file in files if isinstance(file, dict))
    side = arguments.get("size")
    return int(side) ** 2 if isinstance(side, int | float) else 0


def _stored(sha256: str) -> int:
    path = content_path(sha256) if sha256 else None
    return path.stat().st_size if path is not None and path.is_file() else 0


def running_job() -> Job | None:
    """What a worker is busy with, that others wait for; the one that was begun first."""
    return Job.objects.filter(state=Job.State.RUNNING).order_by("made").first()
