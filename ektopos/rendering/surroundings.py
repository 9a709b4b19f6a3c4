"""Light from all round, summed over a fixed set of directions (a Hammersley set on the GGX lobe for
reflection, spherical harmonics for diffuse light), so pictures are the same every time."""

from __future__ import annotations

import numpy as np

from ektopos.base.types import Values
from ektopos.base.vectors import plane_axes
from ektopos.rendering.brdf import LEAST_ROUGHNESS, compensation, f0_from_ior
from ektopos.rendering.lights import Radiance

SAMPLES = 24


def surroundings_light(
    radiance: Radiance,
    base: Values,
    metallic: Values,
    roughness: Values,
    normals: Values,
    views: Values,
    ior: float,
    compensate: bool,
) -> Values:
    """Light from all round that surfaces send to the eye, linear `(n, 3)`: diffuse by spherical
    harmonics, reflected by summing over the GGX lobe.

    `base`, `normals`, `views` `(n, 3)`, `metallic`, `roughness` `(n,)`, 0–1; directions are unit
    vectors. Cost: `n` times `SAMPLES`.
    """
    base, metallic, roughness = (_single(a) for a in (base, metallic, roughness))
    normals, views = _single(normals), _single(views)
    facing = np.einsum("ni,ni->n", normals, views)  # a bent normal may face away
    n_dot_v = np.clip(facing, 1e-3, 1.0)
    metal = metallic[:, None]
    f0 = np.float32(f0_from_ior(ior)) * (1.0 - metal) + base * metal
    grazing = f0 + (1.0 - f0) * (_fifth(1.0 - n_dot_v))[:, None]
    diffuse = (1.0 - grazing) * base * (1.0 - metal) * _irradiance(radiance, normals) / np.pi
    alpha = np.maximum(roughness, np.float32(LEAST_ROUGHNESS)) ** 2
    a2 = alpha**2
    x_axis, y_axis = (_single(axis) for axis in plane_axes(normals))
    v_dot_x, v_dot_y = (np.einsum("ni,ni->n", views, axis) for axis in (x_axis, y_axis))
    plain, tinted = np.zeros_like(base), np.zeros_like(base)
    for first, second in _hammersley(SAMPLES):
        # Source: Walter 2007, equations 35 and 36: the slope of a GGX microfacet.
        slope = 1.0 / (1.0 + (a2 - 1.0) * first)
        cosine, sine = np.sqrt((1.0 - first) * slope), np.sqrt(a2 * first * slope)
        along = sine * np.float32(np.cos(2 * np.pi * second))
        across = sine * np.float32(np.sin(2 * np.pi * second))
        v_dot_h = v_dot_x * along + v_dot_y * across + facing * cosine
        n_dot_l = 2.0 * v_dot_h * cosine - facing
        seen = (n_dot_l > 0) & (v_dot_h > 0)
        half = x_axis * along[:, None]
        half += y_axis * across[:, None]
        half += normals * cosine[:, None]
        half *= (2.0 * v_dot_h)[:, None]
        half -= views
        joint = n_dot_v * np.sqrt(n_dot_l**2 * (1 - a2) + a2) + n_dot_l * np.sqrt(
            n_dot_v**2 * (1 - a2) + a2
        )
        weight = np.where(
            seen, 2.0 * n_dot_l / np.maximum(joint, 1e-9) * v_dot_h / np.maximum(cosine, 1e-6), 0.0
        )
        sent = radiance(half) * weight[:, None]
        # Fresnel is f0 + (1 − f0) · grazing: both parts are summed, and weighed once.
        plain += sent
        sent *= _fifth(np.clip(1.0 - v_dot_h, 0.0, 1.0))[:, None]
        tinted += sent
    reflected = f0 * plain + (1.0 - f0) * tinted
    given_back = compensation(n_dot_v, roughness, f0) if compensate else 1.0
    return np.asarray(diffuse + reflected / SAMPLES * given_back)


def _single(values: Values) -> Values:
    """In single precision, which is enough for eyes and half the memory to go through."""
    return np.ascontiguousarray(values, np.float32)


def _fifth(values: Values) -> Values:
    """The fifth power, as Schlick's approximation takes it; a general power is slow."""
    squared = values * values
    return squared * squared * values


def _irradiance(radiance: Radiance, normals: Values) -> Values:
    """Irradiance by nine spherical harmonics. Source: Ramamoorthi and Hanrahan 2001, equation
    13.
    """
    count = 1024
    i = np.arange(count) + 0.5
    polar, around = np.arccos(1 - 2 * i / count), np.pi * (1 + 5**0.5) * i
    directions = np.stack(
        [np.sin(polar) * np.cos(around), np.cos(polar), np.sin(polar) * np.sin(around)], axis=1
    )
    # By einsum, as in `Light.surroundings`: a matrix product rounds by what else runs.
    coefficients = np.einsum("dk,dc->kc", _harmonics(directions), radiance(directions))
    coefficients *= 4 * np.pi / count
    kernel = np.array([np.pi, *[2 * np.pi / 3] * 3, *[np.pi / 4] * 5])
    weighed = (coefficients * kernel[:, None]).astype(normals.dtype)
    return np.asarray(np.maximum(np.einsum("nk,kc->nc", _harmonics(normals), weighed), 0.0))


def _harmonics(d: Values) -> Values:
    x, y, z = d[:, 0], d[:, 1], d[:, 2]
    one = np.ones_like(x)
    return np.stack(
        [
            0.282095 * one,
            0.488603 * y,
            0.488603 * z,
            0.488603 * x,
            1.092548 * x * y,
            1.092548 * y * z,
            0.315392 * (3 * z * z - 1),
            1.092548 * x * z,
            0.546274 * (x * x - y * y),
        ],
        axis=1,
    )


def _hammersley(count: int) -> list[tuple[float, float]]:
    return [((i + 0.5) / count, int(f"{i:016b}"[::-1], 2) / 65536) for i in range(count)]
