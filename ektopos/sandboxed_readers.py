"""A process that has loaded all decoders, and decodes each file in a child that can reach nothing
else: `python -m ektopos.sandboxed_readers SOCKET`, started without the server's environment.

Whoever may open the socket names a function that is marked with `sandboxed`, and is answered; when
they go, the child is ended. See `ektopos/sandbox/`.
"""

from __future__ import annotations

import argparse
import contextlib
import gc
import importlib
import operator
import os
import select
import signal
import socket
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ektopos.base.library_setup  # noqa: F401 — before all others
from ektopos.sandbox.confining import confine, limit, what_is_missing
from ektopos.sandbox.passing import Lost, Passing

CORE = (
    *("images", "maps", "meshes", "meshes.scene", "material_import", "trial.compare"),
    "base.usd_layers",
)
OTHERS = (
    *("DracoPy", "etcpak", "texture2ddecoder", "PIL.ImageCms", "py_landlock", "pyseccomp"),
    *("pxr.Usd", "pxr.UsdGeom", "pxr.UsdShade", "pxr.UsdSkel", "pxr.UsdLux"),
    *("scipy.optimize", "scipy.spatial", "scipy.sparse.csgraph"),
)
"""What the core loads when it is used first; some of it looks about the machine as it is loaded."""


def serve(at: Path, memory: int, *, confined: bool, shared: bool) -> None:
    """Read files until the process is ended. Raises `OSError` where the socket cannot be made."""
    for name in CORE:
        importlib.import_module(f"ektopos.{name}")
    for name in OTHERS:
        with contextlib.suppress(ImportError, RuntimeError):
            importlib.import_module(name)
    gc.freeze()
    at.unlink(missing_ok=True)
    os.umask(0o000 if shared else 0o077)
    with socket.socket(socket.AF_UNIX) as listening:
        listening.bind(str(at))
        listening.listen(128)
        _accept(listening, lambda asking: _read(asking, memory, confined=confined))


def _accept(listening: socket.socket, read: Callable[[socket.socket], None]) -> None:
    """A child for each who asks: ended when they go, and let go of when it ends."""
    poll = select.poll()
    poll.register(listening, select.POLLIN)
    asking_by: dict[int, tuple[socket.socket, int]] = {}
    ended_by: dict[int, tuple[socket.socket, int]] = {}
    while True:
        for ready, _ in poll.poll():
            if ready == listening.fileno():
                asking, _ = listening.accept()
                child = os.fork()
                if child == 0:
                    listening.close()
                    read(asking)
                ending = os.pidfd_open(child)
                asking_by[asking.fileno()] = ended_by[ending] = asking, child
                poll.register(asking, 0)  # only that they go
                poll.register(ending, select.POLLIN)
            elif ready in asking_by:
                poll.unregister(ready)
                with contextlib.suppress(ProcessLookupError):
                    os.kill(asking_by[ready][1], signal.SIGKILL)
            else:
                asking, child = ended_by.pop(ready)
                os.waitpid(child, 0)
                if asking_by.pop(asking.fileno(), None):
                    with contextlib.suppress(KeyError):
                        poll.unregister(asking)
                poll.unregister(ready)
                os.close(ready)
                asking.close()


def _read(asking: socket.socket, memory: int, *, confined: bool) -> None:
    """One call, in a child; never comes back."""
    try:
        _close_others(asking.fileno())
        limit(memory)
        passing = Passing(asking)
        (module, name, args, kwargs), folder = passing.receive()
        if confined:
            confine(Path(folder))
        answer: tuple[str, Any]
        try:
            answer = "gave", _named(module, name)(*args, **kwargs)
        except Lost:
            raise
        except Exception as problem:
            answer = "raised", problem
        passing.send(*answer)
    except BaseException as problem:
        if not isinstance(problem, Lost):
            sys.excepthook(type(problem), problem, problem.__traceback__)
        os._exit(1)
    os._exit(0)


def _named(module: str, name: str) -> Callable[..., Any]:
    work: Callable[..., Any] = operator.attrgetter(name)(importlib.import_module(module))
    return work


def _close_others(kept: int) -> None:
    """Close every file but one and the three that each process has."""
    os.closerange(3, kept)
    os.closerange(kept + 1, 4096)


def main() -> int:
    """Serve, as the arguments say."""
    asked = argparse.ArgumentParser(prog="ektopos.sandboxed_readers")
    asked.add_argument("socket", type=Path)
    asked.add_argument("--memory", type=int, default=0)
    asked.add_argument("--unconfined", action="store_true", help="another user confines it")
    asked.add_argument("--shared", action="store_true", help="for other users of the machine")
    options = asked.parse_args()
    missing = "" if options.unconfined else what_is_missing()
    if missing:
        print(f"Files cannot be read apart on this machine: {missing}.", file=sys.stderr)
        return 2
    serve(
        options.socket,
        options.memory,
        confined=not options.unconfined,
        shared=options.shared,
    )
    return 0


if __name__ == "__main__":
    sys.exit(main())
