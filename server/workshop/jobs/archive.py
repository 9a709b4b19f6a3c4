"""Pack projects and packages to be downloaded."""

from __future__ import annotations

import zipfile
from typing import Any

from ektopos.base.strict_json import json_value
from ektopos.base.types import Progress
from ektopos.export.scene_glb import write_scene
from ektopos.project import pack
from server.workshop.models import Job
from server.workshop.packages import fetched_package_folder
from server.workshop.store import archive_path, share_file, writing


def archive(job: Job, progress: Progress) -> dict[str, Any]:
    """The project as it is, as a zip of its document and its files."""
    project = job.project.fresh()
    goal = archive_path(job.pk)
    with writing(goal) as temporary:
        pack(project.core(), temporary, progress)
    share_file(goal, again=True)
    return {"name": f"{project.name}.zip", "bytes": goal.stat().st_size}


def scene(job: Job, progress: Progress) -> dict[str, Any]:
    """The project's scene as one GLB, its textures at most `size` texels a side."""
    project = job.project.fresh()
    goal = archive_path(job.pk)
    with writing(goal) as temporary:
        written = write_scene(project.core(), temporary, int(job.arguments["size"]), progress)
    share_file(goal, again=True)
    return json_value(written) | {"name": f"{project.name}.glb"}


def package_archive(job: Job, progress: Progress) -> dict[str, Any]:
    """A package (`package`) as a zip."""
    package = job.project.packages.get(pk=job.arguments["package"], complete=True)
    folder, goal = fetched_package_folder(package) / "files", archive_path(job.pk)
    files = sorted(path for path in folder.rglob("*") if path.is_file())
    with writing(goal) as temporary, zipfile.ZipFile(temporary, "w", zipfile.ZIP_STORED) as packed:
        for done, path in enumerate(files):
            progress(done / len(files), f"packing {path.name}")
            packed.write(path, path.relative_to(folder))
    share_file(goal, again=True)
    return {"name": f"{package.project.name} {package.target}.zip", "bytes": goal.stat().st_size}
