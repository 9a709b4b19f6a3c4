"""Materials: from feeds to surfaces.

`inheritance` turns a material and its bases into one `Material`; `adjust` is the arithmetic of a
feed; `resolve` applies it to maps and gives canonical arrays; `from_map_set` makes a material from
a map set, `convert` turns the older specular workflow into this one, `probe` traces one point. How
a surface looks under light is `ektopos.rendering`, how it is packed for an engine `ektopos.export`.
"""

from ektopos.materials.adjust import adjust, apply_strength, decode_channels
from ektopos.materials.from_map_set import material_from_set
from ektopos.materials.inheritance import DEFAULTS, Material, resolve_inheritance
from ektopos.materials.layering import surface_of, with_material_layers
from ektopos.materials.preview import FeedPreview, feed_preview, stage_picture, stage_recipe
from ektopos.materials.probe import ProbeResult, probe
from ektopos.materials.resolve import MapLoader, feed_problem, resolve_input

__all__ = [
    "DEFAULTS",
    "FeedPreview",
    "MapLoader",
    "Material",
    "ProbeResult",
    "adjust",
    "apply_strength",
    "decode_channels",
    "feed_preview",
    "feed_problem",
    "material_from_set",
    "probe",
    "resolve_inheritance",
    "resolve_input",
    "stage_picture",
    "stage_recipe",
    "surface_of",
    "with_material_layers",
]
