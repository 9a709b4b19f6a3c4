"""Materials: from feeds to surfaces.

`derive` turns a material and its bases into one effective `Material`; `adjust` is the arithmetic of
a feed; `resolve` applies it to maps and gives canonical arrays; `wire` makes a material from a map
set, `convert` turns the older specular workflow into this one, `probe` traces one point. How a
surface looks under light is `ektopos.shading`, how it is packed for an engine is `ektopos.targets`.
"""

from ektopos.materials.adjust import adjust, apply_strength, decode_channels
from ektopos.materials.cover import covered, surface_of
from ektopos.materials.derive import DEFAULTS, Material, effective
from ektopos.materials.preview import Gives, gives, stage_picture, stage_recipe
from ektopos.materials.probe import Probed, probe
from ektopos.materials.resolve import MapLoader, feed_problem, resolve_input
from ektopos.materials.wire import material_from_set

__all__ = [
    "DEFAULTS",
    "Gives",
    "MapLoader",
    "Material",
    "Probed",
    "adjust",
    "apply_strength",
    "covered",
    "decode_channels",
    "effective",
    "feed_problem",
    "gives",
    "material_from_set",
    "probe",
    "resolve_input",
    "stage_picture",
    "stage_recipe",
    "surface_of",
]
