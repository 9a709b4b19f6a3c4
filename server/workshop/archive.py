"""Projects in, from folders and zips of a document and its files."""

from __future__ import annotations

import zipfile
from pathlib import Path

from ektopos.base.errors import InvalidDocument, MissingReference
from ektopos.document import Document, load_document
from ektopos.project import OpenProject as CoreProject
from ektopos.project import document_among, files_of, is_safe, open_project, opened_zip
from server.workshop.models import Job, Project
from server.workshop.store import content_path, known_content, put_file

MAX_DOCUMENT_BYTES = 64 * 2**20


def import_folder(path: Path) -> Project:
    """A new project from a project's folder or zip on this machine; it is measured by a job. Raises
    `InvalidDocument`."""
    with open_project(path) as opened:
        files = {}
        for file in files_of(opened):
            place = opened.find(file)
            if place is not None:
                files[file] = put_file(place)[0]
        project = Project.begin(opened.document, files, "opened")
    Job.start(project, "measure", {})
    return project


def import_uploads(uploads: list[tuple[str, str]]) -> Project:
    """A new project from uploaded files (path, sha256): one zip, or a folder with a document in it.

    Only the document is read here; a job takes the files out of the zip and measures them. Raises
    `InvalidDocument`.
    """
    given = dict(uploads)
    for path, sha256 in uploads:
        if not is_safe(path):
            raise InvalidDocument("the path leaves its folder.", subject=path)
        if known_content(sha256) is None:
            raise MissingReference(
                "it has not been uploaded.", subject=path, hint="Choose it again."
            )
    if len(uploads) == 1 and zipfile.is_zipfile(content_path(uploads[0][1])):
        return _import_zip(*uploads[0])
    chosen = next(iter(given)) if len(given) == 1 else document_among(given, "the folder")
    document = _document(content_path(given[chosen]).read_bytes(), chosen)
    within = chosen[: chosen.rfind("/") + 1]
    files = {
        path.removeprefix(within): sha for path, sha in given.items() if path.startswith(within)
    }
    core = CoreProject(document, lambda file: content_path(files[file]) if file in files else None)
    project = Project.begin(
        document, {file: files[file] for file in files_of(core) if file in files}, "opened"
    )
    Job.start(project, "measure", {})
    return project


def _import_zip(name: str, sha256: str) -> Project:
    archive = content_path(sha256)
    with opened_zip(archive, archive.parent, name) as (packed, entries):
        chosen = document_among([entry.filename for entry in entries], name)
        if packed.getinfo(chosen).file_size > MAX_DOCUMENT_BYTES:
            raise InvalidDocument("its project document is larger than 64 MiB.", subject=name)
        document = _document(packed.read(chosen), chosen)
    project = Project.begin(document, {}, "opened")
    Job.start(
        project, "measure", {"zip": sha256, "name": name, "within": chosen[: chosen.rfind("/") + 1]}
    )
    return project


def _document(content: bytes, path: str) -> Document:
    if len(content) > MAX_DOCUMENT_BYTES:
        raise InvalidDocument("the project document is larger than 64 MiB.", subject=path)
    return load_document(content, path.rpartition("/")[2])
