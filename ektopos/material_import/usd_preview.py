"""UsdPreviewSurface with its readers of textures.

Source: “UsdPreviewSurface Specification” 2.6; UsdTransform2d.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from ektopos.base.types import Json, Wrap
from ektopos.document import InputName, MaterialEntry, Role, RoleChannels, UvTransform
from ektopos.material_import.carried import feed_of, laid
from ektopos.material_import.usd_reading import (
    UsdMaterialReading,
    source_of,
    transform_of,
    value_of,
)

PORTS: dict[str, tuple[InputName, Role, float | tuple[float, ...]]] = {
    "diffuseColor": ("base_color", "base_color", (0.18, 0.18, 0.18)),
    "metallic": ("metallic", "metallic", 0.0),
    "specularColor": ("f0", "specular", (0.0, 0.0, 0.0)),
    "roughness": ("roughness", "roughness", 0.5),
    "normal": ("normal", "normal", (0.0, 0.0, 1.0)),
    "occlusion": ("occlusion", "occlusion", 1.0),
    "emissiveColor": ("emission", "emission", (0.0, 0.0, 0.0)),
    "opacity": ("opacity", "opacity", 1.0),
    "ior": ("ior", "mask", 1.5),
    "clearcoat": ("clearcoat", "mask", 0.0),
    "clearcoatRoughness": ("clearcoat_roughness", "mask", 0.01),
}
"""Input, role and default by port. Source: the specification's table."""
WRITTEN = ("base_color", "metallic", "roughness", "f0")
"""Inputs whose default differs from a material's own, so that it is written down."""


def read_preview(reading: UsdMaterialReading, shader: Any) -> MaterialEntry:
    """A material by its preview surface; what is not taken is said."""
    is_specular = bool(value_of(shader, "useSpecularWorkflow", 0))
    for port, (name, role, default) in PORTS.items():
        if name == ("metallic" if is_specular else "f0"):
            continue
        if not _textured(reading, shader, port, name, role):
            _constant(reading, value_of(shader, port, None), name, default)
    for port in ("displacement", "opacityMode"):
        if source_of(shader, port) or value_of(shader, port, None) not in (None, 0.0):
            reading.skip(f"its {port} is left out.")
    cut = float(value_of(shader, "opacityThreshold", 0.0))
    clear = "opacity" in reading.inputs
    inputs, uv, wrap = laid(reading.inputs, reading.places)
    return MaterialEntry(
        inputs=inputs,
        alpha_mode=("mask" if cut > 0 else "blend") if clear else None,
        alpha_cutoff=cut if clear and cut > 0 else None,
        uv=uv,
        wrap=wrap,
        workflow="specular" if is_specular else None,
    )


def _constant(reading: UsdMaterialReading, value: Any, name: InputName, default: Any) -> None:
    if value is None:
        value = default if name in WRITTEN else None
    if value is None or name == "normal":
        return
    plain = tuple(float(v) for v in value) if hasattr(value, "__len__") else float(value)
    if name in WRITTEN or plain != default:
        reading.inputs[name] = feed_of(None, "r", plain)


def _textured(
    reading: UsdMaterialReading, shader: Any, port: str, name: InputName, role: Role
) -> bool:
    """Feed an input from a texture reader; `False`, and said, where that cannot be."""
    given = source_of(shader, port)
    if given is None:
        return False
    reader, output = given
    if reader.GetIdAttr().Get() != "UsdUVTexture":
        kind = reader.GetIdAttr().Get() or "nothing"
        reading.skip(f"its {name} comes from {kind}, which is not followed.")
        return False
    key = reading.image(reader)
    if key is None:
        return False
    channels: RoleChannels = output if output in ("r", "g", "b", "a", "rgb") else "rgb"  # type: ignore[assignment]
    reading.collected.use(key, channels, role, name)
    value, more = _scaled(reading, reader, channels, name)
    if str(value_of(reader, "sourceColorSpace", "auto")) == "raw" and name == "base_color":
        reading.skip("its base colour is marked as raw; it is taken as sRGB.")
    reading.inputs[name] = feed_of(reading.collected.maps[key].entry, channels, value, **more)
    wrap = (_wrap(reading, reader, "S"), _wrap(reading, reader, "T"))
    reading.places[name] = (_transform(reading, reader), wrap)
    return True


def _wrap(reading: UsdMaterialReading, reader: Any, side: str) -> Wrap:
    """What lies beyond a texture's border; black is said, and clamped."""
    given = str(value_of(reader, f"wrap{side}", "useMetadata"))
    if given == "black":
        reading.skip("a texture of it is black beyond its border; here it is clamped.")
    return {"clamp": "clamp", "mirror": "mirror", "black": "clamp"}.get(given, "repeat")  # type: ignore[return-value]


def _scaled(
    reading: UsdMaterialReading, reader: Any, channels: str, name: InputName
) -> tuple[float | tuple[float, ...], Json]:
    """The reader's scale and bias as a factor, a strength or an invert."""
    scale = [float(v) for v in value_of(reader, "scale", (1.0, 1.0, 1.0, 1.0))]
    bias = [float(v) for v in value_of(reader, "bias", (0.0, 0.0, 0.0, 0.0))]
    if name == "normal":
        # (2s, ±2s, 2) and (−s, ∓s, −1) is strength s, green turned round where it is negative.
        strength = abs(scale[0]) / 2.0 if scale[0] else 1.0
        if scale[1] < 0:
            reading.skip("green of its normal map points down: set it there.")
        return 1.0, {"strength": strength} if abs(strength - 1.0) > 1e-6 else {}
    picked = ["rgba".index(letter) for letter in channels]
    factor, moved = [scale[i] for i in picked], [bias[i] for i in picked]
    if name == "occlusion" and abs(factor[0] + moved[0] - 1.0) < 1e-6 and moved[0] > 0:
        return 1.0, {"strength": factor[0]}
    if len(picked) == 1:
        more = {"offset": moved[0]} if moved[0] else {}
        return factor[0], more
    if any(moved):
        reading.skip(f"what is added to its {name} is left out.")
    if name == "emission" and max(factor) > 1.0:
        return tuple(v / max(factor) for v in factor), {"strength": max(factor)}
    return tuple(factor), {}


def _transform(reading: UsdMaterialReading, reader: Any) -> UvTransform:
    """Where a texture reader's UVs come from: a primvar, and a UsdTransform2d of them."""
    axes, shift = np.eye(2), np.zeros(2)
    given = source_of(reader, "st")
    if given and given[0].GetIdAttr().Get() == "UsdTransform2d":
        mover = given[0]
        turn = math.radians(float(value_of(mover, "rotation", 0.0)))
        scale = [float(v) for v in value_of(mover, "scale", (1.0, 1.0))]
        cos, sin = math.cos(turn), math.sin(turn)
        axes = np.array([[cos, -sin], [sin, cos]]) @ np.diag(scale)
        shift = np.array([float(v) for v in value_of(mover, "translation", (0.0, 0.0))])
        given = source_of(mover, "in")
    number = 0
    if given and str(given[0].GetIdAttr().Get()).startswith("UsdPrimvarReader"):
        number = reading.set_number(str(value_of(given[0], "varname", "st")))
    placed = transform_of(axes, shift, number)
    if placed is None:
        reading.skip("a transform of its UVs mirrors them, and is left out.")
    return placed or UvTransform(set=number)
