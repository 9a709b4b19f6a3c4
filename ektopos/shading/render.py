"""The reference renderer: one picture of a mesh whose slots wear resolved surfaces, by rays.

Rays find faces (embree); shading is glTF 2.0's appendix B under lamps and surroundings. Light from
the surroundings is summed over a fixed set of directions (a Hammersley set on the GGX lobe for
reflection, spherical harmonics for diffuse light), so pictures are the same every time. There are
no shadows: the picture is about the material, not the scene.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from numpy.typing import NDArray

from ektopos.document import AlphaMode, Filter, InputName
from ektopos.images import linear_to_srgb
from ektopos.materials.coverage import transform_uvs
from ektopos.materials.derive import DEFAULTS, Placement
from ektopos.materials.resolve import constant_values
from ektopos.meshes.mesh import Mesh, with_normals
from ektopos.shading.brdf import LEAST_ROUGHNESS, compensation, f0_from_ior, shade
from ektopos.shading.lights import Light, Radiance
from ektopos.shading.sample import sample
from ektopos.shading.tangents import vertex_tangents
from ektopos.types import Float, Values
from ektopos.vectors import normalise

BACKDROP = 0.18
"""18 % grey, linear."""
SAMPLES = 24
LAYERS = 8
"""How many see-through faces a ray goes through at the most."""


@dataclass(frozen=True)
class Look:
    """A surface to be drawn: canonical arrays by input (what is missing is at its default), and the
    settings."""

    inputs: Mapping[InputName, Float] = field(default_factory=dict)
    alpha_mode: AlphaMode = "opaque"
    alpha_cutoff: float = 0.5
    double_sided: bool = False
    places: Mapping[InputName, Placement] = field(default_factory=dict)
    """Where each input lies; those that are missing lie as the mesh's first UV set says."""
    filter: Filter = "linear"
    unlit: bool = False
    """Whether its base colour is seen as it is, whatever the light."""
    ior: float = 1.5
    compensate: bool = False
    """Whether light that bounces between facets is given back; the specification loses it."""

    def input(self, name: InputName) -> Float:
        """An input's array, or its default as one texel."""
        found = self.inputs.get(name)
        return constant_values(DEFAULTS[name], name) if found is None else found


@dataclass(frozen=True)
class View:
    """A camera: where it is, what it looks at, and its vertical field of view in degrees."""

    eye: tuple[float, float, float]
    target: tuple[float, float, float] = (0.0, 0.0, 0.0)
    fov: float = 32.0


def frame_view(
    mesh: Mesh, towards: tuple[float, float, float] = (0.85, 0.72, 1.5), room: float = 1.0
) -> View:
    """A view from a direction that holds the whole mesh."""
    used = mesh.positions[np.unique(mesh.triangles)] if len(mesh.triangles) else np.zeros((1, 3))
    centre = (used.min(axis=0) + used.max(axis=0)) / 2
    radius = float(np.linalg.norm(used - centre, axis=1).max()) or 1.0
    direction = np.asarray(towards) / np.linalg.norm(towards)
    eye = centre + direction * radius / np.sin(np.radians(16)) * room
    return View(tuple(eye), tuple(centre))


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

    Cost: linear in the texels times `SAMPLES`.
    """
    origins, directions = _camera_rays(view, width, height)
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
        found = scene.run(
            start.astype(np.float32), directions[active].astype(np.float32), output=True
        )
        hit = found["primID"] >= 0
        if not hit.any():
            break
        rays = active[hit]
        triangle, u, v = found["primID"][hit], found["u"][hit], found["v"][hit]
        near[rays] += found["tfar"][hit] * (1 + 1e-5) + 1e-5
        sent, alpha = _shade_hits(
            geometry,
            looks,
            light,
            directions[rays],
            triangle,
            u,
            v,
            _footprint(view, near[rays], height),
        )
        colour[rays] += sent * (through[rays] * alpha)[:, None]
        through[rays] *= 1.0 - alpha
        active = rays[through[rays] > 1e-3]
        if not len(active):
            break
    colour += through[:, None] * backdrop
    return np.asarray(colour.reshape(height, width, 3), np.float32)


def picture(linear: Float) -> Float:
    """A rendered picture for the screen: clipped and sRGB-encoded, 0–1."""
    return linear_to_srgb(np.clip(linear, 0.0, 1.0))


@dataclass(frozen=True)
class _Geometry:
    mesh: Mesh
    corners: NDArray[np.float32]
    normals: Float
    uvs: Mapping[int, Values]
    """By UV set, of every triangle's corners."""
    tangents: Float


