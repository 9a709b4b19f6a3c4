"""MaterialX surfaces inside USD: their ports, images, factors and placed UVs.

Source: MaterialX 1.39, standard and PBR libraries (node definitions and defaults).
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from pxr import UsdGeom

from ektopos.base.names import in_words
from ektopos.base.types import Json, Values, Wrap
from ektopos.document import (
    TABLE,
    AlphaMode,
    InputName,
    MaterialEntry,
    Role,
    RoleChannels,
    UvTransform,
)
from ektopos.material_import.carried import feed_of, laid
from ektopos.material_import.usd_preview import PORTS, WRITTEN
from ektopos.material_import.usd_reading import (
    UsdMaterialReading,
    source_of,
    transform_of,
    value_of,
)


@dataclass(frozen=True)
class _Port:
    """A surface's port that feeds an input, its default, and the port that weighs it."""

    input: InputName
    default: float | tuple[float, ...]
    weight: str = ""
    weight_default: float = 1.0


_WHITE, _BLACK = (1.0, 1.0, 1.0), (0.0, 0.0, 0.0)
_PREVIEW = {port: _Port(name, default) for port, (name, _, default) in PORTS.items()}
_STANDARD = {
    "base_color": _Port("base_color", (0.8, 0.8, 0.8), "base", 1.0),
    "metalness": _Port("metallic", 0.0),
    "specular_roughness": _Port("roughness", 0.2),
    "specular_IOR": _Port("ior", 1.5),
    "transmission": _Port("transmission", 0.0),
    "coat": _Port("clearcoat", 0.0),
    "coat_roughness": _Port("clearcoat_roughness", 0.1),
    "sheen_color": _Port("sheen", _WHITE, "sheen", 0.0),
    "sheen_roughness": _Port("sheen_roughness", 0.3),
    "emission_color": _Port("emission", _WHITE, "emission", 0.0),
    "opacity": _Port("opacity", _WHITE),
    "normal": _Port("normal", (0.0, 0.0, 1.0)),
}
_OPEN = {
    "base_color": _Port("base_color", (0.8, 0.8, 0.8), "base_weight", 1.0),
    "base_metalness": _Port("metallic", 0.0),
    "specular_roughness": _Port("roughness", 0.3),
    "specular_ior": _Port("ior", 1.5),
    "transmission_weight": _Port("transmission", 0.0),
    "coat_weight": _Port("clearcoat", 0.0),
    "coat_roughness": _Port("clearcoat_roughness", 0.0),
    "subsurface_weight": _Port("subsurface", 0.0),
    "subsurface_color": _Port("subsurface_color", (0.8, 0.8, 0.8)),
    "subsurface_radius": _Port("subsurface_radius", 1.0),
    "fuzz_color": _Port("sheen", _WHITE, "fuzz_weight", 0.0),
    "fuzz_roughness": _Port("sheen_roughness", 0.5),
    "emission_color": _Port("emission", _WHITE, "emission_luminance", 0.0),
    "geometry_opacity": _Port("opacity", 1.0),
    "geometry_normal": _Port("normal", (0.0, 0.0, 1.0)),
}
_GLTF = {
    "base_color": _Port("base_color", _WHITE),
    "metallic": _Port("metallic", 1.0),
    "roughness": _Port("roughness", 1.0),
    "normal": _Port("normal", (0.0, 0.0, 1.0)),
    "occlusion": _Port("occlusion", 1.0),
    "emissive": _Port("emission", _BLACK, "emissive_strength", 1.0),
    "alpha": _Port("opacity", 1.0),
    "ior": _Port("ior", 1.5),
    "transmission": _Port("transmission", 0.0),
    "clearcoat": _Port("clearcoat", 0.0),
    "clearcoat_roughness": _Port("clearcoat_roughness", 0.0),
    "sheen_color": _Port("sheen", _BLACK),
    "sheen_roughness": _Port("sheen_roughness", 0.0),
}
SURFACES = {
    "ND_UsdPreviewSurface_surfaceshader": _PREVIEW,
    "ND_standard_surface_surfaceshader": _STANDARD,
    "ND_standard_surface_surfaceshader_100": _STANDARD,
    "ND_open_pbr_surface_surfaceshader": _OPEN,
    "ND_gltf_pbr_surfaceshader": _GLTF,
}
_GOES_WITH: dict[InputName, InputName] = {
    "clearcoat_roughness": "clearcoat",
    "sheen_roughness": "sheen",
    "subsurface_color": "subsurface",
    "subsurface_radius": "subsurface",
}
"""Inputs that mean something where another is fed; their defaults differ from a document's."""
_OUTPUTS = {"outr": "r", "outg": "g", "outb": "b", "outa": "a", "outx": "r", "outy": "g"}
_OUTPUTS |= {"outz": "b", "outw": "a"}
_WRAPS: dict[str, Wrap] = {"clamp": "clamp", "mirror": "mirror", "periodic": "repeat"}
_DEEPEST = 64
"""How many nodes are followed from a port."""


