"""Arguments that several commands take, and what they name."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from ektopos.base.errors import UnreadableFile

if TYPE_CHECKING:
    from ektopos.automation.server_client import Remote


def add_server_arguments(parser: argparse.ArgumentParser) -> None:
    """For commands that can be run by a server."""
    parser.add_argument("--server", metavar="URL", help="a project of that server, by its name")
    parser.add_argument("--key", metavar="KEY", help="what opens it there; or EKTOPOS_KEY")
    parser.add_argument(
        "--unencrypted", action="store_true", help="send the key over http:// all the same"
    )


def remote_project(options: argparse.Namespace, project: str) -> Remote | None:
    """The project of a server that is named by `--server`; `None` for one of this machine."""
    if options.server is None:
        return None
    from ektopos.automation.server_client import remote

    key = options.key or os.environ.get("EKTOPOS_KEY", "")
    return remote(options.server, key, project, unencrypted=options.unencrypted)


def say(text: str) -> None:
    """A line for whoever waits, on stderr: stdout is for the answer."""
    if text:
        print(text, file=sys.stderr, flush=True)


def wanted_target(options: argparse.Namespace, usual: str) -> str:
    """The target that was asked for, also an empty one, which there is none of."""
    return usual if options.target is None else str(options.target)


def map_size(word: str) -> int:
    """A map's side. Raises `ValueError` for what is none."""
    size = int(word)
    if not 1 <= size <= 16384:
        raise ValueError(word)
    return size


def walk(paths: list[Path], suffixes: tuple[str, ...]) -> Iterator[tuple[str, Path]]:
    """Files as given, and files with the suffixes below folders; each with the path it is reported
    by."""
    from ektopos.meshes import OTHER_MESH_SUFFIXES

    for path in paths:
        if path.is_dir():
            below = sorted(
                p for p in path.rglob("*") if p.is_file() and p.suffix.lower() in suffixes
            )
            yield from (
                (str(p), p)
                for p in below
                if not any(part.startswith(".") for part in p.relative_to(path).parts)
            )
        elif path.exists() or len(paths) > 1:
            yield str(path), path
        else:
            hint = ""
            if path.suffix.lower() in OTHER_MESH_SUFFIXES:
                hint = "Save it in an open format that is read."
            raise UnreadableFile("there is no such file.", subject=str(path), hint=hint)
