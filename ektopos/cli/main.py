"""The command line: everything the core computes, as JSON or as lines for people.

Exit codes: 0 fine; 1 findings of severity error, or a failed trial; 2 bad input, said in one line
on stderr.
"""

from __future__ import annotations

import argparse
import dataclasses
import json
import math
import os
import sys
import warnings
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NoReturn

from ektopos.base.errors import (
    DAMAGE,
    EktoposError,
    InvalidDocument,
    MissingReference,
    UnreadableFile,
)
from ektopos.base.names import counted

# Each command imports what it needs where it needs it: loading all of the core takes longer than
# many commands do.

FINE, FOUND, BAD = 0, 1, 2
SEVERITIES = ("error", "warning", "note")
AHEAD_BYTES = 64 * 2**20
"""The most that is decoded ahead, as it lies on disk."""
Outcome = tuple[Any, int, list[str]]
"""What a command gives: its JSON, its exit code, and lines for people."""


def main(arguments: list[str] | None = None) -> int:
    """Run one command and give its exit code."""
    # Wild numbers in files are judged by what comes of them; what NumPy says of them is no answer.
    warnings.filterwarnings("ignore", category=RuntimeWarning)
    arguments = sys.argv[1:] if arguments is None else arguments
    _Parser.json = "--json" in arguments
    options = _parser().parse_args(arguments)
    try:
        outcome: Outcome = options.run(options)
        result, code, lines = outcome
        if code == BAD:
            print(f"ektopos: {lines[0]}", file=sys.stderr)
    except EktoposError as problem:
        print(f"ektopos: {problem}", file=sys.stderr)
        if options.json and isinstance(problem, MissingReference):
            _print_json([_finding(problem)])
        elif options.json:
            _print_error(problem.message, problem.subject, problem.hint)
        return FOUND if isinstance(problem, MissingReference) else BAD
    except (OSError, MemoryError) as problem:
        print(f"ektopos: {problem}", file=sys.stderr)
        if options.json:
            _print_error(str(problem))
        return BAD
    except KeyboardInterrupt:
        print("ektopos: stopped; nothing was changed.", file=sys.stderr)
        return BAD
    answer = (
        json.dumps(plain(result), indent=2, ensure_ascii=False, allow_nan=False)
        if options.json
        else "\n".join(lines)
    )
    try:
        if answer:
            print(answer, flush=True)
    except BrokenPipeError:
        pass  # Whoever asked has seen enough.
    except OSError as problem:
        print(f"ektopos: the answer cannot be written ({problem.strerror}).", file=sys.stderr)
        return BAD
    return code


def _print_json(value: Any) -> None:
    print(json.dumps(plain(value), indent=2, ensure_ascii=False, allow_nan=False), flush=True)


def _print_error(message: str, subject: str = "", hint: str = "") -> None:
    _print_json({"error": {"message": message, "subject": subject, "hint": hint}})


def _finding(problem: MissingReference) -> dict[str, str]:
    """What stops a command for want of something that the project names, as a check would say
    it."""
    return {
        "code": "missing-reference",
        "severity": "error",
        "subject": problem.subject,
        "message": problem.message,
        "why": "The project names it, and without it nothing can be made.",
        "evidence": "",
        "fix": problem.hint,
    }


def plain(value: Any) -> Any:
    """A value as JSON can hold it: records as objects, not-a-number and infinity as null."""
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return {
            field.name: plain(getattr(value, field.name)) for field in dataclasses.fields(value)
        }
    if hasattr(value, "model_dump"):  # A pydantic model; loading pydantic only to ask takes long.
        return plain(value.model_dump(mode="json"))
    if isinstance(value, dict):
        return {str(key): plain(item) for key, item in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain(item) for item in value]
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    return value


