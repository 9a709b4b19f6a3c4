"""Long work and how far it is."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from typing import Any

from django.conf import settings
from django.db import models, transaction
from django.dispatch import Signal
from django.utils import timezone

from ektopos.base.errors import EktoposError
from server.workshop.models.acting import acting
from server.workshop.models.ordered import OrderedJSON
from server.workshop.models.project import Project

job_queued = Signal()
"""A job waits to be done; whoever listens hands it to the task queue."""


class Job(models.Model):
    """One piece of long work, done by a process of its own that a worker watches."""

    class State(models.TextChoices):
        """Where a job is."""

        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="jobs")
    part_of = models.ForeignKey("self", null=True, on_delete=models.CASCADE, related_name="parts")
    """The job that waits for this one, which does a part of it on whatever worker is free."""
    kind = models.CharField(max_length=20)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    share = models.FloatField(default=0.0)
    doing = models.CharField(max_length=200, default="")
    arguments = models.JSONField(default=dict)
    result = OrderedJSON(null=True)
    error = models.JSONField(null=True)
    cancel_requested = models.BooleanField(default=False)
    attempts = models.PositiveSmallIntegerField(default=0)
    """How often it was begun; also tells the process that works on it from one that was given up.
    """
    reading = models.JSONField(default=list)
    """Files that were being read when it last said how far it is: if it ends there, one of them did
    it."""
    page = models.CharField(max_length=40, blank=True, default="")
    author = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    """For whom it is done; nobody where nobody logs in."""
    beat = models.DateTimeField(null=True)
    """When whoever works on it was last heard of, or it last changed."""
    queued = models.DateTimeField(null=True)
    made = models.DateTimeField(auto_now_add=True)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-made"]
        indexes = [models.Index(fields=["project", "-made"]), models.Index(fields=["state"])]

    @classmethod
    def start(
        cls,
        project: Project,
        kind: str,
        arguments: Mapping[str, object],
        page: str = "",
        part_of: Job | None = None,
    ) -> Job:
        """Queue a job; a worker sees it when the transaction is through. Raises `EktoposError`
        where somebody has as many under way as they may."""
        if part_of is None:
            cls._check_room(acting())
        job = cls.objects.create(
            project=project,
            kind=kind,
            arguments=arguments,
            page=page[:40],
            part_of=part_of,
            author_id=acting(),
            beat=timezone.now(),
        )
        transaction.on_commit(job.enqueue)
        return job

    @classmethod
    def _check_room(cls, author: int | None) -> None:
        most, open_states = settings.PERSON_JOBS, (cls.State.WAITING, cls.State.RUNNING)
        theirs = cls.objects.filter(author_id=author, part_of=None, state__in=open_states)
        if most and author is not None and theirs.count() >= most:
            raise EktoposError(
                f"{most} jobs of yours are under way, which is the most on this server.",
                hint="Wait for one to end, or cancel one.",
            )

    @classmethod
    def start_once(cls, project: Project, kind: str, arguments: dict[str, object]) -> Job:
        """A job that waits or runs already for just this, or a new one."""
        same = project.jobs.filter(kind=kind, state__in=(cls.State.WAITING, cls.State.RUNNING))
        return next((job for job in same if job.arguments == arguments), None) or cls.start(
            project, kind, arguments
        )

    def enqueue(self) -> None:
        """Hand the job to the task queue."""
        Job.objects.filter(pk=self.pk).update(queued=timezone.now())
        job_queued.send(Job, job_id=str(self.pk))

    def open_parts(self) -> models.QuerySet[Job]:
        """Its parts that have not ended."""
        return self.parts.filter(state__in=(self.State.WAITING, self.State.RUNNING))

    def mine(self) -> Any:
        """The job's row, as long as it is still this attempt's to write."""
        return Job.objects.filter(pk=self.pk, state=self.State.RUNNING, attempts=self.attempts)

    def finish(self, state: State, *, result: object = None, error: object = None) -> bool:
        """Say how the job ended, unless it was taken away meanwhile; gives whether it was still
        this attempt's."""
        now = timezone.now()
        values: dict[str, object] = {
            "state": state,
            "result": result,
            "error": error,
            "finished": now,
            "beat": now,
        }
        if state == self.State.DONE:
            values["share"] = 1.0
        ended = bool(self.mine().update(**values))
        if ended and self.part_of is not None:
            self.part_of.part_ended()
        return ended

    def part_ended(self) -> None:
        """Say how far a job is whose parts are being done; after the last it goes on itself."""
        left, every = self.open_parts().count(), self.parts.count()
        waiting = Job.objects.filter(pk=self.pk, state=self.State.WAITING)
        waiting.update(share=0.9 * (every - left) / every, beat=timezone.now())
        if left == 0:
            for job in waiting:
                job.enqueue()
