"""Follow folders: what is saved there by other programs comes into a project.

Files are read once they are whole: as long as one still grows or is a moment old it waits.
"""

from __future__ import annotations

import logging
import threading
from pathlib import Path, PurePosixPath

from django.conf import settings
from django.db import close_old_connections, transaction

from ektopos.automation.watched_folders import COMPANIONS, Stamp, is_whole, stamps
from ektopos.base.errors import EktoposError
from ektopos.meshes import MESH_SUFFIXES
from server.workshop.models import Followed, GrantedFolder, Job, Project
from server.workshop.store import put_file

logger = logging.getLogger(__name__)
EVERY = 500
"""Milliseconds between two looks at which folders are followed."""


def roots_of(project: Project) -> list[Path]:
    """Folders below which a project may follow and deliver: where people log in, those that an
    administrator has granted to it."""
    if not settings.TEAM:
        return list(settings.FOLDERS)
    paths = [Path(row.folder) for row in project.granted_folders.all()]
    return [path for path in paths if _is_below(path, settings.FOLDERS)]


def granted(project: Project, folder: str) -> GrantedFolder:
    """Let a project use a folder of this machine from now on. Raises `EktoposError` for one that no
    project may use, and for one that another project has."""
    path = _below(folder, list(settings.FOLDERS))
    if not path.is_dir():
        raise EktoposError("there is no such folder.", subject=folder, hint="Look at its name.")
    for row in GrantedFolder.objects.exclude(project=project).select_related("project"):
        if path.is_relative_to(row.folder) or Path(row.folder).is_relative_to(path):
            raise EktoposError(
                f"{row.project.name} has {row.folder} already.",
                subject=folder,
                hint="Revoke that grant first, or name another folder.",
            )
    return GrantedFolder.objects.get_or_create(project=project, folder=str(path))[0]


def take_back(row: GrantedFolder) -> None:
    """Let a project use a folder no longer: what it follows there is followed no longer."""
    with transaction.atomic():
        for followed in row.project.followed.all():
            if Path(followed.folder).is_relative_to(row.folder):
                followed.delete()
        row.delete()


def allowed(folder: str, project: Project) -> Path:
    """A folder that a project may follow, its links resolved. Raises `EktoposError` for any
    other."""
    path = _below(folder, roots_of(project))
    if not path.is_dir():
        raise EktoposError("there is no such folder.", subject=folder, hint="Look at its name.")
    return path


def deliverable(folder: str, project: Project) -> Path:
    """A folder that a project may deliver to, there already or not. Raises `EktoposError` for any
    other."""
    path = _below(folder, roots_of(project))
    if path.is_file() or not path.parent.is_dir():
        raise EktoposError(
            "it is a file." if path.is_file() else "the folder that it would be in is not there.",
            subject=folder,
            hint="Look at its name.",
        )
    return path


def _below(folder: str, roots: list[Path]) -> Path:
    path = Path(folder).expanduser()
    hint = "Name a folder below " + ", ".join(str(root) for root in roots) + "."
    if not roots and settings.TEAM and settings.FOLDERS:
        hint = "Whoever looks after the server grants folders to projects."
    elif not roots:
        hint = "Whoever runs Ektopos names folders in EKTOPOS_FOLDERS."
    if not path.is_absolute() or "\0" in folder:
        raise EktoposError("give the whole path of a folder.", subject=folder[:200], hint=hint)
    path = path.resolve()
    if not _is_below(path, roots):
        raise EktoposError("this folder may not be used.", subject=folder[:200], hint=hint)
    data = settings.DATA_FOLDER.resolve()
    if path.is_relative_to(data) or data.is_relative_to(path):
        raise EktoposError(
            "Ektopos keeps its own files there.", subject=folder, hint="Name another folder."
        )
    return path


def _is_below(path: Path, roots: list[Path]) -> bool:
    return any(path.is_relative_to(root.resolve()) for root in roots)


def take_up(followed: Followed) -> bool:
    """Start bringing in what has changed in a folder; gives whether something has to wait still.
    A project takes up one delivery at a time."""
    folder = Path(followed.folder)
    try:
        now = stamps(allowed(followed.folder, followed.project))
    except EktoposError as problem:
        Followed.objects.filter(pk=followed.pk).update(problem=problem.message[:400])
        return False
    fresh = {path for path, stamp in now.items() if followed.seen.get(path) != stamp}
    if not fresh:
        if followed.problem:
            Followed.objects.filter(pk=followed.pk).update(problem="")
        return False
    busy = (Job.State.WAITING, Job.State.RUNNING)
    if followed.project.jobs.filter(state__in=busy, kind="bring-in").exists():
        return True
    ready = {p for p in fresh if all(is_whole(now[one]) for one in _with_beside({p}, now))}
    if not ready:
        return True
    files, wanted = [], sorted(_with_beside(ready, now))
    for path in wanted:
        try:
            sha, _ = put_file(folder / path)
        except OSError:
            return True  # being moved or written: at the next look
        files.append({"path": path, "sha256": sha})
    again = stamps(folder)
    if any(again.get(path) != now[path] for path in wanted):
        return True  # something was written while it was read
    seen = followed.seen | {path: now[path] for path in ready}
    Followed.objects.filter(pk=followed.pk).update(seen=seen, problem="")
    Job.start(followed.project, "bring-in", {"files": files, "followed": followed.pk})
    return len(ready) < len(fresh)


def _with_beside(fresh: set[str], now: dict[str, Stamp]) -> set[str]:
    """What has changed, and what it needs or what needs it: a mesh and the files beside it come
    together."""
    wanted = set(fresh)
    for path in fresh:
        suffix, folder = PurePosixPath(path).suffix.lower(), PurePosixPath(path).parent
        if suffix in COMPANIONS or suffix in MESH_SUFFIXES:
            other = (*COMPANIONS, *MESH_SUFFIXES) if suffix in COMPANIONS else COMPANIONS
            wanted |= {
                one
                for one in now
                if PurePosixPath(one).suffix.lower() in other
                and PurePosixPath(one).is_relative_to(folder)
            }
    return wanted


def watch(stopping: threading.Event) -> None:
    """Take up whatever is saved in followed folders, until it is to stop. Each change is seen at
    once; folders are followed and left within a second."""
    from watchfiles import watch as changes_of

    while not stopping.is_set():
        rows = _rows()
        _looked(rows)
        # What is saved before the watch has begun is seen by looking once more.
        waits = True
        folders = sorted({row.folder for row in rows if Path(row.folder).is_dir()})
        if not folders:
            stopping.wait(EVERY / 1000)
            continue
        for changes in changes_of(
            *folders,
            stop_event=stopping,
            debounce=200,
            rust_timeout=EVERY,
            yield_on_timeout=True,
            raise_interrupt=False,
        ):
            now = _rows()
            if {row.pk for row in now} != {row.pk for row in rows}:
                break
            if changes or waits:
                waits = _looked(now)


def _rows() -> list[Followed]:
    close_old_connections()
    return list(Followed.objects.select_related("project"))


def _looked(rows: list[Followed]) -> bool:
    waits = False
    for row in rows:
        try:
            waits |= take_up(row)
        except Exception:
            # One folder that cannot be read must not keep the others from being followed.
            logger.exception("following %s failed; it is tried again", row.folder)
    return waits
