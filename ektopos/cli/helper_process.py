"""A process that has loaded what commands need, and does each of them in a child of its own.

Most of a short command is loading the core. `python -m ektopos.cli.helper_process SOCKET` loads it
once and then serves whoever may open the socket, which is the same user; `ask_helper.py` is the
other side. A child has the caller's folder, environment, input and outputs, so a command cannot
tell the difference. If the code on disk is another than what was loaded, it ends, and commands load
for themselves.
"""

from __future__ import annotations

import contextlib
import gc
import importlib
import os
import signal
import socket
import sys
import threading
from pathlib import Path

import ektopos.base.library_setup  # noqa: F401 — before all others

CODE = Path(__file__).parents[1]
LOADED = (
    "checks",
    "export.profile",
    "export.scene_glb",
    "export.write_package",
    "maps",
    "matching",
    "material_import",
    "meshes",
    "trial",
)
MOST = 16
"""Commands at once: whoever asks beyond that loads what they need themselves."""
SILENCE = 5.0
"""Seconds that somebody may take to say what they want."""
ACCEPTED = b"+"
"""Said before a request is read: from then on nobody else does it."""


def serve(path: Path) -> None:
    """Do commands until the code changes. Raises `OSError` where the socket cannot be made."""
    loaded = _code()
    _load()
    path.unlink(missing_ok=True)
    os.umask(0o077)
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    with socket.socket(socket.AF_UNIX) as listening:
        listening.bind(str(path))
        listening.listen(64)
        children: list[int] = []
        while True:
            asking, _ = listening.accept()
            with asking:
                if _code() != loaded:
                    path.unlink(missing_ok=True)
                    return
                children = [child for child in children if _is_there(child)]
                if len(children) >= MOST:
                    continue  # whoever asked does it without help
                child = os.fork()
                if child == 0:
                    listening.close()
                    _do(asking)
                children.append(child)


def _is_there(child: int) -> bool:
    try:
        os.kill(child, 0)
    except ProcessLookupError:
        return False
    return True


def _code() -> dict[str, int]:
    """When each file of the core was changed. (`Path.rglob` would take three times as long, before
    every command.)"""
    return {
        path: os.stat(path).st_mtime_ns  # noqa: PTH116
        for folder, _, files in os.walk(CODE)
        for path in (f"{folder}/{file}" for file in files if file.endswith(".py"))
    }


def _load() -> None:
    from ektopos.document import Document
    from ektopos.export.profile import built_in_profiles

    for name in LOADED:
        importlib.import_module(f"ektopos.{name}")
    # What is built when it is used first.
    Document.model_validate({"ektopos": 1, "name": "none"})
    built_in_profiles()
    # Children share what is never looked through for litter.
    gc.freeze()


def _do(asking: socket.socket) -> None:
    """One command, in a child; never comes back."""
    code = 1
    try:
        os.setsid()
        signal.signal(signal.SIGCHLD, signal.SIG_DFL)
        files, asked = _asked(asking)
        folder, count, *rows = asked
        arguments, environment = rows[: int(count)], rows[int(count) :]
        for number, file in enumerate(files):
            os.dup2(file, number)
            os.close(file)
        os.chdir(folder)
        os.environ.clear()
        named = (row.partition("=") for row in environment)
        os.environ.update({name: value for name, _, value in named})
        sys.stdin, sys.stdout, sys.stderr = (
            open(number, mode, encoding="utf-8", closefd=False)  # noqa: SIM115
            for number, mode in ((0, "r"), (1, "w"), (2, "w"))
        )
        threading.Thread(target=_until_gone, args=(asking,), daemon=True).start()
        from ektopos.cli.main import main

        code = main(arguments)
    except SystemExit as ending:
        code = ending.code if isinstance(ending.code, int) else 1
    except BaseException as problem:
        code = 130 if isinstance(problem, KeyboardInterrupt) else 1
        sys.excepthook(type(problem), problem, problem.__traceback__)
    finally:
        # Whoever asked goes as soon as the code is there, which is no reason to end otherwise.
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        with contextlib.suppress(OSError, ValueError):
            sys.stdout.flush()
            sys.stderr.flush()
            asking.sendall(bytes([code & 0xFF]))
        os._exit(code & 0xFF)


def _asked(asking: socket.socket) -> tuple[list[int], list[str]]:
    """What somebody wants, and the files that they have open. Ends the process where nothing is
    said for long."""
    try:
        asking.settimeout(SILENCE)
        asking.sendall(ACCEPTED)
        head, files, _, _ = socket.recv_fds(asking, 4, 3)
        with asking.makefile("rb") as rest:
            parts = rest.read(int.from_bytes(head)).split(b"\0")
    except OSError:
        os._exit(1)
    asking.settimeout(None)
    return files, [os.fsdecode(part) for part in parts]


def _until_gone(asking: socket.socket) -> None:
    """Whoever asked has gone, or wants it to end: the same as Ctrl+C."""
    with contextlib.suppress(OSError):
        asking.recv(1)
    os.kill(os.getpid(), signal.SIGINT)


if __name__ == "__main__":
    serve(Path(sys.argv[1]))
    os._exit(0)
