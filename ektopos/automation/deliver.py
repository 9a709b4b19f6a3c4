"""Deliver a package to a folder that an engine reads: made beside it, tried, and only then put in
its place."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable, Collection
from dataclasses import dataclass
from pathlib import Path

from ektopos.base.types import Progress, no_progress
from ektopos.export.placing import files_of_package, put_in_place, refuse_links
from ektopos.export.profile import Profile
from ektopos.export.reuse import PACKAGE_LIST
from ektopos.export.write_package import Export, export_package
from ektopos.project import OpenProject
from ektopos.trial.compare import Trial, run_trial


@dataclass(frozen=True)
class Delivery:
    """What became of a delivery."""

    export: Export
    trial: Trial
    changed: list[str]
    """Files that are others than before, and those that are new."""
    gone: list[str]
    """Files of the package before that the new one does not have."""

    @property
    def delivered(self) -> bool:
        """Whether the folder may hold the new package: only if its trial passed."""
        return self.trial.passed


def deliver(
    project: OpenProject,
    profile: Profile,
    goal: Path,
    *,
    backup: Path | None = None,
    progress: Progress = no_progress,
    dry: bool = False,
    delivered: Collection[str] | None = None,
    record: Callable[[list[str]], None] = lambda files: None,
) -> Delivery:
    """Export, try, and put the package into `goal` if the trial passes; otherwise, and with `dry`,
    the folder stays as it is. The package that is replaced is kept in `backup`, if that is named.

    `delivered` are the files that the folder got from here before, where that is known: only they
    are replaced and removed. `record` is told what it has got from here, before and after.
    Raises `EktoposError` and its kin.
    """
    goal.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix=f".{goal.name}-new-", dir=goal.parent) as temporary:
        fresh = Path(temporary) / goal.name
        export = export_package(
            project, profile, fresh, lambda s, w: progress(0.6 * s, w), earlier=goal
        )
        files = [file.path for file in export.files]
        owned = files_of_package(goal) if delivered is None else list(delivered)
        before = [file for file in owned if file != PACKAGE_LIST]
        refuse_links(goal, {*before, *files})
        progress(0.6, "trying it")
        trial = run_trial(project, fresh, profile, renders=False)
        changed = [file for file in files if not _is_same(fresh / file, goal / file)]
        if trial.passed and not dry:
            if changed or set(before) != set(files):
                record(sorted({*owned, *files, PACKAGE_LIST}))
                put_in_place(goal, fresh, files, backup, owned)
                record([*files, PACKAGE_LIST])
            else:
                shutil.copy2(fresh / PACKAGE_LIST, goal / PACKAGE_LIST)
    return Delivery(export, trial, changed, sorted(set(before) - set(files)))


def _is_same(one: Path, other: Path) -> bool:
    return (
        other.is_file()
        and one.stat().st_size == other.stat().st_size
        and one.read_bytes() == other.read_bytes()
    )
