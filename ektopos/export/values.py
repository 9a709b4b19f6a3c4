"""The values of what channels carry: quantities of inputs, and constants."""

from __future__ import annotations

from typing import cast

import numpy as np

from ektopos.base.types import Float
from ektopos.base.vectors import normalise
from ektopos.document import Feed, InputName
from ektopos.export.quantities import is_inverted, is_mixed
from ektopos.materials.adjust import adjust
from ektopos.materials.inheritance import Material
from ektopos.materials.resolve import constant_values
from ektopos.materials.specular_workflow import (
    DIELECTRIC,
    to_metallic_roughness,
    to_specular_gloss,
)


def to_quantity(quantity: str, name: InputName, values: Float, other: Float | None = None) -> Float:
    """A quantity of an input's canonical values, 0–1; the input itself where `quantity` is empty.

    `values` `(…)` or `(…, 3)` are those of the input `name`, `other` those of the second one that a
    mixed quantity needs (without it, `values` come back).

    >>> to_quantity("gloss", "roughness", np.array([0.25], np.float32)).tolist()
    [0.75]
    """
    if is_inverted(quantity):
        return np.asarray(1.0 - values, np.float32)
    if is_mixed(quantity) and other is not None:
        base, metallic = (values, other) if name == "base_color" else (other, values)
        return diffuse_or_specular(quantity, base, metallic)
    return values


def diffuse_or_specular(quantity: str, base: Float, metallic: Float) -> Float:
    """The one or the other, linear 0–1 `(…, 3)`, of base colour `(…, 3)` and metallic `(…)`."""
    diffuse, specular, _ = to_specular_gloss(base, metallic, np.zeros_like(metallic))
    return diffuse if quantity == "diffuse" else specular


def material_value(material: Material, quantity: str, name: InputName) -> Float | None:
    """The number that a target writes for an input, as one texel `(1, 1)` or `(1, 1, 3)`: the
    quantity it takes, or the input itself where `quantity` is empty; `None` where maps decide it.

    A metal has no diffuse and what is no metal reflects 4 %, whatever its maps are.
    """
    if is_mixed(quantity):
        return _mixed_value(material, quantity)
    feed = material.feeds[name]
    return None if feed.maps() else to_quantity(quantity, name, input_values(feed, name))


def _mixed_value(material: Material, quantity: str) -> Float | None:
    if material.reflectance is not None:
        both = material.reflectance
        feed, own = (both.diffuse, "base_color") if quantity == "diffuse" else (both.f0, "f0")
        return None if feed.maps() else input_values(feed, cast(InputName, own))
    base, metallic = material.feeds["base_color"], material.feeds["metallic"]
    if metallic.maps():
        return None
    share = input_values(metallic, "metallic")
    if base.maps():
        if quantity == "specular" and float(share[0, 0]) == 0.0:
            return np.full((1, 1, 3), DIELECTRIC, np.float32)
        if quantity == "diffuse" and float(share[0, 0]) == 1.0:
            return np.zeros((1, 1, 3), np.float32)
        return None
    return diffuse_or_specular(quantity, input_values(base, "base_color"), share)


def input_values(feed: Feed, name: InputName) -> Float:
    """A constant feed's canonical value, as one texel `(1, 1)` or `(1, 1, 3)`."""
    if feed.converted is not None:
        diffuse = input_values(feed.converted.diffuse, "base_color")
        f0 = input_values(feed.converted.f0, "f0")
        base, metallic, _ = to_metallic_roughness(diffuse, f0, np.zeros((1, 1), np.float32))
        return base if name == "base_color" else metallic
    values = constant_values(feed, name)
    return normalise(values) if name == "normal" else adjust(values, feed, name)
