"""Projects in and out as folders and zips of a document and its files."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path, PurePosixPath

from django.conf import settings

from ektopos.errors import InvalidDocument
from ektopos.project import files_of, is_safe, open_project, pack
from server.workshop.models import Job, Project
from server.workshop.store import content_path, put_file


def import_folder(path: Path) -> Project:
    """A new project from a project's folder or zip; its files are measured by a job. Raises `InvalidDocument`."""
    with open_project(path) as opened:
        files = {}
        for file in files_of(opened):
            found = opened.find(file)
            if found is not None:
                files[file] = put_file(found)[0]
        project = Project.begin(opened.document, files, "opened")
    analyse(project)
    return project


def import_uploads(uploads: list[tuple[str, str]]) -> Project:
    """A new project from uploaded files (path, sha256): one zip, or a folder with a document in it."""
    with tempfile.TemporaryDirectory(dir=settings.FILE_UPLOAD_TEMP_DIR) as temporary:
        # Under their own names, so that what is wrong is said of the file that a person knows.
        folder = Path(temporary) / "the folder"
        folder.mkdir()
        for path, sha256 in uploads:
            if not is_safe(path):
                raise InvalidDocument("the path leaves its folder.", subject=path)
            place = folder / PurePosixPath(path)
            place.parent.mkdir(parents=True, exist_ok=True)
            os.link(content_path(sha256), place)
        return import_folder(place if len(uploads) == 1 else folder)


def analyse(project: Project) -> Job:
    """Measure every file that the project's document names."""
    files = [{"path": path, "sha256": sha} for path, sha in project.head.files.items()]
    return Job.start(project, "bring-in", {"files": files, "analyse": True})


def write_archive(project: Project, path: Path) -> None:
    """The project as a zip."""
    pack(project.core(), path)