def _identify(options: argparse.Namespace) -> Outcome:
    from concurrent.futures import ThreadPoolExecutor

    from ektopos.images import IMAGE_SUFFIXES
    from ektopos.maps import channel_roles, facts_of, identify, recheck

    files = list(_walk(options.paths, (*IMAGE_SUFFIXES,)))
    problems: dict[str, str] = {}
    facts = {}

    def measure(given: tuple[str, Path]) -> None:
        try:
            facts[given[0]] = facts_of(given[1])
        except (EktoposError, OSError, MemoryError) as problem:
            reason = problem.message if isinstance(problem, EktoposError) else str(problem)
            problems[given[0]] = f"{reason} {getattr(problem, 'hint', '')}".strip()

    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        list(pool.map(measure, files))
    measured = {given: facts[given] for given, _ in files if given in facts}
    verdicts = {given: (verdict, set_name) for given, verdict, set_name in identify(measured)}
    stated = _stated([path for path in options.paths if path.is_dir()])
    for given, path in files:
        entry = stated.get(path.resolve())
        if entry is not None and given in facts:
            told = (entry.roles, entry.encoding, entry.normal_y, f"{entry.said_by} says so")
            verdicts[given] = (recheck(facts[given], *told), entry.set or verdicts[given][1])
    entries: list[dict[str, Any]] = []
    for given, _ in files:
        if given in problems:
            entries.append({"path": given, "error": problems[given]})
            continue
        verdict, set_name = verdicts[given]
        header = facts[given].header
        entries.append(
            {
                "path": given,
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
                "notes": facts[given].notes,
                "facts": {
                    "format": header.format,
                    "notes": facts[given].notes,
                    "conflict": verdict.conflict,
                    **_measures(facts[given].statistics, options.facts),
                },
            }
        )
    lines = [
        f"{f['path']}: {f['error']}"
        if "error" in f
        else f"{f['path']}: {f['role']}, {f['encoding']}, set {f['set']}, {f['confidence']:.0%}; "
        + "; ".join(f["evidence"])
        for f in entries
    ]
    return (
        entries,
        BAD if entries and len(problems) == len(entries) else FINE,
        lines or ["no maps in it"],
    )


def _stated(folders: list[Path]) -> dict[Path, Any]:
    """What mesh files in folders say of the maps beside them, by path; their readers are loaded
    only where there are folders."""
    if not folders:
        return {}
    from ektopos.material_import import stated_beside
    from ektopos.meshes import MESH_SUFFIXES

    return stated_beside(path for _, path in _walk(folders, (*MESH_SUFFIXES,)))


def _measures(statistics: Any, everything: bool) -> dict[str, Any]:
    """The measures of a map, without pictures; without histograms unless everything is asked
    for."""
    measures = dataclasses.asdict(statistics)
    measures.pop("thumbnail", None)
    if not everything:
        for channel in measures["channels"]:
            channel.pop("histogram", None)
    return measures


def _mesh(options: argparse.Namespace) -> Outcome:
    from ektopos.meshes import MESH_SUFFIXES, measure_mesh, read_mesh

    entries: list[dict[str, Any]] = []
    lines: list[str] = []
    bad = 0
    for given, path in _walk(options.paths, MESH_SUFFIXES):
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


def _slot_json(slot: Any) -> dict[str, Any]:
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


def _match(options: argparse.Namespace) -> Outcome:
    from ektopos.images import IMAGE_SUFFIXES
    from ektopos.matching import match_maps, read_match_map
    from ektopos.meshes import read_mesh

    mesh = read_mesh(options.mesh)
    maps, problems = [], []
    for given, path in _walk(options.paths, IMAGE_SUFFIXES):
        try:
            maps.append(read_match_map(given, path))
        except EktoposError as problem:
            problems.append({"path": given, "error": problem.message})
    if problems and not maps:
        raise UnreadableFile("none of the maps can be read.", subject=problems[0]["path"])
    entries: list[dict[str, Any]] = []
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


def _named_maps(mesh: Path, maps: list[Any]) -> dict[str, set[str]]:
    """The maps that a mesh file names for its slots, by what they hold."""
    from ektopos.base.hashing import hash_file
    from ektopos.material_import import pictures_named_by

    named = pictures_named_by(mesh)
    held = {one.path: hash_file(Path(one.path)) for one in maps} if named else {}
    return {
        slot: {path for path, content in held.items() if content in contents}
        for slot, contents in named.items()
    }


def _remote(options: argparse.Namespace, project: str) -> Any:
    """The project of a server that is named by `--server`; `None` for one of this machine."""
    if options.server is None:
        return None
    from ektopos.automation.server_client import remote

    key = options.key or os.environ.get("EKTOPOS_KEY", "")
    return remote(options.server, key, project, unencrypted=options.unencrypted)


def _said(text: str) -> None:
    if text:
        print(text, file=sys.stderr, flush=True)


