"""`occlusion`: bake occlusion, one map for each UV layout."""

from __future__ import annotations

import argparse
from pathlib import Path

from ektopos.cli.answers import FINE, Outcome
from ektopos.cli.arguments import map_size

HELP = "Bake occlusion, one map for each UV layout."


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Its arguments."""
    parser.add_argument("--mesh", type=Path, required=True, metavar="PATH")
    parser.add_argument("--out", type=Path, required=True, metavar="DIR")
    parser.add_argument("--size", type=map_size, default=1024, metavar="N")


def run(options: argparse.Namespace) -> Outcome:
    """Run the command."""
    from ektopos.export.plan import safe_names
    from ektopos.images import quantise, write_image
    from ektopos.meshes import read_mesh
    from ektopos.meshes.bake import bake_occlusion, layouts

    mesh = read_mesh(options.mesh)
    written = []
    groups = layouts(mesh)
    names = safe_names([slots[0] for slots in groups])
    options.out.mkdir(parents=True, exist_ok=True)
    for slots in groups:
        baked = bake_occlusion(mesh, slots, options.size)
        path = f"{names[slots[0]]}_AO.png"
        write_image(options.out / path, quantise(baked[..., None], 8))
        written += [
            {"slot": slot, "path": path, "width": options.size, "height": options.size}
            for slot in slots
        ]
    return written, FINE, [f"{entry['slot']}: {entry['path']}" for entry in written]
