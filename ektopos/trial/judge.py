"""Judge a material: every input, every texel."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ektopos.document import EXTRA_INPUTS, Document, InputName
from ektopos.materials.adjust import apply_strength
from ektopos.materials.convert import to_specular_gloss
from ektopos.materials.derive import Material, effective
from ektopos.materials.mips import mip_chain
from ektopos.materials.resolve import MapLoader, at_size, feed_problem, resolve_feed
from ektopos.materials.worn import shown_texels
from ektopos.meshes import Mesh
from ektopos.targets.profile import Profile
from ektopos.trial.arrival import INPUTS, ArrivedInput, ArrivedMaterial
from ektopos.trial.causes import MESSAGES, Cause, explain
from ektopos.trial.cells import SETTINGS, Cell, Verdict, badness, because
from ektopos.trial.codes import compare_codes
from ektopos.trial.compression import block_compressed
from ektopos.trial.measure import (
    TOLERANCE,
    WITHIN,
    arrived_values,
    as_stored,
    by_words,
    errors_of,
    in_numbers,
    small_pictures,
    unit_of,
)
from ektopos.trial.settings import alpha_fault, judge_settings
from ektopos.types import Float

Keep = Callable[[str, str, dict[str, Float]], None]
"""Given a material, an input and its small pictures (`meant`, `arrived`, `difference`), all 0–1 as they are stored."""
Shown = NDArray[np.bool_]


@dataclass
class Judge:
    """A project and a target, against which materials are judged."""

    loader: MapLoader
    document: Document
    profile: Profile
    meshes: Mapping[str, Mesh]
    keep: Keep | None
    _kept: tuple[str, dict[tuple[str, str], Float]] = field(default_factory=lambda: ("", {}))
    """What one material's inputs are meant to be: it may be read twice from a package."""
    _shown: dict[tuple[str, int, int], Shown | None] = field(default_factory=dict)

    def material(self, name: str, arrived: ArrivedMaterial) -> list[Cell]:
        """The eight cells of one material, and one for every input beyond the seven that feeds it."""
        material = effective(self.document, name)
        self.loader.prefetch(used for feed in material.feeds.values() for used in sorted(feed.maps()))
        cells = []
        for input_name in INPUTS:
            cell = Cell("", "", name, input_name, "same")
            if input_name == "opacity":
                changed = alpha_fault(material, arrived)
                if changed or material.alpha_mode == "opaque":
                    cells.append(replace(cell, **(changed or {"message": "Opaque, as it was meant."})))
                    continue
            judged = self._input(material, cell, arrived.inputs[input_name])
            if self.profile.importing.compression == "blocks":
                judged = self._compressed(material, judged, arrived.inputs[input_name])
            cells.append(judged)
        cells.append(judge_settings(Cell("", "", name, SETTINGS, "same"), material, arrived, self.profile))
        for extra in EXTRA_INPUTS:
            if extra not in material.feeds:
                continue
            cell = Cell(
                "", "", name, extra, "unsupported", cause="not-carried-by-target", message=MESSAGES["not-carried-by-target"]
            )
            if self.profile.carries(extra, not material.feeds[extra].maps()):
                cell = self._input(material, Cell("", "", name, extra, "same"), arrived.inputs[extra])
            cells.append(cell)
        return cells

    def _input(self, material: Material, cell: Cell, arrived: ArrivedInput) -> Cell:
        """The verdict on an input; where several channels should hold the same, on the worst of them."""
        judged = self._channel(material, cell, arrived, self.keep)
        copies = [self._channel(material, cell, replace(arrived, channels=letter), None) for letter in arrived.copies]
        return max((judged, *copies), key=badness)

    def _channel(self, material: Material, cell: Cell, arrived: ArrivedInput, keep: Keep | None) -> Cell:
        name: InputName = cell.input  # type: ignore[assignment]
        feed = material.feeds[name]
        texture = arrived.texture
        sound = self._by_codes(material, cell, arrived, keep)
        if sound is not None:
            return sound
        meant = self._meant(material, name, arrived.quantity)
        if texture is not None and texture.problem is not None and feed.maps():
            said = f"{texture.path}: {MESSAGES[texture.problem]}"
            return replace(cell, verdict="lost", cause=texture.problem, message=said)
        came = arrived_values(arrived, name)
        # Diffuse and specular are judged as themselves: solving them back would blow up their rounding.
        name = "base_color" if arrived.quantity in ("diffuse", "specular") else name
        cutoff = _cutoff(material)
        shown: Shown | None = None
        if came.shape[:2] != (1, 1):
            meant_here = at_size(meant, name, came.shape[1], came.shape[0], cutoff)
            shown = self._texels_shown(material, came.shape[1], came.shape[0])
        else:
            meant_here = meant
            came = at_size(came, name, meant.shape[1], meant.shape[0])
        strength = feed.strength
        scale = _scale(meant, name, strength)
        error, unit = _strong_errors(meant_here, came, name, (strength, arrived.strength), scale)
        if shown is not None:
            # Round its islands a map was filled on purpose, and nothing of that is ever seen.
            error = np.where(shown, error, np.float32(0))
        same, close = TOLERANCE[unit]
        largest, mean = float(error.max()), float(error.mean(dtype=np.float64))
        verdict: Verdict = "same" if largest <= same else "close" if largest <= close + 1e-3 else "differs"
        judged = replace(
            cell, verdict=verdict, max_error=round(largest, 4), mean_error=round(mean, 5), unit=unit,
            differing=round(float((error > close + 1e-3).mean()), 6),
        )  # fmt: skip
        if keep is not None and (feed.maps() or verdict == "differs"):
            keep(material.name, name, small_pictures(meant_here, came, error, name, same, scale))
        size = (texture.pixels.shape[1], texture.pixels.shape[0]) if texture and texture.pixels is not None else None
        wanted = texture.listed_size if texture else None
        if verdict != "differs" and size and wanted and size != wanted:
            said = f"It is {by_words(size)}, listed as {by_words(wanted)}."
            return because(replace(judged, verdict="differs"), "resized", said)
        if verdict == "differs":
            cause, message = _cause(judged, material, name, meant, came, arrived, size, wanted, shown)
            if cause == "compressed" and texture is not None and texture.lossy:
                said = f"JPEG changes it by up to {largest:.3g} {unit}, {mean:.2g} in the mean."
                return because(replace(judged, verdict="close"), cause, said)
            edited = " The file was edited after export: its hash is not the one in the package list."
            return because(judged, cause, message + (edited if texture and texture.edited else ""))
        worst = self._smaller_levels(material, name, meant_here, arrived, shown)
        if worst is not None:
            return because(replace(judged, verdict="differs"), "filter-changed", worst)
        if verdict == "close":
            small = size is not None and (size[0] < meant.shape[1] or size[1] < meant.shape[0])
            return because(judged, "resized" if small else "quantised", WITHIN[unit])
        return judged

    def _by_codes(self, material: Material, cell: Cell, arrived: ArrivedInput, keep: Keep | None) -> Cell | None:
        """The verdict where every texel is as it should be and codes are enough to tell; `None` to look closer."""
        name: InputName = cell.input  # type: ignore[assignment]
        feed, texture = material.feeds[name], arrived.texture
        if feed.map is None or texture is None or texture.pixels is None or self.profile.padding or texture.smaller:
            return None
        if texture.listed_size not in (None, texture.pixels.shape[1::-1]) or feed_problem(self.document, feed, name):
            return None
        compared = compare_codes(self.loader.find(feed.map), feed, name, arrived)
        if compared is None or compared.differing:
            return None
        same = TOLERANCE[compared.unit][0]
        if keep is not None:
            keep(material.name, name, small_pictures(compared.meant, compared.came, compared.error, name, same, 1.0))
        judged = replace(
            cell, verdict="same" if compared.largest <= same else "close", max_error=round(compared.largest, 4),
            mean_error=round(compared.mean, 5), unit=compared.unit, differing=0.0,
        )  # fmt: skip
        return judged if judged.verdict == "same" else because(judged, "quantised", WITHIN[compared.unit])

    def _smaller_levels(
        self, material: Material, name: InputName, meant: Float, arrived: ArrivedInput, shown: Shown | None
    ) -> str | None:
        """What is wrong with the mip levels of a texture, in words; nothing where the target brings none."""
        texture = arrived.texture
        if texture is None or texture.pixels is None or texture.said_srgb is None or not self.profile.mips:
            return None
        normals = None
        if name == "roughness":
            whole = resolve_feed(self.loader, material.feeds["normal"], "normal")
            normals = at_size(whole, "normal", meant.shape[1], meant.shape[0])
        levels = mip_chain(meant, name, normals=normals, cutoff=_cutoff(material))
        if len(texture.smaller) + 1 < len(levels):
            return f"It has {len(texture.smaller) + 1} levels of {len(levels)}: from afar it will flicker."
        inside = None if shown is None else mip_chain(shown.astype(np.float32), "metallic")
        if inside is not None and name == "opacity":
            # Coverage was kept over the padded picture, of which only the islands are known here.
            return None
        strength = material.feeds[name].strength
        scale = _scale(meant, name, strength)
        for number, (wanted, pixels) in enumerate(zip(levels[1:], texture.smaller, strict=False), start=1):
            if inside is not None and not (inside[number] == 1.0).any():
                break
            came = arrived_values(replace(arrived, texture=replace(texture, pixels=pixels)), name)
            error, unit = _strong_errors(wanted, came, name, (strength, arrived.strength), scale)
            largest = float((error if inside is None else error[inside[number] == 1.0]).max())
            if largest > TOLERANCE[unit][1] + 1e-2:
                return f"Level {number} of its mips differs by up to {largest:.3g} {unit}."
        return None

    def _texels_shown(self, material: Material, width: int, height: int) -> Shown | None:
        """Texels that the slots wearing a material show, where the target fills what lies round them; else all."""
        if not self.profile.padding:
            return None
        key = (material.name, width, height)
        if key not in self._shown:
            self._shown[key] = shown_texels(self.document, self.meshes, material, width, height)
        return self._shown[key]

    def _meant(self, material: Material, name: InputName, quantity: str) -> Float:
        """What an input should be when it arrives, without strength: itself, or the quantity that the target takes of it."""
        if self._kept[0] != material.name:
            self._kept = (material.name, {})
        kept = self._kept[1]
        key = (name, quantity if quantity in ("diffuse", "specular") else "")
        if key not in kept:
            kept[key] = self._resolved(material, *key)
        return kept[key]

    def _resolved(self, material: Material, name: InputName, quantity: str) -> Float:
        if not quantity:
            return resolve_feed(self.loader, material.feeds[name], name, with_strength=False)
        base = resolve_feed(self.loader, material.feeds["base_color"], "base_color", with_strength=False)
        metallic = resolve_feed(self.loader, material.feeds["metallic"], "metallic", with_strength=False)
        height, width = max((a.shape[:2] for a in (base, metallic)), key=lambda shape: shape[0] * shape[1])
        base, metallic = at_size(base, "base_color", width, height), at_size(metallic, "metallic", width, height)
        diffuse, specular, _ = to_specular_gloss(base, metallic, np.zeros_like(metallic))
        return diffuse if quantity == "diffuse" else specular

    def _compressed(self, material: Material, cell: Cell, arrived: ArrivedInput) -> Cell:
        """A sound cell with what the engine's own texture compression then does to it."""
        name: InputName = cell.input  # type: ignore[assignment]
        texture = arrived.texture
        if texture is None or texture.pixels is None or texture.pixels.dtype != np.uint8:
            return cell
        if arrived.quantity in ("diffuse", "specular") or cell.verdict not in ("same", "close"):
            return cell
        blocks = block_compressed(texture.pixels, normal=name == "normal")
        came = arrived_values(replace(arrived, texture=replace(texture, pixels=blocks)), name)
        meant = self._meant(material, name, arrived.quantity)
        here, strength = at_size(meant, name, came.shape[1], came.shape[0], _cutoff(material)), material.feeds[name].strength
        error, unit = _strong_errors(here, came, name, (strength, arrived.strength), _scale(meant, name, strength))
        shown = self._texels_shown(material, came.shape[1], came.shape[0])
        error = error if shown is None else error[shown]
        said = (
            f"Compressed on import, it changes by up to {float(error.max()):.3g} {unit}, {float(error.mean()):.2g} in the mean."
        )
        return because(replace(cell, verdict="close"), "compressed", f"{cell.message} {said}".strip())


