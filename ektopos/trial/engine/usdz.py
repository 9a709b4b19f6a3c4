"""The stand-in engine's importer for USDZ, with Pixar's own library: nothing is shared with those
who wrote the text.

What UsdPreviewSurface has no place for (filter, surface tag) is read from the package list.
"""

from __future__ import annotations

import hashlib
import math
import zipfile
from dataclasses import replace
from typing import Any

import numpy as np

from ektopos.targets.profile import Profile
from ektopos.trial.engine.files import PackageFiles, decode_texture, listed_slots
from ektopos.trial.engine.package import (
    EXTENSIONS,
    Imported,
    ImportedInput,
    ImportedMaterial,
    Place,
    Slots,
    Texture,
    Uvs,
)

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


def import_usdz(profile: Profile, files: PackageFiles, listing: dict[str, Any]) -> Imported:
    """Read a USDZ package. A missing or broken file is said in the result, not raised."""
    from pxr import Tf, Usd

    listed = listed_slots(listing)
    named = next((name for name in files.listed if name.lower().endswith(".usdz")), None)
    found = files.find(named) if named else next(iter(sorted(files.root.glob("*.usdz"))), None)
    if found is None:
        return Imported(
            profile.id,
            listed_slots=listed,
            problem="missing-file",
            message=f"{named or '*.usdz'} is missing.",
        )
    try:
        with zipfile.ZipFile(found) as archive:
            pictures = {
                name: archive.read(name)
                for name in archive.namelist()
                if not name.endswith((".usda", ".usdc"))
            }
        stage = Usd.Stage.Open(str(found))
        if stage is None:
            raise ValueError("it is no stage")
        textures = _Textures(pictures, listing)
        said = listing.get("materials", {})
        materials, names = _materials(stage, textures, said)
        slots, sides, uvs = _slots(stage, names)
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
            message=f"{found.name} cannot be read ({words}).",
        )
    for name, on in sides.items():
        if name in materials:
            materials[name] = replace(materials[name], double_sided=on)
    return Imported(profile.id, materials, slots, listed, uvs=uvs)


class _Textures:
    """The archive's pictures, decoded once."""

    def __init__(self, pictures: dict[str, bytes], listing: dict[str, Any]) -> None:
        self.pictures = pictures
        self.listed = {
            image["path"]: image
            for file in listing.get("files", [])
            for image in file.get("images", [])
            if "path" in image
        }
        self.kept: dict[str, Texture] = {}

    def __call__(self, name: str) -> Texture:
        """A texture by the path that the layer names."""
        if name not in self.kept:
            entry = self.listed.get(name, {})
            raw = self.pictures.get(name)
            edited = (
                raw is not None
                and "sha256" in entry
                and hashlib.sha256(raw).hexdigest() != entry["sha256"]
            )
            size = (entry["width"], entry["height"]) if "width" in entry else None
            self.kept[name] = decode_texture(name, raw, edited, size)
        return self.kept[name]


def _materials(
    stage: Any, textures: _Textures, said: dict[str, Any]
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


def _material(shader: Any, textures: _Textures, facts: dict[str, Any]) -> ImportedMaterial:
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
    )


def _texture(source: Any, output: str, name: str, textures: _Textures) -> ImportedInput:
    """An input that a texture feeds; what its reader scales by is the strength."""
    from pxr import UsdShade

    shader = UsdShade.Shader(source.GetPrim())
    if shader.GetIdAttr().Get() != "UsdUVTexture":
        raise ValueError(f"{name} is fed by something other than a texture")
    space = shader.GetInput("sourceColorSpace")
    srgb = space and str(space.Get()) == "sRGB" and output != "a"
    scale = shader.GetInput("scale")
    given = float(scale.Get()[0]) if scale and scale.Get() is not None else 1.0
    strength = {"normal": given / 2, "occlusion": given, "emission": given}.get(name, 1.0)
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
        strength=strength,
        place=replace(place, wrap=(sides[0], sides[1])),
    )
    return imported


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


def _slots(stage: Any, names: dict[str, str]) -> tuple[Slots, dict[str, bool], Uvs]:
    """Material by mesh and slot, whether all that wear a material are double-sided, and UVs with v
    down."""
    from pxr import UsdGeom, UsdShade

    slots: Slots = {}
    uvs: Uvs = {}
    sides: dict[str, bool] = {}
    for prim in stage.Traverse():
        if not prim.IsA(UsdGeom.Mesh):
            continue
        mesh, slot = (prim.GetAttribute(f"userProperties:{key}") for key in ("mesh", "slot"))
        bound = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()[0]
        material = names.get(str(bound.GetPath())) if bound else None
        slots.setdefault(str(mesh.Get()), {})[str(slot.Get())] = material
        corners = np.array(UsdGeom.Mesh(prim).GetFaceVertexIndicesAttr().Get(), np.int64)
        for uv_set in range(_UV_SETS):
            placed = UsdGeom.PrimvarsAPI(prim).GetPrimvar(f"st{uv_set or ''}")
            if placed and placed.HasValue() and placed.GetInterpolation() == "vertex":
                up = np.array(placed.Get(), np.float32)[corners].reshape(-1, 3, 2)
                uvs[str(mesh.Get()), str(slot.Get()), uv_set] = np.stack(
                    [up[..., 0], 1.0 - up[..., 1]], axis=-1
                )
        twice = bool(UsdGeom.Mesh(prim).GetDoubleSidedAttr().Get())
        if material is not None:
            sides[material] = sides.get(material, True) and twice
    return slots, sides, uvs
