"""`check`: find what is wrong in a project."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ektopos.base.errors import EktoposError
from ektopos.cli.answers import FINE, FOUND, Outcome
from ektopos.cli.arguments import add_server_arguments, remote_project, wanted_target

if TYPE_CHECKING:
    from ektopos.checks import Finding

HELP = "Find what is wrong in a project."
SEVERITIES = ("error", "warning", "note")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Its arguments."""
    parser.add_argument("project", type=Path, metavar="PROJECT")
    parser.add_argument("--target", metavar="ID")
    parser.add_argument("--junit", type=Path, metavar="FILE", help="write a JUnit report")
    parser.add_argument("--sarif", type=Path, metavar="FILE", help="write a SARIF 2.1.0 log")
    parser.add_argument(
        "--fail",
        choices=SEVERITIES,
        default="error",
        help="the least severity that makes the command end with 1",
    )
    add_server_arguments(parser)


def run(options: argparse.Namespace) -> Outcome:
    """Run the command."""
    from ektopos.checks.reports import junit_xml, sarif_json

    findings, name = _findings(options)
    fails = SEVERITIES[: SEVERITIES.index(options.fail) + 1]
    worst = any(finding.severity in fails and finding.waived is None for finding in findings)
    if options.junit is not None:
        _write_report(options.junit, junit_xml(findings, name, fails))
    if options.sarif is not None:
        _write_report(options.sarif, sarif_json(findings, options.project.name))
    lines = [
        f"{f.severity}: {f.subject}: {f.message} {f.fix}"
        + (f" (ignored: {f.waived})" if f.waived is not None else "")
        for f in findings
    ]
    return findings, FOUND if worst else FINE, lines or ["nothing found"]


def _findings(options: argparse.Namespace) -> tuple[list[Finding], str]:
    """What the checks find, and what the project is called."""
    far = remote_project(options, str(options.project))
    if far is not None:
        from pydantic import TypeAdapter

        from ektopos.checks import Finding

        told = far.findings(options.target)
        return TypeAdapter(list[Finding]).validate_python(told), far.name
    from ektopos.checks import run_checks
    from ektopos.export.profile import find_profile
    from ektopos.project import open_project

    with open_project(options.project) as project:
        profile = find_profile(wanted_target(options, project.document.target), project.document)
        return run_checks(project, profile), project.document.name


def _write_report(path: Path, text: str) -> None:
    try:
        path.write_text(text, encoding="utf-8")
    except OSError as problem:
        raise EktoposError(
            f"the report cannot be written ({problem.strerror}).",
            subject=str(path),
            hint="Name a file in a folder that is there.",
        ) from None
