"""Make a material from a map set: which map's channels feed which input."""

from __future__ import annotations

from ektopos.document import Document, Feed, InputName, MaterialEntry, Role
from ektopos.errors import MissingReference
from ektopos.maps.roles import SPREAD
from ektopos.maps.sets import maps_of_set
from ektopos.types import Channels

_FED_BY: dict[InputName, tuple[Role, ...]] = {
    "base_color": ("base_color",),
    "metallic": ("metallic",),
    "roughness": ("roughness", "gloss"),
    "normal": ("normal",),
    "occlusion": ("occlusion",),
    "emission": ("emission",),
    "opacity": ("opacity",),
    "height": ("height",),
}
"""Roles that can feed an input, best first. Gloss is 1 − roughness (common practice), so it is inverted."""


def channels_with_role(document: Document, map_name: str, role: Role) -> Channels | None:
    """The channels of a map that hold a role, or `None`."""
    for channels, held in document.maps[map_name].roles.items():
        if held == role:
            return "rgb" if channels == "rgba" else channels
    return None


def material_from_set(document: Document, set_name: str) -> MaterialEntry:
    """A material fed by the maps of a set, one feed for every input they hold.

    A role that covers the colours of one map feeds a data input with its first channel. Opacity makes the alpha mode
    `mask`, which is the usual reading; emission keeps its strength at 1. Raises `MissingReference` for an unknown set.
    """
    names = maps_of_set(document, set_name)
    if not names:
        raise MissingReference("there is no such map set.", subject=set_name)
    inputs: dict[InputName, Feed] = {}
    for name, roles in _FED_BY.items():
        for role in roles:
            found = [(m, c) for m in names if (c := channels_with_role(document, m, role)) is not None]
            if found and name not in inputs:
                # A map of its own is a better source than a channel of a packed one.
                map_name, channels = min(found, key=lambda pair: len(document.maps[pair[0]].roles))
                narrow = "r" if channels in SPREAD and name not in ("base_color", "emission", "normal") else channels
                inputs[name] = Feed(map=map_name, channels=narrow, invert=role == "gloss")
    return MaterialEntry(inputs=inputs, alpha_mode="mask" if "opacity" in inputs else None)
