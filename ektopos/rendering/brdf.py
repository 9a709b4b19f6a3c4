"""The metallic-roughness model, as the specification writes it out.

Source: glTF 2.0, appendix B.3; Walter et al. 2007 (GGX), Heitz 2014 (height-correlated Smith),
Schlick 1994. Directions are unit vectors `(…, 3)` that point away from the surface; a roughness
below 0.045 is treated as that (α ≈ 0.002).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from ektopos.base.types import Values
from ektopos.base.vectors import normalise

LEAST_ROUGHNESS = 0.045


def f0_from_ior(ior: float) -> float:
    """Reflectance at normal incidence of a dielectric in air: ((n − 1) / (n + 1))². Example: 1.5 →
    0.04.

    >>> [round(f0_from_ior(ior), 4) for ior in (1.0, 1.33, 1.5, 2.42)]
    [0.0, 0.0201, 0.04, 0.1724]
    """
    return ((ior - 1.0) / (ior + 1.0)) ** 2


def distribution(n_dot_h: Values, alpha: Values) -> Values:
    """GGX: density of microfacet normals. Source: Walter 2007, equation 33; glTF 2.0, B.3.2.

    Cosines 0–1 and `alpha` = roughness², all `(…)`; per steradian.

    At its peak it is 1 / (π α²).

    >>> round(float(distribution(np.float64(1.0), np.float64(0.5)) * np.pi), 6)
    4.0
    """
    a2 = alpha * alpha
    d = n_dot_h * n_dot_h * (a2 - 1.0) + 1.0
    return np.asarray(np.where(n_dot_h > 0, a2 / (np.pi * d * d), 0.0))


def visibility(n_dot_l: Values, n_dot_v: Values, alpha: Values) -> Values:
    """Height-correlated Smith shadowing and masking, over 4 · n·l · n·v. Source: Heitz 2014,
    equation 99; glTF 2.0, B.3.2.

    Cosines 0–1 and `alpha` = roughness², all `(…)`; per steradian.

    Without roughness nothing is hidden: 1 / (4 · n·l · n·v).

    >>> round(float(visibility(np.float64(0.5), np.float64(0.8), np.float64(0.0))), 6)
    0.625
    """
    a2 = alpha * alpha
    from_light = n_dot_v * np.sqrt(np.maximum(n_dot_l * n_dot_l * (1.0 - a2) + a2, 0.0))
    from_view = n_dot_l * np.sqrt(np.maximum(n_dot_v * n_dot_v * (1.0 - a2) + a2, 0.0))
    return np.asarray(
        np.where((n_dot_l > 0) & (n_dot_v > 0), 0.5 / np.maximum(from_light + from_view, 1e-9), 0.0)
    )


def fresnel(v_dot_h: Values, f0: Values) -> Values:
    """Schlick's approximation, `f0` `(…, 3)`. Source: Schlick 1994, equation 15; glTF 2.0, B.3.4.

    `v_dot_h` `(…)` is a cosine 0–1; `(…, 3)`, 0–1.

    >>> f0 = np.array([0.04])
    >>> [round(float(fresnel(np.float64(c), f0)[0]), 4) for c in (1.0, 0.5, 0.0)]
    [0.04, 0.07, 1.0]
    """
    return np.asarray(f0 + (1.0 - f0) * (np.clip(1.0 - np.abs(v_dot_h), 0.0, 1.0) ** 5)[..., None])


def shade(
    base_color: Values,
    metallic: Values,
    roughness: Values,
    normals: Values,
    views: Values,
    lights: Values,
    ior: float = 1.5,
    *,
    compensate: bool = False,
) -> Values:
    """The BRDF times n·l, `(…, 3)`: what a surface sends towards `views` of unit light from
    `lights`.

    Source: glTF 2.0, B.3.6. `base_color` `(…, 3)` linear, `metallic` and `roughness` `(…)`, all
    0–1. `compensate` gives back what the model loses between facets; the specification has no such
    thing, so it is off.
    """
    halves = normalise(views + lights)
    n_dot_l, n_dot_v, n_dot_h, v_dot_h = (
        np.einsum("...i,...i->...", a, b)
        for a, b in ((normals, lights), (normals, views), (normals, halves), (views, halves))
    )
    alpha = np.maximum(roughness, LEAST_ROUGHNESS) ** 2
    metal = metallic[..., None]
    f0 = f0_from_ior(ior) * (1.0 - metal) + base_color * metal
    reflected = fresnel(v_dot_h, f0)
    diffuse = (1.0 - reflected) * base_color * (1.0 - metal) / np.pi
    specular = (
        reflected * (distribution(n_dot_h, alpha) * visibility(n_dot_l, n_dot_v, alpha))[..., None]
    )
    if compensate:
        specular = specular * compensation(n_dot_v, roughness, f0)
    return np.asarray((diffuse + specular) * np.clip(n_dot_l, 0.0, None)[..., None])


def compensation(n_dot_v: Values, roughness: Values, f0: Values) -> Values:
    """What to multiply reflected light by so that light that bounces between facets is not lost: 1
    + f0 · (1/E − 1), `(…, 3)`.

    E is the share that a white surface reflects at the first bounce. Source: Turquin, “Practical
    multiple scattering compensation for microfacet models”, 2019, equation 16.
    """
    table = first_bounce()
    steps = len(table) - 1
    row, column = (np.clip(v, 0.0, 1.0) * steps for v in (roughness, n_dot_v))
    top, left = (np.minimum(v.astype(int), steps - 1) for v in (row, column))
    down, right = row - top, column - left
    above = table[top, left] * (1 - right) + table[top, left + 1] * right
    below = table[top + 1, left] * (1 - right) + table[top + 1, left + 1] * right
    share = above * (1 - down) + below * down
    return np.asarray(1.0 + f0 * (1.0 / share - 1.0)[..., None])


@lru_cache(maxsize=1)
def first_bounce() -> Values:
    """The share of light that a white GGX surface reflects at the first bounce, `(33, 33)`:
    roughness by n·v, both 0–1.

    By sampling visible slopes with 1,024 directions. Source: Walter 2007, equations 35, 36 and 41.
    """
    count, size = 1024, 33
    u = (np.arange(count) + 0.5) / count
    around = np.pi * (1 + 5**0.5) * np.arange(count)
    alpha = np.maximum(np.linspace(0, 1, size), LEAST_ROUGHNESS)[:, None, None] ** 2
    n_dot_v = np.maximum(np.linspace(0, 1, size), 1e-3)[None, :, None]
    cosine = np.sqrt((1 - u) / (1 + (alpha**2 - 1) * u))
    sine = np.sqrt(np.clip(1 - cosine**2, 0, 1))
    v_dot_h = np.sqrt(1 - n_dot_v**2) * sine * np.cos(around) + n_dot_v * cosine
    n_dot_l = 2 * v_dot_h * cosine - n_dot_v
    weight = (
        4
        * visibility(n_dot_l, np.broadcast_to(n_dot_v, n_dot_l.shape), alpha)
        * n_dot_l
        * v_dot_h
        / cosine
    )
    return np.asarray(np.where((n_dot_l > 0) & (v_dot_h > 0), weight, 0.0).mean(axis=-1))
