"""Judge a material: every input, every texel."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from ektopos.base.types import Float
from ektopos.document import EXTRA_INPUTS, TABLE, Document, InputName, UvTransform
from ektopos.export.profile import Profile
from ektopos.export.quantities import is_mixed
from ektopos.materials.inheritance import Material
from ektopos.materials.layering import surface_of
from ektopos.materials.mips import material_mips
from ektopos.materials.resolve import MapLoader, at_size, feed_problem, resolve_feed
from ektopos.materials.texel_coverage import covered_by
from ektopos.meshes import Mesh
from ektopos.trial.cells import SETTINGS, Cell, badness, because
from ektopos.trial.comparison import (
    Comparison,
    Shown,
    compressed,
    explained,
    scale_of,
    strong_errors,
    unlike_its_list,
)
from ektopos.trial.compression import block_compressed
from ektopos.trial.conversion import expected_quantity
from ektopos.trial.diagnosis import MESSAGES, agrees, as_compressed, comes_nearer, mean_steps
from ektopos.trial.engine.package import INPUTS, ImportedInput, ImportedMaterial, Texture
from ektopos.trial.integer_comparison import compare_codes
from ektopos.trial.measure import (
    TOLERANCE,
    WITHIN,
    as_stored,
    imported_values,
    small_pictures,
    white_at,
)
from ektopos.trial.resampling import resampled
from ektopos.trial.settings import alpha_fault, judge_settings

Keep = Callable[[str, str, dict[str, Float]], None]
"""Given a material, an input and its small pictures (`meant`, `arrived`, `difference`), all 0–1 as
they are stored."""


@dataclass
class Judge:
    """A project and a target, against which materials are judged."""

    loader: MapLoader
    document: Document
    materials: Mapping[str, Material]
    """Those of the document that can be resolved."""
    profile: Profile
    meshes: Mapping[str, Mesh]
    keep: Keep | None
    wired: Mapping[str, Iterable[tuple[str, InputName]]] = field(default_factory=dict)
    """By a texture's path, the materials and inputs that it feeds in the package."""
    _kept: tuple[str, dict[tuple[str, str], Float]] = field(default_factory=lambda: ("", {}))
    """What one material's inputs are meant to be: it may be read twice from a package."""
    _shown: dict[tuple[str, UvTransform, int, int], Shown | None] = field(default_factory=dict)

    def material(self, name: str, imported: ImportedMaterial) -> list[Cell]:
        """The eight cells of one material, and one for every input beyond the seven that feeds
        it.
        """
        material = surface_of(self.document, name)
        self.loader.prefetch(
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
            if self.profile.importing.compression == "blocks":
                judged = self._compressed(material, judged, imported.inputs[input_name])
            cells.append(judged)
        cells.append(
            judge_settings(Cell("", "", name, SETTINGS, "same"), material, imported, self.profile)
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
            if self.profile.carries(extra, not material.feeds[extra].maps()):
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
        comparison = self._compared(material, _input_of(cell), imported)
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
        worst = self._smaller_levels(material, comparison, imported)
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
            expected = self._expected(self.materials[other], name, "")
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

    def _compared(self, material: Material, name: InputName, imported: ImportedInput) -> Comparison:
        """An input as it was meant and as it came, and their errors, at the size that came."""
        expected = self._expected(material, name, imported.quantity)
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
                cutoff=_cutoff(material),
                wrap=material.placement(name).wrap,
                seen=self._seen(material, name, expected, actual),
            )
            shown = self._texels_shown(material, name, actual.shape[1], actual.shape[0])
        strengths = material.feeds[name].strength, imported.strength
        scale = scale_of(expected, name, strengths[0])
        error, unit = strong_errors(here, actual, name, strengths, scale)
        if shown is not None:
            # Round its islands a map was filled on purpose, and nothing of that is ever seen.
            error = np.where(shown, error, np.float32(0))
        return Comparison(name, expected, here, actual, shown, error, unit, strengths, scale)

    def _seen(
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
        opacity = self._expected(material, "opacity", "")
        return resampled(opacity, "opacity", colour.shape[1], colour.shape[0])

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
            or self.profile.padding
            or texture.smaller
            or (name == "normal" and imported.encoding == "srgb")
        ):
            return None
        if texture.listed_size not in (None, texture.pixels.shape[1::-1]) or feed_problem(
            self.document, feed, name
        ):
            return None
        compared = compare_codes(self.loader.find(feed.map), feed, name, imported)
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

    def _smaller_levels(
        self, material: Material, comparison: Comparison, imported: ImportedInput
    ) -> str | None:
        """What is wrong with the mip levels of a texture, in words; nothing where the target brings
        none."""
        texture, name = imported.texture, comparison.name
        if (
            texture is None
            or texture.pixels is None
            or texture.said_srgb is None
            or not self.profile.mips
        ):
            return None
        normals = None
        if name == "roughness" and material.feeds[name].maps():  # A number stays what it is.
            whole = resolve_feed(self.loader, material.feeds["normal"], "normal")
            normals = at_size(whole, "normal", comparison.here.shape[1], comparison.here.shape[0])
        seen = self._seen(material, name, comparison.here, None)
        levels = material_mips(
            comparison.here, name, normals=normals, cutoff=_cutoff(material), seen=seen
        )
        if len(texture.smaller) + 1 < len(levels):
            return (
                f"It has {len(texture.smaller) + 1} levels of {len(levels)}: from afar it will "
                "flicker."
            )
        inside = (
            None
            if comparison.shown is None
            else material_mips(comparison.shown.astype(np.float32), "metallic")
        )
        if inside is not None and name == "opacity":
            # Coverage was kept over the padded picture, of which only the islands are known here.
            return None
        scale = scale_of(comparison.here, name, comparison.strengths[0])
        for number, (wanted, pixels) in enumerate(
            zip(levels[1:], texture.smaller, strict=False), start=1
        ):
            if inside is not None and not (inside[number] == 1.0).any():
                break
            showing = replace(imported, texture=texture.showing(pixels))
            actual = imported_values(showing, name)
            error, unit = strong_errors(wanted, actual, name, comparison.strengths, scale)
            within = None if inside is None else inside[number] == 1.0
            if texture.lossy:
                meant, arrived = (
                    as_stored(_of_scale(values, name, own, scale), name, imported)
                    for values, own in zip((wanted, actual), comparison.strengths, strict=True)
                )
                if not as_compressed(meant, arrived, texture.lossy, within):
                    return f"Level {number} of its mips is not the picture made smaller."
                continue
            largest = float((error if within is None else error[within]).max())
            if largest > TOLERANCE[unit][1] + 1e-2:
                return f"Level {number} of its mips differs by up to {largest:.3g} {unit}."
        return None

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

    def _expected(self, material: Material, name: InputName, quantity: str) -> Float:
        """What an input should be when it arrives, without strength: itself, or the quantity that
        the target takes of it."""
        if self._kept[0] != material.name:
            self._kept = (material.name, {})
        kept = self._kept[1]
        key = (name, quantity if is_mixed(quantity) else "")
        if key not in kept:
            kept[key] = self._resolved(material, *key)
        return kept[key]

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

    def _compressed(self, material: Material, cell: Cell, imported: ImportedInput) -> Cell:
        """A sound cell with what the engine's own texture compression then does to it."""
        name, texture = _input_of(cell), imported.texture
        if texture is None or texture.pixels is None or texture.pixels.dtype != np.uint8:
            return cell
        if is_mixed(imported.quantity) or cell.verdict not in ("same", "close"):
            return cell
        blocks = block_compressed(texture.pixels, normal=name == "normal")
        comparison = self._compared(
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


def _of_scale(values: Float, name: InputName, strength: float, scale: float) -> Float:
    """Emission as a share of its largest light, whichever part of it is strength; all else as it
    is."""
    return values * np.float32(strength / scale) if name == "emission" else values


def _cutoff(material: Material) -> float | None:
    return material.alpha_cutoff if material.alpha_mode == "mask" else None


def _is_smaller(texture: Texture | None, expected: Float) -> bool:
    return (
        texture is not None
        and texture.pixels is not None
        and any(np.less(texture.pixels.shape[:2], expected.shape[:2]))
    )
