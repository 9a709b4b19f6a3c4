"""Deliver a package to a folder of this machine."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ektopos.automation.deliver import deliver
from ektopos.base.types import Progress
from ektopos.export.profile import find_profile
from server.workshop.following import deliverable
from server.workshop.models import Destination, Job
from server.workshop.store import delivery_backup

SHOWN = 5
"""Cells of a failed trial that are named."""


def deliver_to(job: Job, progress: Progress) -> dict[str, Any]:
    """Make the package of the project as it was when the job was asked for (as it is, with
    `newest`), try it, and put it into `folder` if it passes; with `dry` only say what would change
    there."""
    given = job.arguments
    project = job.project
    revision = (
        project.fresh().head if given.get("newest") else project.revisions.get(pk=given["revision"])
    )
    profile = find_profile(str(given["target"]), revision.core().document)
    goal: Path = deliverable(str(given["folder"]), project)
    row = Destination.towards(project, profile.id, str(goal))
    done = deliver(
        revision.core(),
        profile,
        goal,
        backup=delivery_backup(job.project.pk, profile.id),
        progress=progress,
        dry=bool(given["dry"]),
        delivered=row.delivered(),
        record=row.keep_record,
    )
    wrong = [c for c in done.trial.cells if c.verdict in ("differs", "lost")]
    return {
        "folder": str(goal),
        "dry": bool(given["dry"]),
        "passed": done.trial.passed,
        "changed": done.changed,
        "gone": done.gone,
        "same": len(done.export.files) - len(done.changed),
        "wrong": [f"{c.mesh} · {c.slot} · {c.input}: {c.message}" for c in wrong[:SHOWN]],
        "more_wrong": max(0, len(wrong) - SHOWN),
        "by_hand": sum(c.verdict == "by-hand" for c in done.trial.cells),
    }
