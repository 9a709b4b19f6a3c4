"""The scene as one light-weight GLB: every mesh once, drawn wherever it stands; textures reduced.

Source: glTF 2.0, 3.5.2 (nodes and their matrices, by columns).
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from ektopos.base.errors import EktoposError
from ektopos.base.names import free_name
from ektopos.base.types import Json, Progress, no_progress
from ektopos.document import Document, Ground, LeftOut, MeshEntry, SceneItem
from ektopos.document.scene_layout import Size, matrices, standing
from ektopos.export.dropped_features import DroppedFeature
from ektopos.export.profile import Profile, built_in_profiles
from ektopos.export.write_package import export_package
from ektopos.meshes import Mesh, build_gltf, pack_glb
from ektopos.meshes.formats.glb import Binary
from ektopos.meshes.formats.gltf import load_gltf
from ektopos.project import FindFile, OpenProject, load_mesh

TARGET = "gltf-glb"
"""Whose rules the file follows, but for the size of its textures."""


@dataclass(frozen=True)
class SceneFile:
    """What was written."""

    path: str
    bytes: int
    items: int
    """Things that stand in it, the ground apart."""
    placements: int
    """The same with every repetition counted."""
    draws: int
    """Parts of one material that an engine draws, every repetition counted."""
    triangles: int
    left: list[DroppedFeature]
    """What of the meshes' files stays behind, for the scene holds only what is drawn."""


def write_scene(
    project: OpenProject, out: Path, size: int, progress: Progress = no_progress
) -> SceneFile:
    """Write the scene of a project as a GLB whose textures are at most `size` texels a side.

    With no scene in the document, all meshes that leave stand side by side. Raises `EktoposError`
    where there is nothing to write, and whatever reading the files raises.
    """
    document = project.document.exported()
    names = {item.mesh for item in document.scene.items.values()} or set(document.meshes)
    names &= set(document.meshes)
    if not names:
        raise EktoposError(
            "nothing stands in the scene.", subject=document.name, hint="Add a mesh first."
        )
    boxes = {}
    for done, name in enumerate(sorted(names)):
        progress(0.3 * done / len(names), f"reading {name}")
        boxes[name] = box_of(load_mesh(replace(project, document=document), name))
    sizes = {name: size for name, (size, _) in boxes.items()}
    items = {k: item for k, item in standing(document, sizes).items() if item.mesh in names}
    with tempfile.TemporaryDirectory(prefix="ektopos-scene-") as temporary:
        folder = Path(temporary)
        only, ground = _only(document, names, folder)
        found = replace(project, document=only, find=_with_file(project, folder))
        exported = export_package(
            found,
            profile_of(size),
            folder / "package",
            lambda share, what: progress(0.3 + 0.6 * share, what),
        )
        (container,) = (folder / "package").glob("*.glb")
        gltf, binary = load_gltf(container, container.name)
        progress(0.95, "standing everything where it belongs")
        meshes = {mesh["name"]: number for number, mesh in enumerate(gltf.get("meshes", []))}
        gltf["nodes"] = list(_nodes(items, boxes, meshes))
        if document.scene.ground is not None:
            gltf["nodes"].append({"name": "ground", "mesh": meshes[ground]})
        else:
            gltf["meshes"].pop(meshes[ground])
        gltf["scenes"] = [{"name": document.name, "nodes": list(range(len(gltf["nodes"])))}]
        buffer = Binary()
        buffer.chunks, buffer.size = [binary or b""], len(binary or b"")
        buffer.views = gltf.get("bufferViews", [])
        content = pack_glb(gltf, buffer)
    out.parent.mkdir(parents=True, exist_ok=True)
    out.write_bytes(content)
    draws, triangles = _counted(gltf)
    return SceneFile(
        out.name,
        len(content),
        len(items),
        sum(item.repeat[0] * item.repeat[1] for item in items.values()),
        draws,
        triangles,
        exported.left,
    )