def _cutoff(material: Material) -> float | None:
    return material.alpha_cutoff if material.alpha_mode == "mask" else None


def _scale(meant: Float, name: InputName, strength: float) -> float:
    """What an input's errors are counted in: emission in its largest light, all else in 1."""
    return max(1.0, float(meant.max())) * max(1.0, strength) if name == "emission" else 1.0


def _strong_errors(
    meant: Float, came: Float, name: InputName, strengths: tuple[float, float], scale: float
) -> tuple[Float, str]:
    """The errors of an input and their unit, each side under its own strength: that which was meant, and that which arrived."""
    one, other = (apply_strength(values, name, own) for values, own in zip((meant, came), strengths, strict=True))
    return errors_of(one, other, name, scale)


def _cause(
    cell: Cell, material: Material, name: InputName, meant: Float, came: Float, arrived: ArrivedInput,
    size: tuple[int, int] | None, wanted: tuple[int, int] | None, shown: Shown | None,
) -> tuple[Cause, str]:  # fmt: skip
    feed = material.feeds[name]
    meant_here = at_size(meant, name, came.shape[1], came.shape[0], _cutoff(material))
    close = TOLERANCE[unit_of(name)][1]

    def worst(one: Float, other: Float, scale: float) -> float:
        error = errors_of(one, other, name, scale)[0]
        return float((error if shown is None else error[shown]).max(initial=0.0))

    if arrived.strength != feed.strength:
        scale = max(1.0, float(meant.max())) if name == "emission" else 1.0
        if name == "emission":
            came = came * np.float32(arrived.strength)
            meant_here = meant_here * np.float32(feed.strength)
            ratio = float(came.max()) / max(float(meant_here.max()), 1e-9)
            if ratio > 1e-6 and worst(meant_here, came / np.float32(ratio), scale) <= 2 * close:
                return "strength-lost", f"Strength {feed.strength:g} was meant, {arrived.strength:g} arrived."
        elif worst(meant_here, came, scale) <= close + 1e-3:
            return "strength-lost", f"Strength {feed.strength:g} was meant, {arrived.strength:g} arrived."
    if arrived.texture is None:
        if not feed.maps():
            return "constant-changed", f"{in_numbers(meant)} was meant, {in_numbers(came)} arrived."
        return "missing-file", "No texture feeds it in the package; the engine uses a constant."
    factored = [f for f in arrived.factor if abs(f - 1.0) > 1e-4]
    if factored and min(arrived.factor) > 0:
        divisor = np.asarray(arrived.factor if came.ndim == 3 else arrived.factor[:1], np.float32)
        plain = np.asarray(came / divisor, np.float32)
        if feed.maps() and worst(meant_here, plain, 1.0) <= close + 1e-3:
            return (
                "constant-changed",
                f"The factor {in_numbers(np.asarray(arrived.factor, np.float32))} arrived beside its map.",
            )
    if not feed.maps() and float(np.ptp(came)) < 1e-3:
        return "constant-changed", f"{in_numbers(meant)} was meant, {in_numbers(came)} arrived."
    cause = explain(name, as_stored(meant_here, name, arrived), arrived, shown)
    if cause in ("unknown", "compressed") and size and wanted and size != wanted:
        return "resized", f"It is {by_words(size)}, listed as {by_words(wanted)}."
    return cause, MESSAGES[cause]
