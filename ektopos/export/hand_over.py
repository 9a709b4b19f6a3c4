"""What stands in no file that an engine reads, and a person sets there: the hand-over list."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from ektopos.document import TABLE, Document, InputName
from ektopos.export.profile import Profile
from ektopos.materials.inheritance import REPEAT, Material, Placement

HAND_OVER = "hand-over.md"
Unsaid = Literal["filter", "shading", "surface tag"]
UNSAID: dict[str, tuple[Unsaid, ...]] = {
    "glb": (),
    "gltf": (),
    "gltf-embedded": (),
    "usdz": ("filter", "shading", "surface tag"),
    "loose": ("surface tag",),
}
"""By container, the settings that it has no field for. Source: UsdPreviewSurface 2.6; MaterialX
1.39 and glTF 2.0, whose GLB carries sides, alpha mode and shading of loose maps; the package list
is for people and is not read by engines."""


@dataclass(frozen=True)
class ManualSetting:
    """One line of the list."""

    material: str
    slot: str
    """`mesh · slot`; empty for a material that no slot uses."""
    text: str


def manual_settings(material: Material, profile: Profile) -> list[str]:
    """What is to be set for a material, in the order in which one works: how it is drawn, how its
    textures are looked up, what it is."""
    unsaid = UNSAID[profile.container]
    lines = []
    if "shading" in unsaid and material.shading == "unlit":
        lines.append("Make it unlit: its base colour is seen as it is, under any light.")
    if "filter" in unsaid and material.filter == "nearest":
        lines.append("Set the filter of its textures to nearest, without blending of texels.")
    if "surface tag" in unsaid and material.surface_tag:
        lines.append(f"Tag its surface as “{material.surface_tag}”.")
    return lines


def only_in_materialx(material: Material, profile: Profile) -> list[str]:
    """What stands in a loose package's MaterialX document alone: not every engine reads that."""
    if profile.container != "loose":
        return []
    lines = []
    if material.alpha_mode == "mask":
        lines.append(f"Alpha mode Mask, cut-off {material.alpha_cutoff:g}.")
    elif material.alpha_mode == "blend":
        lines.append("Alpha mode Blend.")
    places = material.placements()
    if profile.mesh.uv_transform == "carried":
        for words, names in _shared({n: _placed(place) for n, place in places.items()}):
            on = "" if len(names) == len(places) else f" on {', '.join(names)}"
            lines.append(f"{words}{on}.")
    if places and material.filter == "nearest":
        lines.append("Filter its textures by the nearest texel.")
    strengths: tuple[InputName, ...] = ("normal", "occlusion")
    for name in strengths:
        feed = material.feeds[name]
        if feed.maps() and feed.strength != 1.0:
            lines.append(f"{name.capitalize()} strength {feed.strength:g}.")
    if material.feeds["emission"].maps() and material.feeds["emission"].strength != 1.0:
        lines.append("Emission strength as in materials.mtlx.")
    return [f"{line[:-1]} (only materials.mtlx says so)." for line in lines]


def _placed(place: Placement) -> str:
    """Where a texture is placed, in words; empty where nothing is moved."""
    uv, words = place.uv, []
    if uv.tiling != (1.0, 1.0):
        words.append(f"tiling {uv.tiling[0]:g} × {uv.tiling[1]:g}")
    if uv.offset != (0.0, 0.0):
        words.append(f"offset {uv.offset[0]:g}, {uv.offset[1]:g}")
    if uv.rotation:
        words.append(f"rotation {math.degrees(uv.rotation):.4g}°")
    if uv.set:
        words.append(f"UV set {uv.set}")
    if place.wrap != REPEAT:
        words.append(f"wrap {place.wrap[0]} in u, {place.wrap[1]} in v")
    joined = ", ".join(words)
    return joined[:1].upper() + joined[1:]


def _shared(words: Mapping[InputName, str]) -> list[tuple[str, list[str]]]:
    """What inputs have in common, with their labels."""
    inputs: dict[str, list[str]] = {}
    for name, text in words.items():
        if text:
            inputs.setdefault(text, []).append(TABLE[name].label.lower())
    return list(inputs.items())


def hand_over(
    document: Document, materials: dict[str, Material], profile: Profile
) -> list[ManualSetting]:
    """The whole list, by material and slot."""
    to_set = []
    for name, material in materials.items():
        lines = [*manual_settings(material, profile), *only_in_materialx(material, profile)]
        slots = [
            f"{mesh} · {slot}"
            for mesh, entry in document.meshes.items()
            for slot, worn in entry.slots.items()
            if worn == name
        ]
        to_set += [ManualSetting(name, slot, text) for slot in slots or [""] for text in lines]
    return to_set


def hand_over_text(lines: list[ManualSetting], project: str, profile: Profile) -> str:
    """The list as Markdown, with a box to tick for every material."""
    text = [
        f"# {project}, for {profile.title}: to be set manually",
        "",
        "Set these in the engine. Where nothing else is said, no file of this package has a field",
        "for them.",
        "",
    ]
    for material in dict.fromkeys(line.material for line in lines):
        own = [line for line in lines if line.material == material]
        slots = ", ".join(dict.fromkeys(line.slot for line in own if line.slot))
        text.append(f"- [ ] **{material}**" + (f" (on {slots})" if slots else ""))
        text += [f"  - {item}" for item in dict.fromkeys(line.text for line in own)]
    return "\n".join(text) + "\n"
