"""What arrived, as a GLB to be looked at: the meshes as the stand-in engine draws them, in its
materials. For eyes only; nothing is judged by it.

Source: glTF 2.0, 3.9; KHR_materials_unlit; KHR_materials_emissive_strength;
KHR_texture_transform.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from ektopos.base.types import Float, Json
from ektopos.document import InputName
from ektopos.images import encode_png, linear_to_srgb, quantise, resize
from ektopos.materials.inheritance import Placement
from ektopos.meshes import build_gltf, pack_glb
from ektopos.rendering import SurfaceInputs
from ektopos.trial.engine.package import Imported, ImportedMaterial
from ektopos.trial.measure import imported_values
from ektopos.trial.renders import arrived_mesh, imported_look
from ektopos.trial.tasks import ShownMaterial

TEXELS = 512
"""The longest side of its textures."""
BRIGHTEST = 1e4
"""What endless light is shown as."""
# Said once more, apart from the writers: a sign that is wrong there must not come right again here.
NEAREST, LINEAR, MIPMAP_LINEAR = 9728, 9729, 9987
WRAPS = {"repeat": 10497, "clamp": 33071, "mirror": 33648}


def arrived_glb(
    imported: Imported, names: Iterable[str], shown: Mapping[str, ShownMaterial]
) -> bytes:
    """A GLB of the meshes of those names as they arrived, a node each, named alike, in the
    materials that are `shown` by their keys.

    The seven inputs are shown; roughness and metallic lie where roughness does. What did not arrive
    is not in it.
    """
    drawn = {
        name: {slot: part for (mesh, slot), part in imported.drawn.items() if mesh == name}
        for name in names
    }
    meshes = {name: arrived_mesh(name, parts) for name, parts in drawn.items() if parts}
    worn = {
        material
        for name in meshes
        for material in imported.slots.get(name, {}).values()
        if material in imported.materials
    }
    numbers = {material: number for number, material in enumerate(sorted(worn))}
    gltf, binary = build_gltf(
        meshes,
        {
            name: {
                slot: numbers.get(material) if material else None
                for slot, material in imported.slots.get(name, {}).items()
            }
            for name in meshes
        },
    )
    held: dict[str, list[Any]] = {key: [] for key in ("images", "textures", "samplers")}
    used: set[str] = set()
    materials = []
    for name in numbers:
        one = shown.get(name) or shown_material(name, imported.materials[name])
        materials.append(_numbered(one.entry, len(held["textures"])))
        used |= set(one.extensions)
        for picture, sampler in zip(one.pictures, one.samplers, strict=True):
            view = binary.add(picture)
            if sampler not in held["samplers"]:
                held["samplers"].append(sampler)
            held["textures"].append(
                {"source": len(held["images"]), "sampler": held["samplers"].index(sampler)}
            )
            held["images"].append({"mimeType": "image/png", "bufferView": view})
    gltf |= {"materials": materials, **held, "extensionsUsed": sorted(used)}
    return pack_glb({key: value for key, value in gltf.items() if value != []}, binary)


def _numbered(entry: Any, first: int) -> Any:
    """A material's entry, its textures counted from `first`."""
    if not isinstance(entry, dict):
        return entry
    counted = {key: _numbered(value, first) for key, value in entry.items()}
    return counted | ({"index": entry["index"] + first} if "index" in entry else {})


def shown_material(name: str, imported: ImportedMaterial) -> ShownMaterial:
    """A material as it arrived, to be looked at."""
    look = imported_look(imported, imported_values, TEXELS)
    pictures = _Pictures([], [], set())
    entry = _material(name, look, pictures)
    return ShownMaterial(entry, pictures.pngs, pictures.samplers, sorted(pictures.used))


@dataclass
class _Pictures:
    """The textures of a material while they grow."""

    pngs: list[bytes]
    samplers: list[Json]
    used: set[str]

    def add(self, values: Float, place: Placement, look: SurfaceInputs) -> Json:
        """A texture of stored values 0–1, `(h, w, c)`, where it lies."""
        near = look.filter == "nearest"
        info: Json = {"index": len(self.pngs), "texCoord": place.uv.set}
        self.pngs.append(encode_png(quantise(values, 8)))
        self.samplers.append(
            {
                "magFilter": NEAREST if near else LINEAR,
                "minFilter": NEAREST if near else MIPMAP_LINEAR,
                "wrapS": WRAPS[place.wrap[0]],
                "wrapT": WRAPS[place.wrap[1]],
            }
        )
        if not place.uv.is_identity:
            self.used.add("KHR_texture_transform")
            uv = place.uv
            info["extensions"] = {
                "KHR_texture_transform": {
                    "offset": uv.offset,
                    "scale": uv.tiling,
                    "rotation": uv.rotation,
                }
            }
        return info


def _material(name: str, look: SurfaceInputs, pictures: _Pictures) -> Json:
    def place(of: InputName) -> Placement:
        return look.places.get(of, Placement())

    base = linear_to_srgb(look.input("base_color"))
    if look.alpha_mode != "opaque":
        base = _stacked(base, look.input("opacity"))
    surface = _stacked(
        np.zeros((1, 1), np.float32), look.input("roughness"), look.input("metallic")
    )
    directions = np.float32(0.5) * look.input("normal") + np.float32(0.5)
    light = np.nan_to_num(look.input("emission"), posinf=BRIGHTEST)
    strength = max(1.0, float(light.max(initial=0.0)))
    entry: Json = {
        "name": name,
        "alphaMode": look.alpha_mode.upper(),
        "doubleSided": look.double_sided,
        "pbrMetallicRoughness": {
            "baseColorTexture": pictures.add(base, place("base_color"), look),
            "metallicRoughnessTexture": pictures.add(surface, place("roughness"), look),
        },
        "normalTexture": pictures.add(directions, place("normal"), look),
        "occlusionTexture": pictures.add(
            look.input("occlusion")[..., None], place("occlusion"), look
        ),
    }
    if light.any():
        stored = linear_to_srgb(light / np.float32(strength))
        entry["emissiveTexture"] = pictures.add(stored, place("emission"), look)
        entry["emissiveFactor"] = [1.0, 1.0, 1.0]
    extensions: Json = {}
    if strength > 1.0:
        extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": strength}
    if look.unlit:
        extensions["KHR_materials_unlit"] = {}
    if look.alpha_mode == "mask":
        entry["alphaCutoff"] = look.alpha_cutoff
    pictures.used |= set(extensions)
    return entry | ({"extensions": extensions} if extensions else {})


def _stacked(*parts: Float) -> Float:
    """Arrays as the channels of one, at the size of the largest."""
    height = max(part.shape[0] for part in parts)
    width = max(part.shape[1] for part in parts)
    sized = [resize(part, width, height) for part in parts]
    return np.concatenate([part.reshape(height, width, -1) for part in sized], axis=2)
