"""Compare the smaller levels of textures that bring their own."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ektopos.base.types import Float
from ektopos.document import InputName
from ektopos.materials.inheritance import Material
from ektopos.materials.mips import material_mips
from ektopos.materials.resolve import at_size, resolve_feed
from ektopos.trial.comparison import Comparison, Shown, scale_of, strong_errors
from ektopos.trial.diagnosis import as_compressed
from ektopos.trial.engine.package import ImportedInput
from ektopos.trial.expected_inputs import ExpectedInputs, cutoff_of
from ektopos.trial.measure import as_stored, imported_values
from ektopos.trial.tolerances import LEVEL_SLACK, TOLERANCE


def fault_of_levels(
    expected: ExpectedInputs, material: Material, comparison: Comparison, imported: ImportedInput
) -> str | None:
    """What is wrong with the mip levels of a texture, in words; nothing where the target brings
    none."""
    texture, name = imported.texture, comparison.name
    if (
        texture is None
        or texture.pixels is None
        or texture.said_srgb is None
        or not expected.profile.mips
    ):
        return None
    normals = None
    if name == "roughness" and material.feeds[name].maps():  # A number stays what it is.
        whole = resolve_feed(expected.loader, material.feeds["normal"], "normal")
        normals = at_size(whole, "normal", comparison.here.shape[1], comparison.here.shape[0])
    seen = expected.seen(material, name, comparison.here, None)
    levels = material_mips(
        comparison.here, name, normals=normals, cutoff=cutoff_of(material), seen=seen
    )
    if len(texture.smaller) + 1 < len(levels):
        return (
            f"It has {len(texture.smaller) + 1} levels of {len(levels)}: from afar it will flicker."
        )
    inside = (
        None
        if comparison.shown is None
        else material_mips(comparison.shown.astype(np.float32), "metallic")
    )
    if inside is not None and name == "opacity":
        # Coverage was kept over the padded picture, of which only the islands are known here.
        return None
    for number, (wanted, pixels) in enumerate(
        zip(levels[1:], texture.smaller, strict=False), start=1
    ):
        within = None if inside is None else inside[number] == 1.0
        if within is not None and not within.any():
            break
        fault = _fault(
            wanted, replace(imported, texture=texture.showing(pixels)), comparison, within
        )
        if fault is not None:
            return f"Level {number} of its mips {fault}"
    return None


def _fault(
    wanted: Float, imported: ImportedInput, comparison: Comparison, within: Shown | None
) -> str | None:
    """What is wrong with one level, in words; of `within` only those texels count."""
    name, strengths = comparison.name, comparison.strengths
    scale = scale_of(comparison.here, name, strengths[0])
    actual = imported_values(imported, name)
    if imported.texture is not None and imported.texture.lossy:
        made, arrived = (
            as_stored(_of_scale(values, name, strength, scale), name, imported)
            for values, strength in zip((wanted, actual), strengths, strict=True)
        )
        is_same = as_compressed(made, arrived, imported.texture.lossy, within)
        return None if is_same else "is not the picture made smaller."
    error, unit = strong_errors(wanted, actual, name, strengths, scale)
    largest = float((error if within is None else error[within]).max())
    if largest <= TOLERANCE[unit][1] + LEVEL_SLACK:
        return None
    return f"differs by up to {largest:.3g} {unit}."


def _of_scale(values: Float, name: InputName, strength: float, scale: float) -> Float:
    """Emission as a share of its largest light, whichever part of it is strength; all else as it
    is."""
    return values * np.float32(strength / scale) if name == "emission" else values
