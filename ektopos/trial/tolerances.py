"""Every tolerance of a trial: how far something may be off and still count as arrived."""

from __future__ import annotations

from typing import NamedTuple

# Texels and numbers
TOLERANCE = {"8-bit steps": (0.02, 1.0), "degrees": (0.05, 1.0), "units": (1e-4, 1 / 255)}
"""Largest error that counts as the same and as close, by the unit it is measured in."""
WITHIN = {
    "8-bit steps": "Within one 8-bit step.",
    "degrees": "Within one degree.",
    "units": "Within 1/255.",
}

FACTOR_STEP = 0.004
"""Factors that differ by less are one: the texels of 8 bits tell no closer."""
CODEC_BIAS = 4.0
"""Steps of 8 bits by which a codec may move all of a small picture one way."""
STRENGTH_STEP = 1e-3
"""Strengths that differ by a smaller share are one: they are written with six digits or more."""
LOSSY_FACTOR = 0.06
"""How far the factor that fits a lossy texture best may be from the one beside it: codecs keep the
mean of an area, and so a picture's factor, to within a few hundredths."""

# Triangles and scenes
PLACES = 1e-5
"""How far a corner may be from its place, as a share of the mesh's diagonal; and a UV, in UV
units."""
ANGLE = 1.0
"""Degrees that normals and tangents may turn."""
MADE_TANGENT_ANGLE = 5.0
"""Degrees that tangents may be off which somebody made on the way: their makers weigh triangles in
slightly different ways …"""
MADE_TANGENT_SHARE = 0.03
"""… and the share of corners that may be off further: on mirrored seams they average otherwise."""
SHADES = 1 / 255
"""How far vertex colours may be off."""
WEIGHTS = 2e-3
"""How far the weights of a skin may be off: those in bytes are steps of 1/255 at the most twice."""

SCENE_NUMBERS = 1e-4
"""How far numbers of a scene may be off, as a share of their size."""

# Codecs
LEVEL_SLACK = 1e-2
"""Beyond the tolerance of a texel: smaller levels are made of levels that were rounded."""


class CodecLoss(NamedTuple):
    """What a codec may change, in 8-bit steps. An area is 16 × 16 texels."""

    mean: float
    """In the mean of all texels."""
    area_mean: float
    """By how much the means of areas may be off, in the mean …"""
    area_share: float
    """… and as a share of the mean error."""
    any_area: float
    """By how much the mean of any single area may be off."""


CODEC_LOSS = {
    "": CodecLoss(28.0, 1.0, 0.25, 40.0),
    "UASTC": CodecLoss(28.0, 1.0, 0.25, 8.0),
    "ETC1S": CodecLoss(40.0, 2.0, 0.5, 24.0),
}
"""By codec. The colour of a block has 5 bits in ETC1S and is one of a palette. On the sample's
textures no area is off by more than 3.5 steps in UASTC and 12.3 in ETC1S."""
