"""The one task the queue knows: run a job by its id. The same code runs on every task backend."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from typing import Any

from django_tasks import task

from ektopos.errors import Cancelled, EktoposError
from ektopos.types import Progress
from server.workshop.jobs.bring_in import bring_in
from server.workshop.jobs.convert import convert
from server.workshop.jobs.embedded import bring_embedded
from server.workshop.jobs.export import export, trial
from server.workshop.jobs.occlusion import occlusion
from server.workshop.models import Job

logger = logging.getLogger(__name__)

KINDS: dict[str, Callable[[Job, Progress], Any]] = {
    "bring-in": bring_in,
    "export": export,
    "trial": trial,
    "convert": convert,
    "occlusion": occlusion,
    "embedded": bring_embedded,
}
REPORT_EVERY = 0.2
"""Seconds between two writes of progress."""


@task()
def run_job(job_id: str) -> None:
    """Run one job, unless it has been finished or cancelled meanwhile."""
    taken = Job.objects.filter(pk=job_id, state=Job.State.WAITING).update(state=Job.State.RUNNING)
    if not taken:
        return
    job = Job.objects.select_related("project__head").get(pk=job_id)
    try:
        if job.cancel_requested:
            raise Cancelled("stopped before it began")
        job.finish(Job.State.DONE, result=KINDS[job.kind](job, reporter(job)))
    except Cancelled:
        job.finish(Job.State.CANCELLED)
    except EktoposError as problem:
        error = {"message": problem.message, "subject": problem.subject, "hint": problem.hint}
        job.finish(Job.State.FAILED, error=error)
    except Exception:
        logger.exception("job %s (%s) failed", job.pk, job.kind)
        words = {
            "message": "Something went wrong that should not have; it is in the log.",
            "subject": job.kind,
            "hint": "Try again.",
        }
        job.finish(Job.State.FAILED, error=words)


def reporter(job: Job) -> Progress:
    """Progress of a job, written now and then; stops the job when that was asked for."""
    last = 0.0

    def report(share: float, what: str) -> None:
        nonlocal last
        now = time.monotonic()
        if now - last < REPORT_EVERY:
            return
        last = now
        stopped = Job.objects.filter(pk=job.pk).values_list("cancel_requested", flat=True).first()
        if stopped is None or stopped:
            raise Cancelled("stopped")
        Job.objects.filter(pk=job.pk).update(share=share, doing=what[:200])

    return report
