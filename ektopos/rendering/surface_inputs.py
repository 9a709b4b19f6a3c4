"""What the reference renderer draws a slot with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from ektopos.base.types import Float, Values
from ektopos.document import AlphaMode, Filter, InputName
from ektopos.materials.inheritance import DEFAULTS, Placement
from ektopos.materials.resolve import constant_values
from ektopos.materials.texel_coverage import transform_uvs
from ektopos.rendering.sample import sample


@dataclass(frozen=True)
class SurfaceInputs:
    """A surface to be drawn: canonical arrays by input (what is missing is at its default), and the
    settings."""

    inputs: Mapping[InputName, Float] = field(default_factory=dict)
    alpha_mode: AlphaMode = "opaque"
    alpha_cutoff: float = 0.5
    double_sided: bool = False
    places: Mapping[InputName, Placement] = field(default_factory=dict)
    """Where each input lies; those that are missing lie as the mesh's first UV set says."""
    filter: Filter = "linear"
    unlit: bool = False
    """Whether its base colour is seen as it is, whatever the light."""
    ior: float = 1.5
    compensate: bool = False
    """Whether light that bounces between facets is returned; the specification loses it."""

    def input(self, name: InputName) -> Float:
        """An input's array, or its default as one texel."""
        fed = self.inputs.get(name)
        return constant_values(DEFAULTS[name], name) if fed is None else fed

    def uv_sets(self) -> set[int]:
        """The UV sets that its inputs lie on."""
        return {self.places.get(name, Placement()).uv.set for name in self.inputs} | {0}

    def sampled(
        self, name: InputName, uvs: Mapping[int, Values], footprints: Mapping[int, Values]
    ) -> Values:
        """An input at UVs `(n, 2)` by set, where a pixel covers so much of each set: `(n,)` or
        `(n, 3)`."""
        values, place = self.input(name), self.places.get(name, Placement())
        uv = place.uv
        spread = footprints[uv.set] * np.sqrt(abs(uv.tiling[0] * uv.tiling[1]))
        level = np.log2(np.maximum(spread * max(values.shape[:2]), 1.0))
        placed = transform_uvs(uvs[uv.set], uv)
        near = self.filter == "nearest"
        return np.asarray(
            sample(values, placed, nearest=near, level=level, wrap=place.wrap), np.float64
        )
