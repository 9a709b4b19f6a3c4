"""Materials of a glTF file, with every factor, texture and extension whose input there is.

Source: glTF 2.0, 3.9 (materials) and 5.18 (images), and the texts of the extensions named below.
"""

from __future__ import annotations

import base64
import tempfile
from pathlib import Path
from typing import Any, Literal
from urllib.parse import unquote

import numpy as np

from ektopos.adopt.carried import Carried, Collected, MapName, feed_of
from ektopos.document import Feed, InputName, MaterialEntry, Role, RoleChannels, UvTransform
from ektopos.images import (
    as_float,
    encode_png,
    linear_to_srgb,
    quantise,
    read_image,
    resize,
    srgb_to_linear,
)
from ektopos.materials.convert import to_metallic_roughness
from ektopos.meshes.formats.gltf import is_quantised, load_gltf, texture_infos
from ektopos.meshes.formats.gltf_accessors import Find, read_buffers, view_bytes
from ektopos.meshes.parts import unique_names
from ektopos.types import Float

ConvertedInput = Literal["base_color", "opacity", "roughness", "metallic"]
_SUFFIX = {"image/png": ".png", "image/jpeg": ".jpg", "image/webp": ".webp"}
_NEAREST = (9728, 9984, 9986)
_REPEAT, _LINEAR = 10497, 9729
_TRANSFORM = "KHR_texture_transform"
_SPECULAR_GLOSSINESS = "KHR_materials_pbrSpecularGlossiness"
_EXTENSIONS: dict[str, tuple[tuple[str, InputName, float, str, RoleChannels], ...]] = {
    "KHR_materials_ior": (("ior", "ior", 1.5, "", "r"),),
    "KHR_materials_specular": (("specularFactor", "specular", 1.0, "specularTexture", "a"),),
    "KHR_materials_clearcoat": (
        ("clearcoatFactor", "clearcoat", 0.0, "clearcoatTexture", "r"),
        (
            "clearcoatRoughnessFactor",
            "clearcoat_roughness",
            0.0,
            "clearcoatRoughnessTexture",
            "g",
        ),
    ),
    "KHR_materials_sheen": (
        ("sheenRoughnessFactor", "sheen_roughness", 0.0, "sheenRoughnessTexture", "a"),
    ),
    "KHR_materials_transmission": (
        ("transmissionFactor", "transmission", 0.0, "transmissionTexture", "r"),
    ),
    "KHR_materials_volume": (
        ("thicknessFactor", "thickness", 0.0, "thicknessTexture", "g"),
        ("attenuationDistance", "attenuation_distance", float("inf"), "", "r"),
    ),
}
"""By extension: factor, input, the factor's default, texture and its channel."""
_ELSEWHERE = {
    "KHR_materials_emissive_strength",
    "KHR_materials_sheen",
    "KHR_materials_volume",
    _SPECULAR_GLOSSINESS,
}


def carried_by_gltf(path: Path, find: Find, name: str, map_name: MapName) -> Carried:
    """The maps and materials of a GLB, or of a glTF with its files. Raises `UnreadableFile`, or
    `ValueError` and its kin for damage."""
    gltf, binary = load_gltf(path, name)
    file = _File(gltf, read_buffers(gltf, binary, find, name), find, name, Collected(map_name))
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


def _has_own_uvs(gltf: dict[str, Any], material: int) -> bool:
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
        gltf: dict[str, Any],
        buffers: list[bytes],
        find: Find,
        name: str,
        collected: Collected,
    ) -> None:
        self.gltf, self.buffers, self.find = gltf, buffers, find
        self.name, self.collected = name, collected

    def picture(self, info: dict[str, Any], material: str) -> str | None:
        """The key of the picture that a reference to a texture means; `None` where there is none
        that can be read."""
        texture = self.gltf["textures"][info["index"]]
        webp = texture.get("extensions", {}).get("EXT_texture_webp", {})
        source = webp.get("source", texture.get("source"))
        if source is None:
            kinds = ", ".join(sorted(texture.get("extensions", {}))) or "nothing"
            self.collected.skip(material, f"a texture holds only {kinds}, which is not read.")
            return None
        image, key = self.gltf["images"][source], str(source)
        uri, kind = image.get("uri"), str(image.get("mimeType", ""))
        stem = str(image.get("name") or f"{Path(self.name).stem}_{source}")
        if isinstance(uri, str) and not uri.startswith("data:"):
            file = unquote(uri)
            found = self.collected.picture(key, file, lambda: self._beside(file), material)
        else:
            if isinstance(uri, str):
                kind = uri[5:].partition(",")[0].partition(";")[0]
            # A name may have the suffix already.
            suffix = _SUFFIX.get(kind, "") if Path(stem).suffix not in _SUFFIX.values() else ""
            found = self.collected.picture(
                key, stem.replace("/", "_") + suffix, lambda: self._inside(image), material
            )
        return key if found else None

    def _beside(self, file: str) -> bytes | None:
        path = None if ":" in file else self.find(file)
        return path.read_bytes() if path else None

    def _inside(self, image: dict[str, Any]) -> bytes:
        if "uri" in image:
            return base64.b64decode(image["uri"].partition(",")[2])
        return view_bytes(self.gltf, self.buffers, image["bufferView"])

    def sampler(self, info: dict[str, Any]) -> dict[str, Any]:
        """The sampler of a reference to a texture."""
        texture = self.gltf["textures"][info["index"]]
        found = self.gltf.get("samplers", [])[texture["sampler"]] if "sampler" in texture else {}
        return dict(found)


