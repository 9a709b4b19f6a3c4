"""One input of a material as it was meant and as it came: the errors, the verdict by numbers, and
why it differs."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float
from ektopos.document import InputName
from ektopos.materials.adjust import apply_strength
from ektopos.materials.inheritance import Material
from ektopos.trial.cells import Cell, Verdict, because
from ektopos.trial.diagnosis import MESSAGES, Cause, agrees, comes_nearer, explain, mean_steps
from ektopos.trial.engine.package import ImportedInput, Texture
from ektopos.trial.measure import as_stored, by_words, errors_of, imported_values, in_numbers
from ektopos.trial.tolerances import CODEC_BIAS, FACTOR_STEP, LOSSY_FACTOR, STRENGTH_STEP, TOLERANCE

Shown = NDArray[np.bool_]


@dataclass(frozen=True)
class Comparison:
    """An input as it was meant and as it came, each without its strength."""

    name: InputName
    expected: Float
    """At its own size."""
    here: Float
    """At the size that came, as all that follows."""
    actual: Float
    shown: Shown | None
    """The texels that count; all, if `None`."""
    error: Float
    """Each under its own strength; 0 where the texel does not count."""
    unit: str
    strengths: tuple[float, float]
    """As it was meant, and as it came."""
    scale: float
    """What the errors are counted in."""

    def judged(self, cell: Cell) -> Cell:
        """The verdict by numbers alone."""
        same, close = TOLERANCE[self.unit]
        largest = float(self.error.max())
        verdict: Verdict = (
            "same" if largest <= same else "close" if largest <= close + 1e-3 else "differs"
        )
        return replace(
            cell,
            verdict=verdict,
            max_error=round(largest, 4),
            mean_error=round(float(self.error.mean(dtype=np.float64)), 5),
            unit=self.unit,
            differing=round(float((self.error > close + 1e-3).mean()), 6),
        )

    def worst(self, one: Float, other: Float, scale: float = 1.0) -> float:
        """The largest error between two pictures, where it counts."""
        error = errors_of(one, other, self.name, scale)[0]
        return float((error if self.shown is None else error[self.shown]).max(initial=0.0))


def explained(
    judged: Cell, comparison: Comparison, material: Material, imported: ImportedInput
) -> Cell:
    """A cell that differs, with its cause; what its file's own compression does is no fault."""
    cause, message = _cause(comparison, material, imported)
    texture = imported.texture
    if cause == "compressed" and texture is not None and texture.lossy:
        return compressed(judged, comparison, texture)
    return because(judged, cause, message + _edited(texture))


def _edited(texture: Texture | None) -> str:
    if texture is None or not texture.edited:
        return ""
    return " The file was edited after export: its hash is not the one in the package list."


def compressed(judged: Cell, comparison: Comparison, texture: Texture) -> Cell:
    """A cell that is as it was meant but for what a codec loses, with its numbers."""
    largest, mean = (
        float(comparison.error.max()),
        float(comparison.error.mean(dtype=np.float64)),
    )
    sentence = (
        f"{texture.lossy} changes it by up to {largest:.3g} {comparison.unit}, {mean:.2g} in the "
        f"mean.{_edited(texture)}"
    )
    return because(replace(judged, verdict="close"), "compressed", sentence)


def _cause(
    comparison: Comparison, material: Material, imported: ImportedInput
) -> tuple[Cause, str]:
    """Why an input differs, and the same in words: the first explanation that fits."""
    name, here, actual = comparison.name, comparison.here, comparison.actual
    fed_by_maps, (strong, strength) = bool(material.feeds[name].maps()), comparison.strengths
    close = TOLERANCE[comparison.unit][1]
    none_left = strength == 0.0 and strong != 0.0
    if none_left or (strength != strong and _strength_explains(comparison, close)):
        return "strength-lost", f"Strength {strong:g} was meant, {strength:g} arrived."
    flat = imported.texture is None or float(np.ptp(actual)) < 1e-3
    if not fed_by_maps and flat and not _beside_a_codec(comparison, imported):
        return (
            "constant-changed",
            f"{in_numbers(comparison.expected)} was meant, {in_numbers(actual)} arrived.",
        )
    if imported.texture is None:
        return "missing-file", "No texture feeds it in the package; the engine uses a constant."
    if imported.scale:
        return "constant-changed", _arithmetic(imported)
    factor = np.asarray(imported.factor, np.float32)
    plain = _read_as(comparison, imported, factor=(1.0,)) if fed_by_maps else None
    if plain is not None and name != "normal":
        fitting = _factor_between(here, plain)
        fits = comparison.worst(here, np.asarray(plain * fitting, np.float32)) <= close + 1e-3
        if fits and (np.abs(fitting - factor) > FACTOR_STEP).any():
            flagged = f"The factor {in_numbers(factor)} arrived beside its map"
            return "constant-changed", f"{flagged}, {in_numbers(fitting)} was meant."
    other = "linear" if imported.encoding == "srgb" else "srgb"
    plain = _read_as(comparison, imported, encoding=other)
    if plain is not None and comparison.worst(here, plain) <= close + 1e-3:
        flagged = "colour (sRGB), and holds data" if other == "linear" else "data, and holds colour"
        return "wrong-encoding", f"It is read as {flagged}."
    pixels = imported.texture.pixels
    if pixels is not None and imported.channels == "a" and pixels.shape[2] < 4:
        return "channel-missing", MESSAGES["channel-missing"]
    # The file holds what its factor does not.
    held = here
    if (factor != 1.0).any() and name != "normal":
        divisor = np.maximum(factor if here.ndim == 3 else factor[:1], np.float32(1e-6))
        held = np.asarray(here / divisor, np.float32)
    cause = explain(name, as_stored(held, name, imported), imported, comparison.shown)
    listed = unlike_its_list(imported.texture)
    if cause in ("unknown", "compressed") and listed is not None:
        return "resized", listed
    if cause == "compressed" and fed_by_maps:
        return _scaled_beside_loss(comparison, imported) or (cause, MESSAGES[cause])
    return cause, MESSAGES[cause]


