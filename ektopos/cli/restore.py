"""`restore`: bring back the package that an export replaced."""

from __future__ import annotations

import argparse
from pathlib import Path

from ektopos.cli.answers import FINE, Outcome

HELP = "Bring back the package that an export replaced."


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Its arguments."""
    parser.add_argument("package", type=Path, metavar="DIR")
    parser.add_argument(
        "--backup", type=Path, required=True, metavar="DIR", help="where the export kept it"
    )


def run(options: argparse.Namespace) -> Outcome:
    """Run the command."""
    from ektopos.export.placing import put_back

    files = put_back(options.package, options.backup)
    return {"files": files}, FINE, [f"{file} is back" for file in files]