def _findings(options: argparse.Namespace) -> tuple[list[Any], str]:
    """What the checks find, and what the project is called."""
    far = _remote(options, str(options.project))
    if far is not None:
        from pydantic import TypeAdapter

        from ektopos.checks import Finding

        told = far.findings(options.target)
        return TypeAdapter(list[Finding]).validate_python(told), far.name
    from ektopos.checks import run_checks
    from ektopos.export.profile import find_profile
    from ektopos.project import open_project

    with open_project(options.project) as project:
        profile = find_profile(_target(options, project.document.target), project.document)
        return run_checks(project, profile), project.document.name


def _check(options: argparse.Namespace) -> Outcome:
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


def _write_report(path: Path, text: str) -> None:
    try:
        path.write_text(text, encoding="utf-8")
    except OSError as problem:
        raise EktoposError(
            f"the report cannot be written ({problem.strerror}).",
            subject=str(path),
            hint="Name a file in a folder that is there.",
        ) from None


def _export(options: argparse.Namespace) -> Outcome:
    far = _remote(options, str(options.project))
    if far is not None:
        package = far.export(options.target, trial=False, say=_said)
        files = far.fetch(package, options.out, _said, options.backup)
        return {"package": package["id"], "target": package["target"], "files": files}, FINE, files
    from ektopos.images import read_ahead

    with read_ahead(_maps_ahead(options.project, options.out)) as read:
        from ektopos.document import with_all_materials
        from ektopos.export.profile import find_profile
        from ektopos.export.write_package import export_package
        from ektopos.project import open_project

        with open_project(options.project) as project:
            profile = find_profile(_target(options, project.document.target), project.document)
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


def _missing(project: Any, profile: Any, problem: MissingReference) -> Outcome:
    """What a project names and does not have: everything of it, not only what was met first."""
    from ektopos.checks import Known, run_checks

    print(f"ektopos: {problem}", file=sys.stderr)
    errors = run_checks(project, profile, Known(lambda _: None))
    findings: list[Any] = [f for f in errors if f.severity == "error"]
    lines = [f"{f.severity}: {f.subject}: {f.message} {f.fix}" for f in findings]
    return findings or [_finding(problem)], FOUND, lines


def _maps_ahead(project: Path, out: Path) -> list[Path]:
    """Maps that a first export will want, so that they can be decoded while the rest of the core is
    loaded.

    The document is looked at, not read: what is wrong with it is said later. Nothing for a zip, for
    much, or where a package lies already, of which most will stay.
    """
    documents = [project] if project.is_file() else sorted(project.glob("*.ektopos.json"))
    if len(documents) != 1 or (out / "package.json").exists():
        return []
    try:
        maps = json.loads(documents[0].read_bytes())["maps"].values()
        base = documents[0].parent.resolve()
        paths = [(base / entry["file"]).resolve() for entry in maps]
        inside = [path for path in paths if path.is_relative_to(base) and path.is_file()]
        return inside if sum(path.stat().st_size for path in inside) < AHEAD_BYTES else []
    except (OSError, *DAMAGE):
        return []


def _target(options: argparse.Namespace, usual: str) -> str:
    """The target that was asked for, also an empty one, which there is none of."""
    return usual if options.target is None else str(options.target)


def _follow(options: argparse.Namespace) -> Outcome:
    import signal
    import threading
    import time

    from ektopos.automation.follow import Following, document_file, follow
    from ektopos.automation.watched_folders import stamps
    from ektopos.export.profile import find_profile

    lines: list[str] = []

    def say(line: str) -> None:
        lines.append(line)
        out = sys.stderr if options.json else sys.stdout
        print(f"{time.strftime('%H:%M:%S')} {line}", file=out, flush=True)

    following = Following(
        document_file(options.project),
        options.source,
        options.to,
        options.target,
        say,
        options.backup,
    )
    stamps(options.source)
    if options.target is not None:
        from ektopos.project import open_project

        with open_project(following.document) as project:
            find_profile(options.target, project.document)
    stopping = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stopping.set())
    passed = follow(following, stopping, once=options.once)
    return {"passed": passed, "log": lines}, FINE if passed else FOUND, []


def _restore(options: argparse.Namespace) -> Outcome:
    from ektopos.export.placing import put_back

    files = put_back(options.package, options.backup)
    return {"files": files}, FINE, [f"{file} is back" for file in files]