def _beside_a_codec(comparison: Comparison, imported: ImportedInput) -> bool:
    """Whether one value lies as near to what was meant as the codec of its texture brings it: the
    ends of the scale that a block stores are rounded, and all its texels with them."""
    stored = imported.stored()
    if stored is None or imported.texture is None or not imported.texture.lossy:
        return False
    meant = as_stored(comparison.here, comparison.name, imported)
    return meant.shape == stored.shape and agrees(meant, stored)


def _arithmetic(imported: ImportedInput) -> str:
    """What a file does to its texels beyond what was meant, in words."""
    parts = [
        f"{'multiplied by' if numbers is imported.scale else 'shifted by'} "
        f"{' '.join(f'{number:.4g}' for number in numbers)}"
        for numbers in (imported.scale, imported.bias)
    ]
    return f"Its texels are {' and '.join(parts)}, which was not meant."


def _scaled_beside_loss(
    comparison: Comparison, imported: ImportedInput
) -> tuple[Cause, str] | None:
    """A strength or factor that is not the one that was meant, beside a texture that its codec has
    changed; `None` where the codec is all that differs: none changes a strength or a factor."""
    name, (strong, strength) = comparison.name, comparison.strengths
    if name in ("normal", "occlusion"):
        if abs(strength - strong) > STRENGTH_STEP * max(1.0, abs(strong)):
            return "strength-lost", f"Strength {strong:g} was meant, {strength:g} arrived."
        return None
    plain = _read_as(comparison, imported, factor=(1.0,) * len(imported.factor))
    if plain is None:
        return None
    between = _factor_between(comparison.here, plain)
    fitted = np.asarray(plain * between, np.float32)
    left, loss = (mean_steps(comparison.here, values) for values in (fitted, comparison.actual))
    if not comes_nearer(left, loss) or loss - left < CODEC_BIAS:
        return None  # What the codec lost is more than what another factor would do.
    fitting = between * np.float32(strong)
    arrived = np.asarray(imported.factor, np.float32) * np.float32(strength)
    off = np.abs(fitting - arrived)
    if not (off > LOSSY_FACTOR * np.maximum(np.abs(fitting), np.float32(0.05))).any():
        return None
    if name == "emission" and strength != strong:
        return "strength-lost", f"Strength {strong:g} was meant, {strength:g} arrived."
    flagged = f"The factor {in_numbers(arrived)} arrived beside its map"
    return "constant-changed", f"{flagged}, {in_numbers(fitting)} was meant."


def _factor_between(here: Float, plain: Float) -> NDArray[np.float32]:
    """What each channel of a texture has to be multiplied by to become what was meant, by least
    squares; 1 where the texture is black."""
    axes = (0, 1)
    power = (plain.astype(np.float64) ** 2).sum(axis=axes)
    product = (plain.astype(np.float64) * here).sum(axis=axes)
    factor = np.where(power > 1e-9, product / np.maximum(power, 1e-9), 1.0)
    return np.asarray(np.atleast_1d(factor), np.float32)


def _read_as(comparison: Comparison, imported: ImportedInput, **otherwise: Any) -> Float | None:
    """What would have arrived, read in another way; `None` where sizes differ."""
    values = imported_values(replace(imported, **otherwise), comparison.name)
    return values if values.shape == comparison.here.shape else None


def _strength_explains(comparison: Comparison, close: float) -> bool:
    """Whether another strength is all that differs."""
    if comparison.name != "emission":
        return comparison.worst(comparison.here, comparison.actual) <= close + 1e-3
    # Strength may lie in the texels as well: what is left once both are as bright decides.
    expected, actual = (
        values * np.float32(own)
        for values, own in zip(
            (comparison.here, comparison.actual), comparison.strengths, strict=True
        )
    )
    ratio = float(actual.max()) / max(float(expected.max()), 1e-9)
    return (
        ratio > 1e-6
        and comparison.worst(
            expected, actual / np.float32(ratio), max(1.0, float(comparison.expected.max()))
        )
        <= 2 * close
    )


def unlike_its_list(texture: Texture | None) -> str | None:
    """That a texture has not the size which the package list gives it, in words."""
    if (
        texture is None
        or texture.pixels is None
        or texture.listed_size in (None, texture.pixels.shape[1::-1])
    ):
        return None
    return (
        f"It is {by_words(texture.pixels.shape[1::-1])}, listed as {by_words(texture.listed_size)}."
    )


def scale_of(expected: Float, name: InputName, strength: float) -> float:
    """What an input's errors are counted in: emission in its largest light, all else in 1.

    `expected` is `(h, w)` or `(h, w, 3)`, canonical and linear; `strength` multiplies it.
    """
    return max(1.0, float(expected.max())) * max(1.0, strength) if name == "emission" else 1.0


def strong_errors(
    expected: Float, actual: Float, name: InputName, strengths: tuple[float, float], scale: float
) -> tuple[Float, str]:
    """The errors of an input and their unit, each side under its own strength: that which was
    meant, and that which arrived.

    `expected` and `actual` are canonical, `(h, w)` or `(h, w, 3)`; the errors `(h, w)`.
    """
    one, other = (
        apply_strength(values, name, own)
        for values, own in zip((expected, actual), strengths, strict=True)
    )
    return errors_of(one, other, name, scale)
