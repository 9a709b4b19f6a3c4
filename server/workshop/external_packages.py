"""Packages that were made elsewhere, or edited by hand: taken in to be put to trial."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path, PurePosixPath

from django.conf import settings

from ektopos.base.errors import EktoposError, InvalidDocument, MissingReference
from ektopos.base.types import Progress, no_progress
from ektopos.export.profile import Profile, find_profile, profiles_of
from ektopos.project import opened_zip, unpack
from ektopos.trial.engine.files import read_listing
from server.workshop.models import Package, Project
from server.workshop.packages import keep
from server.workshop.store import (
    content_path,
    known_content,
    package_folder,
    sync_tree,
    tell_when_full,
)

_SIGNS = ("package.json", "*.glb", "*.gltf", "*.usdz", "*.mtlx")


def check_package(project: Project, name: str, sha256: str, target: str | None) -> None:
    """See that an uploaded file can be a package, as far as can be seen at once. Raises
    `EktoposError` and its kin."""
    source = known_content(sha256)
    if source is None:
        raise MissingReference("it has not been uploaded.", subject=name, hint="Choose it again.")
    suffix = PurePosixPath(name).suffix.lower()
    if suffix not in (".zip", ".glb", ".usdz"):
        raise InvalidDocument(
            "this is no package.", subject=name, hint="Choose a zip of its folder, a GLB or a USDZ."
        )
    if target:
        find_profile(target, project.document)
    if suffix == ".zip":
        with opened_zip(source, source.parent, name) as (_, entries):
            if not any(
                PurePosixPath(entry.filename).match(sign) for entry in entries for sign in _SIGNS
            ):
                raise _no_package(name)


def bring_in_package(
    project: Project, name: str, sha256: str, target: str | None, progress: Progress = no_progress
) -> Package:
    """Keep an uploaded zip, GLB or USDZ as a package of the project, without a trial yet.

    Raises `EktoposError` and its kin: for other files, for a zip without a package, and where no
    target fits.
    """
    check_package(project, name, sha256, target)
    source, suffix = content_path(sha256), PurePosixPath(name).suffix.lower()
    with tempfile.TemporaryDirectory(dir=settings.FILE_UPLOAD_TEMP_DIR) as temporary:
        folder = Path(temporary)
        if suffix == ".zip":
            unpack(source, folder, name, progress)
            folder = _root(folder, name)
        else:
            shutil.copy(source, folder / PurePosixPath(name).name)
        profile = _profile(project, folder, target, name)
        inside = sorted(path for path in folder.rglob("*") if path.is_file())
        package = Package.objects.create(
            project=project,
            revision=project.head,
            target=profile.id,
            brought_in=PurePosixPath(name).name[:200],
            files=[
                {"path": str(path.relative_to(folder)), "bytes": path.stat().st_size}
                for path in inside
            ],
        )
        shutil.rmtree(package_folder(package.pk), ignore_errors=True)
        with tell_when_full():
            shutil.copytree(folder, package_folder(package.pk) / "files")
        sync_tree(package_folder(package.pk))
    package.complete = True
    package.save(update_fields=["complete"])
    keep(package)
    return package


def _root(folder: Path, name: str) -> Path:
    """The folder of a zip that the package lies in."""
    roots = sorted(
        (path for sign in _SIGNS for path in folder.rglob(sign)), key=lambda path: len(path.parts)
    )
    if not roots:
        raise _no_package(name)
    return roots[0].parent


def _no_package(name: str) -> EktoposError:
    return EktoposError(
        "there is no package in it.",
        subject=name,
        hint="It needs a package.json, a mesh or materials.",
    )


def _listing(folder: Path) -> dict[str, object]:
    try:
        return read_listing(folder)
    except InvalidDocument:
        return {}


def _profile(project: Project, folder: Path, target: str | None, name: str) -> Profile:
    """The target whose rules a package is read by: the one named, its own, or one that its
    container fits."""
    document = project.document
    if target:
        return find_profile(target, document)
    profiles = profiles_of(document)
    named = _listing(folder).get("target")
    if isinstance(named, str) and named in profiles:
        return profiles[named]
    loose = any(folder.rglob("*.mtlx")) or any(
        path.suffix.lower() in (".png", ".tga", ".jpg") for path in folder.rglob("*")
    )
    container = (
        "usdz"
        if any(folder.glob("*.usdz"))
        else ("gltf" if loose or any(folder.glob("*.bin")) else "gltf-embedded")
        if any(folder.glob("*.gltf"))
        else "loose"
        if loose
        else "glb"
    )
    fitting = [profile for profile in profiles.values() if profile.container == container]
    if not fitting:
        raise EktoposError(
            "no target takes such a package.",
            subject=name,
            hint="Describe one, or choose it by hand.",
        )
    return next((profile for profile in fitting if profile.id == document.target), fitting[0])