@dataclass(frozen=True)
class _Found:
    """What feeds a port: an image with what is done to it on the way."""

    node: Any
    channels: str = ""
    """Of the image; empty for all."""
    factor: tuple[float, ...] = (1.0,)
    strength: float = 1.0
    """Of a normal map."""
    inverted: bool = False


def read_mtlx(reading: UsdMaterialReading, surface: Any) -> MaterialEntry:
    """A material by a surface of MaterialX; what is not taken is said."""
    kind = surface.GetIdAttr().Get()
    ports = SURFACES[kind]
    for port, given in ports.items():
        _feed(reading, surface, port, given)
    known = {*ports, *(one.weight for one in ports.values()), "alpha_mode", "alpha_cutoff"}
    for other in surface.GetInputs():
        name = other.GetBaseName()
        if name not in known and (source_of(surface, name) or not _is_neutral(name, other.Get())):
            reading.skip(f"its {in_words(name)} is left out.")
    inputs, uv, wrap = laid(reading.inputs, reading.places)
    mode, cutoff = _alpha(surface, kind, "opacity" in inputs)
    return MaterialEntry(inputs=inputs, alpha_mode=mode, alpha_cutoff=cutoff, uv=uv, wrap=wrap)


def _is_neutral(port: str, value: Any) -> bool:
    """Whether a port's constant changes nothing: off, or a weight or a tint of 1."""
    if value is None or isinstance(value, str):
        return True
    numbers = set(np.ravel(value).tolist())
    whole = port.endswith("color") or port in ("specular", "specular_weight")
    return numbers <= {0.0} or (whole and numbers <= {1.0})


def _alpha(surface: Any, kind: str, clear: bool) -> tuple[AlphaMode | None, float | None]:
    """The alpha mode: glTF's surface says it; else what has an opacity blends."""
    modes: tuple[AlphaMode, ...] = ("opaque", "mask", "blend")
    if kind == "ND_gltf_pbr_surfaceshader":
        mode = modes[int(value_of(surface, "alpha_mode", 0)) % 3]
        return mode, float(value_of(surface, "alpha_cutoff", 0.5)) if mode == "mask" else None
    cut = float(value_of(surface, "opacityThreshold", 0.0))
    if clear and cut > 0.0:
        return "mask", cut
    return ("blend" if clear else None), None


def _feed(reading: UsdMaterialReading, surface: Any, port: str, given: _Port) -> None:
    name, weight = given.input, 1.0
    if given.weight:
        if source_of(surface, given.weight):
            reading.skip(f"what feeds its {in_words(given.weight)} is left out.")
        weight = float(value_of(surface, given.weight, given.weight_default))
    upstream = source_of(surface, port)
    if name == "subsurface_radius":
        # A length, in the units of the scene; no map can carry it here.
        weight = float(UsdGeom.GetStageMetersPerUnit(surface.GetPrim().GetStage()))
        if upstream is not None:
            reading.skip("what feeds its subsurface radius is left out.")
            upstream = None
    if upstream is not None:
        image = _image(reading, name, *upstream)
        if image is not None and _textured(reading, image, given, weight):
            return
    value = value_of(surface, port, None)
    if name == "normal" or (value is None and not _counts(reading, given, weight)):
        return
    plain = _times(_plain(given.default if value is None else value, name), weight)
    if name == "emission" and isinstance(plain, tuple) and max(plain) > 1.0:
        bright = max(plain)
        reading.inputs[name] = feed_of(None, "r", _times(plain, 1.0 / bright), strength=bright)
    elif name in WRITTEN or name in _GOES_WITH or plain != _plain(TABLE[name].default, name):
        reading.inputs[name] = feed_of(None, "r", plain)


def _counts(reading: UsdMaterialReading, given: _Port, weight: float) -> bool:
    """Whether the default of a port that says nothing is to be written down."""
    partner = _GOES_WITH.get(given.input)
    return (
        given.input in WRITTEN
        or (bool(given.weight) and weight != given.weight_default)
        or (partner is not None and partner in reading.inputs)
    )


