"""The materials of any mesh file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath

from ektopos.base.errors import DAMAGE, EktoposError, UnreadableFile
from ektopos.material_import.carried import Carried, MapName
from ektopos.material_import.gltf import carried_by_gltf
from ektopos.material_import.mtl import carried_by_obj
from ektopos.material_import.usd import carried_by_usd
from ektopos.meshes.formats.gltf import GLTF_SUFFIXES
from ektopos.meshes.formats.usd import USD_SUFFIXES
from ektopos.meshes.read import FindPart
from ektopos.sandbox import sandboxed


def carried_by(path: Path, find: FindPart, name: str, map_name: MapName) -> Carried:
    """The maps and materials that a mesh file brings; nothing for formats that have none.

    `find` gives the files that it refers to, `map_name` once for each picture's file name the name
    that its map will have in the document. Raises `UnreadableFile`.
    """
    suffix, file = Path(name).suffix.lower(), PurePosixPath(name).name
    try:
        if suffix in GLTF_SUFFIXES:
            return replace(carried_by_gltf(path, find, name, map_name), file=file)
        if suffix == ".obj":
            return replace(carried_by_obj(path, find, name, map_name), file=file)
        if suffix in USD_SUFFIXES:
            return replace(carried_by_usd(path, find, name, map_name), file=file)
    except EktoposError:
        raise
    except DAMAGE as problem:
        reason = f"the materials in it are damaged ({type(problem).__name__}: {problem})."
        raise UnreadableFile(reason, subject=name, hint="Export it again.") from None
    return Carried()


@dataclass(frozen=True)
class _Held:
    """The content of a picture, or why it cannot be read."""

    content: bytes = b""
    problem: Exception | None = None

    def __call__(self) -> bytes:
        if self.problem is not None:
            raise self.problem
        return self.content


@sandboxed
def carried_whole(
    path: Path, find: FindPart, name: str, map_name: MapName, *, contents: bool = True
) -> Carried:
    """The same with the contents of its pictures, or with empty ones; raises as `carried_by`. What
    a picture cannot be read for is raised when it is asked for."""

    def held(read: Callable[[], bytes]) -> _Held:
        try:
            return _Held(read() if contents else b"")
        except (EktoposError, OSError, *DAMAGE) as problem:
            return _Held(problem=problem)

    found = carried_by(path, find, name, map_name)
    return replace(found, maps=[replace(one, read=held(one.read)) for one in found.maps])
