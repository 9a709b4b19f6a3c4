"""What should arrive of a mesh: its triangles by slot, and the scene of its file, told from the
project by the core's own readers."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Json
from ektopos.base.vectors import normalise
from ektopos.export.profile import Profile
from ektopos.materials.inheritance import Material
from ektopos.materials.texel_coverage import with_transform
from ektopos.meshes import Mesh, apply_recipe
from ektopos.meshes.formats.gltf import drawn_parts, influenced, local_matrix, node_order
from ektopos.meshes.formats.gltf_accessors import Accessors
from ektopos.meshes.formats.gltf_passthrough import Original, shaded_slots, turned_faces
from ektopos.meshes.mesh import OTHER_WAY, with_normals
from ektopos.project import OpenProject, read_original, read_project_mesh
from ektopos.trial.engine.package import ImportedScene, ImportedTriangles, joint_mark
from ektopos.trial.engine.scene import SAMPLES

Corners = NDArray[np.float64]
_NONE = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class ExpectedMesh:
    """A mesh of a project as a target should have it."""

    name: str
    authored: Mesh
    """With its recipe."""
    mesh: Mesh
    """The same, with UV transforms where the target works them in."""
    original: Original | None
    """Its file, where that is glTF and the target keeps scenes."""
    coloured: bool

    @cached_property
    def diagonal(self) -> float:
        """Of all that is drawn, in metres."""
        used = self.mesh.positions[self.mesh.triangles].reshape(-1, 3)
        return float(np.linalg.norm(np.ptp(used, axis=0))) if len(used) else 0.0

    def triangles(self, slot: str) -> ImportedTriangles:
        """The triangles of a slot."""
        mesh = self.mesh
        own = mesh.triangle_slot == mesh.slots.index(slot)
        corners = mesh.triangles[own]
        drawn = self._drawn
        colours = None
        if self.coloured and mesh.coloured[corners].any():
            colours = np.where(mesh.coloured[:, None], mesh.colours, 1.0)[corners]
        tangents, influences = drawn
        return ImportedTriangles(
            mesh.positions[corners],
            drawn_normals(mesh)[own],
            {
                number: mesh.uv_set(number)[corners]
                for number in range(1 + len(mesh.more_uvs))
                if np.isfinite(mesh.uv_set(number)[corners]).any()
            },
            None if colours is None else colours.astype(np.float32),
            None if tangents is None or not tangents[own].any() else tangents[own],
            None if influences is None or not influences[own].any() else influences[own],
        )

    @cached_property
    def _drawn(self) -> tuple[Corners | None, Corners | None]:
        """Tangents and the marks of influences of every triangle's corners, `(t, 3, 4)`; zero where
        the file has none."""
        if self.original is None:
            return None, None
        tangents, influences = _corner_values(self.original)
        turned = turned_faces(self.original.mesh, self.mesh)
        # Other normals leave tangents without a meaning: engines make them as glTF says.
        tangents[shaded_slots(self.original.mesh, self.mesh)[self.mesh.triangle_slot]] = 0.0
        if turned.any():
            tangents[turned] = tangents[turned][:, OTHER_WAY] * [1.0, 1.0, 1.0, -1.0]
            influences[turned] = influences[turned][:, OTHER_WAY]
        return (tangents if tangents.any() else None), (influences if influences.any() else None)


def drawn_normals(mesh: Mesh) -> Corners:
    """Normals of every triangle's corners as they are drawn, `(t, 3, 3)`."""
    drawn = with_normals(mesh)
    return drawn.normals[drawn.triangles].astype(np.float64)


