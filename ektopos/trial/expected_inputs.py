"""What inputs are meant to be when they arrive, and the comparison with what came."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from ektopos.base.types import Float
from ektopos.document import Document, InputName, UvTransform
from ektopos.export.profile import Profile
from ektopos.export.quantities import is_mixed
from ektopos.materials.inheritance import Material
from ektopos.materials.resolve import MapLoader, at_size, resolve_feed
from ektopos.materials.texel_coverage import covered_by
from ektopos.meshes import Mesh
from ektopos.trial.comparison import Comparison, Shown, scale_of, strong_errors
from ektopos.trial.conversion import expected_quantity
from ektopos.trial.engine.package import ImportedInput
from ektopos.trial.measure import imported_values
from ektopos.trial.resampling import resampled


@dataclass
class ExpectedInputs:
    """The inputs of a project's materials, as a target should get them."""

    loader: MapLoader
    document: Document
    profile: Profile
    meshes: Mapping[str, Mesh]
    _last: tuple[str, dict[tuple[str, str], Float]] = field(default_factory=lambda: ("", {}))
    """Values of one material's inputs: it may be read twice from a package."""
    _shown: dict[tuple[str, UvTransform, int, int], Shown | None] = field(default_factory=dict)

    def values(self, material: Material, name: InputName, quantity: str) -> Float:
        """What an input should be when it arrives, without strength: itself, or the quantity that
        the target takes of it."""
        if self._last[0] != material.name:
            self._last = (material.name, {})
        known = self._last[1]
        key = (name, quantity if is_mixed(quantity) else "")
        if key not in known:
            known[key] = self._resolved(material, *key)
        return known[key]

    def _resolved(self, material: Material, name: InputName, quantity: str) -> Float:
        if quantity and material.reflectance is not None:
            both = material.reflectance
            if quantity == "diffuse":
                return resolve_feed(self.loader, both.diffuse, "base_color", with_strength=False)
            return resolve_feed(self.loader, both.f0, "f0", with_strength=False)
        if not quantity:
            return resolve_feed(self.loader, material.feeds[name], name, with_strength=False)
        base = resolve_feed(
            self.loader, material.feeds["base_color"], "base_color", with_strength=False
        )
        metallic = resolve_feed(
            self.loader, material.feeds["metallic"], "metallic", with_strength=False
        )
        height, width = max(
            (a.shape[:2] for a in (base, metallic)), key=lambda shape: shape[0] * shape[1]
        )
        wrap = material.placement("base_color").wrap
        base = resampled(base, "base_color", width, height, wrap=wrap)
        metallic = resampled(metallic, "metallic", width, height, wrap=wrap)
        return expected_quantity(quantity, base, metallic)

    def compared(self, material: Material, name: InputName, imported: ImportedInput) -> Comparison:
        """An input as it was meant and as it came, and their errors, at the size that came."""
        expected = self.values(material, name, imported.quantity)
        # Diffuse and specular are judged as themselves: solving them back would blow up their
        # rounding.
        name = "base_color" if is_mixed(imported.quantity) else name
        actual = imported_values(imported, name)
        here, shown = expected, None
        if actual.shape[:2] == (1, 1):
            actual = at_size(actual, name, expected.shape[1], expected.shape[0])
        else:
            here = resampled(
                expected,
                name,
                actual.shape[1],
                actual.shape[0],
                cutoff=cutoff_of(material),
                wrap=material.placement(name).wrap,
                seen=self.seen(material, name, expected, actual),
            )
            shown = self._texels_shown(material, name, actual.shape[1], actual.shape[0])
        strengths = material.feeds[name].strength, imported.strength
        scale = scale_of(expected, name, strengths[0])
        error, unit = strong_errors(here, actual, name, strengths, scale)
        if shown is not None:
            # Round its islands a map was filled on purpose, and nothing of that is ever seen.
            error = np.where(shown, error, np.float32(0))
        return Comparison(name, expected, here, actual, shown, error, unit, strengths, scale)

    def seen(
        self, material: Material, name: InputName, colour: Float, actual: Float | None
    ) -> Float | None:
        """How much of a colour is seen, at its size, where smaller pictures count it by that;
        `actual` is the picture that came, if that may be as large."""
        if name != "base_color" or material.alpha_mode == "opaque":
            return None
        if actual is not None and actual.shape[:2] == colour.shape[:2]:
            return None
        if not material.feeds["opacity"].maps():
            return None
        opacity = self.values(material, "opacity", "")
        return resampled(opacity, "opacity", colour.shape[1], colour.shape[0])

    def _texels_shown(
        self, material: Material, name: InputName, width: int, height: int
    ) -> Shown | None:
        """Texels that the slots wearing a material show, where the target fills what lies round
        them; else all."""
        if not self.profile.padding:
            return None
        key = (material.name, material.placement(name).uv, width, height)
        if key not in self._shown:
            self._shown[key] = covered_by(
                self.document, self.meshes, material, [name], width, height
            )
        return self._shown[key]


def cutoff_of(material: Material) -> float | None:
    """The alpha below which a material has holes; `None` where it has none."""
    return material.alpha_cutoff if material.alpha_mode == "mask" else None
