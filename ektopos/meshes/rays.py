"""Rays against a mesh, and directions to send them in."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from numpy.typing import NDArray

from ektopos.base.types import Values
from ektopos.base.vectors import plane_axes

LIFT = 2e-6
"""How far rays start above the surface, in mesh sizes, so that they do not meet where they start.
"""


@dataclass(frozen=True)
class RayScene:
    """A mesh's triangles for rays. Rays are followed in single precision: about the middle of the
    mesh and at its own size, so that small things far from the origin keep theirs."""

    scene: rtcore_scene.EmbreeScene
    positions: Values
    """The mesh's positions `(n, 3)`, about its middle and in units of `extent`."""
    extent: float
    """The longest side of the mesh's box, in metres."""
    middle: Values
    """The middle of the mesh's box, `(3,)` in metres."""

    def meet(self, starts: Values, directions: Values) -> dict[str, NDArray[np.float32]]:
        """What rays `(n, 3)` meet first: `primID` (−1 for nothing), `tfar` in mesh sizes, `u`
        and `v`."""
        met: dict[str, NDArray[np.float32]] = self.scene.run(
            starts.astype(np.float32), directions.astype(np.float32), output=True
        )
        return met

    def first(self, starts: Values, directions: Values) -> tuple[Values, NDArray[np.int64]]:
        """How far rays from `starts` (both `(n, 3)`, in metres) go, in metres, infinite where they
        meet nothing; and the triangle that each meets, −1 for none."""
        met = self.meet((starts - self.middle) / self.extent, directions)
        triangle = met["primID"].astype(np.int64)
        return np.where(triangle >= 0, met["tfar"].astype(float) * self.extent, np.inf), triangle


def ray_scene(positions: Values, triangles: NDArray[np.int32]) -> RayScene:
    """A scene of triangles `(m, 3)` over positions `(n, 3)` in metres; at least one of each."""
    low, high = positions.min(axis=0), positions.max(axis=0)
    extent = float((high - low).max()) or 1.0
    middle = (low + high) / 2.0
    own = (positions - middle) / extent
    scene = rtcore_scene.EmbreeScene()
    TriangleMesh(scene, own[triangles].astype(np.float32))
    return RayScene(scene, own, extent, middle)


def cosine_directions(up: Values, count: int, turn: Values | float = 0.0) -> Iterator[Values]:
    """`count` sets of unit directions `(n, 3)`, spread by the cosine about unit normals `(n, 3)`,
    each about its normal by `turn` radians. The same every time.

    A spiral by the golden ratio, lifted from the disc onto the hemisphere. Source: Malley's method,
    Pharr, Jakob and Humphreys, Physically Based Rendering, 13.6.3 (from memory).
    """
    x_axis, y_axis = plane_axes(up)
    for i in range(count):
        share = (i + 0.5) / count
        around = np.asarray(turn + 2 * np.pi * (i * 0.6180339887498949 % 1.0))[..., None]
        across = np.sqrt(share)
        yield np.asarray(
            x_axis * (across * np.cos(around))
            + y_axis * (across * np.sin(around))
            + up * np.sqrt(1.0 - share)
        )
