"""The app's configuration."""

from django.apps import AppConfig


class WorkshopConfig(AppConfig):
    """The workshop."""

    name = "server.workshop"
    label = "workshop"

    def ready(self) -> None:
        """Whoever queues a job need not know who takes it."""
        from server.workshop.jobs import queue  # noqa: F401
