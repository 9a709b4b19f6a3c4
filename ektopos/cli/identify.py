"""`identify`: say what maps are, and why."""

from __future__ import annotations

import argparse
import dataclasses
import os
from pathlib import Path
from typing import TYPE_CHECKING

from ektopos.base.errors import EktoposError
from ektopos.base.types import Json
from ektopos.cli.answers import BAD, FINE, Outcome
from ektopos.cli.arguments import walk

if TYPE_CHECKING:
    from ektopos.document import MapEntry
    from ektopos.maps import Facts, Verdict
    from ektopos.maps.statistics import Statistics

HELP = "Say what maps are, and why."


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Its arguments."""
    parser.add_argument("paths", nargs="+", type=Path, metavar="PATH")
    parser.add_argument("--facts", action="store_true", help="with histograms in the JSON")


def run(options: argparse.Namespace) -> Outcome:
    """Run the command."""
    from ektopos.images import IMAGE_SUFFIXES
    from ektopos.maps import identify, recheck

    files = list(walk(options.paths, (*IMAGE_SUFFIXES,)))
    facts, problems = _measured(files)
    measured = {given: facts[given] for given, _ in files if given in facts}
    verdicts = {given: (verdict, set_name) for given, verdict, set_name in identify(measured)}
    stated = _stated([path for path in options.paths if path.is_dir()])
    for given, path in files:
        entry = stated.get(path.resolve())
        if entry is not None and given in facts:
            told = (entry.roles, entry.encoding, entry.normal_y, f"{entry.said_by} says so")
            verdicts[given] = (recheck(facts[given], *told), entry.set or verdicts[given][1])
    entries = [
        {"path": given, "error": problems[given]}
        if given in problems
        else _entry(given, facts[given], *verdicts[given], everything=options.facts)
        for given, _ in files
    ]
    lines = [
        f"{f['path']}: {f['error']}"
        if "error" in f
        else f"{f['path']}: {f['role']}, {f['encoding']}, set {f['set']}, {f['confidence']:.0%}; "
        + "; ".join(f["evidence"])
        for f in entries
    ]
    code = BAD if entries and len(problems) == len(entries) else FINE
    return entries, code, lines or ["no maps in it"]


def _measured(files: list[tuple[str, Path]]) -> tuple[dict[str, Facts], dict[str, str]]:
    """The facts of maps, and why others cannot be read, by the path they are reported by."""
    from concurrent.futures import ThreadPoolExecutor

    from ektopos.maps import facts_of

    facts: dict[str, Facts] = {}
    problems: dict[str, str] = {}

    def measure(file: tuple[str, Path]) -> None:
        try:
            facts[file[0]] = facts_of(file[1])
        except (EktoposError, OSError, MemoryError) as problem:
            reason = problem.message if isinstance(problem, EktoposError) else str(problem)
            problems[file[0]] = f"{reason} {getattr(problem, 'hint', '')}".strip()

    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        list(pool.map(measure, files))
    return facts, problems


def _entry(path: str, facts: Facts, verdict: Verdict, set_name: str, *, everything: bool) -> Json:
    """A map as the command's JSON has it."""
    from ektopos.maps import channel_roles

    header = facts.header
    return {
        "path": path,
        "width": header.width,
        "height": header.height,
        "channels": header.channels,
        "bits": header.bits,
        "encoding": verdict.encoding,
        "set": set_name,
        "role": verdict.role,
        "confidence": verdict.confidence,
        "channel_roles": channel_roles(verdict.roles, header.channels),
        "normal_y": verdict.normal_y,
        "evidence": [*verdict.evidence, *verdict.doubts],
        "notes": facts.notes,
        "facts": {
            "format": header.format,
            "notes": facts.notes,
            "conflict": verdict.conflict,
            **_measures(facts.statistics, everything),
        },
    }


def _stated(folders: list[Path]) -> dict[Path, MapEntry]:
    """What mesh files in folders say of the maps beside them, by path; their readers are loaded
    only where there are folders."""
    if not folders:
        return {}
    from ektopos.material_import import stated_beside
    from ektopos.meshes import MESH_SUFFIXES

    return stated_beside(path for _, path in walk(folders, (*MESH_SUFFIXES,)))


def _measures(statistics: Statistics, everything: bool) -> Json:
    """The measures of a map, without pictures; without histograms unless everything is asked
    for."""
    measures = dataclasses.asdict(statistics)
    measures.pop("thumbnail", None)
    if not everything:
        for channel in measures["channels"]:
            channel.pop("histogram", None)
    return measures
