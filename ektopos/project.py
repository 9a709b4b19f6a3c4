"""A project: its document joined to the files it names.

Files come from a folder, from a zip, or (in the application) from a content-addressed store.
Everything else asks `OpenProject.path` and never touches paths itself, so that nothing outside a
project is ever opened.
"""

from __future__ import annotations

import contextlib
import shutil
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from ektopos.base.errors import DiskFull, InvalidDocument, MissingReference, TooLarge, is_disk_full
from ektopos.base.names import folded, free_name
from ektopos.base.types import Progress, no_progress
from ektopos.document import SUFFIX, Document, dump_document, load_document
from ektopos.meshes import Mesh, apply_recipe, companion_files, read_mesh
from ektopos.meshes.formats.gltf import GLTF_SUFFIXES, load_gltf
from ektopos.meshes.formats.gltf_accessors import read_buffers
from ektopos.meshes.formats.gltf_passthrough import Original
from ektopos.meshes.formats.scales import apply_scales

MAX_ZIP_BYTES = 16 * 2**30
MAX_ZIP_FILES = 20_000
MAX_ZIP_RATIO = 100
"""How much larger a zip may become; texture maps are compressed already."""
FREE_RATIO_BYTES = 64 * 2**20
"""Below this the ratio does not matter."""
FindFile = Callable[[str], Path | None]
"""From a path as the document writes it to the file that holds its bytes, or `None`."""


@dataclass(frozen=True)
class OpenProject:
    """A document and the way to its files."""

    document: Document
    find: FindFile

    def path(self, file: str, subject: str = "") -> Path:
        """Where a file's bytes are. Raises `MissingReference` if the project has no such file."""
        place = self.find(file)
        if place is None:
            raise MissingReference(
                f"the file {file} is missing.", subject=subject or file, hint="Import it again."
            )
        return place

    def find_beside(self, file: str) -> FindFile:
        """Find files by their paths relative to another file of the project, as meshes name
        theirs.
        """
        folder = file.replace("\\", "/").rpartition("/")[0]
        return lambda part: self.find(f"{folder}/{part}" if folder else part)

    def find_pictures(self, file: str) -> FindFile:
        """Find files by their paths relative to a mesh; pictures that came in with it are found
        where maps are kept, in the same place below `maps/`."""
        beside, folder = self.find_beside(file), file.removeprefix("meshes/").rpartition("/")[0]
        return lambda part: (
            beside(part) or self.find(f"maps/{folder}/{part}" if folder else f"maps/{part}")
        )

    def map_path(self, name: str) -> Path:
        """Where a map's file is. Raises `MissingReference`."""
        entry = self.document.maps.get(name)
        if entry is None:
            raise MissingReference(
                "there is no such map.", subject=name, hint="Choose another, or import it."
            )
        return self.path(entry.file, name)


def load_mesh(project: OpenProject, name: str) -> Mesh:
    """A mesh of the project, read, with its recipe applied. Raises `MissingReference`,
    `UnreadableFile` or `EktoposError`."""
    mesh = read_project_mesh(project, name)
    return apply_recipe(mesh, project.document.meshes[name].recipe)


def read_project_mesh(project: OpenProject, name: str) -> Mesh:
    """The same as its file has it."""
    entry = project.document.meshes.get(name)
    if entry is None:
        raise MissingReference(
            "there is no such mesh.", subject=name, hint="Choose another, or import it."
        )
    return read_mesh(
        project.path(entry.file, name), project.find_beside(entry.file), name=entry.file
    )


def read_original(project: OpenProject, name: str, mesh: Mesh | None = None) -> Original | None:
    """The glTF file that a mesh came as, with its numbers; `None` for other formats. `mesh` is the
    mesh as its file has it, if that is known. Raises as `load_mesh`."""
    file = project.document.meshes[name].file
    if not file.lower().endswith(GLTF_SUFFIXES):
        return None
    whole = read_project_mesh(project, name) if mesh is None else mesh
    gltf, binary = load_gltf(project.path(file, name), file)
    original = Original(gltf, read_buffers(gltf, binary, project.find_beside(file), file), whole)
    steps = project.document.meshes[name].recipe
    return apply_scales(original) if any(s.kind == "apply-scale" for s in steps) else original


def is_safe(file: str) -> bool:
    """Whether a path from a document or a glTF stays where it is: relative, no `..`, no drive, no
    address."""
    parts = PurePosixPath(file.replace("\\", "/")).parts
    return (
        bool(parts)
        and ".." not in parts
        and parts[0] != "/"
        and ":" not in file
        and "\0" not in file
    )


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
def open_project(path: Path) -> Iterator[OpenProject]:
    """A project from its document, its folder or its zip. Raises `InvalidDocument` if it is none of
    them."""
    if path.is_dir():
        yield _from_folder(path, path.name)
    elif path.is_file() and zipfile.is_zipfile(path):
        with tempfile.TemporaryDirectory(prefix="ektopos-") as folder:
            unpack(path, Path(folder))
            yield _from_folder(Path(folder), path.name)
    elif path.is_file():
        yield OpenProject(load_document(path.read_bytes(), path.name), folder_files(path.parent))
    else:
        raise InvalidDocument(
            "there is no such project.", subject=str(path), hint="Check the path."
        )


def unpack(archive: Path, folder: Path, name: str = "", progress: Progress = no_progress) -> None:
    """Unpack a zip; what would leave the folder, or take more room than is credible, is refused
    before anything is written.

    `name` is what people know it by. Raises `InvalidDocument`, `TooLarge` beyond the limits above,
    or `DiskFull`.
    """
    with opened_zip(archive, folder, name) as (packed, entries):
        for done, entry in enumerate(entries):
            progress(done / len(entries), f"unpacking {entry.filename}")
            packed.extract(entry, folder)


