"""Bring files into a project: measure maps and meshes, say what they are, list what could not be read."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import Any

from ektopos.document import Document, MapEntry, MeshEntry
from ektopos.edits import BringIn
from ektopos.errors import EktoposError
from ektopos.images import IMAGE_SUFFIXES, read_header, read_image
from ektopos.maps import Facts, identify, map_name
from ektopos.maps.identify import facts_of_image
from ektopos.meshes import (
    MESH_SUFFIXES,
    OTHER_MESH_SUFFIXES,
    companion_files,
    read_mesh,
)
from ektopos.meshes.read import READ_HINT
from ektopos.project import is_safe
from ektopos.types import Progress
from server.workshop.meshing import COMPANIONS, keep_mesh, mesh_key
from server.workshop.models import Job, MapFacts
from server.workshop.pictures import keep_reduced
from server.workshop.store import content_path, named


@dataclass
class _Incoming:
    """What has been found so far."""

    maps: dict[str, MapEntry] = field(default_factory=dict)
    meshes: dict[str, MeshEntry] = field(default_factory=dict)
    files: dict[str, str] = field(default_factory=dict)
    report: list[dict[str, str]] = field(default_factory=list)


def bring_in(job: Job, progress: Progress) -> dict[str, Any]:
    """Measure the files of a job (`files`: path and sha256 each) and add them to its project in one step.

    A file that cannot be used is listed with its reason and does not stop the others. With `analyse` only the facts of files
    that the document already names are measured (after an import).
    """
    given = {str(file["path"]): str(file["sha256"]) for file in job.arguments["files"]}
    found = _Incoming()
    maps = {path: sha for path, sha in given.items() if _suffix(path) in IMAGE_SUFFIXES}
    facts = _measure_maps(maps, found, progress)
    document = job.project.document
    if not job.arguments.get("analyse"):
        _name_maps(document, maps, facts, found)
    for done, path in enumerate(path for path in given if _suffix(path) in MESH_SUFFIXES):
        progress(0.9 + 0.1 * done / max(1, len(given)), f"measuring {path}")
        _measure_mesh(document, path, given, found)
    used = set(found.files.values())
    for path, sha in given.items():
        if path in maps or _suffix(path) in MESH_SUFFIXES or job.arguments.get("analyse"):
            continue
        if _suffix(path) in COMPANIONS and sha in used:
            found.report.append({"path": path, "outcome": "used by a mesh"})
        elif _suffix(path) in OTHER_MESH_SUFFIXES:
            found.report.append({"path": path, "error": f"“{_suffix(path)}” meshes are not read. {READ_HINT}"})
        else:
            hint = "Maps come as PNG, JPEG, TGA, TIFF, EXR, WebP or Radiance HDR, meshes as GLB, glTF, OBJ, PLY or USD."
            found.report.append({"path": path, "error": f"this kind of file is not read. {hint}"})
    if not job.arguments.get("analyse") and (found.maps or found.meshes):
        job.project.edit([BringIn(maps=found.maps, meshes=found.meshes)], None, found.files)
    return {"files": found.report, "maps": len(found.maps), "meshes": len(found.meshes)}


def _measure_maps(maps: dict[str, str], found: _Incoming, progress: Progress) -> dict[str, Facts]:
    facts: dict[str, Facts] = {}
    known = {sha: row.value() for sha, row in MapFacts.known(maps.values()).items()}
    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        waiting = {pool.submit(_measure_map, path, sha): path for path, sha in maps.items() if sha not in known}
        facts |= {path: known[sha] for path, sha in maps.items() if sha in known}
        try:
            for done, finished in enumerate(as_completed(waiting)):
                path = waiting[finished]
                try:
                    facts[path] = finished.result()
                    MapFacts.keep(maps[path], content_path(maps[path]).stat().st_size, facts[path])
                except EktoposError as problem:
                    found.report.append({"path": path, "error": f"{problem.message} {problem.hint}".strip()})
                except MemoryError:
                    found.report.append({"path": path, "error": "there is not enough memory to decode it."})
                progress(0.9 * (done + 1) / len(waiting), f"measured {path}")
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    return facts


def _measure_map(path: str, sha: str) -> Facts:
    content = named(content_path(sha), path)
    header = read_header(content)
    image = read_image(content)
    keep_reduced(sha, image)
    return facts_of_image(header, image)


def _name_maps(document: Document, maps: dict[str, str], facts: dict[str, Facts], found: _Incoming) -> None:
    by_file = {entry.file: name for name, entry in document.maps.items()}
    taken = set(document.maps)
    for path, verdict, set_name in identify({path: facts[path] for path in maps if path in facts}, document.naming):
        file = f"maps/{_clean(path)}"
        name = by_file.get(file) or map_name(file, taken)
        taken.add(name)
        found.maps[name] = MapEntry(
            file=file, encoding=verdict.encoding, roles=dict(verdict.roles), normal_y=verdict.normal_y, set=set_name
        )
        found.files[file] = maps[path]
        found.report.append({"path": path, "outcome": f"{verdict.role.replace('_', ' ')}, set {set_name}"})


def _measure_mesh(document: Document, path: str, given: dict[str, str], found: _Incoming) -> None:
    content = named(content_path(given[path]), path)
    folder = PurePosixPath(path).parent
    beside = {part: str(folder / part) for part in companion_files(content, path)}
    present = {part: given[place] for part, place in beside.items() if place in given}
    try:
        mesh = read_mesh(content, lambda part: content_path(present[part]) if part in present else None, name=path)
        keep_mesh(mesh_key(given[path], present, []), path, mesh)
    except EktoposError as problem:
        found.report.append({"path": path, "error": f"{problem.message} {problem.hint}".strip()})
        return
    file = f"meshes/{_clean(path)}"
    by_file = {entry.file: name for name, entry in document.meshes.items()}
    name = by_file.get(file) or map_name(file, set(document.meshes) | set(found.meshes))
    found.meshes[name] = MeshEntry(file=file, slots=dict.fromkeys(mesh.slots))
    found.files[file] = given[path]
    for part, sha in present.items():
        if _suffix(part) in COMPANIONS:
            found.files[str(PurePosixPath(file).parent / part)] = sha
    found.report.append({"path": path, "outcome": f"mesh with {len(mesh.slots)} slots"})


def _suffix(path: str) -> str:
    return PurePosixPath(path).suffix.lower()


def _clean(path: str) -> str:
    """A path that stays in its folder on every system."""
    plain = "/".join(part for part in path.replace("\\", "/").split("/") if part not in ("", ".", ".."))
    plain = "".join("_" if c in '<>:"|?*' or ord(c) < 32 else c for c in plain) or "file"
    return plain if is_safe(plain) else PurePosixPath(plain).name
