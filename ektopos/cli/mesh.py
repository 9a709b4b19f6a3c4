"""`mesh`: measure meshes: slots, UVs, faults."""

from __future__ import annotations

import argparse
import dataclasses
from pathlib import Path
from typing import Any

from ektopos.base.errors import EktoposError
from ektopos.base.types import Json
from ektopos.cli.answers import BAD, FINE, Outcome
from ektopos.cli.arguments import walk

HELP = "Measure meshes: slots, UVs, faults."


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Its arguments."""
    parser.add_argument("paths", nargs="+", type=Path, metavar="PATH")


def run(options: argparse.Namespace) -> Outcome:
    """Run the command."""
    from ektopos.meshes import MESH_SUFFIXES, measure_mesh, read_mesh

    entries: list[Json] = []
    lines: list[str] = []
    bad = 0
    for given, path in walk(options.paths, MESH_SUFFIXES):
        try:
            mesh = read_mesh(path)
        except EktoposError as problem:
            reason = f"{problem.message} {problem.hint}".strip()
            entries.append({"path": given, "error": reason})
            lines.append(f"{given}: {reason}")
            bad += 1
            continue
        facts, found = measure_mesh(mesh)
        slots = [_slot_json(slot) for slot in facts]
        faults = [
            {"code": f.code, "slot": f.slot, "count": f.count, "message": f.message} for f in found
        ]
        entries.append(
            {
                "path": given,
                "triangles": len(mesh.triangles),
                "slots": slots,
                "faults": faults,
                "notes": mesh.notes,
            }
        )
        lines.append(f"{given}: {len(mesh.triangles)} triangles")
        lines += [f"  {s['name']}: {s['triangles']} triangles, {s['area']:.4g} m²" for s in slots]
        lines += [f"  {f['code']}: {f['message']}" for f in faults]
    return entries, BAD if entries and bad == len(entries) else FINE, lines or ["no meshes in it"]


def _slot_json(slot: Any) -> Json:
    facts = dataclasses.asdict(slot)
    uv = facts["uv"]
    facts["uv"] = {
        key: uv[key] for key in ("min", "max", "inside", "coverage", "overlap", "flipped")
    }
    facts["uv"]["stretch"] = {"l2": uv["l2"], "linf": uv["linf"]}
    facts["layout"] = {key: uv[key] for key in ("islands", "gap", "stacked", "mirrored")} | {
        "spread": facts.pop("spread")
    }
    return facts
