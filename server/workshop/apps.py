"""The app's configuration."""

from django.apps import AppConfig


class WorkshopConfig(AppConfig):
    """The workshop."""

    name = "server.workshop"
    label = "workshop"

    def ready(self) -> None:
        """Whoever queues a job need not know who takes it, nor who decodes its files."""
        from server.workshop.jobs import queue  # noqa: F401
        from server.workshop.reader_processes import use_readers

        use_readers()
