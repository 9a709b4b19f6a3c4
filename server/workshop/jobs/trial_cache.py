"""Put packages to trial: in parts where there are workers for it, and what was found is kept."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from django.conf import settings

from ektopos.base.strict_json import json_value
from ektopos.base.types import Progress
from ektopos.export.profile import Profile, find_profile
from ektopos.project import OpenProject
from ektopos.trial.compare import run_tasks, run_trial, tasks_left
from ektopos.trial.tasks import ResultCache, Task
from server.workshop.jobs.subtasks import hand_out, may_hand_out
from server.workshop.models import Job, Package
from server.workshop.packages import fetched_package_folder, keep
from server.workshop.store import ARRIVED, cache_path, fetch, share_file, writing

PART = 8
"""Pieces that one part of a trial does at the least: each part reads the package for itself."""


def _find(key: str) -> bytes | None:
    path = _place_of(key)
    with contextlib.suppress(FileNotFoundError):
        if fetch(path):
            os.utime(path)
            return path.read_bytes()
    return None


def _keep(key: str, found: bytes) -> None:
    path = _place_of(key)
    with writing(path) as temporary:
        temporary.write_bytes(found)
    share_file(path)


KEPT = ResultCache(_find, _keep)
"""What trials have found, by what it was found from, as files of the cache that machines share."""


def _place_of(key: str) -> Path:
    # Not a bare hash: that is how contents are called, whose bytes have it.
    return cache_path("trials", f"{key}.json")


def trial(job: Job, progress: Progress) -> dict[str, Any]:
    """Put a package to trial again."""
    package = job.project.packages.get(pk=job.arguments["package"], complete=True)
    judge(job, package, progress)
    return {"package": package.pk}


def trial_part(job: Job, progress: Progress) -> dict[str, Any]:
    """Judge some pieces of a package (`pieces`) for a job that waits for them."""
    package = job.project.packages.get(pk=job.arguments["package"], complete=True)
    pieces = [Task(*given) for given in job.arguments["pieces"]]
    run_tasks(
        *_tried(package, fetched_package_folder(package)),
        KEPT,
        pieces,
        progress,
        settings.JOB_THREADS,
    )
    return {"pieces": len(pieces)}


def package_of_parts(job: Job) -> Package | None:
    """The package that a job had made before it handed out its trial; `None` if it did not."""
    part = job.parts.filter(kind="trial-part").first()
    return Package.objects.filter(pk=part.arguments["package"]).first() if part else None


def judge(job: Job, package: Package, progress: Progress) -> None:
    """Compare a package with the revision it was made from, and keep what was found with its
    pictures. Raises `Parted`."""
    progress(0.0, "reading the package")
    folder = fetched_package_folder(package)
    tried = _tried(package, folder)
    left = tasks_left(*tried, KEPT) if may_hand_out(job) else []

    def part(pieces: Sequence[Task]) -> dict[str, object]:
        given = [[one.kind, one.meant, one.arrived, one.judged] for one in pieces]
        return {"package": package.pk, "pieces": given}

    hand_out(job, "trial-part", left, PART, part)
    pictures = folder / "pictures"
    pictures.mkdir(parents=True, exist_ok=True)
    names: list[tuple[str, str]] = []

    def keep_shown(material: str, input_name: str, shown: dict[str, bytes]) -> None:
        number = len(names)
        names.append((material, input_name))
        for what, png in shown.items():
            (pictures / f"{number}-{what}.png").write_bytes(png)

    (folder / ARRIVED).unlink(missing_ok=True)
    outcome = run_trial(
        *tried,
        progress,
        keep_shown,
        arrived=(folder / ARRIVED).write_bytes,
        kept=KEPT,
        threads=settings.JOB_THREADS,
    )
    result = json_value(outcome)
    result["pictures"] = [{"material": material, "input": name} for material, name in names]
    keep(package)
    package.trial = result
    package.save(update_fields=["trial"])


def _tried(package: Package, folder: Path) -> tuple[OpenProject, Path, Profile]:
    project = package.revision.core()
    return project, folder / "files", find_profile(package.target, project.document)
