"""The stand-in engine's importer for USDZ, with Pixar's own library: nothing is shared with those
who wrote the text.

What UsdPreviewSurface has no place for (filter, surface tag) is read from the package list.
"""

from __future__ import annotations

import math
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from ektopos.base.types import Json
from ektopos.base.usd_layers import confined_layer, strangers
from ektopos.export.profile import Profile
from ektopos.trial.engine.arithmetic import with_arithmetic
from ektopos.trial.engine.files import PackageFiles, listed_slots
from ektopos.trial.engine.gltf import add_material
from ektopos.trial.engine.package import (
    EXTENSIONS,
    Drawn,
    Imported,
    ImportedInput,
    ImportedMaterial,
    ImportedTriangles,
    Place,
    Slots,
    Texture,
)
from ektopos.trial.engine.scene import joined

_PORTS = {
    "base_color": "diffuseColor",
    "metallic": "metallic",
    "roughness": "roughness",
    "normal": "normal",
    "occlusion": "occlusion",
    "emission": "emissiveColor",
    "opacity": "opacity",
    "ior": "ior",
    "clearcoat": "clearcoat",
    "clearcoat_roughness": "clearcoatRoughness",
}
_UV_SETS = 4
_DEFAULTS: dict[str, tuple[float, ...]] = {
    "base_color": (0.18, 0.18, 0.18),
    "metallic": (0.0,),
    "roughness": (0.5,),
    "normal": (0.0, 0.0, 1.0),
    "occlusion": (1.0,),
    "emission": (0.0, 0.0, 0.0),
    "opacity": (1.0,),
}
"""What UsdPreviewSurface takes where nothing is said."""


def import_usdz(profile: Profile, files: PackageFiles, listing: Json) -> Imported:
    """Read a USDZ package: every archive that its list names, or that lies in it. A missing or
    broken file is said in the result, not raised."""
    from pxr import Tf

    listed = listed_slots(listing)
    named = [name for name in files.listed if name.lower().endswith(".usdz")]
    named = named or sorted(path.name for path in files.root.glob("*.usdz"))
    imported = Imported(profile.id, listed_slots=listed)
    for name in named or ["*.usdz"]:
        path = files.find(name)
        if path is None:
            return replace(imported, problem="missing-file", message=f"{name} is missing.")
        try:
            _import_file(imported, path, files, listing)
        except (
            Tf.ErrorException,
            zipfile.BadZipFile,
            ValueError,
            KeyError,
            IndexError,
            TypeError,
            RuntimeError,
            OSError,
        ) as problem:
            words = str(problem).splitlines()[0] if str(problem) else type(problem).__name__
            return Imported(
                profile.id,
                listed_slots=listed,
                problem="unreadable-file",
                message=f"{name} cannot be read ({words}).",
            )
    return imported


def _import_file(found: Imported, path: Path, files: PackageFiles, listing: Json) -> None:
    """Add what one archive holds."""
    from pxr import Usd

    # An archive is whole: nothing of the machine is read for it.
    # Source: USDZ File Format Specification, “Usage”.
    layer, elsewhere = confined_layer(path, [])
    if elsewhere:
        raise ValueError(f"it refers to {elsewhere[0]}, which is not in it")
    with zipfile.ZipFile(path) as archive:
        pictures = {
            name: archive.read(name)
            for name in archive.namelist()
            if not name.endswith((".usda", ".usdc"))
        }
    stage = Usd.Stage.Open(layer) if layer else None
    if stage is None or strangers(stage, {path.resolve()}):
        raise ValueError("it is no stage of its own")
    materials, names = _materials(
        stage, _Textures(pictures, files, listing), listing.get("materials", {})
    )
    slots, sides, drawn = _slots(stage, names)
    for name, material in materials.items():
        material = replace(material, name=name, double_sided=sides.get(name, False))
        key = add_material(found.materials, material, path.name)
        for assigned in slots.values():
            assigned.update({slot: key for slot, worn in assigned.items() if worn == name})
    found.slots.update(slots)
    found.drawn.update(drawn)
    found.containers[path.name] = list(slots)


class _Textures:
    """The archive's pictures."""

    def __init__(self, pictures: dict[str, bytes], files: PackageFiles, listing: Json) -> None:
        self.pictures, self.files = pictures, files
        self.listed = {
            image["path"]: image
            for file in listing.get("files", [])
            for image in file.get("images", [])
            if "path" in image
        }

    def __call__(self, name: str) -> Texture:
        """A texture by the path that the layer names."""
        entry = self.listed.get(name, {})
        size = (entry["width"], entry["height"]) if "width" in entry else None
        return self.files.inside(name, self.pictures.get(name), entry.get("sha256"), size)


