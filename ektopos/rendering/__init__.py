"""How surfaces look under light: the reference renderer.

`brdf` is glTF 2.0's appendix B, `lights` the light set-ups, `tangents` the frames normal maps live
in, `sample` texture look-ups, `surface_inputs` what a slot is drawn with, `camera` the view,
`raycast` what it sees, `surroundings` light from all round, `filtered` the same for the viewport of
a browser without a graphics card, `render` rays and pictures, `specimen` the shape that materials
are shown on. Equal surfaces give equal pictures.
"""

from ektopos.meshes.tangents import vertex_tangents
from ektopos.rendering.brdf import f0_from_ior, shade
from ektopos.rendering.camera import View, frame_view
from ektopos.rendering.lights import LIGHTS, Light
from ektopos.rendering.render import render
from ektopos.rendering.specimen import specimen
from ektopos.rendering.surface_inputs import SurfaceInputs

__all__ = [
    "LIGHTS",
    "Light",
    "SurfaceInputs",
    "View",
    "f0_from_ior",
    "frame_view",
    "render",
    "shade",
    "specimen",
    "vertex_tangents",
]
