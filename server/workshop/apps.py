"""The app's configuration."""

from django.apps import AppConfig


class WorkshopConfig(AppConfig):
    """The workshop."""

    name = "server.workshop"
    label = "workshop"
