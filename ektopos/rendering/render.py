"""The reference renderer: one picture of a mesh whose slots wear resolved surfaces, by rays.

Rays find faces (embree); shading is glTF 2.0's appendix B under lamps and surroundings. There are
no shadows: the picture is about the material, not the scene.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float, Values
from ektopos.base.vectors import normalise
from ektopos.document import InputName
from ektopos.images import linear_to_srgb
from ektopos.meshes.mesh import Mesh
from ektopos.rendering.brdf import shade
from ektopos.rendering.camera import View
from ektopos.rendering.lights import Light
from ektopos.rendering.raycast import Geometry, HitBuffer, RayHits
from ektopos.rendering.surface_inputs import SurfaceInputs
from ektopos.rendering.surroundings import surroundings_light

BACKDROP = 0.18
"""18 % grey, linear."""
LAYERS = 8
"""How many see-through faces a ray goes through at the most."""


def render(
    mesh: Mesh,
    looks: Mapping[str, SurfaceInputs],
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
    sight = HitBuffer(Geometry(mesh), view, width, height)
    return render_hits(sight, looks, light, backdrop=backdrop)


def render_hits(
    sight: HitBuffer,
    looks: Mapping[str, SurfaceInputs],
    light: Light,
    *,
    backdrop: float = BACKDROP,
) -> Float:
    """The same of a mesh that a camera has seen already: its first hits are found only once."""
    colour = np.zeros((sight.rays, 3))
    through = np.ones(sight.rays)
    layer = sight.first
    for number in range(LAYERS):
        if not len(layer.rays):
            break
        slots = sight.geometry.mesh.triangle_slot[layer.hits.triangle]
        sent, alpha = _shade_hits(looks, light, layer.hits, slots)
        colour[layer.rays] += sent * (through[layer.rays] * alpha)[:, None]
        through[layer.rays] *= 1.0 - alpha
        left = through[layer.rays] > 1e-3
        if not left.any() or number == LAYERS - 1:
            break
        layer = sight.behind(layer, left)
    colour += through[:, None] * backdrop
    return np.asarray(colour.reshape(sight.height, sight.width, 3), np.float32)


def picture(linear: Float) -> Float:
    """A rendered picture `(…, 3)` for the screen: sRGB-encoded, 0–1. What is brighter than white
    is scaled to it as a whole, so that it keeps its hue: clipped one by one, the channels of a
    bright orange end in yellow. The stage does the same (`web/src/viewport/hue.ts`).

    >>> picture(np.float32([4.0, 1.0, 0.0])).round(3).tolist()
    [1.0, 0.5370000004768372, 0.0]
    """
    brightest = np.maximum(linear.max(axis=-1, keepdims=True), 1.0)
    return linear_to_srgb(np.clip(linear / brightest, 0.0, 1.0))


def _shade_hits(
    looks: Mapping[str, SurfaceInputs], light: Light, hits: RayHits, slots: NDArray[np.int32]
) -> tuple[Values, Values]:
    """Light sent to the camera and opacity of every hit; of a one-sided face seen from behind,
    none."""
    sent, alpha = np.zeros((len(slots), 3)), np.zeros(len(slots))
    for number in np.unique(slots):
        look = looks.get(hits.geometry.mesh.slots[number], SurfaceInputs())
        those = np.flatnonzero((slots == number) & (look.double_sided | (hits.flip[:, 0] > 0)))
        if len(those):
            sent[those], alpha[those] = _shade_look(look, light, hits.at(those))
    return sent, alpha


def _shade_look(look: SurfaceInputs, light: Light, hits: RayHits) -> tuple[Values, Values]:
    """Light sent and opacity where one look is hit."""

    uvs = {number: hits.uvs(number) for number in look.uv_sets()}
    footprints = {number: hits.footprints(number) for number in uvs}

    def at(name: InputName) -> Values:
        return look.sampled(name, uvs, footprints)

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
