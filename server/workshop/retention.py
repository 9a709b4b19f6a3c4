"""What is kept and for how long: facts that are measured again, contents that nothing reaches, the
cache, backups."""

from __future__ import annotations

import contextlib
import hashlib
import logging
import os
import shutil
import time
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import NamedTuple

from django.conf import settings
from django.core.files.storage import Storage
from django.db import IntegrityError, transaction
from django.db.models import Q
from django.utils import timezone

from server.workshop.mesh_cache import unmeasured_meshes
from server.workshop.models import (
    AuditEvent,
    Held,
    Job,
    MapFacts,
    Offer,
    Package,
    Project,
    Revision,
)
from server.workshop.store import content_path, is_hash, is_sound, shared, wanted_path

logger = logging.getLogger(__name__)
ARCHIVE_HOURS = 24
RECIPE_DAYS = 60
TRIAL_DAYS = 14


def ensure_measured(project: Project) -> Job | None:
    """A job that measures what the project's state names and nobody has measured by today's
    measures; `None` if all is.

    What has failed once is not tried over and over.
    """
    revision = project.head
    shas = {
        sha
        for entry in revision.document["maps"].values()
        if (sha := revision.files.get(entry["file"], ""))
    }
    unknown = {
        sha
        for sha in shas - set(MapFacts.known(shas))
        if is_hash(sha) and content_path(sha).is_file()
    }
    meshes = unmeasured_meshes(revision)
    if not unknown and not meshes:
        return None
    wanted = sorted(unknown | {source.key for source in meshes.values()})
    arguments = {"unmeasured": hashlib.sha256(repr(wanted).encode()).hexdigest()}
    active = Q(state__in=(Job.State.WAITING, Job.State.RUNNING))
    if project.jobs.filter(active | Q(arguments=arguments), kind="measure").exists():
        return None
    try:
        with transaction.atomic():
            return Job.start(project, "measure", arguments)
    except IntegrityError:
        return None  # somebody has deleted the project meanwhile


def measure_again() -> int:
    """After an upgrade: start measuring in every project whose facts are of an older version; gives
    how many."""
    Job.objects.filter(kind="measure", state__in=(Job.State.DONE, Job.State.FAILED)).update(
        arguments={}
    )
    return sum(
        ensure_measured(project) is not None
        for project in Project.objects.select_related("head").exclude(head=None)
    )


class Damage(NamedTuple):
    """A content that is not what it should be."""

    sha256: str
    missing: bool
    used: list[str]
    """Projects and paths that name it."""


def verify_files() -> Iterator[Damage]:
    """Every content that is damaged, or missing and named by a project's present state. Cost:
    reading all of it."""
    used: dict[str, list[str]] = {}
    for project in Project.objects.select_related("head").exclude(head=None):
        for path, sha in project.head.files.items():
            used.setdefault(sha, []).append(f"{project.name}: {path}")
    here = {path.name for path in _contents()}
    for sha in sorted(here | set(used)):
        if not is_hash(sha) or not is_sound(sha):
            yield Damage(sha, sha not in here, used.get(sha, []))


def reached() -> set[str]:
    """Every content that any state of any project names, a package, an offer, or a job that has not
    ended."""
    reachable: set[str] = set()
    for whole, patch in Revision.objects.values_list("whole", "patch").iterator(chunk_size=200):
        if whole is not None:
            reachable.update(whole["files"].values())
        else:
            part = (patch or {}).get("in", {}).get("files", {})
            reachable.update(
                value for value in part.get("set", {}).values() if isinstance(value, str)
            )
    for arguments in Job.objects.filter(
        state__in=(Job.State.WAITING, Job.State.RUNNING)
    ).values_list("arguments", flat=True):
        reachable.update(str(file["sha256"]) for file in arguments.get("files", []))
        reachable.update(str(arguments[key]) for key in ("zip", "sha256") if key in arguments)
    for stored in Package.objects.values_list("stored", flat=True):
        reachable.update(stored.values())
    for sha, parts in Offer.objects.values_list("sha256", "parts"):
        reachable.update((sha, *parts.values()))
    return reachable


class RemovedFiles(NamedTuple):
    """What was taken away: how many, and how much room that made."""

    files: int
    bytes: int


