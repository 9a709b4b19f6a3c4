"""`adopt`: make a project of meshes with the maps and materials that they bring."""

from __future__ import annotations

import argparse
from pathlib import Path

from ektopos.base.names import counted
from ektopos.cli.answers import FINE, Outcome

HELP = "Make a project of meshes with the maps and materials that they bring."


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Its arguments."""
    parser.add_argument("paths", nargs="+", type=Path, metavar="MESH")
    parser.add_argument("--out", type=Path, required=True, metavar="FOLDER")


def run(options: argparse.Namespace) -> Outcome:
    """Run the command."""
    from ektopos.material_import import adopt_meshes

    made = adopt_meshes(options.paths, options.out)
    what = f"{counted(made.maps, 'map')}, {counted(made.materials, 'material')}"
    lines = [f"{options.out / made.project}: {what}"]
    return made, FINE, lines + [f"{line.subject}: {line.message}" for line in made.not_taken]