def _camera_rays(view: View, width: int, height: int) -> tuple[Values, Values]:
    eye, target = np.asarray(view.eye, float), np.asarray(view.target, float)
    ahead = (target - eye) / np.linalg.norm(target - eye)
    right = np.cross(ahead, (0.0, 1.0, 0.0))
    right = (
        right / np.linalg.norm(right) if np.linalg.norm(right) > 1e-9 else np.array([1.0, 0.0, 0.0])
    )
    up = np.cross(right, ahead)
    scale = np.tan(np.radians(view.fov) / 2)
    x = ((np.arange(width) + 0.5) / width * 2 - 1) * scale * width / height
    y = (1 - (np.arange(height) + 0.5) / height * 2) * scale
    directions = ahead + x[None, :, None] * right + y[:, None, None] * up
    directions = normalise(directions).reshape(-1, 3)
    return np.broadcast_to(eye, directions.shape), directions


def _footprint(view: View, distance: Values, height: int) -> Values:
    """The width of a pixel at a distance, in metres."""
    return np.asarray(distance * 2 * np.tan(np.radians(view.fov) / 2) / height)


def _shade_hits(
    g: _Geometry,
    looks: Mapping[str, Look],
    light: Light,
    directions: Values,
    triangle: NDArray[np.int32],
    u: NDArray[np.float32],
    v: NDArray[np.float32],
    footprint: Values,
) -> tuple[Values, Values]:
    """Light sent to the camera and opacity of every hit."""
    weights = np.stack([1 - u - v, u, v], axis=1).astype(np.float64)
    normals = normalise(np.einsum("nc,nci->ni", weights, g.normals[triangle]))
    uvs = {
        number: np.einsum("nc,nci->ni", weights, corners[triangle])
        for number, corners in g.uvs.items()
    }
    tangents = np.einsum("nc,nci->ni", weights, g.tangents[triangle][..., :3])
    signs = g.tangents[triangle][:, 0, 3]
    a, b, c = np.moveaxis(g.corners[triangle].astype(np.float64), 1, 0)
    faces = normalise(np.cross(b - a, c - a))
    back = np.einsum("ni,ni->n", faces, directions) > 0
    sent, alpha = np.zeros((len(triangle), 3)), np.zeros(len(triangle))
    slots = g.mesh.triangle_slot[triangle]
    for number in np.unique(slots):
        look = looks.get(g.mesh.slots[number], Look())
        those = np.flatnonzero((slots == number) & (look.double_sided | ~back))
        if len(those):
            flip = np.where(back[those], -1.0, 1.0)[:, None]
            spread = {
                number: footprint[those] * _uv_scale(g, number, triangle[those]) for number in g.uvs
            }
            sent[those], alpha[those] = _shade_look(
                look,
                light,
                -directions[those],
                normals[those],
                tangents[those],
                signs[those],
                flip,
                {number: places[those] for number, places in uvs.items()},
                spread,
            )
    return sent, alpha


def _uv_scale(g: _Geometry, number: int, triangle: NDArray[np.int32]) -> Values:
    """UV units of a set per metre of each triangle."""
    p, t = g.corners[triangle].astype(np.float64), g.uvs[number][triangle]
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    t1, t2 = t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]
    return np.asarray(
        np.sqrt(np.abs(t1[:, 0] * t2[:, 1] - t1[:, 1] * t2[:, 0]) / np.maximum(area, 1e-18))
    )


