"""`match`: rank map sets for every slot of a mesh."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ektopos.base.errors import EktoposError, UnreadableFile
from ektopos.base.types import Json
from ektopos.cli.answers import FINE, Outcome
from ektopos.cli.arguments import walk

if TYPE_CHECKING:
    from ektopos.matching.sets import MatchMap

HELP = "Rank map sets for every slot of a mesh."


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Its arguments."""
    parser.add_argument("--mesh", type=Path, required=True, metavar="PATH")
    parser.add_argument("paths", nargs="+", type=Path, metavar="MAPPATH")


def run(options: argparse.Namespace) -> Outcome:
    """Run the command."""
    from ektopos.images import IMAGE_SUFFIXES
    from ektopos.matching import match_maps, read_match_map
    from ektopos.meshes import read_mesh

    mesh = read_mesh(options.mesh)
    maps, problems = [], []
    for given, path in walk(options.paths, IMAGE_SUFFIXES):
        try:
            maps.append(read_match_map(given, path))
        except EktoposError as problem:
            problems.append({"path": given, "error": problem.message})
    if problems and not maps:
        raise UnreadableFile("none of the maps can be read.", subject=problems[0]["path"])
    entries: list[Json] = []
    # Maps of a mesh lie in its folder, or in one of its name.
    home = str(options.mesh.resolve().with_suffix(""))
    said = _named_maps(options.mesh, maps)
    for slot, (candidates, sets) in match_maps(mesh, maps, home, said).items():
        ranked = [
            {"set": c.set, "maps": sets[c.set], "score": c.score, "reasons": c.reasons}
            for c in candidates
        ]
        entries.append({"slot": slot, "candidates": ranked})
    lines = [f"{p['path']}: {p['error']}" for p in problems]
    for entry in entries:
        lines.append(entry["slot"])
        lines += [
            f"  {c['score']:.2f} {c['set']}: {'; '.join(c['reasons'])}"
            for c in entry["candidates"][:3]
        ]
    return entries, FINE, lines


def _named_maps(mesh: Path, maps: list[MatchMap]) -> dict[str, set[str]]:
    """The maps that a mesh file names for its slots, by what they hold."""
    from ektopos.base.hashing import hash_file
    from ektopos.material_import import pictures_named_by

    named = pictures_named_by(mesh)
    held = {one.path: hash_file(Path(one.path)) for one in maps} if named else {}
    return {
        slot: {path for path, content in held.items() if content in contents}
        for slot, contents in named.items()
    }
