"""What of a mesh's file goes along to a target, and what stays behind: said before the export."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from typing import Literal

from ektopos.base.errors import UnreadableFile
from ektopos.document import MeshEntry
from ektopos.document.mesh_steps import Shade
from ektopos.export.profile import Profile
from ektopos.meshes.formats.gltf import GLTF_SUFFIXES
from ektopos.meshes.scene import Brought, FileScene, read_scene
from ektopos.project import OpenProject

SceneOf = Callable[[str], FileScene]
"""The scene of a mesh's file, by the mesh's name."""
_MISSED: tuple[Brought, ...] = ("skeleton", "animation", "morph targets", "variants")
"""What an asset is not the same without."""


@dataclass(frozen=True)
class DroppedFeature:
    """Something that stays behind."""

    severity: Literal["error", "warning", "note"]
    subject: str
    code: str
    message: str


@dataclass(frozen=True)
class ExportedMesh:
    """What of a mesh's file leaves with it."""

    mesh: str
    goes: list[str]
    left: list[DroppedFeature]


def scene_reader(project: OpenProject) -> SceneOf:
    """Reads the scenes of a project's meshes."""

    def scene_of(name: str) -> FileScene:
        file = project.document.meshes[name].file
        return read_scene(project.path(file, name), project.find_beside(file), file)

    return scene_of


def exported_mesh(
    name: str, entry: MeshEntry, scene: FileScene, profile: Profile, *, alone: bool
) -> ExportedMesh:
    """What goes along with a mesh; `alone` says that its container holds no other."""
    kept = profile.container != "usdz" and entry.file.lower().endswith(GLTF_SUFFIXES) and alone
    coloured = profile.mesh.vertex_colours or entry.vertex_colours == "keep"
    goes: list[str] = []
    left: list[DroppedFeature] = []
    for kind, words in zip(scene.kinds, scene.brings, strict=True):
        if kind == "vertex colours":
            stays, why = not coloured, "engines multiply them in, and nobody asked for them"
        elif kind == "variants":
            stays, why = True, "the project's own materials take their place"
        elif kind == "uv sets":
            stays, why = False, ""
        elif kind == "tangents" and any(isinstance(step, Shade) for step in entry.recipe):
            stays, why = True, "slots were shaded otherwise, and engines make them anew"
        else:
            stays, why = not kept, _why(profile, entry, alone=alone)
        if stays:
            severity: Literal["warning", "note"] = "warning" if kind in _MISSED else "note"
            sentence = f"{words[0].upper()}{words[1:]} stays behind: {why}."
            left.append(DroppedFeature(severity, f"mesh {name}", "not-carried", sentence))
        else:
            goes.append(words)
    return ExportedMesh(name, goes, left)


def _why(profile: Profile, entry: MeshEntry, *, alone: bool) -> str:
    if profile.container == "usdz":
        return "USDZ gets what is drawn"
    if not alone:
        return "meshes that share a container are written as they are drawn"
    return f"from a {entry.file.rpartition('.')[2].upper()} file only what is drawn is written"


def exported_mesh_of(
    project: OpenProject, profile: Profile, name: str, scene_of: SceneOf
) -> ExportedMesh:
    """The same of a mesh of a project."""
    meshes = project.document.exported().meshes
    alone = profile.mesh.containers == "each" or len(meshes) == 1
    return exported_mesh(name, project.document.meshes[name], scene_of(name), profile, alone=alone)


def all_dropped_features(project: OpenProject, profile: Profile) -> list[DroppedFeature]:
    """What stays behind of all meshes of a project; nothing is said of a file that cannot be read,
    which the checks say."""
    scene_of = scene_reader(project)
    left: list[DroppedFeature] = []
    for name in project.document.meshes:
        with suppress(UnreadableFile):
            left += exported_mesh_of(project, profile, name, scene_of).left
    return left
