"""Bring files into a project: measure maps and meshes, say what they are, list what could not be
read."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from typing import Any

from ektopos.automation.watched_folders import COMPANIONS, known_as
from ektopos.base.errors import EktoposError, MissingReference, UnreadableFile
from ektopos.base.names import counted, in_words
from ektopos.base.types import Progress
from ektopos.document import Document, MapEntry, MeshEntry
from ektopos.edits import Edit, Import
from ektopos.images import IMAGE_SUFFIXES, PARTED_SUFFIX, image_parts, part_content
from ektopos.maps import identify, map_name
from ektopos.meshes import MESH_SUFFIXES, OTHER_MESH_SUFFIXES, companion_files, read_mesh
from ektopos.meshes.read import READ_HINT
from ektopos.project import is_safe
from server.workshop.jobs.measuring import ENDED, measure_maps, reason
from server.workshop.jobs.reading import FilesBeingRead
from server.workshop.mesh_cache import Source, keep_mesh
from server.workshop.models import Followed, Held, Job, Offer, Project
from server.workshop.pending_updates import companion_paths, taking
from server.workshop.store import content_path, named, put

OTHER_HINT = (
    "Maps come as PNG, JPEG, TGA, TIFF, EXR, WebP or Radiance HDR, meshes as GLB, glTF, OBJ, "
    "PLY or USD."
)
Judged = list[tuple[str, Any, str]]


@dataclass(frozen=True)
class _Mesh:
    """A mesh file that could be read: its slots, and contents by path of what it refers to."""

    slots: tuple[str, ...]
    parts: dict[str, str] = field(default_factory=dict)


def bring_in(
    job: Job, progress: Progress
) -> Callable[[Document], tuple[list[Edit], dict[str, str], Any]]:
    """Measure the files of a job (`files`: path and sha256 each) and add them to its project in one
    step.

    A file that cannot be used is listed with its reason and does not stop the others. Names are
    chosen when the step is made, so that two such jobs never choose the same. A file of the name of
    one that is there is offered in its place, and changes nothing until it is taken.
    """
    sent = {str(file["path"]): str(file["sha256"]) for file in job.arguments["files"]}
    given, bundles = _taken_apart(job, sent)
    maps = {path: sha for path, sha in given.items() if _suffix(path) in IMAGE_SUFFIXES}
    facts, failed = measure_maps(job, maps, lambda share, what: progress(0.9 * share, what))
    judged = list(
        identify({path: facts[path] for path in maps if path in facts}, job.project.document.naming)
    )
    meshes: dict[str, _Mesh] = {}
    paths = [path for path in given if _suffix(path) in MESH_SUFFIXES]
    for done, path in enumerate(paths):
        progress(0.9 + 0.1 * done / len(paths), f"measuring {path}")
        try:
            meshes[path] = _measure_mesh(job, path, given)
        except Exception as problem:
            failed[path] = reason(problem)
    followed = Followed.objects.filter(pk=job.arguments.get("followed")).first()

    def finish(document: Document) -> tuple[list[Edit], dict[str, str], Any]:
        edits, files, report = _added(
            job.project, document, given, judged, meshes, failed, followed
        )
        return edits, files, report | {"files": [*bundles, *report["files"]]}

    return finish


def _taken_apart(job: Job, sent: dict[str, str]) -> tuple[dict[str, str], list[dict[str, Any]]]:
    """Contents by path, files of several maps replaced by those maps; and what became of such
    files. One that cannot be taken apart stays whole, and says why when it is measured."""
    given: dict[str, str] = {}
    bundles: list[dict[str, Any]] = []
    for path, sha in sent.items():
        parts: dict[str, str] = {}
        # All other files, of which there may be thousands, cost nothing here.
        if _suffix(path) == PARTED_SUFFIX and path not in job.reading:
            with (
                FilesBeingRead(job).file(path),
                contextlib.suppress(UnreadableFile, MissingReference),
            ):
                parts = _parts_of(path, sha)
        if parts:
            outcome = f"taken apart into {counted(len(parts), 'map')}"
            bundles.append({"path": path, "outcome": outcome, "waits": False})
        given |= parts or {path: sha}
    return given, bundles


def _parts_of(path: str, sha: str) -> dict[str, str]:
    """The maps that a file holds, contents by path; none where it is one map."""
    content, whole = named(content_path(sha), path), PurePosixPath(path)
    return {
        str(whole.with_name(f"{whole.stem}_{part.name}.exr")): put([part_content(content, part)])[0]
        for part in image_parts(content)
    }


def _measure_mesh(job: Job, path: str, given: dict[str, str]) -> _Mesh:
    if path in job.reading:
        raise MemoryError(ENDED)
    with FilesBeingRead(job).file(path):
        content = named(content_path(given[path]), path)
        folder = PurePosixPath(path).parent

        def find(part: str) -> Path | None:
            place = str(folder / part)
            return content_path(given[place]) if place in given else None

        parts = {
            part: given[str(folder / part)]
            for part in companion_files(content, path, find)
            if str(folder / part) in given
        }
        mesh = read_mesh(content, find, name=path)
        keep_mesh(Source(path, given[path], parts, []), mesh)
    return _Mesh(mesh.slots, parts)


def _added(
    project: Project,
    document: Document,
    given: dict[str, str],
    judged: Judged,
    meshes: dict[str, _Mesh],
    failed: dict[str, str],
    followed: Followed | None,
) -> tuple[list[Edit], dict[str, str], Any]:
    """The step that adds what was measured, and what became of every file. What comes from a
    followed folder is known by what it was when it came before, or by its content."""
    coming = _Coming(project, document, given, None if followed is None else followed.links)
    for path, verdict, set_name in judged:
        coming.take_map(path, verdict, set_name)
    for path, mesh in meshes.items():
        coming.take_mesh(path, mesh)
    report = [coming.line(path, sha, failed) for path, sha in given.items()]
    step, files = coming.step, coming.files
    edits: list[Edit] = [step] if step.maps or step.meshes else []
    offered = len(coming.waiting)
    if followed is not None:
        Followed.objects.filter(pk=followed.pk).update(links=followed.links | coming.names)
        if followed.takes:
            edits, offered = _taken(project, coming.waiting, edits, files), 0
    counts = {"maps": len(step.maps), "meshes": len(step.meshes), "offered": offered}
    return edits, files, {"files": report} | counts


class _Coming:
    """What a delivery makes of a project, while its files are gone through."""

    def __init__(
        self,
        project: Project,
        document: Document,
        given: dict[str, str],
        links: dict[str, str] | None,
    ) -> None:
        self.project, self.document, self.given, self.links = project, document, given, links
        self.here = project.fresh().head.files
        self.step = Import()
        self.files: dict[str, str] = {}
        self.names: dict[str, str] = {}
        """The map or mesh that each file is, or would be."""
        self.stated: dict[str, str] = {}
        self.waiting: dict[str, Offer] = {}
        """Files that are offered."""

    def take_map(self, path: str, verdict: Any, set_name: str) -> None:
        """Add a map, or offer it in the place of the one that it is a version of."""
        file = f"maps/{_clean(path)}"
        entry = MapEntry(
            file=file,
            encoding=verdict.encoding,
            roles=dict(verdict.roles),
            normal_y=verdict.normal_y,
            space=verdict.space,
            set=set_name,
        )
        known = self._known(path, self.document.maps)
        if known is not None and self._is_offered("map", known, path, entry, {}):
            return
        name = known or map_name(file, {*self.document.maps, *self.step.maps})
        self.names[path] = name
        self.step.maps[name] = entry
        self.files[file] = self.given[path]
        self.stated[path] = f"{in_words(verdict.role)}, set {set_name}"

    def take_mesh(self, path: str, mesh: _Mesh) -> None:
        """The same for a mesh."""
        file = f"meshes/{_clean(path)}"
        entry = MeshEntry(file=file, slots=dict.fromkeys(mesh.slots))
        known = self._known(path, self.document.meshes)
        if known is not None and self._is_offered("mesh", known, path, entry, mesh.parts):
            return
        name = known or map_name(file, {*self.document.meshes, *self.step.meshes})
        self.names[path] = name
        self.step.meshes[name] = entry
        self.files |= {file: self.given[path]} | companion_paths(file, mesh.parts)
        self.stated[path] = f"mesh with {counted(len(mesh.slots), 'slot')}"

    def _known(self, path: str, entries: dict[str, MapEntry] | dict[str, MeshEntry]) -> str | None:
        """What a file is a version of; two files of one delivery never of the same."""
        known = None
        if self.links is not None:
            known = self.links.get(path) or next(
                (n for n, one in entries.items() if self.here.get(one.file) == self.given[path]),
                None,
            )
        if known not in entries:
            known = known_as(_clean(path), {name: one.file for name, one in entries.items()})
        return None if known in self.names.values() else known

    def _is_offered(
        self,
        kind: str,
        name: str,
        path: str,
        entry: MapEntry | MeshEntry,
        parts: dict[str, str],
    ) -> bool:
        """Keep a file until a person says whether it takes the place of the one of its name.
        `False` where that has lost its file: then it is simply there again."""
        entries = self.document.maps if kind == "map" else self.document.meshes
        old = entries[name].file
        if not self.here.get(old):
            return False
        self.names[path] = name
        folder = PurePosixPath(old).parent
        if self.here[old] == self.given[path] and all(
            self.here.get(str(folder / part), sha) == sha for part, sha in parts.items()
        ):
            self.stated[path] = f"unchanged: it is {name} already"
            return True
        Held.by_project(self.project, [self.given[path], *parts.values()])
        self.waiting[path], _ = Offer.objects.update_or_create(
            project=self.project,
            kind=kind,
            name=name,
            defaults={
                "path": path[:1000],
                "sha256": self.given[path],
                "parts": parts,
                "entry": entry.model_dump(mode="json", exclude_defaults=True),
            },
        )
        self.stated[path] = f"a new version of {name}: review it before it replaces the current one"
        return True

    def line(self, path: str, sha: str, failed: dict[str, str]) -> dict[str, Any]:
        """What became of one file."""
        if path in self.stated:
            return {"path": path, "outcome": self.stated[path], "waits": path in self.waiting}
        if path in failed:
            return {"path": path, "error": failed[path]}
        if _suffix(path) in COMPANIONS and sha in self.files.values():
            return {"path": path, "outcome": "used by a mesh"}
        if _suffix(path) in OTHER_MESH_SUFFIXES:
            return {"path": path, "error": f"“{_suffix(path)}” meshes are not read. {READ_HINT}"}
        return {"path": path, "error": f"this kind of file is not read. {OTHER_HINT}"}


def _taken(
    project: Project, waiting: dict[str, Offer], edits: list[Edit], files: dict[str, str]
) -> list[Edit]:
    """The step with all that this delivery offers taken; `files` gets their contents. What cannot
    be taken goes on waiting."""
    for offer in waiting.values():
        try:
            one = taking(project, offer)
        except EktoposError:
            continue
        edits = [*edits, *one.edits]
        files |= one.files
        offer.delete()
    return edits


def _suffix(path: str) -> str:
    return PurePosixPath(path).suffix.lower()


def _clean(path: str) -> str:
    """A path that stays in its folder on every system."""
    plain = "/".join(
        part for part in path.replace("\\", "/").split("/") if part not in ("", ".", "..")
    )
    plain = "".join("_" if c in '<>:"|?*' or ord(c) < 32 else c for c in plain) or "file"
    return plain if is_safe(plain) else PurePosixPath(plain).name