class _Material:
    """One material while it is read."""

    def __init__(self, file: _File, label: str, material: dict[str, Any], own_uvs: bool) -> None:
        self.file, self.label, self.material, self.own_uvs = file, label, material, own_uvs
        self.extensions: dict[str, Any] = material.get("extensions", {})
        self.inputs: dict[InputName, Feed] = {}
        self.mode = str(material.get("alphaMode", "OPAQUE")).lower()

    def read(self) -> MaterialEntry:
        """The material as a document has it."""
        if _SPECULAR_GLOSSINESS in self.extensions:
            self._specular_glossiness(self.extensions[_SPECULAR_GLOSSINESS])
        else:
            self._metallic_roughness(self.material.get("pbrMetallicRoughness", {}))
        self._normal_and_occlusion()
        self._emission()
        for extension, given in self.extensions.items():
            for factor, name, default, texture, channel in _EXTENSIONS.get(extension, ()):
                self._extra(given, factor, name, default, texture, channel)
        self._colours_beyond()
        self._say_what_is_left()
        infos = list(texture_infos(self.material))
        filters = [self.file.sampler(info).get("magFilter", _LINEAR) for info in infos]
        return MaterialEntry(
            inputs=self.inputs,
            alpha_mode=None if self.mode == "opaque" else self.mode,
            alpha_cutoff=self.material.get("alphaCutoff") if self.mode == "mask" else None,
            double_sided=True if self.material.get("doubleSided") else None,
            uv=self._transform(infos),
            filter="nearest" if filters and all(f in _NEAREST for f in filters) else None,
            surface_tag=_tag(self.material.get("extras")),
        )

    def feed(
        self,
        name: InputName,
        info: dict[str, Any] | None,
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

    def _metallic_roughness(self, pbr: dict[str, Any]) -> None:
        colour = _floats(pbr.get("baseColorFactor", [1, 1, 1, 1]))
        base, orm = pbr.get("baseColorTexture"), pbr.get("metallicRoughnessTexture")
        self.feed("base_color", base, "rgb", colour[:3], "base_color")
        self.feed("metallic", orm, "b", float(pbr.get("metallicFactor", 1.0)), "metallic")
        self.feed("roughness", orm, "g", float(pbr.get("roughnessFactor", 1.0)), "roughness")
        if self.mode != "opaque":
            self.feed("opacity", base, "a", colour[3], "opacity")

    def _specular_glossiness(self, given: dict[str, Any]) -> None:
        """By the conversion published with the archived extension; textures become new maps."""
        diffuse = _floats(given.get("diffuseFactor", [1, 1, 1, 1]))
        specular = _floats(given.get("specularFactor", [1, 1, 1]))
        gloss = float(given.get("glossinessFactor", 1.0))
        picture, packed = (
            self._texels(given.get(key)) for key in ("diffuseTexture", "specularGlossinessTexture")
        )
        size = max(
            (p.shape[:2] for p in (picture, packed) if p is not None),
            key=lambda shape: shape[0] * shape[1],
            default=(1, 1),
        )
        first, second = (
            np.ones((*size, 4), np.float32) if p is None else resize(p, size[1], size[0])
            for p in (picture, packed)
        )
        base, metallic, roughness = to_metallic_roughness(
            first[..., :3] * np.array(diffuse[:3], np.float32),
            second[..., :3] * np.array(specular, np.float32),
            second[..., 3] * np.float32(gloss),
        )
        opacity = first[..., 3] * np.float32(diffuse[3])
        if picture is None and packed is None:
            self.inputs["base_color"] = Feed(value=_floats(base[0, 0]))
            self.inputs["metallic"] = Feed(value=float(metallic[0, 0]))
            self.inputs["roughness"] = Feed(value=float(roughness[0, 0]))
            if self.mode != "opaque":
                self.inputs["opacity"] = Feed(value=float(opacity[0, 0]))
            return
        colour = np.concatenate([linear_to_srgb(base), opacity[..., None]], axis=2)
        packed_again = np.stack([np.ones_like(roughness), roughness, metallic], axis=2)
        self._made("base_color", colour, {"rgb": "base_color", "a": "opacity"})
        self._made("ORM", packed_again, {"g": "roughness", "b": "metallic"})
        self.skip("it is of the specular workflow, and was converted; its maps are new ones.")

    def _made(self, suffix: str, values: Float, uses: dict[RoleChannels, ConvertedInput]) -> None:
        """A new map of converted values 0–1, and the inputs that its channels feed."""
        key = f"{self.label} {suffix}"
        content = encode_png(quantise(np.asarray(values, np.float32), 8))
        name = f"{self.label.replace('/', '_')}_{suffix}.png"
        self.file.collected.picture(key, name, lambda: content, self.label)
        for channels, held in uses.items():
            if held != "opacity" or self.mode != "opaque":
                self.file.collected.use(key, channels, held, held)
                entry = self.file.collected.maps[key].entry
                self.inputs[held] = Feed(map=entry, channels=channels)

    def _texels(self, info: dict[str, Any] | None) -> Float | None:
        """A colour texture with alpha as linear values `(h, w, 4)`; `None` where there is none."""
        key = None if info is None else self.file.picture(info, self.label)
        if key is None:
            return None
        one = self.file.collected.maps.pop(key)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"map{Path(one.name).suffix}"
            path.write_bytes(one.content)
            image = read_image(path)
        colour = srgb_to_linear(as_float(image.rgb()))
        alpha = image.channel("a")
        opaque = np.ones(colour.shape[:2], np.float32) if alpha is None else as_float(alpha)
        return np.concatenate([colour, opaque[..., None]], axis=2)

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

    def _extra(
        self,
        given: dict[str, Any],
        factor: str,
        name: InputName,
        default: float,
        texture: str,
        channel: RoleChannels,
    ) -> None:
        value = float(given.get(factor, default))
        if (factor in given or texture in given) and np.isfinite(value):
            self.feed(name, given.get(texture), channel, value)

    def _colours_beyond(self) -> None:
        sheen = self.extensions.get("KHR_materials_sheen", {})
        if any(colour := _floats(sheen.get("sheenColorFactor", [0, 0, 0]))):
            self.feed("sheen", sheen.get("sheenColorTexture"), "rgb", colour)
        volume = self.extensions.get("KHR_materials_volume", {})
        if "attenuationColor" in volume:
            self.inputs["attenuation"] = Feed(value=_floats(volume["attenuationColor"]))

    def _transform(self, infos: list[dict[str, Any]]) -> UvTransform | None:
        """The transform that all textures share; each that has another is named."""
        transforms = [info.get("extensions", {}).get(_TRANSFORM, {}) for info in infos]
        if not transforms or self.own_uvs:
            return None
        base = self.material.get("pbrMetallicRoughness", {}).get("baseColorTexture", infos[0])
        given = base.get("extensions", {}).get(_TRANSFORM, {})
        if any(_placed(one) != _placed(given) for one in transforms):
            self.file.collected.skip(
                self.label,
                "its textures are moved each in its own way; that of the base colour is taken for "
                "all.",
            )
        uv = UvTransform(
            tiling=given.get("scale", (1.0, 1.0)),
            offset=given.get("offset", (0.0, 0.0)),
            rotation=given.get("rotation", 0.0),
        )
        return None if uv.is_identity else uv

    def _say_what_is_left(self) -> None:
        """Name what a document has no place for yet."""
        infos = list(texture_infos(self.material))
        sets = {
            info.get("extensions", {}).get(_TRANSFORM, {}).get("texCoord", info.get("texCoord", 0))
            for info in infos
        }
        for number in sorted(sets - {0}):
            self.skip(f"a texture of it lies in UV set {number}; the first set is taken.")
        wraps = {
            self.file.sampler(info).get(side, _REPEAT)
            for info in infos
            for side in ("wrapS", "wrapT")
        }
        if wraps - {_REPEAT}:
            self.skip("its textures do not repeat at their borders; here they do.")
        specular = self.extensions.get("KHR_materials_specular", {})
        if "specularColorTexture" in specular or any(
            v != 1 for v in specular.get("specularColorFactor", [])
        ):
            self.skip("the colour of its specular reflection is left out.")
        if "clearcoatNormalTexture" in self.extensions.get("KHR_materials_clearcoat", {}):
            self.skip("the normal map of its clear coat is left out.")
        if "KHR_materials_unlit" in self.extensions:
            self.skip("it is unlit: shown here under light, with the same base colour.")
        for extension in sorted(self.extensions):
            if extension not in (*_EXTENSIONS, *_ELSEWHERE, "KHR_materials_unlit"):
                self.skip(f"{extension} is left out.")

    def skip(self, message: str) -> None:
        """Say that something is not taken."""
        self.file.collected.skip(self.label, message)


def _placed(transform: dict[str, Any]) -> tuple[Any, ...]:
    return (
        tuple(transform.get("scale", (1, 1))),
        tuple(transform.get("offset", (0, 0))),
        transform.get("rotation", 0),
    )


def _floats(values: list[Any]) -> tuple[float, ...]:
    return tuple(float(value) for value in values)


def _tag(extras: Any) -> str | None:
    """The surface tag among extras, which may be anything. Source: glTF 2.0, 5.22."""
    tag = extras.get("surface_tag") if isinstance(extras, dict) else None
    return tag if isinstance(tag, str) else None
