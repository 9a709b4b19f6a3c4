"""Diffuse and specular as a trial expects them: the published conversion once more, apart from the
one that packages are written with, so that one mistake cannot hide in both.

Source: KHR_materials_pbrSpecularGlossiness (archived), “convert between workflows”.
"""

from __future__ import annotations

import numpy as np

from ektopos.base.types import Float

_DIELECTRIC = np.float32(0.04)


def expected_quantity(quantity: str, base: Float, metallic: Float) -> Float:
    """`diffuse` or `specular`, linear 0–1 `(h, w, 3)`, of base colour `(h, w, 3)` and metallic
    `(h, w)`, both linear 0–1."""
    share = metallic[..., None]
    specular = _DIELECTRIC + (base - _DIELECTRIC) * share
    if quantity == "specular":
        return np.asarray(specular, np.float32)
    left = 1.0 - specular.max(axis=-1, keepdims=True)
    scale = (1.0 - _DIELECTRIC) * (1.0 - share) / np.maximum(left, np.float32(1e-6))
    return np.asarray(np.clip(base * scale, 0.0, 1.0), np.float32)
