"""Convert a map set of the specular workflow into maps of the metallic one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

import numpy as np

from ektopos.base.errors import EktoposError
from ektopos.base.types import Channels, Float
from ektopos.document import Document, Feed, InputName, Role
from ektopos.images import linear_to_srgb, resize
from ektopos.maps.sets import maps_of_set
from ektopos.materials.from_map_set import channels_with_role
from ektopos.materials.resolve import FindMap, feed_result
from ektopos.materials.specular_workflow import to_metallic_roughness, to_specular_gloss


@dataclass(frozen=True)
class Conversion:
    """A map set of the specular workflow, before and after; arrays as the whole module has them."""

    before: dict[str, Float]
    """`diffuse`, `specular` and `gloss`, all at the size of the largest."""
    after: dict[InputName, Float]
    """`base_color`, `metallic` and `roughness`, at that size."""

    def way_back(self) -> dict[str, tuple[float, float]]:
        """What the after gives when it is turned back: largest and mean difference from the before,
        8-bit steps of sRGB."""
        again = to_specular_gloss(
            self.after["base_color"], self.after["metallic"], self.after["roughness"]
        )
        errors = {
            name: np.abs(linear_to_srgb(values) - linear_to_srgb(self.before[name])) * 255
            for name, values in zip(("diffuse", "specular"), again[:2], strict=True)
        }
        return {name: (float(error.max()), float(error.mean())) for name, error in errors.items()}


def convert_set(document: Document, set_name: str, find: FindMap) -> Conversion:
    """Base colour, metallic and roughness of a map set that holds diffuse, specular and perhaps
    gloss.

    Gloss may be a map of its own or the alpha of the specular one; without it roughness is 0.5.
    Pictures of different size are brought to the largest. Raises `EktoposError` if the set has no
    diffuse or no specular map.
    """
    planes: dict[str, Float] = {}
    for wanted, role in (("diffuse", "base_color"), ("specular", "specular"), ("gloss", "gloss")):
        for name in maps_of_set(document, set_name):
            channels = channels_with_role(document, name, cast(Role, role))
            if channels is not None and wanted not in planes:
                narrow: Channels = channels if wanted != "gloss" or len(channels) == 1 else "r"
                input_name: InputName = "roughness" if wanted == "gloss" else "base_color"
                planes[wanted] = feed_result(Feed(map=name, channels=narrow), input_name, find)
    missing = [wanted for wanted in ("diffuse", "specular") if wanted not in planes]
    if missing:
        raise EktoposError(
            f"it has no {missing[0]} map.",
            subject=set_name,
            hint="Say which map holds it, on the board of maps.",
        )
    height, width = max(
        (values.shape[:2] for values in planes.values()), key=lambda shape: shape[0] * shape[1]
    )
    planes.setdefault("gloss", np.full((1, 1), 0.5, np.float32))
    before = {name: resize(values, width, height) for name, values in planes.items()}
    base, metallic, roughness = to_metallic_roughness(
        before["diffuse"], before["specular"], before["gloss"]
    )
    return Conversion(before, {"base_color": base, "metallic": metallic, "roughness": roughness})
