"""Follow a folder for a build machine: what is saved there is taken into the project, and the
project's package is delivered, as long as nobody stops it."""

from __future__ import annotations

import contextlib
import shutil
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

from ektopos.automation.deliver import deliver
from ektopos.automation.watched_folders import COMPANIONS, Stamp, is_whole, known_as, stamps
from ektopos.base.errors import EktoposError, InvalidDocument
from ektopos.document import SUFFIX, Document, dump_document
from ektopos.edits import ReplaceMap, ReplaceMesh, apply_edits
from ektopos.export.profile import find_profile
from ektopos.images import IMAGE_SUFFIXES, read_image
from ektopos.matching.renew import renew
from ektopos.meshes import read_mesh
from ektopos.project import (
    OpenProject,
    document_among,
    folder_files,
    open_project,
    read_project_mesh,
)

EVERY = 500
"""Milliseconds between two looks at files that are not whole yet."""
Say = Callable[[str], None]


@dataclass
class Following:
    """A project that follows a folder, and delivers to another."""

    document: Path
    """The project's document file."""
    source: Path
    goal: Path
    target: str | None
    say: Say
    """Is told one line a change."""
    backup: Path | None = None
    seen: dict[str, Stamp] = field(default_factory=dict)
    passed: bool = True
    """Whether the last delivery passed its trial."""
    delivered_once: bool = False

    def look(self) -> bool:
        """Take up what has changed and is whole, and deliver if anything was; gives whether
        something has to wait still. Raises `EktoposError` for a folder that is not there."""
        now = stamps(self.source)
        fresh = [path for path, stamp in now.items() if self.seen.get(path) != stamp]
        whole = [path for path in fresh if is_whole(now[path])]
        taken = 0
        for path in _pictures_first(whole):
            self.seen[path] = now[path]
            try:
                taken += self._take(path)
            except (EktoposError, OSError) as problem:
                self.say(f"{path}: not taken: {problem}")
        if taken or not self.delivered_once:
            self._deliver()
        return len(whole) < len(fresh)

    def _take(self, path: str) -> bool:
        """Put a file in the place of what it is a version of; gives whether that changed
        anything."""
        file = self.source / path
        with open_project(self.document) as project:
            kind = "map" if file.suffix.lower() in IMAGE_SUFFIXES else "mesh"
            entries = project.document.maps if kind == "map" else project.document.meshes
            name = known_as(path, {name: one.file for name, one in entries.items()})
            if name is None:
                if file.suffix.lower() not in COMPANIONS:
                    self.say(f"{path}: left: no {kind} of the project has this name alone")
                return False
            old = project.path(entries[name].file, name)
            if old.is_file() and old.read_bytes() == file.read_bytes():
                return False
            edit, notes = _replacing(project, kind, name, file)
            place = self.document.parent / edit.file
            if kind == "mesh":
                for beside in sorted(file.parent.iterdir()):
                    if beside.suffix.lower() in COMPANIONS and beside != file:
                        _copied(beside, place.parent / beside.name)
            _copied(file, place)
            self._saved(apply_edits(project.document, [edit]))
        self.say(f"{path}: taken as {name}{'; ' if notes else ''}{'; '.join(notes)}")
        return True

    def _saved(self, document: Document) -> None:
        text = dump_document(document)
        if self.document.read_text("utf-8") != text:
            fresh = self.document.with_suffix(".new")
            fresh.write_text(text, "utf-8")
            fresh.replace(self.document)

    def _deliver(self) -> None:
        self.delivered_once = True
        try:
            with open_project(self.document) as project:
                target = project.document.target if self.target is None else self.target
                profile = find_profile(target, project.document)
                done = deliver(project, profile, self.goal, backup=self.backup)
        except EktoposError as problem:
            self.passed = False
            self.say(f"not delivered: {problem}")
            return
        self.passed = done.delivered
        if not done.delivered:
            wrong = [c for c in done.trial.cells if c.verdict in ("differs", "lost")]
            where = f"{wrong[0].mesh} · {wrong[0].slot} · {wrong[0].input}" if wrong else "a file"
            self.say(f"not delivered: the trial failed at {len(wrong)} cells, first {where}")
            return
        others = [*done.changed, *(f"{file} (gone)" for file in done.gone)]
        what = f"{len(others)} changed: {', '.join(others)}" if others else "nothing changed"
        self.say(f"delivered for {done.export.target}, trial passed; {what}")


def document_file(project: Path) -> Path:
    """The document file of a project that can be changed. Raises `InvalidDocument` for a zip or
    what is no project."""
    if project.is_dir():
        inside = (str(path.relative_to(project)) for path in project.rglob(f"*{SUFFIX}"))
        return project / document_among(inside, project.name)
    if project.name.endswith(SUFFIX) and project.is_file():
        return project
    raise InvalidDocument(
        "only a project in a folder can follow another.",
        subject=str(project),
        hint="Unpack it, and name its folder or its document.",
    )


def follow(following: Following, stopping: threading.Event, *, once: bool = False) -> bool:
    """Look, deliver, and go on whenever something is saved, until it is to stop; with `once` until
    everything there is whole and taken. Gives whether the last delivery passed. Raises
    `EktoposError` for bad input."""
    from watchfiles import watch

    waits = following.look()
    while once and waits and not stopping.is_set():
        stopping.wait(EVERY / 1000)
        waits = following.look()
    if once or stopping.is_set():
        return following.passed
    # What is saved before the watch has begun is seen by looking once more.
    waits = True
    for changes in watch(
        following.source,
        stop_event=stopping,
        debounce=200,
        rust_timeout=EVERY,
        yield_on_timeout=True,
        raise_interrupt=False,
    ):
        if changes or waits:
            waits = following.look()
    return following.passed


def _pictures_first(paths: list[str]) -> list[str]:
    return sorted(paths, key=lambda p: (PurePosixPath(p).suffix.lower() not in IMAGE_SUFFIXES, p))


def _replacing(
    project: OpenProject, kind: str, name: str, file: Path
) -> tuple[ReplaceMap | ReplaceMesh, list[str]]:
    """The edit that puts a file in the place of a map or mesh, and what there is to say of it. The
    file is read first: one that breaks off is not taken."""
    suffix = file.suffix.lower()
    entries = project.document.maps if kind == "map" else project.document.meshes
    goal = str(PurePosixPath(entries[name].file).with_suffix(suffix))
    if kind == "map":
        read_image(file)
        return ReplaceMap(map=name, file=goal), []
    beside = folder_files(file.parent)
    after = read_mesh(file, beside, name=file.name)
    recipe = project.document.meshes[name].recipe
    renewed = renew(read_project_mesh(project, name), recipe, after)
    edit = ReplaceMesh(
        mesh=name,
        file=goal,
        recipe=renewed.recipe,
        slots=renewed.slots,
        came_from=renewed.came_from,
    )
    return edit, renewed.notes


def _copied(source: Path, goal: Path) -> None:
    """A file copied whole or not at all."""
    goal.parent.mkdir(parents=True, exist_ok=True)
    fresh = goal.with_name(f".{goal.name}.new")
    try:
        shutil.copyfile(source, fresh)
        fresh.replace(goal)
    finally:
        with contextlib.suppress(FileNotFoundError):
            fresh.unlink()


__all__ = ["Following", "document_file", "follow"]
