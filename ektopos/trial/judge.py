"""Judge a material: every input, every texel."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from ektopos.base.types import Float
from ektopos.document import EXTRA_INPUTS, TABLE, InputName
from ektopos.export.quantities import is_mixed
from ektopos.materials.inheritance import Material
from ektopos.materials.layering import surface_of
from ektopos.materials.resolve import feed_problem
from ektopos.trial.cells import SETTINGS, Cell, badness, because
from ektopos.trial.comparison import (
    Comparison,
    compressed,
    explained,
    unlike_its_list,
)
from ektopos.trial.compression import block_compressed
from ektopos.trial.diagnosis import MESSAGES, agrees, comes_nearer, mean_steps
from ektopos.trial.engine.package import INPUTS, ImportedInput, ImportedMaterial, Texture
from ektopos.trial.expected_inputs import ExpectedInputs
from ektopos.trial.integer_comparison import compare_codes
from ektopos.trial.measure import as_stored, small_pictures, white_at
from ektopos.trial.mip_levels import fault_of_levels
from ektopos.trial.settings import alpha_fault, judge_settings
from ektopos.trial.tolerances import TOLERANCE, WITHIN

Keep = Callable[[str, str, dict[str, Float]], None]
"""Given a material, an input and its small pictures (`meant`, `arrived`, `difference`), all 0–1 as
they are stored."""


@dataclass
class Judge:
    """A project and a target, against which materials are judged."""

    expected: ExpectedInputs
    materials: Mapping[str, Material]
    """Those of the document that can be resolved."""
    keep: Keep | None
    wired: Mapping[str, Iterable[tuple[str, InputName]]] = field(default_factory=dict)
    """By a texture's path, the materials and inputs that it feeds in the package."""

    def material(self, name: str, imported: ImportedMaterial) -> list[Cell]:
        """The eight cells of one material, and one for every input beyond the seven that feeds
        it.
        """
        material = surface_of(self.expected.document, name)
        self.expected.loader.prefetch(
            used for feed in material.feeds.values() for used in sorted(feed.maps())
        )
        cells = []
        for input_name in INPUTS:
            cell = Cell("", "", name, input_name, "same")
            if input_name == "opacity":
                changed = alpha_fault(material, imported)
                if changed or material.alpha_mode == "opaque":
                    cells.append(
                        replace(cell, **(changed or {"message": "Opaque, as it was meant."}))
                    )
                    continue
            judged = self._input(material, cell, imported.inputs[input_name])
            if self.expected.profile.importing.compression == "blocks":
                judged = self._compressed(material, judged, imported.inputs[input_name])
            cells.append(judged)
        cells.append(
            judge_settings(
                Cell("", "", name, SETTINGS, "same"), material, imported, self.expected.profile
            )
        )
        for extra in ("height", *EXTRA_INPUTS):
            if extra not in material.feeds:
                continue
            cell = Cell(
                "",
                "",
                name,
                extra,
                "unsupported",
                cause="not-carried-by-target",
                message=MESSAGES["not-carried-by-target"],
            )
            if self.expected.profile.carries(extra, not material.feeds[extra].maps()):
                cell = self._input(
                    material, Cell("", "", name, extra, "same"), imported.inputs[extra]
                )
            cells.append(cell)
        return cells

    def _input(self, material: Material, cell: Cell, imported: ImportedInput) -> Cell:
        """The verdict on an input; where several channels should hold the same, on the worst of
        them."""
        judged = self._channel(material, cell, imported, self.keep)
        copies = [
            self._channel(material, cell, replace(imported, channels=letter), None)
            for letter in imported.copies
        ]
        return max((judged, *copies), key=badness)

    def _channel(
        self, material: Material, cell: Cell, imported: ImportedInput, keep: Keep | None
    ) -> Cell:
        sound = self._by_codes(material, cell, imported, keep)
        if sound is not None:
            return sound
        texture, fed_by_maps = imported.texture, bool(material.feeds[_input_of(cell)].maps())
        if texture is not None and texture.problem is not None and fed_by_maps:
            sentence = f"{texture.path}: {MESSAGES[texture.problem]}"
            return replace(cell, verdict="lost", cause=texture.problem, message=sentence)
        comparison = self.expected.compared(material, _input_of(cell), imported)
        judged = comparison.judged(cell)
        if fed_by_maps or judged.verdict == "differs":
            white = white_at(float(comparison.error.max()), comparison.unit)
            judged = replace(judged, white_at=round(white, 4))
            if keep is not None:
                pictures = small_pictures(
                    comparison.here,
                    comparison.actual,
                    comparison.error,
                    comparison.name,
                    white,
                    comparison.scale,
                )
                keep(material.name, comparison.name, pictures)
        if judged.verdict == "differs":
            judged = explained(judged, comparison, material, imported)
            other = self._other_texture(material, comparison, imported, judged.cause)
            if other is not None:
                return because(replace(judged, verdict="differs"), "other-texture", other)
            if judged.verdict == "differs":
                return judged
        elif judged.verdict == "close" and fed_by_maps and texture is not None and texture.lossy:
            judged = compressed(judged, comparison, texture)
        listed = unlike_its_list(texture)
        if listed is not None:
            return because(replace(judged, verdict="differs"), "resized", listed)
        worst = fault_of_levels(self.expected, material, comparison, imported)
        if worst is not None:
            return because(replace(judged, verdict="differs"), "filter-changed", worst)
        if judged.verdict == "close" and not judged.cause:
            return because(
                judged,
                "resized" if _is_smaller(texture, comparison.expected) else "quantised",
                WITHIN[comparison.unit],
            )
        return judged

    def _other_texture(
        self, material: Material, comparison: Comparison, imported: ImportedInput, cause: str | None
    ) -> str | None:
        """That an unexplained texture is what another input was meant to have, in words."""
        texture, stored = imported.texture, imported.stored()
        if cause not in ("unknown", "compressed") or texture is None or stored is None:
            return None
        plain = replace(imported, normal_y="+", inverted=False, quantity="")
        own = as_stored(comparison.here, comparison.name, imported)
        if own.shape == stored.shape and agrees(own, stored):
            return None
        for other, name in sorted(self.wired.get(texture.path, ())):
            if (other, name) == (material.name, comparison.name):
                continue
            if other not in self.materials:
                continue
            expected = self.expected.values(self.materials[other], name, "")
            meant = as_stored(expected, name, plain)
            if meant.shape != stored.shape:
                continue
            nearer = (
                texture.lossy
                and own.shape == stored.shape
                and comes_nearer(mean_steps(meant, stored), mean_steps(own, stored))
            )
            if nearer or agrees(meant, stored):
                label = TABLE[name].label.lower()
                return f"It is wired to the texture of {other} · {label}, {texture.path}."
        return None

    def _by_codes(
        self, material: Material, cell: Cell, imported: ImportedInput, keep: Keep | None
    ) -> Cell | None:
        """The verdict where every texel is as it should be and codes are enough to tell; `None` to
        look closer."""
        name = _input_of(cell)
        feed, texture = material.feeds[name], imported.texture
        if (
            feed.map is None
            or texture is None
            or texture.pixels is None
            or self.expected.profile.padding
            or texture.smaller
            or (name == "normal" and imported.encoding == "srgb")
        ):
            return None
        if texture.listed_size not in (None, texture.pixels.shape[1::-1]) or feed_problem(
            self.expected.document, feed, name
        ):
            return None
        compared = compare_codes(self.expected.loader.find(feed.map), feed, name, imported)
        if compared is None or compared.differing:
            return None
        same, white = TOLERANCE[compared.unit][0], white_at(compared.largest, compared.unit)
        if keep is not None:
            keep(
                material.name,
                name,
                small_pictures(
                    compared.expected, compared.actual, compared.error, name, white, 1.0
                ),
            )
        judged = replace(
            cell,
            white_at=round(white, 4),
            verdict="same" if compared.largest <= same else "close",
            max_error=round(compared.largest, 4),
            mean_error=round(compared.mean, 5),
            unit=compared.unit,
            differing=0.0,
        )
        return (
            judged
            if judged.verdict == "same"
            else because(judged, "quantised", WITHIN[compared.unit])
        )

    def _compressed(self, material: Material, cell: Cell, imported: ImportedInput) -> Cell:
        """A sound cell with what the engine's own texture compression then does to it."""
        name, texture = _input_of(cell), imported.texture
        if texture is None or texture.pixels is None or texture.pixels.dtype != np.uint8:
            return cell
        if is_mixed(imported.quantity) or cell.verdict not in ("same", "close"):
            return cell
        blocks = block_compressed(texture.pixels, normal=name == "normal")
        comparison = self.expected.compared(
            material, name, replace(imported, texture=texture.showing(blocks))
        )
        error = comparison.error if comparison.shown is None else comparison.error[comparison.shown]
        sentence = (
            f"Compressed on import, it changes by up to {float(error.max()):.3g} "
            f"{comparison.unit}, {float(error.mean()):.2g} in the mean."
        )
        return because(
            replace(cell, verdict="close"), "compressed", f"{cell.message} {sentence}".strip()
        )


def _input_of(cell: Cell) -> InputName:
    return cell.input  # type: ignore[return-value]


def _is_smaller(texture: Texture | None, expected: Float) -> bool:
    return (
        texture is not None
        and texture.pixels is not None
        and any(np.less(texture.pixels.shape[:2], expected.shape[:2]))
    )