def expected_mesh(
    project: OpenProject, name: str, profile: Profile, materials: dict[str, Material]
) -> ExpectedMesh:
    """A mesh as a target should have it. Raises as `load_mesh`."""
    entry = project.document.meshes[name]
    raw = read_project_mesh(project, name)
    authored = mesh = apply_recipe(raw, entry.recipe)
    if profile.mesh.uv_transform == "baked":
        for slot, material in entry.slots.items():
            if material in materials and slot in mesh.slots:
                mesh = with_transform(mesh, slot, materials[material].common_place().uv)
    coloured = profile.mesh.vertex_colours or entry.vertex_colours == "keep"
    keeps = profile.container != "usdz" and (
        profile.mesh.containers == "each" or len(project.document.meshes) == 1
    )
    original = read_original(project, name, raw) if keeps else None
    return ExpectedMesh(name, authored, mesh, original, coloured)


def _corner_values(original: Original) -> tuple[Corners, Corners]:
    """Tangents and influences of the triangles of a file, in the order of its mesh."""
    gltf, mesh = original.gltf, original.mesh
    accessors = Accessors(gltf, original.buffers)
    tangents = np.zeros((len(mesh.positions), 4))
    influences = np.zeros((len(mesh.positions), 4))
    names = [str(n.get("name") or f"node {i}") for i, n in enumerate(gltf.get("nodes", []))]
    start = 0
    for one, _, primitive in drawn_parts(gltf, accessors):
        held = primitive["attributes"]
        end = start + int(gltf["accessors"][held["POSITION"]]["count"])
        those, start = slice(start, end), end
        if not {"TANGENT", "JOINTS_0"} & set(held):
            continue
        values = accessors.attributes(primitive)
        axes = one.matrix[:3, :3]
        if one.joints is not None and "JOINTS_0" in values:
            joints = gltf["skins"][one.node["skin"]]["joints"]
            marks = np.stack([joint_mark(names[joint]) for joint in joints])
            influences[those] = influenced(values, marks).T
            axes = influenced(values, one.joints[:, :3, :3].reshape(-1, 9)).T.reshape(-1, 3, 3)
        if "TANGENT" in values:
            # One matrix for all, or one each.
            along = (axes @ values["TANGENT"][:, :3, None])[..., 0]
            tangents[those] = np.column_stack([normalise(along, _NONE), values["TANGENT"][:, 3]])
    return tangents[mesh.triangles], influences[mesh.triangles]


def expected_scene(original: Original) -> ImportedScene:
    """The scene of a file, as the engine would tell it."""
    gltf = original.gltf
    accessors = Accessors(gltf, original.buffers)
    paths = _paths(gltf)
    lights = gltf.get("extensions", {}).get("KHR_lights_punctual", {}).get("lights", [])
    groups = [("", "scenes"), ("", "nodes"), ("mesh ", "meshes")]
    return ImportedScene(
        nodes=tuple(
            (paths[i], tuple(local_matrix(gltf["nodes"][i]).T.reshape(-1)))
            for i, _ in node_order(gltf)
        ),
        skins=tuple(_skin(gltf, accessors, skin) for skin in gltf.get("skins", [])),
        animations=dict(_animations(gltf, accessors, paths)),
        morphs=tuple(_morphs(gltf, accessors)),
        lights=tuple(json.dumps(light, sort_keys=True) for light in lights),
        cameras=tuple(json.dumps(camera, sort_keys=True) for camera in gltf.get("cameras", [])),
        extras=tuple(
            json.dumps([kind + str(entry.get("name", "")), entry["extras"]], sort_keys=True)
            for kind, key in groups
            for entry in gltf.get(key, [])
            if entry.get("extras")
        ),
        extensions=tuple(sorted(gltf.get("extensionsUsed", []))),
        required=tuple(sorted(gltf.get("extensionsRequired", []))),
        scenes=len(gltf.get("scenes", [])),
    )


def _paths(gltf: Json) -> list[str]:
    nodes = gltf.get("nodes", [])
    paths = [""] * len(nodes)
    above = {child: i for i, node in enumerate(nodes) for child in node.get("children", [])}

    def path(index: int, depth: int = 0) -> str:
        name = str(nodes[index].get("name") or f"node {index}")
        if index not in above or depth > 1000:
            return name
        return f"{path(above[index], depth + 1)}/{name}"

    for index in range(len(nodes)):
        paths[index] = path(index)
    return paths


