"""`scene`: write the project's scene as one light-weight GLB."""

from __future__ import annotations

import argparse
from pathlib import Path

from ektopos.base.errors import EktoposError
from ektopos.cli.answers import FINE, Outcome
from ektopos.cli.arguments import map_size

HELP = "Write the project's scene as one light-weight GLB."


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Its arguments."""
    parser.add_argument("project", type=Path, metavar="PROJECT")
    parser.add_argument("--out", type=Path, required=True, metavar="FILE")
    parser.add_argument(
        "--size", type=map_size, default=512, metavar="N", help="the longest side of its textures"
    )


def run(options: argparse.Namespace) -> Outcome:
    """Run the command."""
    from ektopos.export.scene_glb import write_scene
    from ektopos.project import open_project

    if options.out.suffix.lower() != ".glb":
        raise EktoposError(
            "a scene is written as a GLB.", subject=str(options.out), hint="Name a file *.glb."
        )
    with open_project(options.project) as project:
        written = write_scene(project, options.out, options.size)
    lines = [
        f"{written.path}: {written.placements} placements, {written.draws} draws, "
        f"{written.triangles} triangles, {written.bytes} bytes",
        *(f"{left.subject}: {left.message}" for left in written.left),
    ]
    return written, FINE, lines
