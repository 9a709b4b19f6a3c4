"""The reference renderer: one picture of a mesh whose slots wear resolved surfaces, by rays.

Rays find faces (embree); shading is glTF 2.0's appendix B under lamps and surroundings. There are
no shadows: the picture is about the material, not the scene.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from numpy.typing import NDArray

from ektopos.document import InputName
from ektopos.images import linear_to_srgb
from ektopos.meshes.mesh import Mesh, with_normals
from ektopos.meshes.tangents import vertex_tangents
from ektopos.shading.brdf import shade
from ektopos.shading.camera import View, camera_rays, footprint
from ektopos.shading.lights import Light
from ektopos.shading.look import Look
from ektopos.shading.surroundings import surroundings_light
from ektopos.types import Float, Values
from ektopos.vectors import flat_normals, normalise

BACKDROP = 0.18
"""18 % grey, linear."""
LAYERS = 8
"""How many see-through faces a ray goes through at the most."""


def render(
    mesh: Mesh,
    looks: Mapping[str, Look],
    light: Light,
    view: View,
    width: int,
    height: int,
    *,
    backdrop: float = BACKDROP,
) -> Float:
    """A picture `(height, width, 3)` in linear light, not clipped. Slots without a look are plain
    grey.

    Cost: linear in the pixels times the layers met and the directions of the surroundings.
    """
    origins, directions = camera_rays(view, width, height)
    mesh = with_normals(mesh)
    scene = rtcore_scene.EmbreeScene()
    corners = mesh.corners().astype(np.float32)
    if len(corners):
        TriangleMesh(scene, corners)
    normals = mesh.normals
    tangents = vertex_tangents(mesh.positions, normals, np.nan_to_num(mesh.uvs), mesh.triangles)
    sets = {0, *(place.uv.set for look in looks.values() for place in look.places.values())}
    uvs = {number: np.nan_to_num(mesh.corner_uvs(number)) for number in sets}
    geometry = _Geometry(mesh, corners, normals[mesh.triangles], uvs, tangents)
    colour = np.zeros((len(directions), 3))
    through = np.ones(len(directions))
    active = np.arange(len(directions))
    near = np.zeros(len(directions))
    for _ in range(LAYERS if len(corners) else 0):
        start = origins[active] + directions[active] * near[active, None]
        met = scene.run(
            start.astype(np.float32), directions[active].astype(np.float32), output=True
        )
        hit = met["primID"] >= 0
        if not hit.any():
            break
        rays, triangle = active[hit], met["primID"][hit]
        near[rays] += met["tfar"][hit] * (1 + 1e-5) + 1e-5
        width_there = footprint(view, near[rays], height)
        hits = _hits(
            geometry, triangle, met["u"][hit], met["v"][hit], directions[rays], width_there
        )
        sent, alpha = _shade_hits(geometry, looks, light, hits, mesh.triangle_slot[triangle])
        colour[rays] += sent * (through[rays] * alpha)[:, None]
        through[rays] *= 1.0 - alpha
        active = rays[through[rays] > 1e-3]
        if not len(active):
            break
    colour += through[:, None] * backdrop
    return np.asarray(colour.reshape(height, width, 3), np.float32)


def picture(linear: Float) -> Float:
    """A rendered picture `(…, 3)` for the screen: sRGB-encoded, 0–1. What is brighter than white
    is scaled to it as a whole, so that it keeps its hue: clipped one by one, the channels of a
    bright orange end in yellow. The stage does the same (`web/src/stage/hue.ts`).

    >>> picture(np.float32([4.0, 1.0, 0.0])).round(3).tolist()
    [1.0, 0.5370000004768372, 0.0]
    """
    brightest = np.maximum(linear.max(axis=-1, keepdims=True), 1.0)
    return linear_to_srgb(np.clip(linear / brightest, 0.0, 1.0))


@dataclass(frozen=True)
class _Geometry:
    mesh: Mesh
    corners: NDArray[np.float32]
    normals: Float
    uvs: Mapping[int, Values]
    """By UV set, of every triangle's corners."""
    tangents: Float


