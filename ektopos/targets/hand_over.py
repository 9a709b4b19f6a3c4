"""What stands in no file that an engine reads, and a person sets there: the hand-over list."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ektopos.document import Document
from ektopos.materials.derive import Material
from ektopos.targets.profile import Profile

HAND_OVER = "hand-over.md"
Unsaid = Literal["sides", "filter", "shading", "surface tag"]
UNSAID: dict[str, tuple[Unsaid, ...]] = {
    "glb": (),
    "gltf": (),
    "gltf-embedded": (),
    "usdz": ("filter", "shading", "surface tag"),
    "loose": ("sides", "shading", "surface tag"),
}
"""By container, the settings that it has no word for. Source: UsdPreviewSurface 2.6 and MaterialX
1.39; the package list is for people and is not read by engines."""


@dataclass(frozen=True)
class ByHand:
    """One line of the list."""

    material: str
    slot: str
    """`mesh · slot`; empty for a material that no slot wears."""
    text: str


def set_by_hand(material: Material, profile: Profile) -> list[str]:
    """What is to be set for a material, in the order in which one works: how it is drawn, how its
    textures are looked up, what it is."""
    unsaid = UNSAID[profile.container]
    lines = []
    if "sides" in unsaid and material.double_sided:
        lines.append("Draw both sides: it is double-sided.")
    if "shading" in unsaid and material.shading == "unlit":
        lines.append("Make it unlit: its base colour is seen as it is, under any light.")
    if "filter" in unsaid and material.filter == "nearest":
        lines.append("Set the filter of its textures to nearest, without blending of texels.")
    if "surface tag" in unsaid and material.surface_tag:
        lines.append(f"Tag its surface as “{material.surface_tag}”.")
    return lines


def hand_over(document: Document, materials: dict[str, Material], profile: Profile) -> list[ByHand]:
    """The whole list, by material and slot."""
    to_set = []
    for name, material in materials.items():
        lines = set_by_hand(material, profile)
        slots = [
            f"{mesh} · {slot}"
            for mesh, entry in document.meshes.items()
            for slot, worn in entry.slots.items()
            if worn == name
        ]
        to_set += [ByHand(name, slot, text) for slot in slots or [""] for text in lines]
    return to_set


def hand_over_text(lines: list[ByHand], project: str, profile: Profile) -> str:
    """The list as Markdown, with a box to tick for every line."""
    text = [
        f"# {project}, for {profile.title}: to be set by hand",
        "",
        "No file of this package that an engine reads has a place for these settings.",
    ]
    for material in dict.fromkeys(line.material for line in lines):
        own = [line for line in lines if line.material == material]
        slots = ", ".join(dict.fromkeys(line.slot for line in own if line.slot))
        text += ["", f"## {material}" + (f" (on {slots})" if slots else ""), ""]
        text += [f"- [ ] {item}" for item in dict.fromkeys(line.text for line in own)]
    return "\n".join(text) + "\n"