@contextlib.contextmanager
def opened_zip(
    archive: Path, room: Path, name: str = ""
) -> Iterator[tuple[zipfile.ZipFile, list[zipfile.ZipInfo]]]:
    """A zip and its files, none of which gives more than it claims. Raises as `unpack`, also for
    damage found while reading it.

    `room` is a folder on the disk that it is to be unpacked to.
    """
    label = name or archive.name
    try:
        with zipfile.ZipFile(archive) as packed:
            entries = [entry for entry in packed.infolist() if not entry.is_dir()]
            _check_zip(entries, archive.stat().st_size, label)
            if sum(entry.file_size for entry in entries) > shutil.disk_usage(room).free:
                raise DiskFull(label)
            yield packed, entries
    except (
        zipfile.BadZipFile,
        zlib.error,
        EOFError,
        OSError,
        RuntimeError,
        NotImplementedError,
    ) as problem:
        if is_disk_full(problem):
            raise DiskFull(label) from None
        raise InvalidDocument(f"the zip cannot be unpacked ({problem}).", subject=label) from None


def _check_zip(entries: list[zipfile.ZipInfo], packed_size: int, name: str) -> None:
    size = sum(entry.file_size for entry in entries)
    if len(entries) > MAX_ZIP_FILES:
        raise TooLarge(
            f"it holds {len(entries):,} files; at most {MAX_ZIP_FILES:,} are read.", subject=name
        )
    if size > MAX_ZIP_BYTES:
        raise TooLarge("unpacked, the zip would be larger than 16 GiB.", subject=name)
    if size > FREE_RATIO_BYTES and size > MAX_ZIP_RATIO * packed_size:
        reason = (
            f"unpacked, the zip would be {size // max(1, packed_size):,} times as large; this "
            "is not credible."
        )
        raise TooLarge(reason, subject=name, hint="Pack it again, or choose its folder.")
    for entry in entries:
        if not is_safe(entry.filename):
            raise InvalidDocument(f"the entry {entry.filename} leaves the zip.", subject=name)


def document_among(files: Iterable[str], name: str) -> str:
    """Which of some relative paths is the project document: the one nearest to the top. Raises
    `InvalidDocument`."""
    documents = sorted((file.count("/"), file) for file in files if file.endswith(SUFFIX))
    if not documents:
        hint = "Choose a project that was saved as a zip, or its folder."
        raise InvalidDocument(f"there is no *{SUFFIX} in it.", subject=name, hint=hint)
    if len(documents) > 1 and documents[1][0] == documents[0][0]:
        raise InvalidDocument(
            "there is more than one project document in it.",
            subject=name,
            hint="Name the one you mean.",
        )
    return documents[0][1]


def pack(project: OpenProject, archive: Path, progress: Progress = no_progress) -> None:
    """Write a project as a zip of its document and its files. Raises `MissingReference` if a file
    is not there."""
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_STORED) as packed:
        stem = (
            "".join(c if c.isalnum() else "_" for c in project.document.name.lower()).strip("_")
            or "project"
        )
        files = sorted(set(files_of(project)))
        places = _told_apart(project.document, files)
        packed.writestr(stem + SUFFIX, dump_document(_with_places(project.document, places)))
        for done, file in enumerate(files):
            progress(done / len(files), f"packing {file}")
            packed.write(project.path(file), places.get(file, file))


def _told_apart(document: Document, files: list[str]) -> dict[str, str]:
    """Other places for files whose names some file system takes for one: those that differ only by
    case, or by how Unicode writes a letter. What a mesh names in turn stays where it is."""
    named = [entry.file for entry in document.maps.values()]
    named += [entry.file for entry in document.meshes.values()]
    taken = {folded(file) for file in files if file not in named}
    places: dict[str, str] = {}
    for file in dict.fromkeys(named):
        suffix = PurePosixPath(file).suffix
        place = free_name(file.removesuffix(suffix), taken, suffix, seen_as=folded)
        taken.add(folded(place))
        if place != file:
            places[file] = place
    return places


def _with_places(document: Document, places: dict[str, str]) -> Document:
    """The document with some of its files elsewhere."""
    moved = {
        part: {
            name: entry.model_copy(update={"file": places.get(entry.file, entry.file)})
            for name, entry in getattr(document, part).items()
        }
        for part in ("maps", "meshes")
    }
    return document.model_copy(update=moved) if places else document


def files_of(project: OpenProject) -> list[str]:
    """Every file that a project's document names, and the files that its meshes name in turn."""
    maps = [entry.file for entry in project.document.maps.values()]
    return maps + [
        file for mesh in project.document.meshes for file in files_of_mesh(project, mesh)
    ]


def files_of_mesh(project: OpenProject, mesh: str) -> list[str]:
    """A mesh's file, and those that it names in turn."""
    file = project.document.meshes[mesh].file
    path = project.find(file)
    folder = PurePosixPath(file).parent
    parts = (
        companion_files(path, file, lambda part: project.find(str(folder / part))) if path else []
    )
    return [file, *(str(folder / part) for part in parts if project.find(str(folder / part)))]


def _from_folder(folder: Path, name: str) -> OpenProject:
    inside = (str(path.relative_to(folder)) for path in folder.rglob(f"*{SUFFIX}"))
    document = folder / document_among(inside, name)
    return OpenProject(
        load_document(document.read_bytes(), document.name), folder_files(document.parent)
    )