def profile_of(size: int) -> Profile:
    """The rules of a scene's file."""
    raw = built_in_profiles()[TARGET].model_dump(mode="json", by_alias=True, exclude_defaults=True)
    mesh = raw.get("mesh", {}) | {"containers": "one"}
    return Profile.model_validate(
        raw | {"id": "scene", "title": "scene", "size_limit": size, "resize": "down", "mesh": mesh}
    )


def box_of(mesh: Mesh) -> tuple[Size, Size]:
    """A mesh's size along x, y and z, and the middle of its underside, metres."""
    corners = mesh.positions[mesh.triangles.reshape(-1)]
    if not len(corners):
        return (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
    low, high = corners.min(axis=0), corners.max(axis=0)
    x, _, z = (low + high) / 2
    width, height, depth = high - low
    return (float(width), float(height), float(depth)), (float(x), float(low[1]), float(z))


def _only(document: Document, names: set[str], folder: Path) -> tuple[Document, str]:
    """The document with what stands in its scene, and the name of the mesh that is its ground.

    That is there also where nobody sees it: meshes that share a container are written as they are
    drawn, and one that is alone as the whole scene of its file.
    """
    meshes = {name: entry for name, entry in document.meshes.items() if name in names}
    ground, name = document.scene.ground or Ground(), free_name("ground", meshes)
    gltf, binary = build_gltf({name: ground_mesh(ground)}, {name: {"ground": 0}})
    gltf["materials"] = [{"name": "ground"}]
    (folder / "ground.glb").write_bytes(pack_glb(gltf, binary))
    there = ground.material if ground.material in document.materials else None
    meshes[name] = MeshEntry(file=GROUND_FILE, slots={"ground": there})
    return document.model_copy(update={"meshes": meshes, "left_out": LeftOut()}), name


GROUND_FILE = "meshes/ground of the scene.glb"


def _with_file(project: OpenProject, folder: Path) -> FindFile:
    def find(file: str) -> Path | None:
        return folder / "ground.glb" if file == GROUND_FILE else project.find(file)

    return find


def ground_mesh(ground: Ground) -> Mesh:
    """The ground as a mesh: one square in y = 0, seen from above, UVs in its tiles, v down."""
    half, tiles = ground.size / 2, ground.size / ground.tile
    corners = np.array([(-1, 0, -1), (-1, 0, 1), (1, 0, 1), (1, 0, -1)], np.float64)
    uvs = (corners[:, [0, 2]] * tiles / 2).astype(np.float32)
    return Mesh(
        name="ground",
        positions=corners * half,
        triangles=np.array([(0, 1, 2), (0, 2, 3)], np.int32),
        triangle_slot=np.zeros(2, np.int32),
        slots=("ground",),
        vertex_slot=np.zeros(4, np.int32),
        normals=np.tile(np.array([0, 1, 0], np.float32), (4, 1)),
        uvs=uvs,
        colours=np.full((4, 4), np.nan, np.float32),
        unnormalised=np.zeros(4, bool),
        loose=(0,),
        uv_sets=(1,),
    )


def _nodes(
    items: dict[str, SceneItem], boxes: dict[str, tuple[Size, Size]], meshes: dict[str, int]
) -> Iterator[Json]:
    """A node for every time a thing stands somewhere."""
    for name, item in items.items():
        if item.mesh not in meshes:
            continue
        placed = matrices(item, boxes[item.mesh][1])
        for number, matrix in enumerate(placed):
            yield {
                "name": name if len(placed) == 1 else f"{name} {number + 1}",
                "mesh": meshes[item.mesh],
                "matrix": [float(value) for value in matrix.T.reshape(-1)],
            }


def _counted(gltf: Json) -> tuple[int, int]:
    """Draws and triangles of what the nodes show."""
    draws = triangles = 0
    for node in gltf["nodes"]:
        parts = gltf["meshes"][node["mesh"]]["primitives"]
        draws += len(parts)
        triangles += sum(gltf["accessors"][part["indices"]]["count"] // 3 for part in parts)
    return draws, triangles