def _materials(
    stage: Any, textures: _Textures, said: Json
) -> tuple[dict[str, ImportedMaterial], dict[str, str]]:
    """The materials by their names, and the names by their paths."""
    from pxr import UsdShade

    materials, names = {}, {}
    for prim in stage.Traverse():
        if not prim.IsA(UsdShade.Material):
            continue
        told = prim.GetAttribute("userProperties:material")
        name = str(told.Get()) if told and told.HasValue() else prim.GetName()
        names[str(prim.GetPath())] = name
        shader = UsdShade.Material(prim).ComputeSurfaceSource()[0]
        if not shader:
            raise ValueError(f"{name} has no surface")
        materials[name] = _material(shader, textures, said.get(name, {}))
    return materials, names


def _material(shader: Any, textures: _Textures, facts: Json) -> ImportedMaterial:
    defaults = _DEFAULTS | {name: plain for name, (*_, plain) in EXTENSIONS.items()}
    inputs: dict[str, ImportedInput] = {}
    for name, plain in defaults.items():
        port = shader.GetInput(_PORTS[name]) if name in _PORTS else None
        if not port:
            inputs[name] = ImportedInput(factor=plain)
        elif port.HasConnectedSource():
            source, output, _ = port.GetConnectedSource()
            inputs[name] = _texture(source, str(output), name, textures)
        else:
            value = port.Get()
            factor = (
                tuple(float(v) for v in value) if hasattr(value, "__len__") else (float(value),)
            )
            inputs[name] = ImportedInput(factor=factor)
    if inputs["emission"].texture is None:
        # Light above 1 travels in the colour itself.
        largest = max(1.0, *inputs["emission"].factor)
        factor = tuple(v / largest for v in inputs["emission"].factor)
        inputs["emission"] = replace(inputs["emission"], factor=factor, strength=largest)
    threshold = shader.GetInput("opacityThreshold")
    told = shader.GetInput("useSpecularWorkflow")
    cutoff = float(threshold.Get()) if threshold and threshold.Get() is not None else 0.0
    return ImportedMaterial(
        inputs=inputs,
        alpha_mode="opaque"
        if not shader.GetInput("opacity")
        else "mask"
        if cutoff > 0
        else "blend",
        alpha_cutoff=cutoff or 0.5,
        filter=str(facts.get("filter", "linear")),
        surface_tag=facts.get("surface_tag"),
        workflow="specular" if told and told.Get() else "metallic",
    )


def _texture(source: Any, output: str, name: str, textures: _Textures) -> ImportedInput:
    """An input that a texture feeds; what its reader scales by is the strength."""
    from pxr import UsdShade

    shader = UsdShade.Shader(source.GetPrim())
    if shader.GetIdAttr().Get() != "UsdUVTexture":
        raise ValueError(f"{name} is fed by something other than a texture")
    space = shader.GetInput("sourceColorSpace")
    srgb = space and str(space.Get()) == "sRGB" and output != "a"
    st = shader.GetInput("st")
    placed = st.GetConnectedSource() if st and st.HasConnectedSource() else None
    place = _place(UsdShade.Shader(placed[0].GetPrim())) if placed else Place()
    wrap = [shader.GetInput(port) for port in ("wrapS", "wrapT")]
    sides = ["black" if not side else str(side.Get()) for side in wrap]
    path = str(shader.GetInput("file").Get().path).removeprefix("./")
    wide = output == "rgb"
    imported = ImportedInput(
        textures(path),
        output,
        "srgb" if srgb else "linear",
        factor=(1.0, 1.0, 1.0) if wide else (1.0,),
        place=replace(place, wrap=(sides[0], sides[1])),
    )
    scale, bias = (
        tuple(
            _numbers(shader.GetInput(port), (plain,) * 4)["rgba".index(letter)] for letter in output
        )
        for port, plain in (("scale", 1.0), ("bias", 0.0))
    )
    if name == "normal":
        # The reader's arithmetic makes the vectors themselves; here it acts on texels, 0–1.
        scale = tuple(number / 2 for number in scale)
        bias = tuple((number + 1) / 2 for number in bias)
    return with_arithmetic(imported, name, scale, bias)


def _numbers(port: Any, default: tuple[float, ...]) -> tuple[float, ...]:
    """The numbers of a port; what they are where nothing is said."""
    value = port.Get() if port else None
    return default if value is None else tuple(float(number) for number in value)


