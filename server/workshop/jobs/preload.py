"""What the processes of jobs have loaded before they are forked: everything, so that each starts in
milliseconds."""

import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")
django.setup()

import server.workshop.jobs.work  # noqa: E402, F401 — loaded for those who come after
