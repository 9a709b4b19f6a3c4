"""Values handed from one process to another that trusts it less, or not at all.

A value goes as a pickle of protocol 5, its arrays beside it, in memory that is sealed against
changes and given over whole: nothing is copied on the way. What comes from a reader is believed no
more than the file that it read: only numbers, texts, arrays and the core's own values are made of
it.
"""

from __future__ import annotations

import builtins
import enum
import fcntl
import functools
import importlib
import io
import mmap
import os
import pickle
import shutil
import socket
import struct
import sys
import threading
from collections.abc import Callable
from dataclasses import is_dataclass
from pathlib import Path, PurePath
from types import (
    BuiltinMethodType,
    FunctionType,
    MethodType,
    MethodWrapperType,
    ModuleType,
    NoneType,
)
from typing import Any, cast

from pydantic import BaseModel

_SEALED = fcntl.F_SEAL_SHRINK | fcntl.F_SEAL_GROW | fcntl.F_SEAL_WRITE
_HEAD = struct.Struct("<I")
MOST_ARRAYS = 2**20
_KNOWN_THERE = {"ektopos", "numpy", "pydantic", "pydantic_core", *sys.stdlib_module_names}
_NUMBERS = {
    ("numpy", "ndarray"),
    ("numpy", "dtype"),
    ("numpy._core.multiarray", "_reconstruct"),
    ("numpy._core.multiarray", "scalar"),
    ("numpy._core.numeric", "_frombuffer"),
}
"""What NumPy makes its arrays of again."""


class Lost(Exception):
    """The other side has gone, or has said what nobody may say."""


class Passing:
    """One end of a connection that values are handed over by. With a `folder`, this end hands over
    files, too: a path becomes that of the same file below `folder/given`."""

    def __init__(
        self, other: socket.socket, folder: Path | None = None, *, public: bool = False
    ) -> None:
        self.other, self.folder, self.public = other, folder, public
        self.functions: list[Callable[..., object]] = []
        """Those that the other side may call, by their numbers."""
        self.first_file = ""
        self._paths: dict[str, str] = {}
        self._turn = threading.Lock()
        if folder is not None:
            for name in ("given", "work"):
                (folder / name).mkdir()
            if public:
                folder.chmod(0o755)
                (folder / "work").chmod(0o777)

    def send(self, *values: object) -> None:
        """Hand over values. Raises `Lost`."""
        file = io.BytesIO()
        content: list[pickle.PickleBuffer] = []
        pickler = pickle.Pickler(file, 5, buffer_callback=content.append)
        if self.folder is not None:
            pickler.persistent_id = self._stand_in  # type: ignore[method-assign]
        pickler.dump(values)
        parts = [file.getbuffer(), *(part.raw() for part in content)]
        memory = os.memfd_create("ektopos", os.MFD_CLOEXEC | os.MFD_ALLOW_SEALING)
        try:
            for part in parts:
                _write(memory, part)
            fcntl.fcntl(memory, fcntl.F_ADD_SEALS, _SEALED | fcntl.F_SEAL_SEAL)
            socket.send_fds(self.other, [_HEAD.pack(len(parts))], [memory])
            self.other.sendall(struct.pack(f"<{len(parts)}Q", *(part.nbytes for part in parts)))
        except OSError as problem:
            raise Lost from problem
        finally:
            os.close(memory)

    def receive(self) -> tuple[Any, ...]:
        """What the other side hands over. Raises `Lost`."""
        memory = -1
        try:
            head, files, _, _ = socket.recv_fds(self.other, _HEAD.size, 1)
            memory = files[0] if files else -1
            head += _all(self.other, _HEAD.size - len(head))
            count = _HEAD.unpack(head)[0]
            if memory < 0 or count > MOST_ARRAYS:
                raise Lost
            sizes = struct.unpack(f"<{count}Q", _all(self.other, 8 * count))
            sealed = fcntl.fcntl(memory, fcntl.F_GET_SEALS) & _SEALED == _SEALED
            if not sealed or sum(sizes) != os.fstat(memory).st_size or not sum(sizes):
                raise Lost
            # Copied only where it is written to.
            whole = memoryview(mmap.mmap(memory, 0, access=mmap.ACCESS_COPY))
        except (OSError, ValueError) as problem:
            raise Lost from problem
        finally:
            if memory >= 0:
                os.close(memory)
        parts, start = [], 0
        for size in sizes:
            parts.append(whole[start : start + size])
            start += size
        made: tuple[Any, ...] = self._made(parts)
        return made

    def _made(self, parts: list[memoryview]) -> tuple[Any, ...]:
        kind = _Believing if self.folder is None else _Doubting
        unpickler = kind(io.BytesIO(parts[0]), buffers=parts[1:])
        unpickler.passing = self
        try:
            made = unpickler.load()
        except Exception as problem:
            if self.folder is None:
                raise
            raise Lost from problem
        if not isinstance(made, tuple) or not made:
            raise Lost
        return made

    def _stand_in(self, value: object) -> tuple[str, object] | None:
        """What the other side gets in place of a path or a function."""
        if isinstance(value, PurePath):
            return "path", self._given(str(value))
        if _is_ours(value):
            self.functions.append(cast(Callable[..., object], value))
            return "function", len(self.functions) - 1
        return None

    def _given(self, path: str) -> str:
        """Where the other side finds a file, or all of a folder: linked, or copied where that
        cannot be."""
        assert self.folder is not None
        if path not in self._paths:
            source = Path(path)
            place = self.folder / "given" / str(len(self._paths)) / (source.name or "file")
            place.parent.mkdir()
            self.first_file = self.first_file or source.name
            if source.is_dir():
                shutil.copytree(source, place, copy_function=self._hand_over)
            elif source.is_file():
                self._hand_over(path, str(place))
            self._paths[path] = str(place)
        return self._paths[path]

    def _hand_over(self, source: str, place: str) -> None:
        if not self.public:
            try:
                os.link(os.path.realpath(source), place)
                return
            except OSError:
                pass  # another disk, or another owner
        shutil.copyfile(source, place)
        os.chmod(place, 0o444 if self.public else 0o400)  # noqa: PTH101

    def called(self, number: int) -> Callable[..., object]:
        """A function of the other side; threads take turns."""
        return functools.partial(self._call, number)

    def _call(self, number: int, *args: object, **kwargs: object) -> object:
        with self._turn:
            self.send("call", number, args, kwargs)
            return self.receive()[0]


