"""Several small sets on one mesh against one set for all of its slots: files, texels and memory."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import ceil, log2, sqrt

from ektopos.export.plan import Plan, PlannedFile
from ektopos.meshes import SlotFacts

FILLED = 0.7
"""Share of the square that islands fill once they are packed; common practice."""
COLOUR_FIRST = "base_color"


@dataclass(frozen=True)
class TextureCost:
    """What textures weigh."""

    files: int
    texels: int
    memory: int
    """Bytes in graphics memory, uncompressed, with mips."""
    compressed: int
    """The same in blocks."""


@dataclass(frozen=True)
class AtlasEstimate:
    """The sets of a mesh as they are, and as one that is as sharp everywhere."""

    materials: tuple[str, ...]
    now: TextureCost
    one: TextureCost
    side: int
    """Of the one set's maps, texels."""
    filled: float
    """Share of the one set's texels that slots need, 0–1: the rest is room between islands, and
    what rounding the side up to a power of two leaves."""


def estimate_atlas(plan: Plan, worn: Sequence[tuple[SlotFacts, str]]) -> AtlasEstimate | None:
    """The textures of a mesh's materials against one set in which every slot keeps its texels per
    metre. `worn` gives its slots and their materials.

    Where maps repeat, one set has to hold every repetition. `None` where fewer than two of the
    materials have textures, or a slot of theirs has no UVs to go by.
    """
    files = {file.path: file for file in plan.files}
    own: dict[str, dict[str, PlannedFile]] = {}
    for material in dict.fromkeys(name for _, name in worn):
        paths = [path for (name, _), path in plan.file_of.items() if name == material]
        if paths:
            own[material] = {path: files[path] for path in paths}
    if len(own) < 2:
        return None
    needed = 0.0
    for slot, name in worn:
        if name in own and slot.area:
            density = _texels_per_metre(plan, slot, name, own[name])
            if density is None:
                return None
            needed += slot.area * density**2
    side = 2 ** max(0, ceil(log2(max(1.0, sqrt(needed / FILLED)))))
    every = {path: file for held in own.values() for path, file in held.items()}
    most = max(own.values(), key=len)
    at_side = [replace(file, width=side, height=side) for file in most.values()]
    return AtlasEstimate(
        tuple(own), _weight(list(every.values())), _weight(at_side), side, needed / side**2
    )


def _texels_per_metre(
    plan: Plan, slot: SlotFacts, material: str, files: dict[str, PlannedFile]
) -> float | None:
    path = plan.file_of.get((material, COLOUR_FIRST))
    file = files[path] if path else max(files.values(), key=lambda f: f.width * f.height)
    if not slot.density:
        return None
    across, down = plan.materials[material].common_place().uv.tiling
    return slot.density * sqrt(file.width * file.height * abs(across * down))


def _weight(files: Sequence[PlannedFile]) -> TextureCost:
    return TextureCost(
        len(files),
        sum(file.width * file.height for file in files),
        sum(file.memory for file in files),
        sum(file.compressed for file in files),
    )
