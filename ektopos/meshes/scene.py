"""What a mesh file holds besides the triangles that are drawn: its nodes, and whatever else it
brings, in words and numbers."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from ektopos.base.errors import DAMAGE, EktoposError, UnreadableFile, brief
from ektopos.base.names import shortened
from ektopos.base.types import Json
from ektopos.meshes.formats.gltf import GLTF_SUFFIXES, load_gltf, node_order
from ektopos.meshes.formats.usd import USD_SUFFIXES, open_stage
from ektopos.meshes.read import FindPart
from ektopos.sandbox import sandboxed

if TYPE_CHECKING:
    from pxr import Usd

NodeKind = Literal["group", "mesh", "joint", "camera", "light", "socket"]
Brought = Literal[
    "skeleton",
    "animation",
    "morph targets",
    "uv sets",
    "tangents",
    "vertex colours",
    "scenes",
    "extras",
    "lights",
    "cameras",
    "variants",
    "extension",
    "hierarchy",
]
MAX_NODES = 2000
"""Listed; a file may have more."""
_READ = {
    "KHR_draco_mesh_compression",
    "KHR_mesh_quantization",
    "KHR_texture_transform",
    "KHR_lights_punctual",
    "EXT_mesh_gpu_instancing",
    "EXT_texture_webp",
}


@dataclass(frozen=True)
class SceneNode:
    """One node of the hierarchy, parents before children."""

    name: str
    depth: int
    kind: NodeKind
    """`socket` is a node with nothing in it and nothing below: a place to hang things on."""
    detail: str = ""


@dataclass(frozen=True)
class FileScene:
    """What a file holds."""

    nodes: tuple[SceneNode, ...] = ()
    brings: tuple[str, ...] = ()
    """What it brings along, a few words and numbers each."""
    kinds: tuple[Brought, ...] = ()
    """What kind of thing each of these is."""
    morphs: tuple[str, ...] = ()
    """The names of the morph targets, by their numbers."""


@sandboxed
def read_scene(path: Path, find: FindPart, name: str) -> FileScene:
    """The scene of a glTF or USD file; nothing for formats without one. Raises `UnreadableFile`."""
    suffix = Path(name).suffix.lower()
    try:
        if suffix in GLTF_SUFFIXES:
            return gltf_scene(load_gltf(path, name)[0])
        if suffix in USD_SUFFIXES:
            with open_stage(path, find, name) as (stage, _):
                return _usd_scene(stage)
    except EktoposError:
        raise
    except DAMAGE as problem:
        raise UnreadableFile(
            f"its scene is damaged ({type(problem).__name__}: {problem}).",
            subject=name,
            hint="Export it again.",
        ) from None
    return FileScene()


def gltf_scene(gltf: Json) -> FileScene:
    """The scene of a glTF document. Source: glTF 2.0, 3.5."""
    joints = {joint for skin in gltf.get("skins", []) for joint in skin.get("joints", [])}
    nodes = gltf.get("nodes", [])
    scene_nodes: list[SceneNode] = []
    for index, depth in node_order(gltf):
        if len(scene_nodes) == MAX_NODES:
            break
        node = nodes[index]
        kind, detail = _kind(gltf, node, index in joints)
        scene_nodes.append(SceneNode(str(node.get("name") or f"node_{index}"), depth, kind, detail))
    return replace(_scene(scene_nodes, list(_gltf_brings(gltf))), morphs=_morph_names(gltf))


def _morph_names(gltf: Json) -> tuple[str, ...]:
    """The names of the morph targets of the mesh that has most of them. Common practice: they stand
    in `extras.targetNames`."""
    morphs: tuple[str, ...] = ()
    for mesh in gltf.get("meshes", []):
        count = max((len(p.get("targets", [])) for p in mesh.get("primitives", [])), default=0)
        extras = mesh.get("extras")
        named = extras.get("targetNames", []) if isinstance(extras, dict) else []
        if count > len(morphs):
            known = [shortened(str(name)) for name in named[:count]]
            morphs = (*known, *(f"target {number}" for number in range(len(known), count)))
    return morphs


def _scene(nodes: list[SceneNode], brings: list[tuple[Brought, str]]) -> FileScene:
    if len(nodes) > 1:
        brings = [*brings, ("hierarchy", f"{len(nodes)} nodes in their hierarchy")]
    said = tuple(brief(words) for _, words in brings)
    return FileScene(tuple(nodes), said, tuple(kind for kind, _ in brings))


def _kind(gltf: Json, node: Json, is_joint: bool) -> tuple[NodeKind, str]:
    if "mesh" in node:
        mesh = gltf["meshes"][node["mesh"]]
        parts = len(mesh.get("primitives", []))
        words = [_count(parts, "part")]
        if "skin" in node:
            words.append("skinned")
        if "EXT_mesh_gpu_instancing" in node.get("extensions", {}):
            words.append("instanced")
        return "mesh", ", ".join(words)
    if is_joint:
        return "joint", ""
    if "camera" in node:
        return "camera", str(gltf["cameras"][node["camera"]].get("type", ""))
    if "KHR_lights_punctual" in node.get("extensions", {}):
        return "light", ""
    return ("group" if node.get("children") else "socket"), ""


def _gltf_brings(gltf: Json) -> Iterator[tuple[Brought, str]]:
    """What is in a glTF besides nodes and triangles."""
    for skin in gltf.get("skins", []):
        yield "skeleton", f"a skeleton of {_count(len(skin.get('joints', [])), 'joint')}"
    for number, animation in enumerate(gltf.get("animations", [])):
        times = [
            gltf["accessors"][sampler["input"]].get("max", [0.0])[0]
            for sampler in animation.get("samplers", [])
        ]
        label = animation.get("name") or f"animation {number}"
        yield "animation", f"{label}: an animation of {max(times, default=0.0):.2f} s"
    yield from _in_primitives(gltf.get("meshes", []))
    if len(gltf.get("scenes", [])) > 1:
        yield "scenes", f"{len(gltf['scenes'])} scenes"
    if any("extras" in node for node in gltf.get("nodes", [])):
        yield "extras", "extras on its nodes"
    lights = gltf.get("extensions", {}).get("KHR_lights_punctual", {}).get("lights", [])
    if lights:
        yield "lights", _count(len(lights), "light")
    if gltf.get("cameras"):
        yield "cameras", _count(len(gltf["cameras"]), "camera")
    if "KHR_materials_variants" in gltf.get("extensionsUsed", []):
        yield "variants", "material variants"
    for extension in sorted(set(gltf.get("extensionsUsed", [])) - _READ):
        if not extension.startswith("KHR_materials_"):
            yield "extension", f"{extension}, which is not known here"


def _in_primitives(meshes: list[Json]) -> Iterator[tuple[Brought, str]]:
    """What the primitives of a glTF hold besides triangles."""
    primitives = [p for mesh in meshes for p in mesh.get("primitives", [])]
    names = [
        str(target)
        for mesh in meshes
        if isinstance(mesh.get("extras"), dict)
        for target in mesh["extras"].get("targetNames", [])
    ]
    morphs = max((len(p.get("targets", [])) for p in primitives), default=0)
    if morphs:
        listed = f": {', '.join(dict.fromkeys(names))}" if names else ""
        yield "morph targets", _count(morphs, "morph target") + listed
    attributes = {name for p in primitives for name in p.get("attributes", {})}
    uv_sets = sum(name.startswith("TEXCOORD_") for name in attributes)
    if uv_sets > 1:
        yield "uv sets", f"{uv_sets} UV sets"
    if "TANGENT" in attributes:
        yield "tangents", "tangents"
    if "COLOR_0" in attributes:
        yield "vertex colours", "vertex colours"


def _usd_scene(stage: Usd.Stage) -> FileScene:
    """The scene of a USD stage: what can stand somewhere. Source: the UsdGeom and UsdSkel
    schemas."""
    from pxr import UsdGeom, UsdLux, UsdSkel

    nodes: list[SceneNode] = []
    brings: list[tuple[Brought, str]] = []
    for prim in stage.Traverse():
        if prim.IsA(UsdSkel.Skeleton):
            joints = UsdSkel.Skeleton(prim).GetJointsAttr().Get() or []
            brings.append(("skeleton", f"a skeleton of {_count(len(joints), 'joint')}"))
        if prim.IsA(UsdSkel.Animation):
            times = UsdSkel.Animation(prim).GetRotationsAttr().GetTimeSamples()
            words = f"{prim.GetName()}: an animation of {len(times)} samples"
            brings.append(("animation", words))
        if not prim.IsA(UsdGeom.Xformable) or len(nodes) == MAX_NODES:
            continue
        kind: NodeKind = "group" if prim.GetChildren() else "socket"
        if prim.IsA(UsdGeom.Mesh):
            kind = "mesh"
        elif prim.IsA(UsdGeom.Camera):
            kind = "camera"
        elif prim.HasAPI(UsdLux.LightAPI):
            kind = "light"
        depth = prim.GetPath().pathElementCount - 1
        nodes.append(SceneNode(shortened(prim.GetName()), depth, kind))
    return _scene(nodes, brings)


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'' if number == 1 else 's'}"
