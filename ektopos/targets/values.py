"""The values of what channels carry: quantities of inputs, and constants."""

from __future__ import annotations

import numpy as np

from ektopos.document import Feed, InputName
from ektopos.materials.adjust import adjust
from ektopos.materials.convert import to_specular_gloss
from ektopos.materials.resolve import constant_values
from ektopos.targets.quantities import is_inverted, is_mixed
from ektopos.types import Float
from ektopos.vectors import normalise


def made_of(quantity: str, name: InputName, values: Float, other: Float | None = None) -> Float:
    """A quantity of an input's canonical values, 0–1; the input itself where `quantity` is empty.

    `values` `(…)` or `(…, 3)` are those of the input `name`, `other` those of the second one that a
    mixed quantity needs (without it, `values` come back).

    >>> made_of("gloss", "roughness", np.array([0.25], np.float32)).tolist()
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


def input_values(feed: Feed, name: InputName) -> Float:
    """A constant feed's canonical value, as one texel `(1, 1)` or `(1, 1, 3)`."""
    values = constant_values(feed, name)
    return normalise(values) if name == "normal" else adjust(values, feed, name)
