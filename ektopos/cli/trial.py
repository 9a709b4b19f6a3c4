"""`trial`: compare a package, or a folder of them, with the project they were made from."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ektopos.base.errors import InvalidDocument
from ektopos.base.names import counted
from ektopos.base.strict_json import json_value
from ektopos.cli.answers import FINE, FOUND, Outcome
from ektopos.cli.arguments import add_server_arguments, remote_project, say

if TYPE_CHECKING:
    from ektopos.automation.server_client import Remote
    from ektopos.trial.compare import Trial

HELP = "Compare a package, or a folder of them, with the project they were made from."


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Its arguments."""
    parser.add_argument("package", type=Path, metavar="DIR", nargs="?")
    parser.add_argument("--out", type=Path, metavar="FOLDER", help="bring the package here as well")
    parser.add_argument("--report", type=Path, metavar="FILE", help="write the report as HTML")
    parser.add_argument("--against", type=Path, required=True, metavar="PROJECT")
    parser.add_argument("--target", metavar="ID")
    parser.add_argument(
        "--junit", type=Path, metavar="FILE", help="write a report in JUnit's format as well"
    )
    parser.add_argument(
        "--no-renders", action="store_true", help="compare texels and settings only"
    )
    add_server_arguments(parser)


def run(options: argparse.Namespace) -> Outcome:
    """Run the command."""
    far = remote_project(options, str(options.against))
    if far is not None:
        return _far_trial(options, far)
    if options.package is None or options.out is not None or options.report is not None:
        raise InvalidDocument(
            "a package's folder is named; --out and --report are for --server.",
            subject="trial",
            hint="Ask for --help.",
        )
    from ektopos.export.profile import find_profile
    from ektopos.export.reuse import PACKAGE_LIST
    from ektopos.project import open_project
    from ektopos.trial.compare import run_trial
    from ektopos.trial.engine.files import read_target
    from ektopos.trial.report import junit

    if not options.package.is_dir():
        raise InvalidDocument(
            "there is no such folder.",
            subject=str(options.package),
            hint="Name a package's folder.",
        )
    below = sorted(path.parent for path in options.package.glob(f"*/{PACKAGE_LIST}"))
    many = bool(below) and not (options.package / PACKAGE_LIST).is_file()
    trials: dict[str, Trial] = {}
    with open_project(options.against) as project:
        for package in below if many else [options.package]:
            target = options.target if options.target is not None else read_target(package)
            profile = find_profile(target, project.document)
            trials[package.name] = run_trial(
                project, package, profile, renders=not options.no_renders
            )
    if options.junit:
        options.junit.write_text(junit(trials), "utf-8")
    lines = []
    for name, trial in trials.items():
        lines += _trial_lines(trial, name if many else "")
    results = [{"package": name, **json_value(trial)} for name, trial in trials.items()]
    passed = all(trial.passed for trial in trials.values())
    return results if many else next(iter(trials.values())), FINE if passed else FOUND, lines


def _far_trial(options: argparse.Namespace, far: Remote) -> Outcome:
    """A trial on a server: of a package from here, or of one that is made there."""
    from pydantic import TypeAdapter

    from ektopos.trial.cells import Cell
    from ektopos.trial.compare import Trial
    from ektopos.trial.report import junit

    if options.package is None:
        package = far.export(options.target, trial=True, say=say)
    else:
        package = far.try_package(options.package, options.target, say)
    if options.out is not None:
        far.fetch(package, options.out, say)
    if options.report is not None:
        options.report.write_bytes(far.report(package))
    told = package["trial"]
    cells = TypeAdapter(list[Cell]).validate_python(told["cells"])
    trial = Trial(told["target"], told["passed"], cells)
    if options.junit:
        options.junit.write_text(junit({far.name: trial}), "utf-8")
    return told, FINE if trial.passed else FOUND, _trial_lines(trial, "")


def _trial_lines(trial: Trial, name: str) -> list[str]:
    """What a trial found, for people."""
    from ektopos.trial.cells import not_carried

    shown = [cell for cell in trial.cells if cell.verdict in ("differs", "lost")]
    unsupported, bare = not_carried((c.mesh, c.slot, c.verdict, c.cause) for c in trial.cells)
    hand = sum(cell.verdict == "by-hand" for cell in trial.cells)
    parts = [
        f"{unsupported} not supported by this target" if unsupported else "",
        f"{hand} to be set manually" if hand else "",
        f"{counted(bare, 'slot')} without a material" if bare else "",
    ]
    rest = "".join(f", {part}" for part in parts if part)
    return [
        *(f"{c.mesh} · {c.slot} · {c.input}: {c.verdict} ({c.cause}) {c.message}" for c in shown),
        f"{name + ': ' if name else ''}{'passed' if trial.passed else 'failed'}{rest}",
    ]
