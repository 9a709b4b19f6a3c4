"""Files that people send are decoded by a process that knows no secrets (`ektopos/sandbox/`).

`workshop` starts them, or somebody else does, as another user of the machine; all processes of the
server find them by their socket.
"""

from __future__ import annotations

import os
import sys
from pathlib import Path

from django.conf import settings
from django.core.exceptions import ImproperlyConfigured

from ektopos import sandbox
from ektopos.sandbox.confining import what_is_missing

SOCKET = "readers"
_AT = "EKTOPOS_READERS_AT"
"""Tells the processes that are started where the readers are."""
_HANDED_ON = ("PATH", "LANG", "LC_ALL", "TZ", "LD_LIBRARY_PATH")
_HANDED_ON_STARTS = ("PYTHON", "OPENBLAS_", "OMP_", "VIRTUAL_ENV")


def use_readers() -> None:
    """Let this process have files decoded by the readers, where there are any."""
    if settings.READERS:
        other = Path(settings.READERS)
        sandbox.read_through(other, other.parent, public=True)
    elif at := os.environ.get(_AT):
        sandbox.read_through(Path(at), settings.FILE_UPLOAD_TEMP_DIR)


def command() -> list[str]:
    """The command that starts the readers; empty where somebody else does that. From now on, what
    is started here finds them. Raises `ImproperlyConfigured` where files of strangers would be read
    unconfined."""
    if settings.READERS:
        return []
    at = settings.DATA_FOLDER / SOCKET
    os.environ[_AT] = str(at)
    made = [
        sys.executable,
        "-m",
        "ektopos.sandboxed_readers",
        str(at),
        "--memory",
        str(settings.JOB_MEMORY),
    ]
    missing = what_is_missing()
    if not missing:
        return made
    if settings.TEAM and not settings.UNCONFINED:
        raise ImproperlyConfigured(
            f"Files that people send cannot be read safely on this machine: {missing}. Let another "
            "user read them (EKTOPOS_READERS), or do without (EKTOPOS_UNCONFINED=1)."
        )
    return [*made, "--unconfined"]


def environment() -> dict[str, str]:
    """All of the environment that readers are told."""
    return {
        name: value
        for name, value in os.environ.items()
        if name in _HANDED_ON or name.startswith(_HANDED_ON_STARTS)
    }
