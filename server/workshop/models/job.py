"""Long work and how far it is."""

from __future__ import annotations

import uuid

from django.db import models, transaction
from django.utils import timezone

from server.workshop.models.project import Project


class Job(models.Model):
    """One piece of long work, run by the worker process."""

    class State(models.TextChoices):
        """Where a job is."""

        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=20)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    share = models.FloatField(default=0.0)
    doing = models.CharField(max_length=200, default="")
    arguments = models.JSONField(default=dict)
    result = models.JSONField(null=True)
    error = models.JSONField(null=True)
    cancel_requested = models.BooleanField(default=False)
    made = models.DateTimeField(auto_now_add=True)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-made"]
        indexes = [models.Index(fields=["project", "-made"])]

    @classmethod
    def start(cls, project: Project, kind: str, arguments: dict[str, object]) -> Job:
        """Queue a job; the worker sees it when the transaction is through."""
        job = cls.objects.create(project=project, kind=kind, arguments=arguments)
        transaction.on_commit(job.enqueue)
        return job

    def enqueue(self) -> None:
        """Hand the job to the task queue."""
        from server.workshop.jobs.tasks import run_job

        run_job.enqueue(str(self.pk))

    def finish(self, state: State, *, result: object = None, error: object = None) -> None:
        """Say how the job ended."""
        self.state, self.result, self.error, self.finished = state, result, error, timezone.now()
        self.share = 1.0 if state == self.State.DONE else self.share
        self.save(update_fields=["state", "result", "error", "finished", "share"])