def _skin(
    gltf: Json, accessors: Accessors, skin: Json
) -> tuple[tuple[str, ...], NDArray[np.float64] | None]:
    nodes = gltf["nodes"]
    names = tuple(str(nodes[j].get("name") or f"node {j}") for j in skin["joints"])
    if "inverseBindMatrices" not in skin:
        return names, None
    stored = accessors.values(skin["inverseBindMatrices"])[: len(names)]
    return names, stored.reshape(-1, 4, 4).transpose(0, 2, 1)


def _morphs(
    gltf: Json, accessors: Accessors
) -> Iterator[tuple[str, int, tuple[float, ...], NDArray[np.float64]]]:
    for mesh in gltf.get("meshes", []):
        for primitive in mesh.get("primitives", []):
            targets = primitive.get("targets", [])
            if targets:
                furthest = [
                    np.abs(accessors.values(t["POSITION"])).max(initial=0.0)
                    if "POSITION" in t
                    else 0.0
                    for t in targets
                ]
                weights = tuple(float(w) for w in mesh.get("weights", ()))
                yield str(mesh.get("name", "")), len(targets), weights, np.array(furthest)


def _animations(
    gltf: Json, accessors: Accessors, paths: list[str]
) -> Iterator[tuple[str, dict[tuple[str, str], NDArray[np.float64]]]]:
    for number, animation in enumerate(gltf.get("animations", [])):
        samplers = animation["samplers"]
        times = [accessors.values(sampler["input"])[:, 0] for sampler in samplers]
        keys = np.concatenate([t for t in times if len(t)] or [np.zeros(1)])
        at = np.linspace(keys.min(), keys.max(), SAMPLES)
        animations = {}
        for channel in animation["channels"]:
            target, which = channel["target"], channel["sampler"]
            place = paths[target["node"]] if "node" in target else json.dumps(target)
            animations[place, str(target.get("path"))] = sampled(
                times[which],
                accessors.values(samplers[which]["output"]),
                samplers[which].get("interpolation", "LINEAR"),
                at,
                turns=target.get("path") == "rotation",
            )
        yield str(animation.get("name") or f"animation {number}"), animations


def sampled(
    times: NDArray[np.float64],
    values: NDArray[np.float64],
    how: str,
    at: NDArray[np.float64],
    *,
    turns: bool,
) -> NDArray[np.float64]:
    """An animation's channel at some times: `(k,)` keys, their values as glTF stores them, →
    `(len(at), n)`. Source: glTF 2.0, appendix C, by SciPy's interpolators."""
    from scipy.interpolate import CubicHermiteSpline, interp1d
    from scipy.spatial.transform import Rotation, Slerp

    at = np.clip(at, times[0], times[-1])
    each = values.reshape(len(times), 3 if how == "CUBICSPLINE" else 1, -1)
    if len(times) == 1:
        return np.repeat(each[:, each.shape[1] // 2], len(at), axis=0)
    if how == "CUBICSPLINE":
        pieces = []
        for number in range(len(times) - 1):
            start, end = each[number], each[number + 1]
            pieces.append(
                CubicHermiteSpline(
                    times[number : number + 2], [start[1], end[1]], [start[2], end[0]]
                )
            )
        place = np.clip(np.searchsorted(times, at, "right") - 1, 0, len(pieces) - 1)
        curve = np.stack([pieces[p](t) for p, t in zip(place, at, strict=True)])
        return curve / np.linalg.norm(curve, axis=1, keepdims=True) if turns else curve
    plain = each[:, 0]
    if how == "STEP":
        return np.asarray(interp1d(times, plain, kind="previous", axis=0)(at))
    if turns:
        return np.asarray(Slerp(times, Rotation.from_quat(plain))(at).as_quat())
    return np.asarray(interp1d(times, plain, axis=0)(at))
