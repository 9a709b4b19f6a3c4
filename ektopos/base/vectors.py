"""Vectors, and normals as maps store them: one place for length, encoding and decoding."""

from __future__ import annotations

from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float, NormalY, Values

Floating = TypeVar("Floating", bound=np.floating[Any])
FLAT = (0.0, 0.0, 1.0)
"""The normal of a surface that has none of its own, in tangent space."""


def normalise(
    vectors: NDArray[Floating], without: tuple[float, float, float] = FLAT
) -> NDArray[Floating]:
    """Vectors `(…, 3)` at unit length, in their own precision; those without any length become
    `without`.

    >>> normalise(np.float32([[3.0, 0.0, 4.0], [0.0, 0.0, 0.0]])).tolist()
    [[0.6000000238418579, 0.0, 0.800000011920929], [0.0, 0.0, 1.0]]
    """
    length = np.sqrt(np.einsum("...i,...i->...", vectors, vectors))[..., None]
    least = 1e-6 if vectors.dtype == np.float32 else 1e-30
    other = np.asarray(without, vectors.dtype)
    return np.where(length > least, vectors / np.maximum(length, least), other).astype(
        vectors.dtype, copy=False
    )


def plane_axes(normals: Values) -> tuple[Values, Values]:
    """Two unit vectors `(n, 3)` each that stand on unit normals `(n, 3)` and on each other.

    >>> [axis.tolist() for axis in plane_axes(np.array([[0.0, 0.0, 1.0]]))]
    [[[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]]]
    """
    helper = np.where(np.abs(normals[:, 1:2]) < 0.95, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]])
    x_axis = normalise(np.cross(helper, normals))
    return x_axis, np.asarray(np.cross(normals, x_axis))


def green_sign(normal_y: NormalY | None) -> float:
    """What y is multiplied with on its way to and from green: −1 where green points down."""
    return -1.0 if normal_y == "-" else 1.0


def encode_normals(normals: Float, normal_y: NormalY = "+") -> Float:
    """Normals `(…, 3)` −1–1, +Y, as they are stored, 0–1. Source: glTF 2.0, 3.9.3.

    >>> encode_normals(np.float32([0.0, 1.0, 0.0]), "-").tolist()
    [0.5, 0.0, 0.5]
    """
    turned = normals * np.array([1.0, green_sign(normal_y), 1.0], np.float32)
    return np.asarray(turned * 0.5 + 0.5, np.float32)


def encode_component(component: Float, letter: str, normal_y: NormalY) -> Float:
    """The same of x, y or z alone, which is stored in the channel `letter`: r, g or b."""
    sign = green_sign(normal_y) if letter == "g" else 1.0
    return np.asarray(component * sign * 0.5 + 0.5, np.float32)


def raw_vectors(encoded: Float) -> Float:
    """Stored values 0–1 as components −1–1, at whatever length they have. Source: glTF 2.0,
    3.9.3."""
    return np.asarray(encoded * 2.0 - 1.0, np.float32)


def decode_normals(encoded: Float, normal_y: NormalY | None = "+") -> Float:
    """Unit normals, +Y, of stored ones: `(…, 3)` 0–1 → `(…, 3)` −1–1. A zero vector becomes flat.

    Source: glTF 2.0, 3.9.3: red, green and blue 0–1 map to x, y and z −1–1.

    >>> decode_normals(np.float32([0.5, 0.5, 1.0]), "+").tolist()
    [0.0, 0.0, 1.0]
    """
    normals = raw_vectors(encoded)
    normals[..., 1] *= green_sign(normal_y)
    return normalise(normals)


def degrees_from_flat(vectors: Float) -> Float:
    """Angles `(…)` between vectors `(…, 3)` of any length and (0, 0, 1), in degrees.

    >>> degrees_from_flat(np.float32([1.0, 0.0, 1.0])).round(3).item()
    45.0
    """
    return np.degrees(np.arccos(np.clip(normalise(vectors)[..., 2], -1.0, 1.0)))


def flat_normals(corners: Values) -> Values:
    """Unit normals `(n, 3)` of triangles by their corners `(n, 3, 3)`; counter-clockwise is in
    front."""
    a, b, c = np.moveaxis(corners, 1, 0)
    return np.asarray(normalise(np.cross(b - a, c - a)))


def bounds(points: NDArray[Any]) -> tuple[NDArray[Any], NDArray[Any]]:
    """The lowest and the highest of points `(…, k)`, `(k,)` each, of one at least. Column by
    column: NumPy takes ten times as long to go over short rows."""
    columns = points.T
    return np.array([one.min() for one in columns]), np.array([one.max() for one in columns])


def middles(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """The means of triangles' corners, `(t, k)` of `(t, 3, k)`; the same to the last bit as NumPy's
    mean over the short axis, in a fifth of its time."""
    return np.asarray((corners[:, 0] + corners[:, 1] + corners[:, 2]) / 3)


def cross_columns(u: NDArray[np.float64], v: NDArray[np.float64]) -> NDArray[np.float64]:
    """The cross products of vectors `(3, n)`, by axis first: several times as fast as over short
    rows."""
    return np.stack(
        [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]]
    )


def lengths_of_columns(u: NDArray[np.float64]) -> NDArray[np.float64]:
    """The lengths of vectors `(3, n)`, `(n,)`."""
    return np.asarray(np.sqrt(u[0] * u[0] + u[1] * u[1] + u[2] * u[2]))
