"""What a camera sees of a mesh: the faces that its rays meet, front to back. Nothing of it depends
on light or on what the mesh wears, so one sight serves every look."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from numpy.typing import NDArray

from ektopos.base.types import Float, Values
from ektopos.base.vectors import flat_normals, normalise
from ektopos.meshes.mesh import Mesh, with_normals
from ektopos.meshes.tangents import vertex_tangents
from ektopos.rendering.camera import View, camera_rays, footprint


class Geometry:
    """A mesh as rays meet it."""

    def __init__(self, mesh: Mesh) -> None:
        self.mesh = mesh = with_normals(mesh)
        self.corners = mesh.corners().astype(np.float32)
        self.normals = mesh.normals[mesh.triangles]
        self.tangents = vertex_tangents(
            mesh.positions, mesh.normals, np.nan_to_num(mesh.uvs), mesh.triangles
        )
        self._scene = rtcore_scene.EmbreeScene()
        if len(self.corners):
            TriangleMesh(self._scene, self.corners)

    def met(self, start: Values, directions: Values) -> dict[str, NDArray[Any]]:
        """What rays meet first: `primID` (−1 for nothing), `u`, `v` and `tfar`, `(n,)` each."""
        if not len(self.corners):
            nowhere = np.zeros(len(start))
            return {"primID": np.full(len(start), -1), "u": nowhere, "v": nowhere, "tfar": nowhere}
        met = self._scene.run(start.astype(np.float32), directions.astype(np.float32), output=True)
        return dict(met)


@dataclass(frozen=True)
class RayHits:
    """Where rays met a surface, `n` of them."""

    geometry: Geometry
    triangle: NDArray[np.int32]
    weights: Values
    """Of the triangle's corners, `(n, 3)`."""
    pixel: Values
    """How wide a pixel is there, in metres, `(n,)`."""
    views: Values
    """Unit directions towards the eye, `(n, 3)`."""
    normals: Values
    tangents: Values
    signs: Float
    """Of the bitangents, `(n,)`, ±1."""
    flip: Values
    """`(n, 1)`: −1 where a face is seen from behind, else 1."""

    def at(self, those: NDArray[np.int64]) -> RayHits:
        """Some of them."""
        return RayHits(
            self.geometry,
            self.triangle[those],
            self.weights[those],
            self.pixel[those],
            self.views[those],
            self.normals[those],
            self.tangents[those],
            self.signs[those],
            self.flip[those],
        )

    def uvs(self, number: int) -> Values:
        """Their UVs in a set, `(n, 2)`."""
        mesh = self.geometry.mesh
        corners = np.nan_to_num(mesh.uv_set(number)[mesh.triangles[self.triangle]])
        return np.asarray(np.einsum("nc,nci->ni", self.weights, corners.astype(np.float64)))

    def footprints(self, number: int) -> Values:
        """How much of a UV set a pixel covers, `(n,)`."""
        mesh = self.geometry.mesh
        met, where = np.unique(self.triangle, return_inverse=True)
        p = self.geometry.corners[met].astype(np.float64)
        t = np.nan_to_num(mesh.uv_set(number)[mesh.triangles[met]]).astype(np.float64)
        area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
        t1, t2 = t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]
        covered = np.abs(t1[:, 0] * t2[:, 1] - t1[:, 1] * t2[:, 0])
        return np.asarray(self.pixel * np.sqrt(covered / np.maximum(area, 1e-18))[where])

    def bent(self, mapped: Values) -> Values:
        """Unit normals as a map `(n, 3)` bends them. Seen from behind, they are turned as a whole,
        after they were bent. Source: glTF 2.0, 3.9.4: “the back-face MUST have its normals
        reversed”."""
        along_normal = np.einsum("ni,ni->n", self.normals, self.tangents)[:, None]
        across = normalise(self.tangents - self.normals * along_normal)
        along = np.cross(self.normals, across) * self.signs[:, None]
        bent = mapped[:, :1] * across + mapped[:, 1:2] * along + mapped[:, 2:] * self.normals
        return np.asarray(self.flip * normalise(bent))


@dataclass(frozen=True)
class HitLayer:
    """What rays meet next, and how far that is, in metres."""

    rays: NDArray[np.int64]
    distance: Values
    hits: RayHits


class HitBuffer:
    """A mesh before a camera, from each of whose pixels a ray starts."""

    def __init__(self, geometry: Geometry, view: View, width: int, height: int) -> None:
        self.geometry, self.view, self.width, self.height = geometry, view, width, height
        self.rays = width * height
        self._origins, self._directions = camera_rays(view, width, height)

    @cached_property
    def first(self) -> HitLayer:
        """The first faces that rays meet."""
        return self._meet(np.arange(self.rays), np.zeros(self.rays))

    def behind(self, layer: HitLayer, those: NDArray[np.bool_]) -> HitLayer:
        """What some rays of a layer meet behind it."""
        return self._meet(layer.rays[those], layer.distance[those])

    def _meet(self, rays: NDArray[np.int64], near: Values) -> HitLayer:
        directions = self._directions[rays]
        met = self.geometry.met(self._origins[rays] + directions * near[:, None], directions)
        hit = np.flatnonzero(met["primID"] >= 0)
        distance = near[hit] + met["tfar"][hit] * (1 + 1e-5) + 1e-5
        u, v = met["u"][hit], met["v"][hit]
        weights = np.stack([1 - u - v, u, v], axis=1).astype(np.float64)
        pixel = footprint(self.view, distance, self.height)
        hits = _hits(self.geometry, met["primID"][hit], weights, directions[hit], pixel)
        return HitLayer(rays[hit], distance, hits)


def _hits(
    g: Geometry, triangle: NDArray[np.int32], weights: Values, directions: Values, pixel: Values
) -> RayHits:
    """What rays of unit directions met, by the weights of each triangle's corners."""
    facing = np.einsum("ni,ni->n", flat_normals(g.corners[triangle].astype(np.float64)), directions)
    return RayHits(
        geometry=g,
        triangle=triangle,
        weights=weights,
        pixel=pixel,
        views=-directions,
        normals=normalise(np.einsum("nc,nci->ni", weights, g.normals[triangle])),
        tangents=np.einsum("nc,nci->ni", weights, g.tangents[triangle][..., :3]),
        signs=g.tangents[triangle][:, 0, 3],
        flip=np.where(facing > 0, -1.0, 1.0)[:, None],
    )