def _far_trial(options: argparse.Namespace, far: Any) -> Outcome:
    """A trial on a server: of a package from here, or of one that is made there."""
    from pydantic import TypeAdapter

    from ektopos.trial.cells import Cell
    from ektopos.trial.compare import Trial
    from ektopos.trial.report import junit

    if options.package is None:
        package = far.export(options.target, trial=True, say=_said)
    else:
        package = far.try_package(options.package, options.target, _said)
    if options.out is not None:
        far.fetch(package, options.out, _said)
    if options.report is not None:
        options.report.write_bytes(far.report(package))
    told = package["trial"]
    cells = TypeAdapter(list[Cell]).validate_python(told["cells"])
    trial = Trial(told["target"], told["passed"], cells)
    if options.junit:
        options.junit.write_text(junit({far.name: trial}), "utf-8")
    return told, FINE if trial.passed else FOUND, _trial_lines(trial, "")


def _trial_lines(trial: Any, name: str) -> list[str]:
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


def _trial(options: argparse.Namespace) -> Outcome:
    far = _remote(options, str(options.against))
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
    from ektopos.trial.compare import Trial, run_trial
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
    results = [{"package": name, **plain(trial)} for name, trial in trials.items()]
    passed = all(trial.passed for trial in trials.values())
    return results if many else next(iter(trials.values())), FINE if passed else FOUND, lines


def _adopt(options: argparse.Namespace) -> Outcome:
    from ektopos.material_import import adopt_meshes

    made = adopt_meshes(options.paths, options.out)
    what = f"{counted(made.maps, 'map')}, {counted(made.materials, 'material')}"
    lines = [f"{options.out / made.project}: {what}"]
    return made, FINE, lines + [f"{line.subject}: {line.message}" for line in made.not_taken]


def _occlusion(options: argparse.Namespace) -> Outcome:
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


def _scene(options: argparse.Namespace) -> Outcome:
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


def _size(word: str) -> int:
    """A map's side. Raises `ValueError` for what is none."""
    size = int(word)
    if not 1 <= size <= 16384:
        raise ValueError(word)
    return size


def _targets(options: argparse.Namespace) -> Outcome:
    from ektopos.export.profile import built_in_profiles

    profiles = list(built_in_profiles().values())
    entries = [
        {"id": p.id, "title": p.title, "rules": p.model_dump(mode="json", by_alias=True)}
        for p in profiles
    ]
    return (
        entries,
        FINE,
        [f"{profile.id}: {profile.title}. {profile.summary}" for profile in profiles],
    )


def _walk(paths: list[Path], suffixes: tuple[str, ...]) -> Iterator[tuple[str, Path]]:
    """Files as given, and files with the suffixes below folders; each with the path it is reported
    by."""
    from ektopos.meshes import OTHER_MESH_SUFFIXES

    for path in paths:
        if path.is_dir():
            below = sorted(
                p for p in path.rglob("*") if p.is_file() and p.suffix.lower() in suffixes
            )
            yield from (
                (str(p), p)
                for p in below
                if not any(part.startswith(".") for part in p.relative_to(path).parts)
            )
        elif path.exists() or len(paths) > 1:
            yield str(path), path
        else:
            hint = ""
            if path.suffix.lower() in OTHER_MESH_SUFFIXES:
                hint = "Save it in an open format that is read."
            raise UnreadableFile("there is no such file.", subject=str(path), hint=hint)


