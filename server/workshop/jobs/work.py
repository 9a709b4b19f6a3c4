"""Do one job: by its kind, with progress, in a process that may not take more memory than it is
given."""

from __future__ import annotations

import logging
import multiprocessing
import os
import resource
import threading
import time
from collections.abc import Callable
from typing import Any

import cv2
from django.conf import settings
from django.db import OperationalError, close_old_connections
from django.utils import timezone

from ektopos.base.errors import Cancelled, DiskFull, EktoposError, is_disk_full
from ektopos.base.types import Progress
from ektopos.document import Document
from ektopos.edits import Edit
from server.workshop.delivering import deliver_by_itself
from server.workshop.jobs.archive import archive, package_archive, scene
from server.workshop.jobs.bake_maps import paint
from server.workshop.jobs.convert import convert
from server.workshop.jobs.deliver import deliver_to
from server.workshop.jobs.embedded_materials import bring_embedded
from server.workshop.jobs.export import export, take_in
from server.workshop.jobs.imports import bring_in
from server.workshop.jobs.measure import match, measure
from server.workshop.jobs.measuring import measure_part
from server.workshop.jobs.normal import normal
from server.workshop.jobs.occlusion import occlusion
from server.workshop.jobs.recipe import recipe
from server.workshop.jobs.subtasks import Parted
from server.workshop.jobs.trial_cache import trial, trial_part
from server.workshop.models import Job, StaleRevision, acting_for, one_writer

logger = logging.getLogger(__name__)

Finish = Callable[[Document], tuple[list[Edit], dict[str, str], Any]]
"""What a job changes, worked out on the document as it is when the change is made: edits, contents
by path, and its result."""
KINDS: dict[str, Callable[[Job, Progress], Any]] = {
    "bring-in": bring_in,
    "measure": measure,
    "measure-part": measure_part,
    "match": match,
    "recipe": recipe,
    "deliver": deliver_to,
    "export": export,
    "package": take_in,
    "trial": trial,
    "trial-part": trial_part,
    "convert": convert,
    "occlusion": occlusion,
    "paint": paint,
    "normal": normal,
    "embedded": bring_embedded,
    "archive": archive,
    "package-archive": package_archive,
    "scene": scene,
}
REPORT_EVERY = 0.2
"""Seconds between two writes of progress."""


def do_in_process(job_id: str, attempt: int) -> None:
    """The whole of a job's process: it leads a group of its own, ends with its worker, and stays
    within its memory."""
    os.setsid()
    threading.Thread(target=_end_with_parent, daemon=True).start()
    resource.setrlimit(resource.RLIMIT_DATA, (settings.JOB_MEMORY, settings.JOB_MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    cv2.setNumThreads(settings.JOB_THREADS)
    close_old_connections()
    job = Job.objects.filter(pk=job_id, attempts=attempt).first()
    if job is not None:
        do_here(job)


def _end_with_parent() -> None:
    """A worker that is gone cannot say how a job ended, and another will take it up: this process
    must not go on."""
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(1)


def do_here(job: Job) -> None:
    """Do a job that is claimed, and say how it ended."""
    try:
        if job.cancel_requested:
            raise Cancelled("stopped before it began")
        with acting_for(job.author_id):
            done = KINDS[job.kind](job, reporter(job))
            _finish(job, done)
    except Parted:
        # It waits for its parts, and holds no worker meanwhile.
        job.mine().update(state=Job.State.WAITING, doing="in parts", beat=timezone.now())
        Job.objects.get(pk=job.pk).part_ended()
    except Cancelled:
        job.finish(Job.State.CANCELLED)
    except EktoposError as problem:
        _fail(job, problem.message, problem.subject, problem.hint)
    except StaleRevision as problem:
        _fail(
            job,
            f"{', '.join(problem.what)} was changed meanwhile.",
            job.kind,
            "Look at it and try again.",
        )
    except MemoryError:
        _fail(
            job,
            "there is not enough memory for it.",
            ", ".join(job.reading[:2]) or job.kind,
            "Try it with less at once.",
        )
    except Exception as problem:
        if is_disk_full(problem) or (
            isinstance(problem, OperationalError) and "full" in str(problem)
        ):
            full = DiskFull(job.kind)
            _fail(job, full.message, full.subject, full.hint)
            return
        logger.exception("job %s (%s) failed", job.pk, job.kind)
        _fail(
            job,
            "Something went wrong that should not have; it is in the log.",
            job.kind,
            "Try again.",
        )


def _finish(job: Job, done: Any) -> None:
    """Make a job's change and say that it is done in one step, so that neither is ever there
    without the other."""
    if not callable(done):
        job.finish(Job.State.DONE, result=done)
        return
    finish: Finish = done
    with one_writer():
        if not job.mine().exists():
            raise Cancelled("taken away")
        # Held from here on, so that names are chosen in the state that the edits are made on.
        edits, files, result = finish(job.project.held_now().document)
        if edits:
            job.project.edit(edits, None, files, page=job.page)
        job.finish(Job.State.DONE, result=result)
        deliver_by_itself(job.project, edits)


def _fail(job: Job, message: str, subject: str, hint: str) -> None:
    try:
        job.finish(Job.State.FAILED, error={"message": message, "subject": subject, "hint": hint})
    except OperationalError:
        # Not even this can be written: the job's lease runs out, and it is taken up again when
        # there is room.
        logger.exception("job %s: that it failed could not be written", job.pk)


def reporter(job: Job) -> Progress:
    """Progress of a job, written now and then; stops the job when that was asked for."""
    last = 0.0

    def report(share: float, what: str) -> None:
        nonlocal last
        now = time.monotonic()
        if now - last < REPORT_EVERY:
            return
        last = now
        stopped = job.mine().values_list("cancel_requested", flat=True).first()
        if stopped is None or stopped:
            raise Cancelled("stopped")
        job.mine().update(share=share, doing=what[:200], beat=timezone.now())

    return report