def _plain(value: Any, name: InputName) -> float | tuple[float, ...]:
    """A port's value as the input takes it: opacity of three channels is their mean."""
    if hasattr(value, "__len__"):
        numbers = tuple(float(v) for v in value)
        return sum(numbers) / len(numbers) if name == "opacity" else numbers
    return float(value)


def _times(value: float | tuple[float, ...], factor: float) -> float | tuple[float, ...]:
    return tuple(v * factor for v in value) if isinstance(value, tuple) else value * factor


def _image(reading: UsdMaterialReading, name: InputName, node: Any, output: str) -> _Found | None:
    """The image that a node's output comes from; `None`, and said, where something else is on the
    way."""
    found = _Found(node)
    for _ in range(_DEEPEST):
        kind = str(node.GetIdAttr().Get() or "").removeprefix("ND_")
        step = _step(node, kind, output, found)
        if isinstance(step, _Found):
            return step
        if step is None:
            reading.skip(f"its {name} comes from {kind or 'nothing'}, which is not followed.")
            return None
        port, found = step
        upstream = source_of(node, port)
        if upstream is None:
            reading.skip(f"its {name} comes from numbers worked out by {kind}, and is left out.")
            return None
        node, output = upstream
    return None


def _step(node: Any, kind: str, output: str, found: _Found) -> _Found | tuple[str, _Found] | None:
    """One node on the way: the image itself, or the port to follow and what the node adds."""
    letter = _OUTPUTS.get(output, "")
    if kind.startswith(("image_", "tiledimage_", "gltf_image", "gltf_colorimage", "UsdUVTexture")):
        channels = found.channels or (output if output in ("r", "g", "b", "a", "rgb") else letter)
        if kind.startswith("gltf_colorimage") and output == "outa":
            channels = "a"
        return replace(found, node=node, channels=channels)
    if kind.startswith("normalmap"):
        scale = value_of(node, "scale", 1.0)
        return "in", replace(
            found, strength=float(scale[0] if hasattr(scale, "__len__") else scale)
        )
    if kind.startswith("gltf_normalmap"):
        return replace(found, node=node)
    if kind.startswith("separate"):
        return "in", replace(found, channels=letter)
    if kind.startswith("extract"):
        return "in", replace(found, channels="rgba"[int(value_of(node, "index", 0)) % 4])
    if kind.startswith("swizzle"):
        picked = str(value_of(node, "channels", "")).translate(str.maketrans("xyzw", "rgba"))
        return "in", replace(found, channels=picked if picked in ("r", "g", "b", "a") else "")
    if kind.startswith("multiply"):
        textured = "in1" if source_of(node, "in1") else "in2"
        other = value_of(node, "in2" if textured == "in1" else "in1", 1.0)
        if source_of(node, "in1") and source_of(node, "in2"):
            return None
        numbers = tuple(float(v) for v in other) if hasattr(other, "__len__") else (float(other),)
        return textured, replace(found, factor=_product(found.factor, numbers))
    if kind.startswith("invert") and float(np.max(value_of(node, "amount", 1.0))) == 1.0:
        return "in", replace(found, inverted=not found.inverted)
    if kind.startswith(("convert_", "dot_")):
        return "in", found
    return None


def _product(first: tuple[float, ...], second: tuple[float, ...]) -> tuple[float, ...]:
    count = max(len(first), len(second))
    return tuple(float(v) for v in np.broadcast_to(first, count) * np.broadcast_to(second, count))


def _textured(reading: UsdMaterialReading, image: _Found, given: _Port, weight: float) -> bool:
    name = given.input
    key = reading.image(image.node)
    if key is None:
        return False
    colour = TABLE[name].is_wide
    channels: RoleChannels = image.channels or ("rgb" if colour else "r")  # type: ignore[assignment]
    if image.channels == "rgba" or (colour and image.channels == ""):
        channels = "rgb"
    role: Role = name if name in _ROLES else "mask"  # type: ignore[assignment]
    reading.collected.use(key, channels, role, name)
    factor = tuple(v * weight for v in image.factor)
    more: Json = {}
    value: float | tuple[float, ...] = factor[0]
    if name == "normal":
        value, more = 1.0, {"strength": image.strength} if image.strength != 1.0 else {}
    elif channels == "rgb":
        value = factor * 3 if len(factor) == 1 else factor[:3]
        if name == "emission" and max(value) > 1.0:
            more = {"strength": max(value)}
            value = tuple(v / more["strength"] for v in value)
        if value == _WHITE:
            value = 1.0
    if image.inverted:
        more["invert"] = True
    entry = reading.collected.maps[key].entry
    reading.inputs[name] = feed_of(entry, channels, value, **more)
    reading.places[name] = (_placed(reading, image.node), _wraps(image.node))
    return True


