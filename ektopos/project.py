"""A project: its document joined to the files it names.

Files come from a folder, from a zip, or (in the application) from a content-addressed store. Everything else asks
`Project.path` and never touches paths itself, so that nothing outside a project is ever opened.
"""

from __future__ import annotations

import contextlib
import shutil
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from ektopos.document import SUFFIX, Document, dump_document, load_document
from ektopos.errors import DiskFull, InvalidDocument, MissingReference, TooLarge, is_disk_full
from ektopos.meshes import Mesh, apply_recipe, companion_files, read_mesh

MAX_ZIP_BYTES = 16 * 2**30
MAX_ZIP_FILES = 20_000
MAX_ZIP_RATIO = 100
"""How much larger a zip may become; texture maps are compressed already."""
FREE_RATIO_BYTES = 64 * 2**20
"""Below this the ratio does not matter."""
FindFile = Callable[[str], Path | None]
"""From a path as the document writes it to the file that holds its bytes, or `None`."""


@dataclass(frozen=True)
class Project:
    """A document and the way to its files."""

    document: Document
    find: FindFile

    def path(self, file: str, subject: str = "") -> Path:
        """Where a file's bytes are. Raises `MissingReference` if the project has no such file."""
        found = self.find(file)
        if found is None:
            raise MissingReference(f"the file {file} is missing.", subject=subject or file, hint="Bring it in again.")
        return found

    def find_beside(self, file: str) -> FindFile:
        """Find files by their paths relative to another file of the project, as meshes name theirs."""
        folder = file.replace("\\", "/").rpartition("/")[0]
        return lambda part: self.find(f"{folder}/{part}" if folder else part)

    def map_path(self, name: str) -> Path:
        """Where a map's file is. Raises `MissingReference`."""
        entry = self.document.maps.get(name)
        if entry is None:
            raise MissingReference("there is no such map.", subject=name, hint="Choose another, or bring it in.")
        return self.path(entry.file, name)


def load_mesh(project: Project, name: str) -> Mesh:
    """A mesh of the project, read, with its recipe applied. Raises `MissingReference`, `UnreadableFile` or `EktoposError`."""
    entry = project.document.meshes.get(name)
    if entry is None:
        raise MissingReference("there is no such mesh.", subject=name, hint="Choose another, or bring it in.")
    mesh = read_mesh(project.path(entry.file, name), project.find_beside(entry.file), name=entry.file)
    return apply_recipe(mesh, entry.recipe)


def is_safe(file: str) -> bool:
    """Whether a path from a document or a glTF stays where it is: relative, no `..`, no drive, no address."""
    parts = PurePosixPath(file.replace("\\", "/")).parts
    return bool(parts) and ".." not in parts and parts[0] != "/" and ":" not in file and "\0" not in file


def folder_files(root: Path) -> FindFile:
    """Find files below a folder; links that lead out of it are not followed."""
    base = root.resolve()

    def find(file: str) -> Path | None:
        if not is_safe(file):
            return None
        path = (base / file.replace("\\", "/")).resolve()
        return path if path.is_relative_to(base) and path.is_file() else None

    return find


@contextlib.contextmanager
def open_project(path: Path) -> Iterator[Project]:
    """A project from its document, its folder or its zip. Raises `InvalidDocument` if it is none of them."""
    if path.is_dir():
        yield _from_folder(path, path.name)
    elif path.is_file() and zipfile.is_zipfile(path):
        with tempfile.TemporaryDirectory(prefix="ektopos-") as folder:
            unpack(path, Path(folder))
            yield _from_folder(Path(folder), path.name)
    elif path.is_file():
        yield Project(load_document(path.read_bytes(), path.name), folder_files(path.parent))
    else:
        raise InvalidDocument("there is no such project.", subject=str(path), hint="Check the path.")


def unpack(archive: Path, folder: Path) -> None:
    """Unpack a zip; what would leave the folder, or take more room than is credible, is refused before anything is written.

    Raises `InvalidDocument`, `TooLarge` beyond the limits above, or `DiskFull`.
    """
    try:
        with zipfile.ZipFile(archive) as packed:
            for entry in zip_entries(packed, archive, folder):
                packed.extract(entry, folder)
    except (zipfile.BadZipFile, zlib.error, EOFError, OSError, RuntimeError, NotImplementedError) as problem:
        if is_disk_full(problem):
            raise DiskFull(archive.name) from None
        raise InvalidDocument(f"the zip cannot be unpacked ({problem}).", subject=archive.name) from None


def zip_entries(packed: zipfile.ZipFile, archive: Path, goal: Path) -> list[zipfile.ZipInfo]:
    """The files of a zip by its list alone, if `goal` has room for them; no entry ever gives more than it says here.

    Raises as `unpack`.
    """
    entries = [entry for entry in packed.infolist() if not entry.is_dir()]
    size = sum(entry.file_size for entry in entries)
    if len(entries) > MAX_ZIP_FILES:
        raise TooLarge(f"it holds {len(entries):,} files; at most {MAX_ZIP_FILES:,} are read.", subject=archive.name)
    if size > MAX_ZIP_BYTES:
        raise TooLarge("unpacked, the zip would be larger than 16 GiB.", subject=archive.name)
    if size > FREE_RATIO_BYTES and size > MAX_ZIP_RATIO * archive.stat().st_size:
        said = f"unpacked, the zip would be {size // max(1, archive.stat().st_size):,} times as large; this is not credible."
        raise TooLarge(said, subject=archive.name, hint="Pack it again, or choose its folder.")
    for entry in entries:
        if not is_safe(entry.filename):
            raise InvalidDocument(f"the entry {entry.filename} leaves the zip.", subject=archive.name)
    if size > shutil.disk_usage(goal).free:
        raise DiskFull(archive.name)
    return entries


def pack(project: Project, archive: Path) -> None:
    """Write a project as a zip of its document and its files. Raises `MissingReference` if a file is not there."""
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_STORED) as packed:
        stem = "".join(c if c.isalnum() else "_" for c in project.document.name.lower()).strip("_") or "project"
        packed.writestr(stem + SUFFIX, dump_document(project.document))
        for file in sorted(set(files_of(project))):
            packed.write(project.path(file), file)


def files_of(project: Project) -> list[str]:
    """Every file that a project's document names, and the files that its meshes name in turn."""
    maps = [entry.file for entry in project.document.maps.values()]
    return maps + [file for mesh in project.document.meshes for file in files_of_mesh(project, mesh)]


def files_of_mesh(project: Project, mesh: str) -> list[str]:
    """A mesh's file, and those that it names in turn."""
    file = project.document.meshes[mesh].file
    path = project.find(file)
    beside = [str(PurePosixPath(file).parent / part) for part in (companion_files(path, file) if path else [])]
    return [file, *(part for part in beside if project.find(part))]


def _from_folder(folder: Path, name: str) -> Project:
    documents = sorted(folder.rglob(f"*{SUFFIX}"), key=lambda found: (len(found.parts), found))
    if not documents:
        raise InvalidDocument(
            f"there is no *{SUFFIX} in it.", subject=name, hint="Choose a project that was saved as a zip, or its folder."
        )
    nearest = [found for found in documents if len(found.parts) == len(documents[0].parts)]
    if len(nearest) > 1:
        raise InvalidDocument("there is more than one project document in it.", subject=name, hint="Name the one you mean.")
    return Project(load_document(nearest[0].read_bytes(), nearest[0].name), folder_files(nearest[0].parent))
