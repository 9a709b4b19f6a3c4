"""Processes that end with the one that started them, and hold its lock on the data folder as long
as they are there."""

from __future__ import annotations

import ctypes
import os
import signal
import subprocess
import sys
from collections.abc import Sequence

from django.conf import settings

_PR_SET_PDEATHSIG = 1
"""Source: prctl(2), Linux."""
_libc = ctypes.CDLL(None) if sys.platform == "linux" else None


def start(
    command: Sequence[str], lock: int, environment: dict[str, str] | None = None
) -> subprocess.Popen[bytes]:
    """Start a process in a session of its own. `lock` is the open file that holds the data folder;
    the process holds it too, so that nobody else begins there while it is still at work.
    `environment` is all that it is told; by default it is told what this process knows."""
    parent = os.getpid()
    return subprocess.Popen(
        command,
        cwd=settings.ROOT,
        env=environment,
        start_new_session=True,
        pass_fds=(lock,),
        preexec_fn=lambda: end_with(parent),  # the one that starts them has no other threads
    )


def end_with(parent: int) -> None:
    """Let this process get SIGTERM when its parent ends, however that ends. Elsewhere than on Linux
    it stays, and the lock that it holds says so."""
    if _libc is None:
        return
    _libc.prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    if os.getppid() != parent:
        os._exit(1)  # it has ended already
