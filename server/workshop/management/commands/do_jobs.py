"""Take up jobs, until it is stopped."""

from __future__ import annotations

from multiprocessing import forkserver
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand

OWN = ("db_worker", "--interval", "0.2", "--no-startup-delay", "-v", "0")
RQ = (
    "rqworker",
    "default",
    "--job-class=django_tasks_rq.Job",
    # It does not fork for each job: the process of a job is started by the job's own task.
    "--worker-class=rq.worker.SimpleWorker",
    "-v",
    "0",
)


class Command(BaseCommand):
    """Started by `workshop`, and again whenever it ends."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Run until a signal says to end."""
        # What jobs need is loaded before the first of them waits for it.
        forkserver.ensure_running()
        call_command(*(RQ if settings.TASKS_BY == "rq" else OWN))
