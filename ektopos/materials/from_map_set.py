"""Make a material from a map set: which map's channels feed which input."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import PurePosixPath
from typing import cast

from pydantic import BaseModel

from ektopos.base.errors import MissingReference
from ektopos.base.types import Channels
from ektopos.document import (
    WIDE_INPUTS,
    Document,
    Feed,
    InputName,
    MapEntry,
    MaterialEntry,
    Role,
    RoleChannels,
)
from ektopos.maps.names import name_words
from ektopos.maps.roles import SPREAD
from ektopos.maps.sets import maps_of_set, maps_of_tile, tile_of
from ektopos.materials.inheritance import Material, resolve_inheritance

FED_BY: dict[InputName, tuple[Role, ...]] = {
    "base_color": ("base_color",),
    "f0": ("specular",),
    "metallic": ("metallic",),
    "roughness": ("roughness", "gloss"),
    "normal": ("normal",),
    "occlusion": ("occlusion",),
    "emission": ("emission",),
    "opacity": ("opacity",),
    "height": ("height",),
    "subsurface": ("subsurface",),
}
"""Roles that can feed an input, best first. Gloss is 1 − roughness (common practice), so it is
inverted."""


def input_for(role: Role) -> InputName | None:
    """The input that a role feeds; `None` for masks and what is not known."""
    return next((name for name, roles in FED_BY.items() if role in roles), None)


def contradiction(document: Document, feed: Feed, name: InputName) -> tuple[Role, InputName] | None:
    """What a person has said that a feed's map holds, and the input for it, where it feeds another
    one. A base colour may feed any colour besides, and a mask anything."""
    entry = document.maps.get(feed.map or "")
    if entry is None or not entry.by_hand or name not in FED_BY:
        return None
    letters = set(feed.channels or "rgb")
    role: Role = next((r for group, r in entry.roles.items() if letters & set(group)), "unknown")
    goal = input_for(role)
    if goal is None or role in FED_BY[name] or goal == "base_color":
        return None
    return role, goal


def channels_with_role(document: Document, map_name: str, role: Role) -> Channels | None:
    """The channels of a map that hold a role, or `None`."""
    for channels, held in document.maps[map_name].roles.items():
        if held == role:
            return "rgb" if channels == "rgba" else channels
    return None


def feed_from(map_name: str | None, channels: Channels, name: InputName, role: Role) -> Feed:
    """The feed of an input from channels of a map that hold a role: of several the first, where the
    input is one number a texel."""
    narrow: Channels = "r" if channels in SPREAD and name not in WIDE_INPUTS else channels
    return Feed(map=map_name, channels=narrow, invert=role == "gloss")


def material_from_set(document: Document, set_name: str, tile: int | None = None) -> MaterialEntry:
    """A material fed by the maps of a set, one feed for every input they hold; of a set with UDIM
    tiles by those of one tile, the first unless another is said.

    A role that covers the colours of one map feeds a data input with its first channel. Opacity
    makes the alpha mode `mask`, which is the usual reading; emission keeps its strength at 1. A set
    with diffuse and specular, and nothing metallic, makes a material of the specular workflow.
    Raises `MissingReference` for an unknown set.
    """
    names = maps_of_tile(document, set_name, tile)
    if not names:
        raise MissingReference("there is no such map set.", subject=set_name)
    inputs: dict[InputName, Feed] = {}
    for name, roles in FED_BY.items():
        for role in roles:
            feeds = [
                (m, c)
                for m in names
                if document.maps[m].space == "tangent"
                and (c := channels_with_role(document, m, role)) is not None
            ]
            if feeds and name not in inputs:
                # A map of its own is a better source than a channel of a packed one.
                map_name, channels = min(
                    feeds,
                    key=lambda pair: (
                        len(document.maps[pair[0]].roles),
                        _is_called_bump(document.maps[pair[0]].file),
                    ),
                )
                if name == "subsurface" and channels == "rgb":
                    # A map in colours is the colour of what comes out, everywhere.
                    inputs["subsurface_color"] = Feed(map=map_name, channels="rgb")
                    inputs[name] = Feed(value=1.0)
                else:
                    inputs[name] = feed_from(map_name, channels, name, role)
    is_specular = "f0" in inputs and "base_color" in inputs and "metallic" not in inputs
    if not is_specular:
        inputs.pop("f0", None)
    return MaterialEntry(
        inputs=inputs,
        alpha_mode="mask" if "opacity" in inputs else None,
        workflow="specular" if is_specular else None,
    )


def _is_called_bump(file: str) -> bool:
    """Whether a height is called bump: a weaker one than what is called height, displacement or
    parallax (common practice)."""
    return any("bump" in word.lower() for word in name_words(PurePosixPath(file).stem))


class Unused(BaseModel):
    """Channels of a material's own map set that nothing in it is fed from."""

    map: str
    channels: RoleChannels
    role: Role
    input: InputName | None = None
    """The input that they can feed, where there is one that no map feeds yet …"""
    feed: Feed | None = None
    """… and what would do it."""


