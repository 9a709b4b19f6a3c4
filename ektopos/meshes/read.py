"""Read a mesh file of any supported format."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Iterable
from dataclasses import replace
from pathlib import Path

import numpy as np

from ektopos.base.errors import DAMAGE, EktoposError, UnreadableFile, brief
from ektopos.base.names import LONGEST, counted, is_shortened
from ektopos.base.usd_layers import Find, usd_companions
from ektopos.meshes.formats.gltf import GLTF_SUFFIXES, gltf_companions, read_gltf
from ektopos.meshes.formats.obj import obj_companions, read_obj
from ektopos.meshes.formats.ply import read_ply
from ektopos.meshes.formats.usd import USD_SUFFIXES, read_usd
from ektopos.meshes.mesh import Mesh
from ektopos.meshes.mesh_builder import check_slots
from ektopos.sandbox import sandboxed

MESH_SUFFIXES = (*GLTF_SUFFIXES, ".obj", ".ply", *USD_SUFFIXES)
OTHER_MESH_SUFFIXES = (
    ".3ds",
    ".abc",
    ".blend",
    ".c4d",
    ".dae",
    ".fbx",
    ".max",
    ".ma",
    ".mb",
    ".stl",
    ".x3d",
    ".lwo",
)
READ_HINT = (
    "Save it as GLB, glTF with its files, OBJ with MTL, PLY or USD: these open formats are read."
)

MAX_COORDINATE = 1e12
"""Squares of it still fit 32-bit floats, with which meshes leave."""

FindPart = Callable[[str], Path | None]
"""From a path inside a mesh file to the file beside it, or `None`."""


def read_mesh(path: Path, find: FindPart | None = None, *, name: str | None = None) -> Mesh:
    """A mesh with its transforms applied. `find` looks up the files it refers to; by default beside
    `path`, never above.

    `name` gives the file's own name where `path` is only where its bytes lie. Raises
    `UnreadableFile`.
    """
    return _read_mesh(path, find or files_beside(path), name or path.name)


@sandboxed
def _read_mesh(path: Path, find: FindPart, given: str) -> Mesh:
    suffix = Path(given).suffix.lower()
    if not path.is_file():
        raise UnreadableFile("there is no such file.", subject=given, hint="Check the path.")
    try:
        if suffix in GLTF_SUFFIXES:
            return _within_bounds(read_gltf(path, find, given))
        if suffix == ".obj":
            return _within_bounds(read_obj(path, find, given))
        if suffix == ".ply":
            return _within_bounds(read_ply(path, given))
        if suffix in USD_SUFFIXES:
            return _within_bounds(read_usd(path, find, given))
    except EktoposError:
        raise
    except DAMAGE as problem:
        raise UnreadableFile(
            f"the mesh is damaged ({type(problem).__name__}: {problem}).",
            subject=given,
            hint="Export it again.",
        ) from None
    raise UnreadableFile(f"“{suffix}” meshes are not read.", subject=given, hint=READ_HINT)


def companion_files(path: Path, name: str, find: Find | None = None) -> list[str]:
    """Relative paths of the files that a mesh file needs beside it (buffers, materials, layers,
    images that are there or not); those that its layers need too, where `find` has them."""
    if find is None:
        return _named_in(path, name)

    def inside(part: str) -> list[str]:
        layer = find(part)
        return [] if layer is None else _named_in(layer, part)

    return with_nested(_named_in(path, name), inside)


def with_nested(parts: Iterable[str], inside: Callable[[str], Iterable[str]]) -> list[str]:
    """The relative paths of files, and of those that layers among them refer to in turn; `inside`
    gives what one of them refers to, from its own folder.

    >>> with_nested(["a/b.usd"], lambda part: {"a/b.usd": ["c.usd"]}.get(part, []))
    ['a/b.usd', 'a/c.usd']
    """
    reached = dict.fromkeys(parts)
    waiting = list(reached)
    while waiting:
        part = waiting.pop()
        if not part.lower().endswith(USD_SUFFIXES):
            continue
        for inner in inside(part):
            place = posixpath.normpath(posixpath.join(posixpath.dirname(part), inner))
            if place not in reached:
                reached[place] = None
                waiting.append(place)
    return list(reached)


@sandboxed
def _named_in(path: Path, name: str) -> list[str]:
    suffix = Path(name).suffix.lower()
    try:
        if suffix == ".gltf":
            return gltf_companions(path)
        if suffix == ".obj":
            return obj_companions(path)
        if suffix in USD_SUFFIXES:
            return usd_companions(path, name)
    except (ValueError, TypeError, AttributeError, EktoposError, RecursionError):
        return []
    return []


def _within_bounds(mesh: Mesh) -> Mesh:
    """The mesh. Raises `ValueError` where its numbers or the number of its slots would spoil every
    measure."""
    check_slots(len(mesh.slots))
    if not len(mesh.triangles):
        raise UnreadableFile(
            "there are no faces in it.",
            subject=mesh.name,
            hint="Export it with its faces: points and lines cannot have materials.",
        )
    if mesh.positions.size and not np.abs(mesh.positions).max() <= MAX_COORDINATE:
        raise ValueError(f"a position is beyond {MAX_COORDINATE:.0e} m")
    long = sum(map(is_shortened, (*mesh.slots, *mesh.objects, *(node.name for node in mesh.nodes))))
    notes = tuple(map(brief, mesh.notes))
    if long:
        whole = "the file keeps them whole"
        notes += (f"{counted(long, 'name')} longer than {LONGEST} characters; {whole}",)
    if mesh.uvs.size and np.abs(np.nan_to_num(mesh.uvs, nan=0.0)).max() > MAX_COORDINATE:
        raise ValueError(f"a UV is beyond {MAX_COORDINATE:.0e}")
    return replace(mesh, notes=notes)


def files_beside(path: Path) -> FindPart:
    """Find files beside a mesh file or below, never above."""
    base = path.parent.resolve()

    def find(part: str) -> Path | None:
        place = (base / part).resolve()
        return place if place.is_relative_to(base) and place.is_file() else None

    return find