@dataclass(frozen=True)
class _Hits:
    """Where rays met a surface, `n` of them."""

    views: Values
    """Unit directions towards the eye, `(n, 3)`."""
    normals: Values
    tangents: Values
    signs: Float
    """Of the bitangents, `(n,)`, ±1."""
    flip: Values
    """`(n, 1)`: −1 where a face is seen from behind, else 1."""
    uvs: Mapping[int, Values]
    """By UV set, `(n, 2)`."""
    footprints: Mapping[int, Values]
    """By UV set, how much of it a pixel covers, `(n,)`."""

    def at(self, those: NDArray[np.int64]) -> _Hits:
        """Some of them."""
        return _Hits(
            self.views[those],
            self.normals[those],
            self.tangents[those],
            self.signs[those],
            self.flip[those],
            {number: uvs[those] for number, uvs in self.uvs.items()},
            {number: widths[those] for number, widths in self.footprints.items()},
        )

    def bent(self, mapped: Values) -> Values:
        """Unit normals as a map `(n, 3)` bends them. Seen from behind, they are turned as a whole,
        after they were bent. Source: glTF 2.0, 3.9.4: “the back-face MUST have its normals
        reversed”."""
        along_normal = np.einsum("ni,ni->n", self.normals, self.tangents)[:, None]
        across = normalise(self.tangents - self.normals * along_normal)
        along = np.cross(self.normals, across) * self.signs[:, None]
        bent = mapped[:, :1] * across + mapped[:, 1:2] * along + mapped[:, 2:] * self.normals
        return np.asarray(self.flip * normalise(bent))


def _hits(
    g: _Geometry,
    triangle: NDArray[np.int32],
    u: NDArray[np.float32],
    v: NDArray[np.float32],
    directions: Values,
    footprint: Values,
) -> _Hits:
    """What rays of unit directions met: triangle, place on it by embree's `u` and `v`, and how
    wide a pixel is there, in metres."""
    weights = np.stack([1 - u - v, u, v], axis=1).astype(np.float64)
    facing = np.einsum("ni,ni->n", flat_normals(g.corners[triangle].astype(np.float64)), directions)
    return _Hits(
        views=-directions,
        normals=normalise(np.einsum("nc,nci->ni", weights, g.normals[triangle])),
        tangents=np.einsum("nc,nci->ni", weights, g.tangents[triangle][..., :3]),
        signs=g.tangents[triangle][:, 0, 3],
        flip=np.where(facing > 0, -1.0, 1.0)[:, None],
        uvs={
            number: np.einsum("nc,nci->ni", weights, corners[triangle])
            for number, corners in g.uvs.items()
        },
        footprints={number: footprint * _uv_scale(g, number, triangle) for number in g.uvs},
    )


def _shade_hits(
    g: _Geometry, looks: Mapping[str, Look], light: Light, hits: _Hits, slots: NDArray[np.int32]
) -> tuple[Values, Values]:
    """Light sent to the camera and opacity of every hit; of a one-sided face seen from behind,
    none."""
    sent, alpha = np.zeros((len(slots), 3)), np.zeros(len(slots))
    for number in np.unique(slots):
        look = looks.get(g.mesh.slots[number], Look())
        those = np.flatnonzero((slots == number) & (look.double_sided | (hits.flip[:, 0] > 0)))
        if len(those):
            sent[those], alpha[those] = _shade_look(look, light, hits.at(those))
    return sent, alpha


def _uv_scale(g: _Geometry, number: int, triangle: NDArray[np.int32]) -> Values:
    """UV units of a set per metre of each triangle."""
    p, t = g.corners[triangle].astype(np.float64), g.uvs[number][triangle]
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    t1, t2 = t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]
    return np.asarray(
        np.sqrt(np.abs(t1[:, 0] * t2[:, 1] - t1[:, 1] * t2[:, 0]) / np.maximum(area, 1e-18))
    )


def _shade_look(look: Look, light: Light, hits: _Hits) -> tuple[Values, Values]:
    """Light sent and opacity where one look is hit."""

    def at(name: InputName) -> Values:
        return look.sampled(name, hits.uvs, hits.footprints)

    opacity = at("opacity") if look.alpha_mode != "opaque" else np.ones(len(hits.views))
    if look.alpha_mode == "mask":
        opacity = (opacity >= look.alpha_cutoff).astype(np.float64)
    if look.unlit:
        return at("base_color"), opacity
    views, bent = hits.views, hits.bent(at("normal"))
    base, metallic, roughness = at("base_color"), at("metallic"), at("roughness")
    around = surroundings_light(
        light.surroundings, base, metallic, roughness, bent, views, look.ior, look.compensate
    )
    sent = around * at("occlusion")[:, None]
    for lamp in light.lamps:
        towards = np.broadcast_to(normalise(np.asarray([lamp.towards])), bent.shape)
        lit = shade(
            base, metallic, roughness, bent, views, towards, look.ior, compensate=look.compensate
        )
        sent = sent + lit * np.asarray(lamp.irradiance)
    return sent + at("emission"), opacity
