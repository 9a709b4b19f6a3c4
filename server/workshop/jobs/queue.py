"""The one task that the queue knows: see a job through. The same code runs on every task backend.

The worker that takes a task does not do the work: it starts a process for it, watches that process,
and says how it ended. So whatever a file does to the process that reads it, the worker and the web
go on.
"""

from __future__ import annotations

import logging
import multiprocessing
import os
import signal
import threading
import time
from datetime import timedelta
from multiprocessing.process import BaseProcess

from django.conf import settings
from django.db import close_old_connections, connections
from django.db.models import Q
from django.dispatch import receiver
from django.utils import timezone
from django_tasks import task

from server.workshop.jobs.reading import was_reading
from server.workshop.jobs.turns import LOOKED_AT, URGENT, next_job
from server.workshop.jobs.work import do_here, do_in_process
from server.workshop.models import Job, Package
from server.workshop.models.job import job_queued

logger = logging.getLogger(__name__)

MOST_ATTEMPTS = 2
"""A job whose process was ended from outside is tried once more."""
MOST_INTERRUPTIONS = 5
"""A job that was interrupted so often, with the worker or the machine, is given up."""
LEASE = 30.0
"""Seconds after which a job that nobody was heard of for is taken from them."""
FORGOTTEN = 120.0
"""Seconds after which a job that waits is queued again: its task may have been lost with a worker.
"""
LOOK_EVERY = 0.25
GRACE = 1.0
"""Seconds that work has to stop by itself once it was cancelled."""

_apart = multiprocessing.get_context("forkserver")
_apart.set_forkserver_preload(["server.workshop.jobs.preload"])


@task()
def run_job(job_id: str) -> None:
    """See a job through: the one whose turn it is, which may be another than this one. There are
    as many tasks as jobs, so each comes to its turn; a task that finds nothing to do ends."""
    if settings.TASKS["default"]["BACKEND"].endswith("ImmediateBackend"):
        job = _claimed(job_id)
        if job is not None:
            do_here(job)
        return
    job = _claimed_next()
    if job is not None:
        _see_through(job)


def _see_through(job: Job) -> None:
    """Do a claimed job in a process of its own, and say how it ended."""
    connections.close_all()
    process = _apart.Process(target=do_in_process, args=(str(job.pk), job.attempts), daemon=True)
    process.start()
    reason = _watch(job, process)
    _conclude(job, process.exitcode, reason)


def _claimed_next(*, urgent_only: bool = False) -> Job | None:
    """The job whose turn it is, now this worker's; another one where somebody else was quicker."""
    for _ in range(LOOKED_AT):
        waiting = next_job(urgent_only=urgent_only)
        if waiting is None:
            return None
        job = _claimed(str(waiting.pk))
        if job is not None:
            return job
    return None


@receiver(job_queued)
def _hand_over(job_id: str, **_: object) -> None:
    run_job.enqueue(job_id)


def _claimed(job_id: str) -> Job | None:
    """The job, now this worker's: one statement, so that no kill can leave it between waiting and
    running."""
    for attempts in Job.objects.filter(pk=job_id, state=Job.State.WAITING).values_list(
        "attempts", flat=True
    ):
        taken = Job.objects.filter(pk=job_id, state=Job.State.WAITING, attempts=attempts)
        if taken.update(state=Job.State.RUNNING, attempts=attempts + 1, beat=timezone.now()):
            return Job.objects.get(pk=job_id)
    return None


def _watch(job: Job, process: BaseProcess) -> str:
    """Wait for a job's process; gives why it was ended, or nothing if it ended by itself. What is
    urgent is done beside it meanwhile, one at a time: nobody waits for a minute to see their files.
    """
    ends = time.monotonic() + 60 * settings.JOB_MINUTES
    asked: float | None = None
    beaten = 0.0
    while process.is_alive():
        process.join(LOOK_EVERY)
        now = time.monotonic()
        cancelled = _cancelled(job)
        if cancelled and asked is None:
            asked = now
        if now - beaten > 2.0:
            job.mine().update(beat=timezone.now())
            beaten = now
        if asked is not None and now - asked > GRACE:
            _end(process)
            return "cancelled"
        if now > ends:
            _end(process)
            return "late"
        if job.kind not in URGENT:
            _begin_urgent_beside()
    return "cancelled" if asked is not None else ""


_beside = threading.Lock()
"""Held while an urgent job is done beside another: one at a time."""


