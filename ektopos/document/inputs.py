"""The one table of inputs: whatever there is to know of one stands here, for the core, the server
and the interface.

The interface's copy is generated (`./manage.py api_types`). The stand-in engine alone has a table
of its own, so that a mistake in this one cannot hide in both.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

InputName = Literal[
    "base_color",
    "metallic",
    "roughness",
    "normal",
    "occlusion",
    "emission",
    "opacity",
    "height",
    "f0",
    "ior",
    "specular",
    "clearcoat",
    "clearcoat_roughness",
    "sheen",
    "sheen_roughness",
    "transmission",
    "thickness",
    "attenuation",
    "attenuation_distance",
    "subsurface",
    "subsurface_color",
    "subsurface_radius",
]
"""The seven inputs of glTF 2.0's core, height, the reflectance of the specular workflow, those that
glTF's ratified extensions carry, and light inside a surface, for which only loose packages have a
place."""

Value = float | tuple[float, float, float]


@dataclass(frozen=True)
class Input:
    """What an input is."""

    label: str
    description: str
    """What its values mean, in a few words."""
    default: Value
    """What it is when nothing feeds it. Colours are linear, directions unit vectors."""
    initial: Value
    """The constant that a person begins with."""
    kind: Literal["data", "colour", "direction"] = "data"
    """Colours come from sRGB maps and can be tinted; a direction is a normal."""
    maximum: float | None = 1.0
    """Where it is clipped; `None` where it goes on beyond 1."""
    slider: float = 1.0
    """The largest constant that the interface's slider shows; larger ones can be typed."""
    strength: float | None = None
    """The largest strength that the interface's slider shows; `None` where strength means nothing.
    """
    extension: str | None = None
    """The extension of glTF 2.0 that carries it; its core does where none is named."""
    textured: bool = True
    """Whether a texture can carry it; glTF's extensions have numbers only for some."""
    is_fraction: bool = True
    """Whether it is a share of 1, measured in steps of 8 bits, and not a length or an index."""

    @property
    def is_colour(self) -> bool:
        """Whether it holds colours."""
        return self.kind == "colour"

    @property
    def is_wide(self) -> bool:
        """Whether it takes three channels."""
        return self.kind != "data"

    @property
    def adjusts(self) -> bool:
        """Whether invert, range and the other adjustments mean anything; for directions none
        does.
        """
        return self.kind != "direction"


BLACK, WHITE, GREY = (0.0, 0.0, 0.0), (1.0, 1.0, 1.0), (0.5, 0.5, 0.5)
_SMOOTH = "0 smooth – 1 rough"

TABLE: dict[InputName, Input] = {
    "base_color": Input("Base colour", "colour", WHITE, GREY, kind="colour"),
    "metallic": Input("Metallic", "0 or 1", 0.0, 0.0),
    "roughness": Input("Roughness", _SMOOTH, 1.0, 0.5),
    "normal": Input(
        "Normal",
        "tangent space",
        (0.0, 0.0, 1.0),
        (0.0, 0.0, 1.0),
        kind="direction",
        strength=2.0,
    ),
    "occlusion": Input("Occlusion", "1 open – 0 closed", 1.0, 1.0, strength=1.0),
    "emission": Input(
        "Emission", "light", BLACK, BLACK, kind="colour", maximum=None, strength=10.0
    ),
    "opacity": Input("Opacity", "0 clear – 1 solid", 1.0, 1.0),
    "height": Input("Height", "seen as depth", 0.5, 0.5, strength=1.0),
    "f0": Input(
        "Specular (F0)",
        "reflected at normal incidence",
        (0.04, 0.04, 0.04),
        (0.04, 0.04, 0.04),
        kind="colour",
    ),
    "ior": Input(
        "Index of refraction",
        "1.5 is usual",
        1.5,
        1.5,
        maximum=None,
        slider=3.0,
        extension="KHR_materials_ior",
        textured=False,
        is_fraction=False,
    ),
    "specular": Input(
        "Specular", "0–1 of dielectrics", 1.0, 1.0, extension="KHR_materials_specular"
    ),
    "clearcoat": Input(
        "Clear coat", "0 none – 1 full", 0.0, 1.0, extension="KHR_materials_clearcoat"
    ),
    "clearcoat_roughness": Input(
        "Coat roughness", _SMOOTH, 0.0, 0.1, extension="KHR_materials_clearcoat"
    ),
    "sheen": Input(
        "Sheen", "colour of cloth", BLACK, GREY, kind="colour", extension="KHR_materials_sheen"
    ),
    "sheen_roughness": Input("Sheen roughness", _SMOOTH, 0.0, 0.5, extension="KHR_materials_sheen"),
    "transmission": Input(
        "Transmission", "0 none – 1 clear", 0.0, 1.0, extension="KHR_materials_transmission"
    ),
    "thickness": Input(
        "Thickness",
        "metres",
        0.0,
        0.01,
        maximum=None,
        extension="KHR_materials_volume",
        is_fraction=False,
    ),
    "attenuation": Input(
        "Attenuation colour",
        "of light that went through",
        WHITE,
        WHITE,
        kind="colour",
        extension="KHR_materials_volume",
        textured=False,
    ),
    "attenuation_distance": Input(
        "Attenuation distance",
        "metres until it has that colour",
        1.0,
        1.0,
        maximum=None,
        slider=10.0,
        extension="KHR_materials_volume",
        textured=False,
        is_fraction=False,
    ),
    "subsurface": Input("Subsurface", "0 none – 1 wholly", 0.0, 0.5),
    "subsurface_color": Input(
        "Subsurface colour", "of light inside", WHITE, (0.8, 0.3, 0.2), kind="colour"
    ),
    "subsurface_radius": Input(
        "Subsurface radius",
        "metres",
        0.01,
        0.01,
        maximum=None,
        slider=0.1,
        textured=False,
        is_fraction=False,
    ),
}
"""Source: glTF 2.0, 3.9 and 5.19 to 5.22, and the extensions' own texts; OpenPBR 1.1 for
subsurface (weight, colour, radius). Metallic is 0 by default
here, not 1, because a material that says nothing of metal is meant not to be one."""

INPUTS: tuple[InputName, ...] = get_args(InputName)
assert tuple(TABLE) == INPUTS
CORE_INPUTS: tuple[InputName, ...] = INPUTS[:7]
"""The seven that every material has."""
EXTRA_INPUTS: tuple[InputName, ...] = INPUTS[INPUTS.index("height") + 1 :]
"""Those beyond the core and height: a row of the sheet where something feeds them."""
COLOUR_INPUTS: tuple[InputName, ...] = tuple(name for name in INPUTS if TABLE[name].is_colour)
WIDE_INPUTS: tuple[InputName, ...] = tuple(name for name in INPUTS if TABLE[name].is_wide)
"""Those that take three channels."""
UNIT_INPUTS: tuple[InputName, ...] = tuple(name for name in INPUTS if not TABLE[name].is_fraction)
"""Quantities that are no share of 1: the index of refraction, and lengths in metres."""
UNCLIPPED: tuple[InputName, ...] = tuple(name for name in INPUTS if TABLE[name].maximum is None)
"""Those that keep values above 1."""
WITH_STRENGTH: tuple[InputName, ...] = tuple(name for name in INPUTS if TABLE[name].strength)