class _Believing(pickle.Unpickler):
    """Of values from whoever asked."""

    passing: Passing

    def persistent_load(self, stand_in: Any) -> object:
        kind, value = stand_in
        return Path(value) if kind == "path" else self.passing.called(value)


class _Doubting(pickle.Unpickler):
    """Of values from a reader. Source: Python's own documentation of pickle, “Restricting
    globals”."""

    passing: Passing

    def find_class(self, module: str, name: str) -> Any:
        if (module, name) in _NUMBERS:
            return getattr(importlib.import_module(module), name)
        kind = None
        if module == "builtins":
            kind = getattr(builtins, name, None)
            if isinstance(kind, type) and issubclass(kind, Exception):
                return kind
        elif module.startswith("ektopos.") and "__" not in module:
            kind = getattr(importlib.import_module(module), name, None)
            if isinstance(kind, type) and _is_a_value(kind):
                return kind
        raise pickle.UnpicklingError(f"{module}.{name} is no value")


def _is_ours(value: object) -> bool:
    """Whether it is a function that can only be called on this side: not one of a module that both
    have, with which Python makes other values again."""
    if isinstance(value, FunctionType):
        return "<" in value.__qualname__ or value.__module__.split(".")[0] not in _KNOWN_THERE
    if isinstance(value, BuiltinMethodType | MethodWrapperType):
        return not isinstance(value.__self__, ModuleType | NoneType | type)
    return isinstance(value, MethodType | functools.partial)


def _is_a_value(kind: type) -> bool:
    return (
        issubclass(kind, (Exception, BaseModel, enum.Enum))
        or is_dataclass(kind)
        or (issubclass(kind, tuple) and hasattr(kind, "_fields"))
    )


def _write(memory: int, part: memoryview) -> None:
    done = 0
    while done < part.nbytes:
        done += os.write(memory, part[done:])


def _all(other: socket.socket, size: int) -> bytes:
    got = bytearray()
    while len(got) < size:
        piece = other.recv(size - len(got))
        if not piece:
            raise Lost
        got += piece
    return bytes(got)
