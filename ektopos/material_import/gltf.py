"""Materials of a glTF file, with every factor, texture and extension whose input there is.

Source: glTF 2.0, 3.9 (materials) and 5.18 (images), and the texts of the extensions named below.
"""

from __future__ import annotations

import base64
from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np

from ektopos.base.names import unique_names
from ektopos.base.types import MAX_UV_SETS, Json, Wrap
from ektopos.document import (
    TABLE,
    Feed,
    InputName,
    MaterialEntry,
    Role,
    RoleChannels,
    UvTransform,
    Workflow,
)
from ektopos.export.profile import GLTF_PLACES
from ektopos.export.writers.gltf import EXTENSION_MEMBERS, WRAPS
from ektopos.material_import.carried import Carried, CarriedMaterials, MapName, Place, feed_of, laid
from ektopos.meshes.formats.gltf import is_quantised, load_gltf, texture_infos
from ektopos.meshes.formats.gltf_accessors import Find, read_buffers, view_bytes

_SPECULAR_TEXTURES = ("diffuseTexture", "specularGlossinessTexture")
_SUFFIX = {"image/png": ".png", "image/jpeg": ".jpg", "image/webp": ".webp"}
_NEAREST = (9728, 9984, 9986)
_REPEAT, _LINEAR = 10497, 9729
_WRAPS: dict[int, Wrap] = {number: wrap for wrap, number in WRAPS.items()}
_TRANSFORM = "KHR_texture_transform"
_SPECULAR_GLOSSINESS = "KHR_materials_pbrSpecularGlossiness"
_ELSEWHERE = {"KHR_materials_emissive_strength", "KHR_materials_unlit", _SPECULAR_GLOSSINESS}


def carried_by_gltf(path: Path, find: Find, name: str, map_name: MapName) -> Carried:
    """The maps and materials of a GLB, or of a glTF with its files. Raises `UnreadableFile`, or
    `ValueError` and its kin for damage."""
    gltf, binary = load_gltf(path, name)
    file = _File(
        gltf, read_buffers(gltf, binary, find, name), find, name, CarriedMaterials(map_name)
    )
    labels = unique_names(
        [str(m.get("name") or f"slot_{i}") for i, m in enumerate(gltf.get("materials", []))]
    )
    materials = {
        label: _Material(file, label, material, _has_own_uvs(gltf, number)).read()
        for number, (label, material) in enumerate(
            zip(labels, gltf.get("materials", []), strict=True)
        )
    }
    return file.collected.carried(materials)


def _has_own_uvs(gltf: Json, material: int) -> bool:
    """Whether the material's transform is worked into the UVs that it is used with."""
    users = [
        primitive
        for mesh in gltf.get("meshes", [])
        for primitive in mesh.get("primitives", [])
        if primitive.get("material") == material
    ]
    return bool(users) and all(is_quantised(gltf, primitive) for primitive in users)


class _File:
    """A glTF file and its pictures."""

    def __init__(
        self,
        gltf: Json,
        buffers: list[bytes],
        find: Find,
        name: str,
        collected: CarriedMaterials,
    ) -> None:
        self.gltf, self.buffers, self.find = gltf, buffers, find
        self.name, self.collected = name, collected

    def picture(self, info: Json, material: str) -> str | None:
        """The key of the picture that a reference to a texture means; `None`, and said, where there
        is none that can be read."""
        source = self.source(info, material)
        if source is None:
            return None
        image = self.gltf["images"][int(source[0])]
        beside = not str(image.get("uri", "data:")).startswith("data:")
        return self.collected.picture(*source, material, beside=beside)

    def source(
        self, info: Json, material: str
    ) -> tuple[str, str, Callable[[], bytes] | None] | None:
        """What a reference to a texture means: the picture's key, its name, and what reads it;
        `None`, and said, where the texture has no picture."""
        texture = self.gltf["textures"][info["index"]]
        webp = texture.get("extensions", {}).get("EXT_texture_webp", {})
        source = webp.get("source", texture.get("source"))
        if source is None:
            kinds = ", ".join(sorted(texture.get("extensions", {}))) or "nothing"
            self.collected.skip(material, f"a texture holds only {kinds}, which is not read.")
            return None
        image = self.gltf["images"][source]
        uri, kind = image.get("uri"), str(image.get("mimeType", ""))
        if isinstance(uri, str) and not uri.startswith("data:"):
            file = unquote(uri)
            path = None if ":" in file else self.find(file)
            return str(source), file, path.read_bytes if path else None
        if isinstance(uri, str):
            head, _, encoded = uri.removeprefix("data:").partition(",")
            kind, read = head.partition(";")[0], partial(base64.b64decode, encoded)
        else:
            read = partial(view_bytes, self.gltf, self.buffers, image["bufferView"])
        stem = str(image.get("name") or f"{Path(self.name).stem}_{source}").replace("/", "_")
        # A name may have the suffix already.
        suffix = _SUFFIX.get(kind, "") if Path(stem).suffix not in _SUFFIX.values() else ""
        return str(source), stem + suffix, read

    def sampler(self, info: Json) -> Json:
        """The sampler of a reference to a texture."""
        texture = self.gltf["textures"][info["index"]]
        sampler = self.gltf.get("samplers", [])[texture["sampler"]] if "sampler" in texture else {}
        return dict(sampler)