def collect() -> RemovedFiles:
    """Take away what nothing reaches, after its time of grace, and what the cache holds beyond its
    limit.

    A content that is brought in again, or only looked at by a job, counts as new.
    """
    before = time.time() - 3600 * settings.GRACE_HOURS
    taken = [0, 0]

    def take(path: Path) -> None:
        with contextlib.suppress(OSError):
            size = path.stat().st_size
            path.unlink()
            taken[0] += 1
            taken[1] += size

    # The contents first, then what names them: what is named in between is younger than the grace.
    old = [path for path in _contents() if path.stat().st_mtime < before]
    kept = reached()
    for path in old:
        if path.name not in kept and path.stat().st_mtime < before:
            take(path)
            if not settings.SHARED:
                _forget(path.name)
    _collect_rows()
    for folder, hours in (("archives", ARCHIVE_HOURS), ("recipes", 24 * RECIPE_DAYS)):
        for path in _files(settings.DATA_FOLDER / folder):
            if path.stat().st_mtime < time.time() - 3600 * hours:
                take(path)
    spare = list(_files(settings.DATA_FOLDER / "cache"))
    if settings.SHARED:
        # What the store has can be fetched again.
        taken[0] += _collect_shared(kept, before)
        spare += _contents()
    cached = [(path.stat(), path) for path in spare if not path.is_symlink()]
    room = sum(status.st_size for status, _ in cached) - settings.CACHE_BYTES
    for status, path in sorted(cached, key=lambda pair: max(pair[0].st_atime, pair[0].st_mtime)):
        if room <= 0:
            break
        room -= status.st_size
        take(path)
    return RemovedFiles(*taken)


def _forget(sha256: str) -> None:
    """Take away what the database knows of a content that is gone everywhere."""
    MapFacts.objects.filter(sha256=sha256).delete()
    Held.objects.filter(sha256=sha256).delete()


def _collect_shared(kept: set[str], before: float) -> int:
    """Take away what nothing reaches from the store that several machines share, after its time of
    grace; gives how many. Each machine may do so, also at once."""
    store, count = shared(), 0
    assert store is not None

    def age(key: str) -> float:
        return store.get_modified_time(key).timestamp() if store.exists(key) else 0.0

    for folder in _folders(store, "files"):
        for sha in store.listdir(f"files/{folder}")[1]:
            if not is_hash(sha) or sha in kept:
                continue  # nothing is asked of the store for what stays
            key = f"files/{folder}/{sha}"
            if max(age(key), age(wanted_path(sha))) < before:
                store.delete(key)
                store.delete(wanted_path(sha))
                _forget(sha)
                count += 1
    for place, hours in (
        ("archives", ARCHIVE_HOURS),
        ("recipes", 24 * RECIPE_DAYS),
        ("cache/trials", 24 * TRIAL_DAYS),
    ):
        for folder in _folders(store, place):
            for name in store.listdir(f"{place}/{folder}")[1]:
                if age(f"{place}/{folder}/{name}") < time.time() - 3600 * hours:
                    store.delete(f"{place}/{folder}/{name}")
    return count


def _folders(store: Storage, place: str) -> list[str]:
    try:
        return sorted(store.listdir(place)[0])
    except FileNotFoundError:
        return []


def _collect_rows() -> None:
    """Packages that were taken away or left half done, and folders that no package has any more;
    jobs of long ago."""
    now = timezone.now()
    grace = now - timedelta(hours=settings.GRACE_HOURS)
    Package.objects.filter(removed__lt=grace).delete()
    working = Job.objects.filter(state=Job.State.RUNNING, kind__in=("export", "package")).exists()
    if not working:
        Package.objects.filter(complete=False, made__lt=now - timedelta(minutes=5)).delete()
    known = {str(pk) for pk in Package.objects.values_list("pk", flat=True)}
    for folder in sorted((settings.DATA_FOLDER / "packages").glob("*")):
        if folder.name not in known and folder.is_dir() and not working:
            shutil.rmtree(folder, ignore_errors=True)
    AuditEvent.objects.all().forget(settings.AUDIT_DAYS)
    ended = (Job.State.DONE, Job.State.FAILED, Job.State.CANCELLED)
    Job.objects.filter(state__in=ended, finished__lt=now - timedelta(days=30)).delete()
    if settings.TASKS_BY == "database":
        from django_tasks_db.models import DBTaskResult

        DBTaskResult.objects.finished().filter(finished_at__lt=now - timedelta(hours=1)).delete()


def remove_leavings() -> int:
    """Temporary files of processes that are gone, for when nothing else runs on the data; gives how
    many."""
    count = 0
    for folder in ("files", "cache", "recipes", "archives"):
        for path in sorted((settings.DATA_FOLDER / folder).rglob("tmp-*")):
            path.unlink(missing_ok=True)
            count += 1
    for path in sorted(settings.FILE_UPLOAD_TEMP_DIR.iterdir()):
        if path.is_dir():
            shutil.rmtree(path, ignore_errors=True)
        else:
            path.unlink(missing_ok=True)
        count += 1
    return count


def _contents() -> Iterator[Path]:
    return (path for path in _files(settings.DATA_FOLDER / "files") if is_hash(path.name))


def _files(folder: Path) -> Iterator[Path]:
    for place, _, names in os.walk(folder):
        yield from (Path(place) / name for name in names)
