"""The sample project: made once, opened as often as somebody wants it."""

from __future__ import annotations

import subprocess
import sys
import threading

from django.conf import settings

from server.workshop.archive import import_folder
from server.workshop.models import Project

_making = threading.Lock()


def is_sample_made() -> bool:
    """Whether opening it takes no time."""
    return (settings.DATA_FOLDER / "sample" / ".done").exists()


def open_sample() -> Project:
    """A new project that is the sample. The first time its files are made, which takes a while."""
    folder = settings.DATA_FOLDER / "sample"
    with _making:
        if not is_sample_made():
            command = [sys.executable, "-m", "demo.make", str(folder)]
            subprocess.run(command, cwd=settings.ROOT, check=True)
            (folder / ".done").touch()
    return import_folder(folder)
