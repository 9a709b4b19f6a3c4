"""Files from outside are decoded in a process of their own, which can reach nothing else.

Decoders are large programs in C++, and a file may be made to take one over. So what decodes a file
is marked with `sandboxed`. By itself, and on the command line, that changes nothing. A server names
a socket with `read_through`, behind which `ektopos/sandboxed_readers.py` waits, and from then on
every such call is done there, in a child that was never told a secret and has given up the network
and every file but those of the call (`confining.py`).
"""

from __future__ import annotations

import functools
import os
import socket
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import ParamSpec, TypeVar, cast

from ektopos.base.errors import EktoposError, UnreadableFile
from ektopos.sandbox.passing import Lost, Passing

P = ParamSpec("P")
T = TypeVar("T")
PATIENCE = 60.0
"""Seconds to wait for readers that are about to begin, or begin again."""


class _Readers:
    """Where the readers are, and a folder on the disk of the files for what they are given."""

    at: Path | None = None
    room: Path | None = None
    public = False


def read_through(at: Path | None, room: Path | None = None, *, public: bool = False) -> None:
    """From now on, let what decodes files be done by the readers at a socket; `None` for here.

    `room` is a folder on the same disk as the files, so that they need not be copied. `public`
    says that the readers are another user: files are copied then, and opened to everybody who can
    reach the folder.
    """
    _Readers.at, _Readers.room, _Readers.public = at, room, public


def sandboxed(work: Callable[P, T]) -> Callable[P, T]:
    """Mark a function that decodes files from outside.

    Its arguments may hold paths, whose files are handed over, and functions, which are called here.
    It gives plain data: arrays and the core's own values. It may raise whatever `work` raises, and
    `UnreadableFile` where a file ended the process that read it.
    """

    @functools.wraps(work)
    def done(*args: P.args, **kwargs: P.kwargs) -> T:
        if _Readers.at is None:
            return work(*args, **kwargs)
        name = (work.__module__, work.__qualname__)
        return cast(T, ask(_Readers.at, name, args, kwargs))

    return done


def ask(
    at: Path, work: tuple[str, str], args: tuple[object, ...], kwargs: dict[str, object]
) -> object:
    """Have a function, by its module and name, done by the readers at a socket. Raises as
    `sandboxed` says."""
    with (
        tempfile.TemporaryDirectory(prefix="sandbox-", dir=_Readers.room) as folder,
        _connected(at) as reader,
    ):
        passing = Passing(reader, Path(folder), public=_Readers.public)
        try:
            passing.send((*work, args, kwargs), folder)
            while True:
                kind, *rest = passing.receive()
                if kind == "call":
                    number, given, named = rest
                    passing.send(passing.functions[number](*given, **named))
                elif kind == "raised":
                    raise rest[0]
                else:
                    return rest[0]
        except Lost:
            raise UnreadableFile(
                "it ended the process that read it.",
                subject=passing.first_file,
                hint="Save it again, or make it smaller.",
            ) from None


def _connected(at: Path) -> socket.socket:
    """A connection to the readers. Raises `EktoposError` where there are none for long."""
    ends = time.monotonic() + PATIENCE
    while True:
        reader = socket.socket(socket.AF_UNIX)
        try:
            reader.connect(os.fspath(at))
        except (FileNotFoundError, ConnectionRefusedError):
            reader.close()
            if time.monotonic() > ends:
                raise EktoposError(
                    "there is nobody to read it.",
                    hint="The server’s log says why. Try again later.",
                ) from None
            time.sleep(0.1)
        except BaseException:
            reader.close()
            raise
        else:
            return reader