def _shade_look(
    look: Look,
    light: Light,
    views: Values,
    normals: Values,
    tangents: Values,
    signs: Float,
    flip: Values,
    uvs: Mapping[int, Values],
    footprints: Mapping[int, Values],
) -> tuple[Values, Values]:
    """Light sent and opacity where one look is hit; UVs, and how much of them a pixel covers, are
    by set. `flip` `(n, 1)` is −1 where a face is seen from behind: its normal is turned as a whole,
    after it was bent. Source: glTF 2.0, 3.9.4: “the back-face MUST have its normals reversed”."""

    def at(name: InputName) -> Values:
        values, place = look.input(name), look.places.get(name, Placement())
        uv = place.uv
        spread = footprints[uv.set] * np.sqrt(abs(uv.tiling[0] * uv.tiling[1]))
        level = np.log2(np.maximum(spread * max(values.shape[:2]), 1.0))
        placed = transform_uvs(uvs[uv.set], uv)
        near = look.filter == "nearest"
        return np.asarray(
            sample(values, placed, nearest=near, level=level, wrap=place.wrap), np.float64
        )

    opacity = at("opacity") if look.alpha_mode != "opaque" else np.ones(len(views))
    if look.alpha_mode == "mask":
        opacity = (opacity >= look.alpha_cutoff).astype(np.float64)
    if look.unlit:
        return at("base_color"), opacity
    mapped = at("normal")
    across = normalise(tangents - normals * np.einsum("ni,ni->n", normals, tangents)[:, None])
    along = np.cross(normals, across) * signs[:, None]
    bent = flip * normalise(
        mapped[:, :1] * across + mapped[:, 1:2] * along + mapped[:, 2:] * normals
    )
    base, metallic, roughness = at("base_color"), at("metallic"), at("roughness")
    sent = (
        _surroundings(
            light.surroundings, base, metallic, roughness, bent, views, look.ior, look.compensate
        )
        * at("occlusion")[:, None]
    )
    for lamp in light.lamps:
        towards = np.broadcast_to(normalise(np.asarray([lamp.towards])), bent.shape)
        lit = shade(
            base, metallic, roughness, bent, views, towards, look.ior, compensate=look.compensate
        )
        sent = sent + lit * np.asarray(lamp.irradiance)
    return sent + at("emission"), opacity


def _surroundings(
    radiance: Radiance,
    base: Values,
    metallic: Values,
    roughness: Values,
    normals: Values,
    views: Values,
    ior: float,
    compensate: bool,
) -> Values:
    """Light from all round: diffuse by spherical harmonics, reflected by sampling the GGX lobe."""
    n_dot_v = np.clip(np.einsum("ni,ni->n", normals, views), 1e-3, 1.0)
    metal = metallic[:, None]
    f0 = f0_from_ior(ior) * (1.0 - metal) + base * metal
    grazing = f0 + (1.0 - f0) * ((1.0 - n_dot_v) ** 5)[:, None]
    diffuse = (1.0 - grazing) * base * (1.0 - metal) * _irradiance(radiance, normals) / np.pi
    alpha = np.maximum(roughness, LEAST_ROUGHNESS) ** 2
    helper = np.where(np.abs(normals[:, 1:2]) < 0.95, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]])
    x_axis = normalise(np.cross(helper, normals))
    y_axis = np.cross(normals, x_axis)
    reflected = np.zeros_like(base)
    for first, second in _hammersley(SAMPLES):
        # Source: Walter 2007, equations 35 and 36: the slope of a GGX microfacet.
        cosine = np.sqrt((1.0 - first) / (1.0 + (alpha**2 - 1.0) * first))
        sine = np.sqrt(np.clip(1.0 - cosine**2, 0.0, 1.0))
        turn = 2 * np.pi * second
        half = (
            x_axis * (sine * np.cos(turn))[:, None]
            + y_axis * (sine * np.sin(turn))[:, None]
            + normals * cosine[:, None]
        )
        v_dot_h = np.einsum("ni,ni->n", views, half)
        towards = 2.0 * v_dot_h[:, None] * half - views
        n_dot_l = np.einsum("ni,ni->n", normals, towards)
        seen = (n_dot_l > 0) & (v_dot_h > 0)
        a2 = alpha**2
        joint = n_dot_v * np.sqrt(n_dot_l**2 * (1 - a2) + a2) + n_dot_l * np.sqrt(
            n_dot_v**2 * (1 - a2) + a2
        )
        weight = np.where(
            seen, 2.0 * n_dot_l / np.maximum(joint, 1e-9) * v_dot_h / np.maximum(cosine, 1e-6), 0.0
        )
        fresnel = f0 + (1.0 - f0) * (np.clip(1.0 - v_dot_h, 0.0, 1.0) ** 5)[:, None]
        reflected += fresnel * radiance(towards) * weight[:, None]
    given_back = compensation(n_dot_v, roughness, f0) if compensate else 1.0
    return np.asarray(diffuse + reflected / SAMPLES * given_back)


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
    coefficients = _harmonics(directions).T @ radiance(directions) * (4 * np.pi / count)
    kernel = np.array([np.pi, *[2 * np.pi / 3] * 3, *[np.pi / 4] * 5])
    return np.asarray(np.maximum(_harmonics(normals) @ (coefficients * kernel[:, None]), 0.0))


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
