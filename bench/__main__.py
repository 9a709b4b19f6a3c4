"""Run the benchmarks named, or all that time something; `clients` and `kills` take minutes and are
run by their names, as are `pictures`, `screens`, `studio` and `workers`.

`--write` puts what they print into `docs/benchmarks.md`, each with the day and the machine.
"""

import argparse
import contextlib
import datetime
import importlib
import io
import os
import platform
import re
import sys
import tempfile
from pathlib import Path

import ektopos.base.library_setup  # noqa: F401 — as all that starts a process

NAMES = (
    "checking",
    "commands",
    "compressing",
    "feed_change",
    "identify",
    "judging",
    "large",
    "matching",
    "million",
    "packing",
    "trial",
    "trial_mesh",
    "workflows",
)
PAGE = Path(__file__).parents[1] / "docs/benchmarks.md"
PRINTED = "## As printed\n"


class Both(io.StringIO):
    """Shows what is written, and keeps it."""

    def write(self, text: str) -> int:
        sys.__stdout__.write(text)
        return super().write(text)


def with_result(page: str, name: str, printed: str, day: str, machine: str) -> str:
    """The page with what a benchmark printed, in place of what it printed before."""
    block = f"### {name}\n{day}, {machine}:\n\n```\n{printed.strip()}\n```\n"
    before = re.compile(rf"^### {re.escape(name)}\n.*?^```\n.*?^```\n", re.MULTILINE | re.DOTALL)
    if before.search(page):
        return before.sub(lambda _: block, page)
    head = "" if PRINTED in page else f"\n{PRINTED}By `./run bench --write`, newest of each.\n"
    return f"{page.rstrip()}\n{head}\n{block}"


def main() -> None:
    options = argparse.ArgumentParser(prog="./run bench", description=__doc__)
    options.add_argument("names", nargs="*", metavar="NAME", help=", ".join(NAMES))
    options.add_argument("--write", action="store_true", help="put the figures into the docs")
    given = options.parse_args()
    machine = f"{os.cpu_count()} cores, {platform.machine()}, {platform.system()}"
    with tempfile.TemporaryDirectory(prefix="ektopos-bench-data-") as data:
        os.environ["EKTOPOS_DATA"] = data
        for name in given.names or NAMES:
            with contextlib.redirect_stdout(Both()) as printed:
                importlib.import_module(f"bench.{name}").run()
            if given.write:
                today = datetime.datetime.now(tz=datetime.UTC).date().isoformat()
                page = with_result(PAGE.read_text(), name, printed.getvalue(), today, machine)
                PAGE.write_text(page)


if __name__ == "__main__":
    main()
