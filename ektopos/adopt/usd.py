"""Materials of a USD file: UsdPreviewSurface with its readers of textures.

Source: “UsdPreviewSurface Specification” 2.6; UsdTransform2d.
"""

from __future__ import annotations

import math
import zipfile
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from ektopos.adopt.carried import Carried, Collected, MapName, Place, feed_of, laid
from ektopos.document import InputName, MaterialEntry, Role, RoleChannels, UvTransform
from ektopos.meshes.formats.usd import open_stage
from ektopos.meshes.formats.usd_layers import Find
from ektopos.names import unique_names
from ektopos.types import Wrap

_PORTS: dict[str, tuple[InputName, Role, float | tuple[float, ...]]] = {
    "diffuseColor": ("base_color", "base_color", (0.18, 0.18, 0.18)),
    "metallic": ("metallic", "metallic", 0.0),
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
_WRITTEN = ("base_color", "metallic", "roughness")
"""Inputs whose default differs from a material's own, so that it is written down."""


def carried_by_usd(path: Path, find: Find, name: str, map_name: MapName) -> Carried:
    """The maps and materials of a USD or USDZ file. Raises `UnreadableFile`, or `ValueError` and
    its kin for damage."""
    from pxr import Usd, UsdShade

    collected = Collected(map_name)
    with open_stage(path, find, name) as (stage, _):
        prims = [
            prim
            for prim in Usd.PrimRange(stage.GetPseudoRoot(), Usd.TraverseInstanceProxies())
            if prim.IsA(UsdShade.Material)
        ]
        labels = unique_names([prim.GetName() for prim in prims])
        materials = {
            label: _Material(label, path, find, collected).read(UsdShade.Material(prim))
            for label, prim in zip(labels, prims, strict=True)
        }
        return collected.carried({k: v for k, v in materials.items() if v is not None})


class _Material:
    """One material while it is read."""

    def __init__(self, label: str, path: Path, find: Find, collected: Collected) -> None:
        self.label, self.path, self.find, self.collected = label, path, find, collected
        self.inputs: dict[InputName, Any] = {}
        self.places: dict[InputName, Place] = {}

    def read(self, material: Any) -> MaterialEntry | None:
        """The material as a document has it; `None`, and said, without a preview surface."""
        shader = material.ComputeSurfaceSource()[0]
        if not shader or shader.GetIdAttr().Get() != "UsdPreviewSurface":
            self.collected.skip(self.label, "it has no preview surface, which is what is read.")
            return None
        specular = self._number(shader, "useSpecularWorkflow", 0)
        if specular:
            self.collected.skip(self.label, "it is of the specular workflow, and is read as metal.")
        for port, (name, role, default) in _PORTS.items():
            self._feed(shader.GetInput(port), name, role, default)
        for port in ("displacement", "opacityMode"):
            given = shader.GetInput(port)
            if given and (given.HasConnectedSource() or given.Get() not in (None, 0.0)):
                self.collected.skip(self.label, f"its {port} is left out.")
        cut = float(self._number(shader, "opacityThreshold", 0.0))
        clear = "opacity" in self.inputs
        inputs, uv, wrap = laid(self.inputs, self.places)
        return MaterialEntry(
            inputs=inputs,
            alpha_mode=("mask" if cut > 0 else "blend") if clear else None,
            alpha_cutoff=cut if clear and cut > 0 else None,
            uv=uv,
            wrap=wrap,
        )

    def _feed(self, port: Any, name: InputName, role: Role, default: Any) -> None:
        if port and port.HasConnectedSource():
            source, output, _ = port.GetConnectedSource()
            if self._textured(source, str(output), name, role):
                return
        value = port.Get() if port else None
        if value is None:
            value = default if name in _WRITTEN else None
        if value is None or name == "normal":
            return
        plain = tuple(float(v) for v in value) if hasattr(value, "__len__") else float(value)
        if name in _WRITTEN or plain != default:
            self.inputs[name] = feed_of(None, "r", plain)

    def _textured(self, source: Any, output: str, name: InputName, role: Role) -> bool:
        """Feed an input from a texture reader; `False`, and said, where that cannot be."""
        from pxr import UsdShade

        reader = UsdShade.Shader(source.GetPrim())
        if reader.GetIdAttr().Get() != "UsdUVTexture":
            kind = reader.GetIdAttr().Get() or "nothing"
            self.collected.skip(self.label, f"its {name} comes from {kind}, which is not followed.")
            return False
        asset = reader.GetInput("file").Get() if reader.GetInput("file") else None
        file = str(asset.path) if asset else ""
        key = str(asset.resolvedPath or file) if asset else ""
        read, beside = (self._reader(asset), "[" not in key) if asset else (None, False)
        if not file or not self.collected.picture(key, file, read, self.label, beside=beside):
            return False
        channels: RoleChannels = output if output in ("r", "g", "b", "a", "rgb") else "rgb"  # type: ignore[assignment]
        self.collected.use(key, channels, role, name)
        value, more = self._scaled(reader, channels, name)
        if str(self._number(reader, "sourceColorSpace", "auto")) == "raw" and name == "base_color":
            self.collected.skip(
                self.label, "its base colour is marked as raw; it is taken as sRGB."
            )
        self.inputs[name] = feed_of(self.collected.maps[key].entry, channels, value, **more)
        self.places[name] = (
            self._transform(reader),
            (self._wrap(reader, "S"), self._wrap(reader, "T")),
        )
        return True

    def _wrap(self, reader: Any, side: str) -> Wrap:
        """What lies beyond a texture's border; black is said, and clamped."""
        given = str(self._number(reader, f"wrap{side}", "useMetadata"))
        if given == "black":
            self.collected.skip(
                self.label, "a texture of it is black beyond its border; here it is clamped."
            )
        return {"clamp": "clamp", "mirror": "mirror", "black": "clamp"}.get(given, "repeat")  # type: ignore[return-value]

    def _scaled(
        self, reader: Any, channels: str, name: InputName
    ) -> tuple[float | tuple[float, ...], dict[str, Any]]:
        """The reader's scale and bias as a factor, a strength or an invert."""
        scale = [float(v) for v in self._number(reader, "scale", (1.0, 1.0, 1.0, 1.0))]
        bias = [float(v) for v in self._number(reader, "bias", (0.0, 0.0, 0.0, 0.0))]
        if name == "normal":
            # (2s, ±2s, 2) and (−s, ∓s, −1) is strength s, green turned round where it is negative.
            strength = abs(scale[0]) / 2.0 if scale[0] else 1.0
            if scale[1] < 0:
                self.collected.skip(
                    self.label, "green of its normal map points down: set it there."
                )
            return 1.0, {"strength": strength} if abs(strength - 1.0) > 1e-6 else {}
        picked = ["rgba".index(letter) for letter in channels]
        factor, moved = [scale[i] for i in picked], [bias[i] for i in picked]
        if name == "occlusion" and abs(factor[0] + moved[0] - 1.0) < 1e-6 and moved[0] > 0:
            return 1.0, {"strength": factor[0]}
        if len(picked) == 1:
            more = {"offset": moved[0]} if moved[0] else {}
            return factor[0], more
        if any(moved):
            self.collected.skip(self.label, f"what is added to its {name} is left out.")
        if name == "emission" and max(factor) > 1.0:
            return tuple(v / max(factor) for v in factor), {"strength": max(factor)}
        return tuple(factor), {}

    def _transform(self, reader: Any) -> UvTransform:
        """A reader's UsdTransform2d. USD's v points up, so the pivot differs: in v down the offset
        is 1 − scale − offset for no rotation."""
        from pxr import UsdShade

        st = reader.GetInput("st")
        if not st or not st.HasConnectedSource():
            return UvTransform()
        shader = UsdShade.Shader(st.GetConnectedSource()[0].GetPrim())
        if shader.GetIdAttr().Get() != "UsdTransform2d":
            return UvTransform()
        turn = math.radians(float(self._number(shader, "rotation", 0.0)))
        su, sv = (float(v) for v in self._number(shader, "scale", (1.0, 1.0)))
        tu, tv = (float(v) for v in self._number(shader, "translation", (0.0, 0.0)))
        # Up: s' = R(turn) · S · s + t. With v = 1 − s_v on both sides.
        cos, sin = math.cos(turn), math.sin(turn)
        offset = (tu - sin * sv, 1.0 - tv - cos * sv)
        return UvTransform(
            tiling=(su, sv),
            offset=(round(offset[0], 9), round(offset[1], 9)),
            rotation=turn,
        )

    def _reader(self, asset: Any) -> Callable[[], bytes] | None:
        """What reads a texture: inside the archive, or beside the file; `None` where it is not."""
        _, packed, member = str(asset.resolvedPath).partition("[")
        if packed:
            return partial(_member, self.path, member.removesuffix("]"))
        path = self.find(str(asset.path).removeprefix("./"))
        return path.read_bytes if path else None

    def _number(self, shader: Any, port: str, default: Any) -> Any:
        given = shader.GetInput(port)
        value = given.Get() if given else None
        return default if value is None else value


def _member(archive: Path, name: str) -> bytes:
    with zipfile.ZipFile(archive) as packed:
        return packed.read(name)