def _place(shader: Any) -> Place:
    """UV set, tiling, offset and rotation as glTF counts them, of what gives a texture its UVs; st
    points up there."""
    from pxr import UsdShade

    if shader.GetIdAttr().Get() == "UsdPrimvarReader_float2":
        named = shader.GetInput("varname")
        number = str(named.Get() if named else "st").removeprefix("st")
        return Place(int(number) if number.isdigit() else 0)
    if shader.GetIdAttr().Get() != "UsdTransform2d":
        return Place()
    before = shader.GetInput("in")
    below = (
        _place(UsdShade.Shader(before.GetConnectedSource()[0].GetPrim()))
        if before and before.HasConnectedSource()
        else Place()
    )

    def told(name: str, plain: Any) -> Any:
        port = shader.GetInput(name)
        return plain if not port or port.Get() is None else port.Get()

    turn = math.radians(float(told("rotation", 0.0)))
    scale, moved = told("scale", (1.0, 1.0)), told("translation", (0.0, 0.0))
    su, sv = float(scale[0]), float(scale[1])
    offset = (float(moved[0]) - math.sin(turn) * sv, 1.0 - float(moved[1]) - math.cos(turn) * sv)
    return Place(below.uv_set, (su, sv), offset, turn)


def _slots(stage: Any, names: dict[str, str]) -> tuple[Slots, dict[str, bool], Drawn]:
    """Material by mesh and slot, whether all that wear a material are double-sided, and triangles
    in metres, y up, with v down."""
    from pxr import Usd, UsdGeom, UsdShade

    slots: Slots = {}
    parts: dict[tuple[str, str], list[ImportedTriangles]] = {}
    sides: dict[str, bool] = {}
    unit = UsdGeom.GetStageMetersPerUnit(stage)
    up = _Z_UP if UsdGeom.GetStageUpAxis(stage) == "Z" else np.eye(3)
    placing = UsdGeom.XformCache(Usd.TimeCode.Default())
    for prim in stage.Traverse():
        if not prim.IsA(UsdGeom.Mesh):
            continue
        bound = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()[0]
        material = names.get(str(bound.GetPath())) if bound else None
        marks = [prim.GetAttribute(f"userProperties:{key}") for key in ("mesh", "slot")]
        mesh, slot = (str(mark.Get()) if mark and mark.HasValue() else "" for mark in marks)
        mesh, slot = mesh or prim.GetParent().GetName(), slot or material or prim.GetName()
        slots.setdefault(mesh, {})[slot] = material
        matrix = np.array(placing.GetLocalToWorldTransform(prim)).T
        part = _triangles(UsdGeom.Mesh(prim), matrix, up, unit)
        parts.setdefault((mesh, slot), []).append(part)
        twice = bool(UsdGeom.Mesh(prim).GetDoubleSidedAttr().Get())
        if material is not None:
            sides[material] = sides.get(material, True) and twice
    return slots, sides, {key: joined(several) for key, several in parts.items()}


_Z_UP = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]])
"""Turns z up to y up."""


def _triangles(mesh: Any, matrix: Any, up: Any, unit: float) -> ImportedTriangles:
    """The triangles of a mesh of triangles; other polygons are what this engine does not take."""
    from pxr import UsdGeom

    counts = np.array(mesh.GetFaceVertexCountsAttr().Get(), np.int64)
    if (counts != 3).any():
        raise ValueError("a mesh has polygons that are no triangles")
    corners = np.array(mesh.GetFaceVertexIndicesAttr().Get(), np.int64).reshape(-1, 3)
    axes = up @ matrix[:3, :3]
    points = np.array(mesh.GetPointsAttr().Get(), np.float64)
    world = (points @ axes.T + up @ matrix[:3, 3]) * unit
    stored = mesh.GetNormalsAttr().Get()
    normals = None
    if stored is not None and mesh.GetNormalsInterpolation() == "vertex":
        turned = np.array(stored, np.float64) @ np.linalg.inv(axes)
        turned /= np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-30)
        normals = turned[corners]
    uvs = {}
    held = UsdGeom.PrimvarsAPI(mesh.GetPrim())
    for uv_set in range(_UV_SETS):
        placed = held.GetPrimvar(f"st{uv_set or ''}")
        if placed and placed.HasValue() and placed.GetInterpolation() == "vertex":
            at = np.array(placed.Get(), np.float32)[corners]
            uvs[uv_set] = np.stack([at[..., 0], 1.0 - at[..., 1]], axis=-1)
    tints = held.GetPrimvar("displayColor")
    colours = None
    if tints and tints.HasValue() and tints.GetInterpolation() == "vertex":
        rgb = np.array(tints.Get(), np.float32)[corners]
        colours = np.concatenate([rgb, np.ones((*rgb.shape[:2], 1), np.float32)], axis=2)
    return ImportedTriangles(world[corners], normals, uvs, colours)