def _begin_urgent_beside() -> None:
    """Begin an urgent job in a thread of its own, if one waits and none is done so already."""
    if not _beside.acquire(blocking=False):
        return
    job = _claimed_next(urgent_only=True)
    if job is None:
        _beside.release()
        return

    def see_through(claimed: Job = job) -> None:
        try:
            _see_through(claimed)
        finally:
            _beside.release()
            connections.close_all()

    threading.Thread(target=see_through).start()


def _cancelled(job: Job) -> bool:
    """Whether a job is to stop, or is not this worker's any more."""
    close_old_connections()
    row = Job.objects.filter(pk=job.pk).values_list("cancel_requested", "attempts").first()
    return row is None or row[0] or row[1] != job.attempts


def _end(process: BaseProcess) -> None:
    """End a process with whatever it has started: it leads a group of its own."""
    if process.pid is not None:
        for kill in (os.killpg, os.kill):
            try:
                kill(process.pid, signal.SIGKILL)
            except (ProcessLookupError, PermissionError):
                continue
            break
    process.join(5)


def _conclude(job: Job, code: int | None, reason: str) -> None:
    """Say how a job ended whose process could not."""
    if not job.mine().exists():
        return
    clean_up(job)
    job.reading = was_reading(job)
    job.mine().update(reading=job.reading)
    if reason == "cancelled":
        job.finish(Job.State.CANCELLED)
    elif reason == "late":
        message = f"it took longer than {settings.JOB_MINUTES:g} minutes and was stopped."
        job.finish(Job.State.FAILED, error=_error(job, message, "Try it with less at once."))
    elif job.attempts < MOST_ATTEMPTS + job.parts.exists():
        logger.warning("job %s (%s) ended with %s; it is tried again", job.pk, job.kind, code)
        job.mine().update(state=Job.State.WAITING, share=0.0, doing="")
        job.enqueue()
    else:
        message = f"the process that worked on it was ended twice ({_ending(code)})."
        job.finish(
            Job.State.FAILED,
            error=_error(job, message, "Try it with less at once, or smaller files."),
        )


def _ending(code: int | None) -> str:
    if code is not None and code < 0:
        name = signal.Signals(-code).name if -code in signal.valid_signals() else str(-code)
        return f"{name}: usually for want of memory" if name == "SIGKILL" else name
    return f"code {code}"


def _error(job: Job, message: str, hint: str) -> dict[str, str]:
    subject = ", ".join(job.reading[:2]) or job.kind
    return {"message": message, "subject": subject, "hint": hint}


def clean_up(job: Job) -> None:
    """Take away what an attempt that could not end itself has left half done."""
    if job.kind in ("export", "package"):
        Package.objects.filter(project_id=job.project_id, complete=False).delete()


def sweep() -> int:
    """Queue again what nobody works on any more; gives how many. For whoever looks after the
    workers, every few seconds."""
    now = timezone.now()
    count = 0
    silent = Q(beat__isnull=True) | Q(beat__lt=now - timedelta(seconds=LEASE))
    for job in Job.objects.filter(silent, state=Job.State.RUNNING):
        count += _again(job)
    lost = Q(queued__isnull=True) | Q(queued__lt=now - timedelta(seconds=FORGOTTEN))
    for job in Job.objects.filter(lost, state=Job.State.WAITING):
        if job.open_parts().exists():
            continue
        job.enqueue()
        count += 1
    return count


def resume() -> int:
    """Queue again all that was waiting or running when everything was last stopped; gives how
    many.
    """
    if settings.TASKS_BY == "database":
        from django_tasks_db.models import DBTaskResult

        # Every job is queued anew, and tasks of workers that are gone would keep standing there.
        DBTaskResult.objects.all().delete()
    waiting = list(Job.objects.filter(state=Job.State.WAITING).order_by("made"))
    for job in waiting:
        job.enqueue()
    return len(waiting) + sum(_again(job) for job in Job.objects.filter(state=Job.State.RUNNING))


def _again(job: Job) -> bool:
    """Put an interrupted job back in the queue, or give it up."""
    clean_up(job)
    if job.cancel_requested:
        job.finish(Job.State.CANCELLED)
        return False
    if job.attempts >= MOST_INTERRUPTIONS:
        message = f"it was interrupted {job.attempts} times and is given up."
        job.finish(Job.State.FAILED, error=_error(job, message, "Start it again."))
        return False
    if job.mine().update(state=Job.State.WAITING, share=0.0, doing="", beat=timezone.now()):
        job.enqueue()
    return True
