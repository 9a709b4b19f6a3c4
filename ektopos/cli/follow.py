"""`follow`: take up what is saved in a folder, and deliver, until it is stopped."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from ektopos.cli.answers import FINE, FOUND, Outcome

HELP = "Take up what is saved in a folder, and deliver, until it is stopped."


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Its arguments."""
    parser.add_argument("project", type=Path, metavar="PROJECT")
    parser.add_argument("--from", dest="source", type=Path, required=True, metavar="DIR")
    parser.add_argument("--to", type=Path, required=True, metavar="DIR")
    parser.add_argument("--target", metavar="ID")
    parser.add_argument(
        "--backup", type=Path, metavar="DIR", help="keep the package that is replaced"
    )
    parser.add_argument(
        "--once", action="store_true", help="take up what is there, deliver once, and end"
    )


def run(options: argparse.Namespace) -> Outcome:
    """Run the command."""
    import signal
    import threading
    import time

    from ektopos.automation.follow import Following, document_file, follow
    from ektopos.automation.watched_folders import stamps
    from ektopos.export.profile import find_profile

    lines: list[str] = []

    def say(line: str) -> None:
        lines.append(line)
        out = sys.stderr if options.json else sys.stdout
        print(f"{time.strftime('%H:%M:%S')} {line}", file=out, flush=True)

    following = Following(
        document_file(options.project),
        options.source,
        options.to,
        options.target,
        say,
        options.backup,
    )
    stamps(options.source)
    if options.target is not None:
        from ektopos.project import open_project

        with open_project(following.document) as project:
            find_profile(options.target, project.document)
    stopping = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stopping.set())
    passed = follow(following, stopping, once=options.once)
    return {"passed": passed, "log": lines}, FINE if passed else FOUND, []
