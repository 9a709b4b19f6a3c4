"""`export`: write a project's package for a target."""

from __future__ import annotations

import argparse
import dataclasses
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from ektopos.base.errors import MissingReference
from ektopos.cli.answers import FINE, FOUND, Outcome, missing_finding
from ektopos.cli.arguments import add_server_arguments, remote_project, say, wanted_target

if TYPE_CHECKING:
    from ektopos.checks import Finding
    from ektopos.export.profile import Profile
    from ektopos.project import OpenProject

HELP = "Write a project's package for a target."


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Its arguments."""
    parser.add_argument("project", type=Path, metavar="PROJECT")
    parser.add_argument("--target", metavar="ID")
    parser.add_argument("--out", type=Path, required=True, metavar="DIR")
    parser.add_argument(
        "--backup",
        type=Path,
        metavar="DIR",
        help="keep the package that is replaced, whole, in this folder",
    )
    parser.add_argument(
        "--all-materials", action="store_true", help="export materials that no slot uses too"
    )
    add_server_arguments(parser)


def run(options: argparse.Namespace) -> Outcome:
    """Run the command."""
    far = remote_project(options, str(options.project))
    if far is not None:
        package = far.export(options.target, trial=False, say=say)
        files = far.fetch(package, options.out, say, options.backup)
        return {"package": package["id"], "target": package["target"], "files": files}, FINE, files
    from ektopos.cli.maps_ahead import maps_ahead, read_ahead

    with read_ahead(maps_ahead(options.project, options.out)) as read:
        from ektopos.document import with_all_materials
        from ektopos.export.profile import find_profile
        from ektopos.export.write_package import export_package
        from ektopos.project import open_project

        with open_project(options.project) as project:
            profile = find_profile(
                wanted_target(options, project.document.target), project.document
            )
            if options.all_materials:
                every = with_all_materials(project.document)
                project = dataclasses.replace(project, document=every)
            try:
                export = export_package(
                    project, profile, options.out, backup=options.backup, read=read
                )
            except MissingReference as problem:
                return _missing(project, profile, problem)
    lines = [f"{file.path}: {file.bytes} bytes" for file in export.files]
    left = [f"{one.severity}: {one.subject}: {one.message}" for one in export.left]
    return export, FINE, [*lines, *left, *export.notes, f"{export.seconds:.2f} s"]


def _missing(project: OpenProject, profile: Profile, problem: MissingReference) -> Outcome:
    """What a project names and does not have: everything of it, not only what was met first."""
    from ektopos.checks import Known, run_checks

    print(f"ektopos: {problem}", file=sys.stderr)
    errors = run_checks(project, profile, Known(lambda _: None))
    findings: list[Finding] = [f for f in errors if f.severity == "error"]
    lines = [f"{f.severity}: {f.subject}: {f.message} {f.fix}" for f in findings]
    return findings or [missing_finding(problem)], FOUND, lines
