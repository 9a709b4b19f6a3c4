"""Export packages, and take in those that were made elsewhere."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

from ektopos.base.strict_json import json_value
from ektopos.base.types import Progress
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from server.workshop.external_packages import bring_in_package
from server.workshop.jobs.trial_cache import judge, package_of_parts
from server.workshop.models import Job, Package, Project
from server.workshop.packages import fetched_package_folder, keep
from server.workshop.store import package_folder, sync_tree


def export(job: Job, progress: Progress) -> dict[str, Any]:
    """Write the package of the project as it was when the job was asked for, and put it to trial if
    `try` is set."""
    made = package_of_parts(job)
    if made is not None:
        judge(job, made, progress)
        return {"package": made.pk}
    revision = job.project.revisions.get(pk=job.arguments["revision"])
    profile = find_profile(str(job.arguments["target"]), revision.core().document)
    package = Package.objects.create(project=job.project, revision=revision, target=profile.id)
    share = 0.55 if job.arguments.get("try") else 1.0
    try:
        done = export_package(
            revision.core(),
            profile,
            package_folder(package.pk) / "files",
            lambda s, what: progress(s * share, what),
            earlier=_last_folder(job.project, profile.id),
        )
        sync_tree(package_folder(package.pk))
        package.files, package.seconds, package.complete = (
            json_value(done.files),
            done.seconds,
            True,
        )
        package.save()
        keep(package)
        if job.arguments.get("try"):
            judge(job, package, lambda s, what: progress(share + s * (1 - share), what))
    except BaseException:
        if not package.complete:
            shutil.rmtree(package_folder(package.pk), ignore_errors=True)
            package.delete()
        raise
    return {"package": package.pk}


def _last_folder(project: Project, target: str) -> Path | None:
    """The files of the project's last package for a target: what has not changed is taken from
    there."""
    last = (
        project.packages.filter(target=target, complete=True, brought_in="", removed=None)
        .order_by("-id")
        .first()
    )
    return fetched_package_folder(last) / "files" if last else None


def take_in(job: Job, progress: Progress) -> dict[str, Any]:
    """Take in a package that was made elsewhere (`name`, `sha256`, `target`), and put it to
    trial.
    """
    given = job.arguments
    package = package_of_parts(job) or bring_in_package(
        job.project,
        given["name"],
        given["sha256"],
        given["target"],
        lambda s, what: progress(0.2 * s, what),
    )
    judge(job, package, lambda s, what: progress(0.2 + 0.8 * s, what))
    return {"package": package.pk}
