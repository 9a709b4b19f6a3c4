"""How surfaces look under light: the reference renderer.

`brdf` is glTF 2.0's appendix B, `lights` the light set-ups, `tangents` the frames normal maps live
in, `sample` texture look-ups, `look` what a slot is drawn with, `camera` the view, `sight` what it
sees, `surroundings` light from all round, `filtered` the same for the stage of a browser without a
graphics card, `render` rays and pictures, `specimen` the shape that materials are shown on. Equal
surfaces give equal pictures.
"""

from ektopos.meshes.tangents import vertex_tangents
from ektopos.shading.brdf import f0_from_ior, shade
from ektopos.shading.camera import View, frame_view
from ektopos.shading.lights import LIGHTS, Light
from ektopos.shading.look import Look
from ektopos.shading.render import render
from ektopos.shading.specimen import specimen

__all__ = [
    "LIGHTS",
    "Light",
    "Look",
    "View",
    "f0_from_ior",
    "frame_view",
    "render",
    "shade",
    "specimen",
    "vertex_tangents",
]