class _Parser(argparse.ArgumentParser):
    json = False
    """Whether the answer was asked for as JSON, known before anything is understood."""

    def error(self, message: str) -> NoReturn:
        """Bad input is one line on stderr here, without the usage above it."""
        print(f"ektopos: {message}. Ask for --help.", file=sys.stderr)
        if _Parser.json:
            _print_error(f"{message}.", hint="Ask for --help.")
        raise SystemExit(BAD)


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="ektopos", description="Real-time materials, and proof that they arrive.")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")

    def command(
        name: str, run: Callable[[argparse.Namespace], Outcome], words: str
    ) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=words, description=words)
        sub.add_argument("--json", action="store_true", help="JSON on stdout, nothing else")
        sub.set_defaults(run=run)
        return sub

    identify = command("identify", _identify, "Say what maps are, and why.")
    identify.add_argument("paths", nargs="+", type=Path, metavar="PATH")
    identify.add_argument("--facts", action="store_true", help="with histograms in the JSON")
    command("mesh", _mesh, "Measure meshes: slots, UVs, faults.").add_argument(
        "paths", nargs="+", type=Path, metavar="PATH"
    )
    matching = command("match", _match, "Rank map sets for every slot of a mesh.")
    matching.add_argument("--mesh", type=Path, required=True, metavar="PATH")
    matching.add_argument("paths", nargs="+", type=Path, metavar="MAPPATH")
    check = command("check", _check, "Find what is wrong in a project.")
    check.add_argument("project", type=Path, metavar="PROJECT")
    check.add_argument("--target", metavar="ID")
    check.add_argument("--junit", type=Path, metavar="FILE", help="write a JUnit report")
    check.add_argument("--sarif", type=Path, metavar="FILE", help="write a SARIF 2.1.0 log")
    check.add_argument(
        "--fail",
        choices=SEVERITIES,
        default="error",
        help="the least severity that makes the command end with 1",
    )
    export = command("export", _export, "Write a project's package for a target.")
    export.add_argument("project", type=Path, metavar="PROJECT")
    export.add_argument("--target", metavar="ID")
    export.add_argument("--out", type=Path, required=True, metavar="DIR")
    export.add_argument(
        "--backup",
        type=Path,
        metavar="DIR",
        help="keep the package that is replaced, whole, in this folder",
    )
    export.add_argument(
        "--all-materials", action="store_true", help="export materials that no slot uses too"
    )
    following = command(
        "follow", _follow, "Take up what is saved in a folder, and deliver, until it is stopped."
    )
    following.add_argument("project", type=Path, metavar="PROJECT")
    following.add_argument("--from", dest="source", type=Path, required=True, metavar="DIR")
    following.add_argument("--to", type=Path, required=True, metavar="DIR")
    following.add_argument("--target", metavar="ID")
    following.add_argument(
        "--backup", type=Path, metavar="DIR", help="keep the package that is replaced"
    )
    following.add_argument(
        "--once", action="store_true", help="take up what is there, deliver once, and end"
    )
    restore = command("restore", _restore, "Bring back the package that an export replaced.")
    restore.add_argument("package", type=Path, metavar="DIR")
    restore.add_argument(
        "--backup", type=Path, required=True, metavar="DIR", help="where the export kept it"
    )
    trial = command(
        "trial",
        _trial,
        "Compare a package, or a folder of them, with the project they were made from.",
    )
    trial.add_argument("package", type=Path, metavar="DIR", nargs="?")
    trial.add_argument("--out", type=Path, metavar="FOLDER", help="bring the package here as well")
    trial.add_argument("--report", type=Path, metavar="FILE", help="write the report as HTML")
    trial.add_argument("--against", type=Path, required=True, metavar="PROJECT")
    trial.add_argument("--target", metavar="ID")
    trial.add_argument(
        "--junit", type=Path, metavar="FILE", help="write a report in JUnit's format as well"
    )
    trial.add_argument("--no-renders", action="store_true", help="compare texels and settings only")
    adopt = command(
        "adopt", _adopt, "Make a project of meshes with the maps and materials that they bring."
    )
    adopt.add_argument("paths", nargs="+", type=Path, metavar="MESH")
    adopt.add_argument("--out", type=Path, required=True, metavar="FOLDER")
    occlusion = command("occlusion", _occlusion, "Bake occlusion, one map for each UV layout.")
    occlusion.add_argument("--mesh", type=Path, required=True, metavar="PATH")
    occlusion.add_argument("--out", type=Path, required=True, metavar="DIR")
    occlusion.add_argument("--size", type=_size, default=1024, metavar="N")
    scene = command("scene", _scene, "Write the project's scene as one light-weight GLB.")
    scene.add_argument("project", type=Path, metavar="PROJECT")
    scene.add_argument("--out", type=Path, required=True, metavar="FILE")
    scene.add_argument(
        "--size", type=_size, default=512, metavar="N", help="the longest side of its textures"
    )
    for sub in (check, export, trial):
        sub.add_argument("--server", metavar="URL", help="a project of that server, by its name")
        sub.add_argument("--key", metavar="KEY", help="what opens it there; or EKTOPOS_KEY")
        sub.add_argument(
            "--unencrypted", action="store_true", help="send the key over http:// all the same"
        )
    command("targets", _targets, "List the targets and their rules.")
    return parser


if __name__ == "__main__":
    sys.exit(main())