_ROLES = ("base_color", "normal", "roughness", "metallic", "occlusion", "emission", "opacity")


def _wraps(node: Any) -> tuple[Wrap, Wrap]:
    u, v = (str(value_of(node, f"{axis}addressmode", "periodic")) for axis in "uv")
    return _WRAPS.get(u, "repeat"), _WRAPS.get(v, "repeat")


@dataclass
class _Affine:
    """UVs as nodes move them, v up: `axes` · uv + `shift`."""

    axes: Values = field(default_factory=lambda: np.eye(2))
    shift: Values = field(default_factory=lambda: np.zeros(2))

    def before(self, axes: Values, shift: Values) -> None:
        """Let another transform come before this one."""
        self.shift = self.axes @ shift + self.shift
        self.axes = self.axes @ axes


def _placed(reading: UsdMaterialReading, image: Any) -> UvTransform:
    """Where an image's UVs come from. Source: MaterialX 1.39, `NG_tiledimage` (uv · uvtiling −
    uvoffset) and `NG_place2d_vector2`."""
    kind = str(image.GetIdAttr().Get())
    moved = _Affine()
    if "tiledimage" in kind:
        tiling = np.array([float(v) for v in value_of(image, "uvtiling", (1.0, 1.0))])
        offset = np.array([float(v) for v in value_of(image, "uvoffset", (0.0, 0.0))])
        moved.before(np.diag(tiling), -offset)
    elif "gltf_" in kind:
        moved.before(*_gltf_place(image))
    number = 0
    upstream = source_of(image, "texcoord") or source_of(image, "st")
    for _ in range(_DEEPEST):
        if upstream is None:
            break
        node = upstream[0]
        kind = str(node.GetIdAttr().Get() or "").removeprefix("ND_")
        if kind.startswith("place2d"):
            moved.before(*_place2d(node))
            upstream = source_of(node, "texcoord")
            continue
        if kind.startswith("texcoord"):
            number = int(value_of(node, "index", 0))
        elif kind.startswith(("geompropvalue", "UsdPrimvarReader")):
            number = reading.set_number(
                str(value_of(node, "geomprop", value_of(node, "varname", "st")))
            )
        else:
            reading.skip(f"its UVs come from {kind or 'nothing'}, which is not followed.")
        break
    placed = transform_of(moved.axes, moved.shift, number)
    if placed is None:
        reading.skip("a transform of its UVs shears or mirrors them, and is left out.")
    return placed or UvTransform(set=number)


def _place2d(node: Any) -> tuple[Values, Values]:
    """A `place2d` node's placement, v up."""
    return _about(
        _pair(node, "pivot", 0.0),
        _pair(node, "scale", 1.0),
        float(value_of(node, "rotate", 0.0)),
        _pair(node, "offset", 0.0),
        moves_first=bool(value_of(node, "operationorder", 0)),
    )


def _gltf_place(node: Any) -> tuple[Values, Values]:
    """What glTF's image nodes give their own `place2d`. Source: MaterialX 1.39,
    `NG_gltf_image_color4_color4_1_0`."""
    turn, offset = float(value_of(node, "rotate", 0.0)), _pair(node, "offset", 0.0)
    pivot = np.array([float(v) for v in value_of(node, "pivot", (0.0, 1.0))])
    return _about(pivot, 1.0 / _pair(node, "scale", 1.0), -turn, offset * [-1.0, 1.0])


def _about(
    pivot: Values, scale: Values, degrees: float, offset: Values, *, moves_first: bool = False
) -> tuple[Values, Values]:
    """Scaled about a pivot, turned and moved, or the other way round. Source: MaterialX 1.39,
    `NG_place2d_vector2`; `rotate2d` is (cos · x + sin · y, −sin · x + cos · y)."""
    cos, sin = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turned, scaled = np.array([[cos, sin], [-sin, cos]]), np.diag(1.0 / scale)
    if moves_first:
        axes = scaled @ turned
        return axes, pivot - axes @ (pivot + offset)
    axes = turned @ scaled
    return axes, pivot - offset - axes @ pivot


def _pair(node: Any, port: str, default: float) -> Values:
    return np.array([float(v) for v in value_of(node, port, (default, default))])
