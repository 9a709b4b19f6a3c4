"""What the roles are: their words in file names, their encoding, the channels they take."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ektopos.base.types import Encoding
from ektopos.document import COLOUR_ROLES, Role

SPREAD = ("rgb", "rgba")
"""Channel groups that hold one role together."""

WORDS: dict[Role, tuple[str, ...]] = {
    "base_color": (
        "basecolor",
        "basecolour",
        "basecol",
        "albedo",
        "alb",
        "diffuse",
        "diff",
        "dif",
        "color",
        "colour",
        "col",
        "clr",
        "bc",
        "basemap",
        "colormap",
        "colourmap",
        "colortexture",
        "rgb",
        "rgba",
        "d",
        "c",
        "b",
    ),
    "normal": (
        "normal",
        "normals",
        "normalmap",
        "norm",
        "nrm",
        "nor",
        "nrml",
        "nml",
        "nm",
        "nmap",
        "normalbump",
        "tangent",
        "n",
    ),
    "roughness": ("roughness", "rough", "rgh", "rou", "ruf", "r"),
    "gloss": (
        "gloss",
        "glossiness",
        "glossy",
        "gls",
        "glo",
        "glos",
        "smoothness",
        "smooth",
        "smth",
        "sm",
        "g",
    ),
    "metallic": (
        "metallic",
        "metalness",
        "metallicness",
        "metallicity",
        "metal",
        "metl",
        "mtlc",
        "met",
        "mtl",
        "mt",
        "m",
    ),
    "occlusion": (
        "occlusion",
        "ambientocclusion",
        "ambientocc",
        "ambocc",
        "occl",
        "occ",
        "ao",
        "o",
    ),
    "height": (
        "height",
        "heightmap",
        "hght",
        "hgt",
        "displacement",
        "displace",
        "displ",
        "disp",
        "dsp",
        "depth",
        "bumpmap",
        "bump",
        "parallax",
        "h",
    ),
    "emission": (
        "emission",
        "emissive",
        "emissivity",
        "emit",
        "emiss",
        "emis",
        "ems",
        "emi",
        "em",
        "glow",
        "selfillumination",
        "selfillum",
        "illumination",
        "lightmap",
        "e",
    ),
    "opacity": (
        "opacity",
        "opac",
        "opa",
        "opc",
        "alpha",
        "alph",
        "transparency",
        "transparent",
        "transp",
        "cutout",
        "alphamask",
        "opacitymask",
        "a",
    ),
    "specular": ("specular", "specularity", "spec", "spc", "speccolor", "reflection", "refl", "s"),
    "subsurface": ("subsurface", "sss", "scattering", "scatter", "translucency", "thickness"),
    "mask": (
        "mask",
        "masks",
        "maskmap",
        "msk",
        "mix",
        "mixmap",
        "comp",
        "packed",
        "id",
        "idmap",
        "matid",
    ),
}
"""The trade's spellings, in lower case with their separators taken out. Common practice; no source.

A word of one letter only counts at the very end of a name (or, weakly, at its start)."""

IDENTITIES = ("id", "idmap", "matid")
"""Words of coloured maps that tell parts apart, and hold no quantity."""

MATERIALS_TOO = ("metal", "rough", "smooth", "glow", "mask", "color", "colour", "scatter")
"""Words that mean a material or a look as well as a role: alone, they say neither for certain."""

PACKED_LETTERS: dict[str, Role] = {
    "ao": "occlusion",
    "o": "occlusion",
    "a": "occlusion",
    "r": "roughness",
    "m": "metallic",
    "h": "height",
    "d": "height",
    "s": "gloss",
    "g": "gloss",
    "e": "emission",
}
"""What the letters of a packed suffix such as ORM stand for, in channel order. Common practice; no
source."""


def encoding_of(role: Role | str, *, is_float: bool = False) -> Encoding:
    """The encoding a map of this role should have: colour is sRGB, data and float files are
    linear.
    """
    return "srgb" if role in COLOUR_ROLES and not is_float else "linear"


def encoding_of_roles(roles: Mapping[Any, Role], *, is_float: bool = False) -> Encoding:
    """The encoding of a map whose channels hold these. A packed map holds data; one quantity has
    its own encoding, in however many channels it is, and alpha has none."""
    main = next(iter(roles.values()), "unknown")
    alone = len(set(roles) - {"a"}) <= 1
    return encoding_of(main, is_float=is_float) if alone else "linear"