def unused_of_set(
    document: Document,
    material: Material,
    sets: Mapping[str, Sequence[str]],
    set_of: Mapping[str, str],
) -> list[Unused]:
    """What the set that a material is mostly fed from holds, and the material has no use for: so
    that nothing of a delivery is left lying without a word. `sets` gives the maps of every
    set, `set_of` the set of every map. Cost: the maps that it is fed from, and those of its set."""
    used = _channels_used(material)
    counted = Counter(which for name in used if (which := set_of.get(name)) is not None)
    if not counted:
        return []
    home = max(counted, key=lambda which: counted[which])
    tiles = {tile_of(document.maps[name].file) for name in used if name in document.maps}
    return [
        _unused(material, member, entry, channels, role)
        for member in sets[home]
        if tile_of((entry := document.maps[member]).file) in tiles
        for channels, role in entry.roles.items()
        if role != "unknown" and not set(channels) & used.get(member, set())
    ]


def _channels_used(material: Material) -> dict[str, set[str]]:
    """The channels of every map that a material is fed from, masks included."""
    used: dict[str, set[str]] = {}
    masks = [cover.mask for cover in material.covers]
    for name, feed in material.feeds.items():
        for source in (feed, *feed.layers):
            if source.map is not None:
                letters = source.channels or ("rgb" if name in WIDE_INPUTS else "r")
                read = "rgb" if letters == "luminance" else letters
                used.setdefault(source.map, set()).update(read)
        masks += [layer.mask for layer in feed.layers]
    for mask in masks:
        if mask is not None:
            used.setdefault(mask.map, set()).update(mask.channels[:1])
    return used


def _unused(
    material: Material, member: str, entry: MapEntry, channels: RoleChannels, role: Role
) -> Unused:
    """A quantity that nothing is fed from, and the input that it could feed."""
    unused = Unused(map=member, channels=channels, role=role)
    goal = input_for(role)
    if goal is None or (goal == "f0" and material.workflow == "metallic"):
        return unused
    is_free = not (goal in material.feeds and material.feeds[goal].maps())
    if is_free and entry.space == "tangent":
        narrow = "r" if channels in SPREAD and goal not in WIDE_INPUTS else channels
        unused.input = goal
        unused.feed = Feed(
            map=member, channels="rgb" if narrow == "rgba" else narrow, invert=role == "gloss"
        )
    return unused


def rewired(document: Document, material: str, set_name: str) -> MaterialEntry:
    """A material's effective values with every map replaced by the one of another set that holds
    the same role.

    Feeds whose role the set does not have are left out. Raises `MissingReference` for an unknown
    set, or one that has none of the roles.
    """
    names = maps_of_set(document, set_name)
    if not names:
        raise MissingReference("there is no such map set.", subject=set_name)
    whole = resolve_inheritance(document, material)
    inputs: dict[InputName, Feed] = {}
    for name, feed in whole.feeds.items():
        if name not in whole.origin:
            continue
        replaced = _replaced(document, feed, names)
        if replaced is not None:
            inputs[name] = replaced
    if not any(feed.maps() for feed in inputs.values()):
        raise MissingReference(f"it has no map in a role that {material} uses.", subject=set_name)
    return whole.as_entry(inputs)


def _replaced(document: Document, feed: Feed, names: list[str]) -> Feed | None:
    if feed.map is None:
        return feed
    channels = feed.channels or "rgb"
    held = document.maps[feed.map].roles if feed.map in document.maps else {}
    role = next(
        (role for group, role in held.items() if channels[0] in group or channels == group), None
    )
    for wanted in (role, {"roughness": "gloss", "gloss": "roughness"}.get(role or "")):
        for name in names:
            with_role = channels_with_role(document, name, cast(Role, wanted)) if wanted else None
            if with_role is not None:
                narrow = with_role if len(channels) > 1 or len(with_role) == 1 else "r"
                inverted = feed.invert if wanted == role else not feed.invert
                return feed.model_copy(
                    update={"map": name, "channels": narrow, "invert": inverted, "layers": []}
                )
    return None