class _Material:
    """One material while it is read."""

    def __init__(self, file: _File, label: str, material: Json, own_uvs: bool) -> None:
        self.file, self.label, self.material, self.own_uvs = file, label, material, own_uvs
        self.extensions: Json = material.get("extensions", {})
        self.inputs: dict[InputName, Feed] = {}
        self.workflow: Workflow | None = None
        self.mode = str(material.get("alphaMode", "OPAQUE")).lower()
        self.places: dict[InputName, Place] = {}

    def read(self) -> MaterialEntry:
        """The material as a document has it."""
        if _SPECULAR_GLOSSINESS in self.extensions:
            self._specular_glossiness(self.extensions[_SPECULAR_GLOSSINESS])
        else:
            self._metallic_roughness(self.material.get("pbrMetallicRoughness", {}))
        self._normal_and_occlusion()
        self._emission()
        for extension, given in self.extensions.items():
            for name, factor, texture in EXTENSION_MEMBERS.get(extension, ()):
                self._extra(given, name, factor, texture)
        self._say_what_is_left()
        filters = [
            self.file.sampler(info).get("magFilter", _LINEAR)
            for info in texture_infos(self.material)
        ]
        inputs, uv, wrap = laid(self.inputs, self.places)
        return MaterialEntry(
            inputs=inputs,
            alpha_mode=None if self.mode == "opaque" else self.mode,
            alpha_cutoff=self.material.get("alphaCutoff") if self.mode == "mask" else None,
            double_sided=True if self.material.get("doubleSided") else None,
            uv=uv,
            wrap=wrap,
            shading="unlit" if "KHR_materials_unlit" in self.extensions else None,
            workflow=self.workflow,
            filter="nearest" if filters and all(f in _NEAREST for f in filters) else None,
            surface_tag=_tag(self.material.get("extras")),
        )

    def feed(
        self,
        name: InputName,
        info: Json | None,
        channels: RoleChannels,
        value: Any,
        role: Role | None = None,
        **more: Any,
    ) -> None:
        """Feed an input from a texture's channels times a factor, or from the factor."""
        key = None if info is None else self.file.picture(info, self.label)
        entry = None
        if key is not None:
            self.file.collected.use(key, channels, role or "mask", name)
            entry = self.file.collected.maps[key].entry
        self.inputs[name] = feed_of(entry, channels, value, **more)
        if info is not None:
            self.places[name] = self._place(info)

    def _metallic_roughness(self, pbr: Json) -> None:
        colour = _floats(pbr.get("baseColorFactor", [1, 1, 1, 1]))
        base, orm = pbr.get("baseColorTexture"), pbr.get("metallicRoughnessTexture")
        self.feed("base_color", base, "rgb", colour[:3], "base_color")
        self.feed("metallic", orm, "b", float(pbr.get("metallicFactor", 1.0)), "metallic")
        self.feed("roughness", orm, "g", float(pbr.get("roughnessFactor", 1.0)), "roughness")
        if self.mode != "opaque":
            self.feed("opacity", base, "a", colour[3], "opacity")

    def _specular_glossiness(self, given: Json) -> None:
        """Diffuse, specular and glossiness as they are, in the specular workflow."""
        diffuse, specular = (given.get(key) for key in _SPECULAR_TEXTURES)
        colour = _floats(given.get("diffuseFactor", [1, 1, 1, 1]))
        reflected = _floats(given.get("specularFactor", [1, 1, 1]))
        gloss = float(given.get("glossinessFactor", 1.0))
        self.workflow = "specular"
        self.feed("base_color", diffuse, "rgb", colour[:3], "base_color")
        self.feed("f0", specular, "rgb", reflected, "specular")
        self.feed("roughness", specular, "a", gloss, "gloss")
        self.inputs["roughness"] = _one_minus(self.inputs["roughness"])
        if self.mode != "opaque":
            self.feed("opacity", diffuse, "a", colour[3], "opacity")

    def _normal_and_occlusion(self) -> None:
        normal, occlusion = (
            self.material.get("normalTexture"),
            self.material.get("occlusionTexture"),
        )
        if normal is not None and self.file.picture(normal, self.label) is not None:
            strength = float(normal.get("scale", 1.0))
            self.feed("normal", normal, "rgb", 1.0, "normal", strength=strength)
        if occlusion is not None and self.file.picture(occlusion, self.label) is not None:
            strength = float(occlusion.get("strength", 1.0))
            self.feed("occlusion", occlusion, "r", 1.0, "occlusion", strength=strength)

    def _emission(self) -> None:
        glow = _floats(self.material.get("emissiveFactor", [0, 0, 0]))
        if any(glow):
            given = self.extensions.get("KHR_materials_emissive_strength", {})
            strength = float(given.get("emissiveStrength", 1.0))
            info = self.material.get("emissiveTexture")
            self.feed("emission", info, "rgb", glow, "emission", strength=strength)

    def _extra(self, given: Json, name: InputName, factor: str, texture: str | None) -> None:
        """An input of an extension, if that says anything of it."""
        if factor not in given and texture not in given:
            return
        stated = given.get(factor, TABLE[name].default)
        value = _floats(stated if isinstance(stated, (list, tuple)) else [stated])
        # No colour is no sheen, and an infinite reach is none that is stated.
        if not np.isfinite(value).all() or (name == "sheen" and not any(value)):
            return
        info = given.get(texture) if texture else None
        channels = GLTF_PLACES[name][0] if texture else "r"
        self.feed(name, info, channels, value if TABLE[name].is_colour else value[0])

    def _place(self, info: Json) -> Place:
        """Where a reference to a texture lays it."""
        given = info.get("extensions", {}).get(_TRANSFORM, {})
        # Where the transform is worked into the UVs, only the set is left of it.
        moved = {} if self.own_uvs else given
        number = int(given.get("texCoord", info.get("texCoord", 0)))
        if number >= MAX_UV_SETS:
            self.skip(f"a texture of it lies in UV set {number}; the first set is taken.")
            number = 0
        uv = UvTransform(
            set=number,
            tiling=moved.get("scale", (1.0, 1.0)),
            offset=moved.get("offset", (0.0, 0.0)),
            rotation=moved.get("rotation", 0.0),
        )
        sampler = self.file.sampler(info)
        u, v = (_WRAPS.get(sampler.get(side, _REPEAT), "repeat") for side in ("wrapS", "wrapT"))
        return uv, (u, v)

    def _say_what_is_left(self) -> None:
        """Name what a document has no place for yet."""
        specular = self.extensions.get("KHR_materials_specular", {})
        if "specularColorTexture" in specular or any(
            v != 1 for v in specular.get("specularColorFactor", [])
        ):
            self.skip("the colour of its specular reflection is left out.")
        if "clearcoatNormalTexture" in self.extensions.get("KHR_materials_clearcoat", {}):
            self.skip("the normal map of its clear coat is left out.")
        for extension in sorted(self.extensions):
            if extension not in (*EXTENSION_MEMBERS, *_ELSEWHERE):
                self.skip(f"{extension} is left out.")

    def skip(self, message: str) -> None:
        """Say that something is not taken."""
        self.file.collected.skip(self.label, message)


def _one_minus(gloss: Feed) -> Feed:
    """Roughness of a glossiness with its factor: `1 − factor · texel`."""
    if gloss.map is None:
        return Feed(value=1.0 - float(gloss.value or 0.0))  # type: ignore[arg-type]
    return gloss.model_copy(update={"invert": True, "offset": 1.0 - gloss.multiply})


def _floats(values: Iterable[Any]) -> tuple[float, ...]:
    return tuple(float(value) for value in values)


def _tag(extras: Any) -> str | None:
    """The surface tag among extras, which may be anything. Source: glTF 2.0, 5.22."""
    tag = extras.get("surface_tag") if isinstance(extras, dict) else None
    return tag if isinstance(tag, str) else None
