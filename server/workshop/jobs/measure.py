"""Measure what a project names and nobody has measured yet, or not by today's measures; compare
layouts with maps."""

from __future__ import annotations

from functools import partial
from typing import Any

from ektopos.base.types import Progress
from ektopos.project import is_safe, opened_zip
from server.workshop.jobs.measuring import ENDED, measure_maps, reason
from server.workshop.jobs.reading import FilesBeingRead
from server.workshop.mesh_cache import keep_mesh, keep_suggestions, read_source, unmeasured_meshes
from server.workshop.models import Job
from server.workshop.store import content_path, put

_PIECE = 2**20


def measure(job: Job, progress: Progress) -> dict[str, Any]:
    """Measure a project's maps and meshes; after an import also take the files out of its zip
    (`zip`, `within`) first."""
    if "zip" in job.arguments:
        _take_out(job, lambda share, what: progress(0.4 * share, what))
    revision = job.project.fresh().head
    files = revision.files
    named_maps = {
        entry["file"]: files[entry["file"]]
        for entry in revision.document["maps"].values()
        if entry["file"] in files
    }
    maps = {path: sha for path, sha in named_maps.items() if content_path(sha).is_file()}
    _, failed = measure_maps(job, maps, lambda share, what: progress(0.4 + 0.4 * share, what))
    waiting = unmeasured_meshes(revision)
    for done, (name, source) in enumerate(waiting.items()):
        progress(0.8 + 0.2 * done / len(waiting), f"measuring {name}")
        try:
            if source.path in job.reading:
                raise MemoryError(ENDED)
            with FilesBeingRead(job).file(source.path):
                keep_mesh(source, read_source(source))
        except Exception as problem:
            failed[source.path] = reason(problem)
    report = [{"path": path, "error": why} for path, why in failed.items()]
    return {
        "files": report,
        "maps": len(maps) - len(set(failed) & set(maps)),
        "meshes": len(waiting),
    }


def _take_out(job: Job, progress: Progress) -> None:
    """Every file of an uploaded zip into the store, and to the project's paths."""
    within = str(job.arguments["within"])
    files: dict[str, str] = {}
    with opened_zip(
        content_path(job.arguments["zip"]),
        content_path(job.arguments["zip"]).parent,
        job.arguments["name"],
    ) as (
        packed,
        entries,
    ):
        for done, entry in enumerate(entries):
            progress(done / len(entries), f"unpacking {entry.filename}")
            path = entry.filename.removeprefix(within)
            if entry.filename.startswith(within) and is_safe(path):
                with packed.open(entry) as file:
                    files[path], _ = put(iter(partial(file.read, _PIECE), b""))
    job.project.attach(files)


def match(job: Job, progress: Progress) -> dict[str, Any]:
    """Compare the layout of every slot of a mesh (`mesh`) with the map sets of the project, and
    keep what is found."""
    progress(0.1, f"comparing {job.arguments['mesh']}")
    keep_suggestions(job.project.fresh().head, str(job.arguments["mesh"]))
    return {"mesh": job.arguments["mesh"]}
