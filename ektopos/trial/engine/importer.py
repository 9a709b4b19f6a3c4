"""The stand-in engine: read a package's bytes into what an engine would hold.

It is deliberately naive where engines are: no alpha mode means opaque, no transform means none, a
texture that cannot be read is not there. glTF is parsed with pygltflib and textures with OpenCV, so
that a mistake of the writers (the core's own glTF code and OpenImageIO) cannot hide here. The sRGB
curve is written out once more for the same reason.
"""

from __future__ import annotations

from pathlib import Path

from ektopos.base.errors import InvalidDocument
from ektopos.export.profile import Profile
from ektopos.trial.engine.files import PackageFiles, read_listing
from ektopos.trial.engine.gltf import import_gltf
from ektopos.trial.engine.loose import import_loose
from ektopos.trial.engine.package import Imported


def import_package(package: Path, profile: Profile) -> Imported:
    """Read a package as the profile's engine would. A missing or broken file is said in the result,
    not raised."""
    try:
        listing = read_listing(package)
    except InvalidDocument:
        listing = {}
    files = PackageFiles(package, listing)
    if profile.container == "loose":
        return import_loose(profile, files, listing)
    if profile.container == "usdz":
        from ektopos.trial.engine.usdz import import_usdz

        return import_usdz(profile, files, listing)
    return import_gltf(package, profile, files, listing)
