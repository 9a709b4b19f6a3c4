"""Operations on normal maps. Normals are unit vectors, +Y, `(h, w, 3)` float32 −1–1."""

from __future__ import annotations

import numpy as np

from ektopos.base.types import Float, Pixels
from ektopos.base.vectors import normalise


def height_to_normal(height: Float, strength: float = 1.0, *, wrap: bool = True) -> Float:
    """Normals of a height field `(h, w)`, by central differences.

    `height` in texels (a slope of 1 is 45°), times `strength`. `wrap` says that the field repeats;
    otherwise its borders are continued. Rows run down, y points up. Source: the gradient (∂h/∂x,
    ∂h/∂y) of a surface z = h(x, y) has the normal (−∂h/∂x, −∂h/∂y, 1), normalised.

    A slope of 1 stands at 45°.

    >>> ramp = np.tile(np.arange(3, dtype=np.float32), (3, 1))
    >>> [round(float(v), 4) for v in height_to_normal(ramp, wrap=False)[1, 1] + 0.0]
    [-0.7071, 0.0, 0.7071]
    """
    scaled = np.asarray(height, np.float32) * np.float32(strength)
    padded = np.pad(scaled, 1, mode="wrap") if wrap else np.pad(scaled, 1, mode="edge")
    slope_x = (padded[1:-1, 2:] - padded[1:-1, :-2]) / 2.0
    slope_y = (padded[:-2, 1:-1] - padded[2:, 1:-1]) / 2.0
    return normalise(np.stack([-slope_x, -slope_y, np.ones_like(slope_x)], axis=-1))


def flip_green(normals: Float) -> Float:
    """Normals with y turned round: from +Y to −Y, or back.

    >>> [round(float(v), 1) for v in flip_green(np.array([0.0, 0.6, 0.8], np.float32))]
    [0.0, -0.6, 0.8]
    """
    return normals * np.array([1.0, -1.0, 1.0], np.float32)


def rebuild_blue(normals: Float) -> Float:
    """Unit normals from their x and y alone: z = √(1 − x² − y²), never negative.

    >>> [round(float(v), 4) for v in rebuild_blue(np.array([0.6, 0.0, 0.0], np.float32))]
    [0.6, 0.0, 0.8]
    """
    z = np.sqrt(np.clip(1.0 - normals[..., 0] ** 2 - normals[..., 1] ** 2, 0.0, 1.0))
    return normalise(np.stack([normals[..., 0], normals[..., 1], z], axis=-1))


def lacks_blue(pixels: Pixels) -> bool:
    """Whether the blue of a normal map `(h, w, 3 or more)` says nothing: 0 or full all over, as in
    two-channel maps, whose z follows from x and y."""
    if pixels.ndim != 3 or pixels.shape[2] < 3:
        return False
    largest = float(np.iinfo(pixels.dtype).max) if np.issubdtype(pixels.dtype, np.integer) else 1.0
    step = 1.01 * largest / 255
    # Nearly every map has a blue of its own, and a few of its texels tell.
    for blue in (pixels[::61, ::61, 2], pixels[..., 2]):
        if not (blue.max() <= step or blue.min() >= largest - step):
            return False
    return True


def combine(base: Float, detail: Float) -> Float:
    """A detail normal map laid on a base one, both unit: Reoriented Normal Mapping.

    The detail is turned by the rotation that takes (0, 0, 1) to the base. Flat detail gives the
    base, a flat base gives the detail. Source: Barré-Brisebois and Hill, “Blending in Detail”,
    2012, equation 4.

    >>> flat, tilted = (np.array(n, np.float32) for n in ([0, 0, 1], [0.6, 0, 0.8]))
    >>> combine(flat, tilted).round(4).tolist() == combine(tilted, flat).round(4).tolist()
    True
    """
    t = base + np.array([0.0, 0.0, 1.0], np.float32)
    u = detail * np.array([-1.0, -1.0, 1.0], np.float32)
    dot = np.einsum("...i,...i->...", t, u)[..., None]
    return normalise(t * dot / np.maximum(t[..., 2:3], 1e-6) - u)


def roughen(roughness: Float, length: Float) -> Float:
    """Roughness `(h, w)` 0–1 where normals were averaged: as much larger as their spread makes the
    surface.

    `length` `(h, w)` is that of the mean of unit normals, 1 where all agree. With the exponent s =
    2/α² − 2 of a Blinn-Phong lobe as wide as GGX's (α = roughness²; Walter 2007), the mean's lobe
    has the exponent s·|N| / (|N| + s·(1 − |N|)). Source: Toksvig, “Mipmapping Normal Maps”, 2005.

    Normals that agree leave roughness as it is.

    >>> roughen(np.array([0.5], np.float32), np.array([1.0], np.float32)).tolist()
    [0.5]
    """
    alpha = np.clip(roughness.astype(np.float64), 1e-3, 1.0) ** 2
    exponent = 2.0 / alpha**2 - 2.0
    mean = np.clip(length.astype(np.float64), 1e-6, 1.0)
    blurred = exponent * mean / (mean + exponent * (1.0 - mean))
    return np.where(mean < 1.0, np.sqrt(np.sqrt(2.0 / (blurred + 2.0))), roughness).astype(
        np.float32
    )
