"""Queue again what was running when the worker last stopped."""

from django.core.management.base import BaseCommand

from server.workshop.models import Job


class Command(BaseCommand):
    """Run once before the worker starts."""

    help = __doc__

    def handle(self, *args: object, **options: object) -> None:
        """Put interrupted jobs back into the queue."""
        for job in Job.objects.filter(state=Job.State.RUNNING):
            Job.objects.filter(pk=job.pk).update(state=Job.State.WAITING, share=0.0)
            job.enqueue()
