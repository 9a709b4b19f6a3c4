"""What reading a USD material's shaders has in common, whatever surface they make."""

from __future__ import annotations

import zipfile
from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from ektopos.base.types import MAX_UV_SETS, Values
from ektopos.base.usd_layers import Find
from ektopos.document import Feed, InputName, UvTransform
from ektopos.material_import.carried import CarriedMaterials, Place


class UsdMaterialReading:
    """One material while it is read."""

    def __init__(
        self,
        label: str,
        path: Path,
        find: Find,
        collected: CarriedMaterials,
        uv_sets: Mapping[str, int],
    ) -> None:
        self.label, self.path, self.find, self.collected = label, path, find, collected
        self.uv_sets = uv_sets
        """Numbers of the UV sets, by their names on the meshes that the material is on."""
        self.inputs: dict[InputName, Feed] = {}
        self.places: dict[InputName, Place] = {}

    def skip(self, message: str) -> None:
        """Say what of the material is not taken."""
        self.collected.skip(self.label, message)

    def image(self, shader: Any, port: str = "file") -> str | None:
        """The key of the picture that a shader reads; `None`, and said, where it is not to be
        had."""
        asset = value_of(shader, port, None)
        file = str(asset.path) if asset else ""
        if not file:
            return None
        key = str(asset.resolvedPath or file)
        return self.collected.picture(
            key, file, self._reader(asset), self.label, beside="[" not in key
        )

    def _reader(self, asset: Any) -> Callable[[], bytes] | None:
        """What reads a texture: inside the archive, or beside the file; `None` where it is not."""
        _, packed, member = str(asset.resolvedPath).partition("[")
        if packed:
            return partial(_member, self.path, member.removesuffix("]"))
        path = self.find(str(asset.path).removeprefix("./"))
        return path.read_bytes if path else None

    def set_number(self, primvar: str) -> int:
        """The number of a UV set by its primvar; one that is not there is said, and the first."""
        number = self.uv_sets.get(primvar.removeprefix("primvars:"))
        if number is None and self.uv_sets:
            self.skip(
                f"it reads UVs called {primvar}, which its mesh does not have; the first are taken."
            )
        if number is not None and number >= MAX_UV_SETS:
            self.skip(
                f"it reads UVs called {primvar}, one set more than is kept; the first are taken."
            )
            number = None
        return number or 0


def value_of(shader: Any, port: str, default: Any) -> Any:
    """A constant that a shader's port has, its own or by way of the material's interface."""
    from pxr import UsdShade

    given = shader.GetInput(port)
    if not given:
        return default
    for attribute in UsdShade.Utils.GetValueProducingAttributes(given):
        if UsdShade.Utils.GetType(attribute.GetName()) == UsdShade.AttributeType.Input:
            value = attribute.Get()
            return default if value is None else value
    return default


def source_of(shader: Any, port: str) -> tuple[Any, str] | None:
    """The shader that feeds a port and the name of its output, through node graphs; `None` for a
    constant."""
    from pxr import UsdShade

    given = shader.GetInput(port)
    if not given:
        return None
    for attribute in UsdShade.Utils.GetValueProducingAttributes(given):
        name, kind = UsdShade.Utils.GetBaseNameAndType(attribute.GetName())
        if kind == UsdShade.AttributeType.Output:
            return UsdShade.Shader(attribute.GetPrim()), str(name)
    return None


def transform_of(axes: Values, shift: Values, uv_set: int) -> UvTransform | None:
    """The transform of UVs with v down that does what `axes` `(2, 2)` and `shift` `(2,)` do with v
    up; `None` where that shears or mirrors them."""
    flip = np.diag([1.0, -1.0])
    down = flip @ axes @ flip
    offset = np.array([0.0, 1.0]) + flip @ shift - down @ np.array([0.0, 1.0])
    tiling = np.linalg.norm(down, axis=0)
    # KHR_texture_transform: u' = cos · su · u + sin · sv · v, v' = −sin · su · u + cos · sv · v.
    turn = float(np.arctan2(-down[1, 0], down[0, 0]))
    cos, sin = np.cos(turn), np.sin(turn)
    again = np.array([[cos, sin], [-sin, cos]]) @ np.diag(tiling)
    if np.abs(again - down).max() > 1e-6 * max(float(tiling.max()), 1.0):
        return None
    return UvTransform(
        tiling=(round(float(tiling[0]), 9), round(float(tiling[1]), 9)),
        offset=(round(float(offset[0]), 9), round(float(offset[1]), 9)),
        rotation=turn if abs(turn) > 1e-12 else 0.0,
        set=uv_set,
    )


def _member(archive: Path, name: str) -> bytes:
    with zipfile.ZipFile(archive) as packed:
        return packed.read(name)
