"""The published conversion between the specular workflow (diffuse, specular, gloss) and the
metallic one (base colour, metallic, roughness), both ways.

Source: KHR_materials_pbrSpecularGlossiness (archived) and its published conversion (“convert
between workflows”). All values are linear, 0–1; arrays are `(…, 3)` for colours and `(…)` for data.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float

DIELECTRIC = 0.04
"""Reflectance at normal incidence of what is not metal: index of refraction 1.5."""
EPSILON = 1e-6
_PIECE = 8192
"""Texels that are converted together."""
PERCEIVED = (0.299, 0.587, 0.114)


def to_metallic_roughness(
    diffuse: Float, specular: Float, gloss: Float
) -> tuple[Float, Float, Float]:
    """Base colour, metallic and roughness of a specular-glossiness surface.

    `diffuse` and `specular` `(…, 3)` linear 0–1, `gloss` `(…)` 0–1; base colour `(…, 3)` linear,
    the other two `(…)`, all 0–1.

    A dielectric with the usual 4 % is no metal; black with a bright specular is all metal.

    >>> grey, gold = np.array([[0.5] * 3]), np.array([[1.0, 0.77, 0.34]])
    >>> to_metallic_roughness(grey, np.array([[0.04] * 3]), np.array([0.5]))[1].tolist()
    [0.0]
    >>> to_metallic_roughness(grey * 0, gold, np.array([0.5]))[1].tolist()
    [1.0]
    """
    diffuse, specular = np.asarray(diffuse), np.asarray(specular)
    flat_diffuse, flat_specular = diffuse.reshape(-1, 3), specular.reshape(-1, 3)
    base = np.empty(flat_diffuse.shape, np.float32)
    metallic = np.empty(len(flat_diffuse), np.float32)
    # A piece at a time, that the steps between stay in a core's cache.
    for start in range(0, len(base), _PIECE):
        here = slice(start, start + _PIECE)
        base[here], metallic[here] = _base_metallic(
            flat_diffuse[here].astype(np.float64), flat_specular[here].astype(np.float64)
        )
    return (
        base.reshape(diffuse.shape),
        metallic.reshape(diffuse.shape[:-1]),
        np.asarray(1.0 - np.asarray(gloss, np.float64), np.float32),
    )


def _base_metallic(
    diffuse: NDArray[np.float64], specular: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    one_minus_strength = 1.0 - specular.max(axis=-1)
    metallic = solve_metallic(_perceived(diffuse), _perceived(specular), one_minus_strength)
    from_diffuse = (
        diffuse
        * (one_minus_strength / (1.0 - DIELECTRIC) / np.maximum(1.0 - metallic, EPSILON))[..., None]
    )
    from_specular = (specular - (DIELECTRIC * (1.0 - metallic))[..., None]) / np.maximum(
        metallic, EPSILON
    )[..., None]
    share = (metallic**2)[..., None]
    return np.clip(from_diffuse * (1.0 - share) + from_specular * share, 0.0, 1.0), metallic


def to_specular_gloss(
    base_color: Float, metallic: Float, roughness: Float
) -> tuple[Float, Float, Float]:
    """Diffuse, specular and gloss of a metallic-roughness surface: the way back of the same
    conversion.

    `base_color` `(…, 3)` linear 0–1, `metallic` and `roughness` `(…)` 0–1; diffuse and specular
    `(…, 3)` linear, gloss `(…)`, all 0–1.

    >>> _, specular, gloss = to_specular_gloss([[0.5] * 3], [0.0], [0.25])
    >>> round(float(specular[0, 0]), 4), gloss.tolist()
    (0.04, [0.75])
    """
    base, metal = np.asarray(base_color).reshape(-1, 3), np.asarray(metallic).reshape(-1, 1)
    diffuse, specular = np.empty(base.shape, np.float32), np.empty(base.shape, np.float32)
    # A piece at a time, that the steps between stay in a core's cache.
    for start in range(0, len(base), _PIECE):
        here = slice(start, start + _PIECE)
        diffuse[here], specular[here] = _diffuse_specular(
            base[here].astype(np.float64), metal[here].astype(np.float64)
        )
    return (
        diffuse.reshape(np.shape(base_color)),
        specular.reshape(np.shape(base_color)),
        np.asarray(1.0 - np.asarray(roughness, np.float64), np.float32),
    )


def _diffuse_specular(
    base: NDArray[np.float64], metal: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    strongest = np.maximum(np.maximum(base[:, :1], base[:, 1:2]), base[:, 2:])
    share = diffuse_share(strongest, metal)
    return np.clip(base * share, 0.0, 1.0), specular_of(base, metal)


def specular_of(base: NDArray[np.float64], metal: NDArray[np.float64]) -> NDArray[np.float64]:
    """Specular of base colour and metallic, each channel for itself; arrays that fit each other,
    0–1."""
    return DIELECTRIC * (1.0 - metal) + base * metal


def diffuse_share(
    strongest: NDArray[np.float64], metal: NDArray[np.float64]
) -> NDArray[np.float64]:
    """What base colour is multiplied with to be diffuse, by its strongest channel and metallic;
    arrays that fit each other, 0–1."""
    left = 1.0 - specular_of(strongest, metal)
    return (1.0 - DIELECTRIC) * (1.0 - metal) / np.maximum(left, EPSILON)


def solve_metallic(
    diffuse: NDArray[np.float64],
    specular: NDArray[np.float64],
    one_minus_strength: NDArray[np.float64],
) -> NDArray[np.float64]:
    """How metallic a surface of such perceived brightnesses is: the root of the conversion's
    quadratic, 0–1.

    Every array is `(…)`, 0–1.
    """
    a = DIELECTRIC
    b = diffuse * one_minus_strength / (1.0 - DIELECTRIC) + specular - 2.0 * DIELECTRIC
    c = DIELECTRIC - specular
    root = np.sqrt(np.maximum(b * b - 4.0 * a * c, 0.0))
    return np.where(specular < DIELECTRIC, 0.0, np.clip((-b + root) / (2.0 * a), 0.0, 1.0))


def _perceived(colours: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(np.sqrt((colours**2) @ np.asarray(PERCEIVED)))
