"""What of an earlier package can be used again, told by what it was made from.

A texture is made from its recipe (feeds, size, format) and the contents of its maps; a package from
the whole document, the target's rules and the contents of every file. What is equal is not made
again.
"""

from __future__ import annotations

import hashlib
import json
import os
import zipfile
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from ektopos import __version__
from ektopos.base.errors import DAMAGE, EktoposError
from ektopos.base.hashing import hash_file, hash_json
from ektopos.base.types import Json
from ektopos.document import document_json
from ektopos.export.plan import PlannedFile
from ektopos.export.profile import Profile
from ektopos.materials.texel_coverage import slots_with
from ektopos.meshes.formats.gltf import load_gltf
from ektopos.project import OpenProject, files_of, files_of_mesh, is_safe

PACKAGE_LIST = "package.json"
HashOf = Callable[[str], str]
"""The SHA-256 of a file of the project, by its path there."""


_WRITERS = 2
"""Raised whenever the same project is written otherwise than before, so that no package of then is
taken for one of now."""


@dataclass(frozen=True)
class EarlierTexture:
    """A texture of an earlier package."""

    content: bytes
    sha256: str
    divided_by: float
    constant: bool = False
    """Whether it has one colour all over, and is small for that."""


@dataclass(frozen=True)
class EarlierPackage:
    """An earlier package, or nothing."""

    folder: Path
    listing: Json = field(default_factory=dict)

    def is_whole(self, made_from: str) -> bool:
        """Whether it was made from just that, and every file of it is still as it was written."""
        files = {
            self.folder / file["path"]: file["sha256"] for file in self.listing.get("files", [])
        }
        return (
            self.listing.get("made_from") == made_from
            and all(path.is_file() for path in files)
            and _hashes(files) == list(files.values())
        )

    def texture(self, made_from: str) -> EarlierTexture | None:
        """The texture that was made from just that, if it is still as it was written."""
        for file in self.listing.get("files", []):
            path = self.folder / file["path"]
            if file.get("made_from") == made_from and path.is_file():
                content = path.read_bytes()
                digest = hashlib.sha256(content).hexdigest()
                constant = bool(file.get("constant"))
                kept = EarlierTexture(content, digest, file["divided_by"], constant)
                return kept if digest == file["sha256"] else None
            for number, image in enumerate(file.get("images", [])):
                if (
                    image.get("made_from") == made_from
                    and path.is_file()
                    and hash_file(path) == file["sha256"]
                ):
                    content = _image(path, number, str(image["path"]))
                    digest = hashlib.sha256(content).hexdigest()
                    return EarlierTexture(
                        content, digest, image["divided_by"], bool(image.get("constant"))
                    )
        return None


def read_earlier(folder: Path) -> EarlierPackage:
    """The package in a folder; an empty one if there is none, or one that cannot be read."""
    try:
        listing = json.loads((folder / PACKAGE_LIST).read_bytes())
        sound = all(
            is_safe(file["path"]) and isinstance(file["sha256"], str) for file in listing["files"]
        )
    except (OSError, *DAMAGE):
        return EarlierPackage(folder)
    return EarlierPackage(folder, listing if sound and "ektopos" in listing else {})


def texture_key(
    planned: PlannedFile, profile: Profile, project: OpenProject, hash_of: HashOf
) -> str:
    """What a planned texture is made from, as 64 hexadecimal digits."""
    feeds = [feed for channel in planned.channels.values() for feed in channel.feeds()]
    used = {
        name
        for feed in [*feeds, *(one for one in (planned.normal, planned.seen) if one)]
        for name in feed.maps()
    }
    files = {name: [project.document.maps[name].file] for name in used}
    if planned.padding:
        assigned = {
            mesh
            for material in planned.materials
            for mesh, _ in slots_with(project.document, material)
        }
        files |= {f"mesh {mesh}": files_of_mesh(project, mesh) for mesh in assigned}
    hashes = {name: [hash_of(file) for file in files[name]] for name in sorted(files)}
    return hash_json([__version__, _WRITERS, planned.recipe, profile.normal_y, hashes])


def package_key(project: OpenProject, profile: Profile) -> str:
    """What a package is made from, as 64 hexadecimal digits."""
    files = sorted(set(files_of(project)))
    contents = dict(zip(files, _hashes(project.path(file) for file in files), strict=True))
    return hash_json(
        [
            __version__,
            _WRITERS,
            document_json(project.document),
            profile.model_dump(mode="json", by_alias=True),
            contents,
        ]
    )


def _hashes(paths: Iterable[Path]) -> list[str]:
    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        return list(pool.map(hash_file, paths))


def file_hashes(project: OpenProject) -> HashOf:
    """A look-up of the hashes of a project's files."""
    return lambda file: hash_file(project.path(file))


def _image(path: Path, number: int, name: str) -> bytes:
    """One embedded image of a GLB or a USDZ."""
    if path.suffix == ".usdz":
        with zipfile.ZipFile(path) as archive:
            return archive.read(name)
    gltf, binary = load_gltf(path, path.name)
    view = gltf["bufferViews"][gltf["images"][number]["bufferView"]]
    if binary is None:
        raise EktoposError(
            "the earlier package is damaged.", subject=path.name, hint="Export into another folder."
        )
    return binary[view.get("byteOffset", 0) : view.get("byteOffset", 0) + view["byteLength"]]
