"""Where checks draw the line. The texts of `catalogue.py`, and so `docs/checks.md`, take their
numbers from here. Where no source is named, a number is common practice."""

from __future__ import annotations

from ektopos.meshes.faults import EXTREME as EXTREME_SCALE
from ektopos.meshes.slots import TILED

__all__ = ["EXTREME_SCALE", "TILED"]

# Files and ranges
GOOD_JPEG = 90
"""Quality from which a JPEG's blocks stay below what data maps notice; common practice."""
DARKEST, BRIGHTEST = 0.02, 0.92
"""Luminance of what is no metal. Source: the black and white of the ColorChecker, 0.03 and 0.9
(measured values of 2005, in colour-science), with some room."""
DARKEST_METAL = 0.35
"""Luminance of metals at normal incidence. Source: Palik, Handbook of Optical Constants of Solids:
the darkest common ones reflect half, with room for tarnish."""
BETWEEN = (0.1, 0.9)
"""What is neither one thing nor the other: metallic and masks."""
LIT = 0.25
"""Correlation of brightness with slopes from which light counts as painted in; common practice."""
PLAIN = 0.2
"""Share of the most frequent colour from which a picture may be an atlas on a plain ground."""
SMOOTH = 0.85
"""Share of a picture’s brightness that a smooth shade explains; atlases by other makers
stay below 0.75 (`tests/outside/real_maps.csv`)."""
SNAP = 12.0
"""Contrast that leaves greys a twelfth of their width: the transition stays, half metals do not."""
TINTED = 0.02
"""Mean of the largest difference of R, G and B from which a grey map is tinted."""
HALF_METAL_SHARE = 0.25
"""Share of a metallic map that may lie between 0 and 1."""
EXTREME_ROUGHNESS = (0.03, 0.97)
"""Roughness beyond which one value all over is told."""
GREY_MASK_SHARE = 0.2
"""Share of the opacity of a mask that may lie in between."""

# Normals
PLAINLY = 0.3
"""Correlation from which the pixels contradict a stated direction; common practice, no source."""
OFF_LENGTH = 0.1
"""Error of length that a quarter of the texels is beyond."""
OFF_LENGTH_SHARE = 0.25
"""Share of a normal map's texels whose error of length is measured against that."""

# UVs and density
OVERLAP = 0.01
"""Share of the UV area that may be covered more than once, beside twins; common practice."""
FAR = 16.0
"""UV units that a slot may span: beyond them half floats hold less than a texel of 1024. Source:
IEEE 754 binary16, 10 bits of fraction."""
NEAR = 2.0
"""Texels between islands; common practice."""
STRETCHED = 2.0
"""Stretch L2. Source: Sander et al. 2001, in which 1 is none."""
LEAVES = 1e-3
"""UV units beyond the square that are seen: a texel of 1024."""
UNIQUE = 512
"""Maps from this side on are laid out for one place each; smaller ones are mostly patterns."""
UNEVEN = 4.0
"""How many times sharper or coarser than the middle of its mesh a slot may be; common practice."""
OFTEN = 16.0
"""Times that a map may show on a slot before its repetition counts; common practice."""
SEEN = 0.03
"""Unevenness from which repetition is seen; common practice."""
PALETTE = 64
"""Maps up to this side hold squares of colour, of which no texel is meant to be seen."""

# Palettes
LARGEST_PALETTE = 64
"""Texels a side."""
MOST_COLOURS = 256
