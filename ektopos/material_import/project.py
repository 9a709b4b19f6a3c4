"""Make a project of mesh files with the maps and materials that they bring."""

from __future__ import annotations

import shutil
import tempfile
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

from ektopos.base.errors import EktoposError
from ektopos.base.names import free_name
from ektopos.document import SUFFIX, Document, MeshEntry, dump_document
from ektopos.maps import map_name
from ektopos.material_import.carried import NotTaken, map_entries
from ektopos.material_import.files import carried_by
from ektopos.meshes import companion_files, read_mesh
from ektopos.meshes.formats.usd import USD_SUFFIXES
from ektopos.meshes.read import files_beside


@dataclass
class ImportedProject:
    """What was made."""

    project: str
    """The document, in the folder that was named."""
    maps: int = 0
    materials: int = 0
    meshes: int = 0
    not_taken: list[NotTaken] = field(default_factory=list)


def adopt_meshes(paths: list[Path], out: Path) -> ImportedProject:
    """Write a project folder of mesh files, the files that they need, and the maps and materials
    that they bring; slots wear the materials of their names.

    `out` must not hold anything yet; on any error nothing is left there. Raises `EktoposError` and
    its kin.
    """
    if out.exists() and (not out.is_dir() or any(out.iterdir())):
        raise EktoposError(
            "there is something already.", subject=str(out), hint="Name an empty folder."
        )
    out.parent.mkdir(parents=True, exist_ok=True)
    document = Document(name=out.name)
    made = ImportedProject(f"{out.name}{SUFFIX}", meshes=len(paths))
    with tempfile.TemporaryDirectory(prefix=f".{out.name}-", dir=out.parent) as temporary:
        folder = Path(temporary) / "project"
        folder.mkdir()
        for path in paths:
            _add(path, document, folder, made)
        made.maps, made.materials = len(document.maps), len(document.materials)
        (folder / made.project).write_text(dump_document(document), "utf-8")
        if out.exists():
            out.rmdir()
        shutil.move(folder, out)
    return made


def _add(path: Path, document: Document, folder: Path, made: ImportedProject) -> None:
    """One mesh with all that it brings."""
    find = files_beside(path)
    mesh = read_mesh(path)
    name = free_name(path.stem, document.meshes)
    home = f"meshes/{name}"
    _copy(path, folder / home / path.name)
    for part in _parts(path):
        source = find(part)
        if source is not None:
            _copy(source, folder / home / part)
    taken = set(document.maps)

    def entry_name(file: str) -> str:
        name = map_name(file, taken)
        taken.add(name)
        return name

    carried = carried_by(path, find, path.name, entry_name)
    files = {one.name: f"maps/{name}/{one.name}" for one in carried.maps}
    for one in carried.maps:
        goal = folder / files[one.name]
        goal.parent.mkdir(parents=True, exist_ok=True)
        goal.write_bytes(one.content)
    document.maps |= map_entries(carried, files, name)
    names = {label: free_name(label, document.materials) for label in carried.materials}
    document.materials |= {names[label]: entry for label, entry in carried.materials.items()}
    document.meshes[name] = MeshEntry(
        file=f"{home}/{path.name}", slots={slot: names.get(slot) for slot in mesh.slots}
    )
    made.not_taken += carried.not_taken
    made.not_taken += [NotTaken(f"mesh {name}", f"{note}.") for note in mesh.notes]


def _parts(path: Path) -> list[str]:
    """The files beside a mesh that it needs, textures left out: those become maps."""
    find = files_beside(path)
    return [
        part
        for part in companion_files(path, path.name, find)
        if PurePosixPath(part).suffix.lower() in (".bin", ".mtl")
        or (part.lower().endswith(USD_SUFFIXES) and find(part))
    ]


def _copy(source: Path, goal: Path) -> None:
    goal.parent.mkdir(parents=True, exist_ok=True)
    shutil.copyfile(source, goal)
