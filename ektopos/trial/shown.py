"""What arrived, as a GLB to be looked at: the meshes as the stand-in engine draws them, in its
materials. For eyes only; nothing is judged by it.

Source: glTF 2.0, 3.9; KHR_materials_unlit; KHR_materials_emissive_strength;
KHR_texture_transform.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from ektopos.document import InputName
from ektopos.images import encode_png, linear_to_srgb, quantise, resize
from ektopos.materials.derive import Placement
from ektopos.meshes import build_gltf, pack_glb
from ektopos.meshes.formats.glb import Binary
from ektopos.shading import Look
from ektopos.trial.engine.package import Imported
from ektopos.trial.measure import imported_values
from ektopos.trial.renders import arrived_mesh, imported_look
from ektopos.types import Float

TEXELS = 512
"""The longest side of its textures."""
BRIGHTEST = 1e4
"""What endless light is shown as."""
# Said once more, apart from the writers: a sign that is wrong there must not come right again here.
NEAREST, LINEAR, MIPMAP_LINEAR = 9728, 9729, 9987
WRAPS = {"repeat": 10497, "clamp": 33071, "mirror": 33648}


def arrived_glb(imported: Imported, names: Iterable[str]) -> bytes:
    """A GLB of the meshes of those names as they arrived, a node each, named alike.

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
    pictures = _Pictures(binary)
    gltf["materials"] = [
        _material(name, imported_look(imported.materials[name], imported_values, TEXELS), pictures)
        for name in numbers
    ]
    gltf |= {
        "images": pictures.images,
        "textures": pictures.textures,
        "samplers": pictures.samplers,
        "extensionsUsed": sorted(pictures.used),
    }
    return pack_glb({key: value for key, value in gltf.items() if value != []}, binary)


class _Pictures:
    """The textures of a file while it grows."""

    def __init__(self, binary: Binary) -> None:
        self.binary = binary
        self.images: list[dict[str, Any]] = []
        self.textures: list[dict[str, Any]] = []
        self.samplers: list[dict[str, Any]] = []
        self.used: set[str] = set()

    def add(self, values: Float, place: Placement, look: Look) -> dict[str, Any]:
        """A texture of stored values 0–1, `(h, w, c)`, where it lies."""
        view = self.binary.add(encode_png(quantise(values, 8)))
        near = look.filter == "nearest"
        sampler = {
            "magFilter": NEAREST if near else LINEAR,
            "minFilter": NEAREST if near else MIPMAP_LINEAR,
            "wrapS": WRAPS[place.wrap[0]],
            "wrapT": WRAPS[place.wrap[1]],
        }
        if sampler not in self.samplers:
            self.samplers.append(sampler)
        self.textures.append({"source": len(self.images), "sampler": self.samplers.index(sampler)})
        self.images.append({"mimeType": "image/png", "bufferView": view})
        info: dict[str, Any] = {"index": len(self.textures) - 1, "texCoord": place.uv.set}
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


def _material(name: str, look: Look, pictures: _Pictures) -> dict[str, Any]:
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
    entry: dict[str, Any] = {
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
    extensions: dict[str, Any] = {}
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
