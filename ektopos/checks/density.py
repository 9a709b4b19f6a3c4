"""Texels per metre: between the slots of a mesh, and against the project's rules."""

from __future__ import annotations

import math
from collections.abc import Iterator

from ektopos.checks.registry import Examined, Finding, Number, Remedy, check, finding
from ektopos.checks.thresholds import OFTEN, PALETTE, SEEN, UNEVEN
from ektopos.checks.uvs import main_map
from ektopos.edits import SetSetting
from ektopos.export.plan import target_size
from ektopos.maps.statistics import Statistics, thumbnail_of
from ektopos.materials import Material
from ektopos.meshes import SlotFacts

SMALLEST = 16


def texels_per_metre(examined: Examined, slot: SlotFacts, material: Material) -> float | None:
    """Of the base colour's map as it is exported, or of the largest where there is none, its tiling
    counted; `None` without a map, or without UVs. (Decision 72; the table of slots shows the same
    of the map's own size.)"""
    size = _exported(examined, material)
    if size is None or not slot.density:
        return None
    tiling = material.common_place().uv.tiling
    if material.feeds["base_color"].maps():
        tiling = material.placement("base_color").uv.tiling
    return slot.density * math.sqrt(size[0] * size[1] * abs(tiling[0] * tiling[1]))


def _exported(examined: Examined, material: Material) -> tuple[int, int] | None:
    """The size that the map by which density counts is exported in; `None` without one, and for
    palettes."""
    header = main_map(examined, material)
    if header is None or max(header.width, header.height) <= PALETTE:
        return None
    return target_size(header.width, header.height, examined.profile, material.size_limit)


@check
def densities(examined: Examined) -> Iterator[Finding]:
    """Slots off the project's rule for their surface, and off the rest of their mesh."""
    measured: dict[str, list[tuple[SlotFacts, Material, float]]] = {}
    for name, slot, material in examined.worn():
        density = texels_per_metre(examined, slot, material)
        if density:
            measured.setdefault(name, []).append((slot, material, density))
    rules = examined.project.document.rules
    for name, slots in measured.items():
        middle = _middle([(slot.area, density) for slot, _, density in slots])
        for slot, material, density in slots:
            subject = f"mesh {name} · {slot.name}"
            wanted = rules.density.get(material.surface_tag or "", rules.density.get(""))
            here = Number("texels per metre", f"{density:,.0f}")
            if wanted is not None:
                times = density / wanted
                if not 1 / rules.density_factor <= times <= rules.density_factor:
                    yield finding(
                        "density-off-rule",
                        subject,
                        f"{density:,.0f} texels a metre; {wanted:,.0f} is this project’s rule.",
                        numbers=(here, Number("the rule", f"{wanted:,.0f}", _tag(material))),
                        remedy=_smaller(examined, material, times),
                    )
            elif len(slots) > 1 and not 1 / UNEVEN <= density / middle <= UNEVEN:
                yield finding(
                    "density-uneven",
                    subject,
                    f"{density:,.0f} texels a metre; the middle of {name} has {middle:,.0f}.",
                    numbers=(here, Number("middle of the mesh", f"{middle:,.0f}", "by area")),
                )


@check
def repetition(examined: Examined) -> Iterator[Finding]:
    """Slots that show a map so often, and so uneven a one, that its repetition is seen."""
    for name, slot, material in examined.worn():
        place = material.placement("base_color")
        fed = material.feeds["base_color"]
        if fed.map is None or fed.layers or fed.laid or "repeat" not in place.wrap:
            continue
        facts = examined.facts(fed.map)
        if not slot.density or facts is None:
            continue
        if max(facts.header.width, facts.header.height) <= PALETTE:
            continue
        times = slot.density**2 * slot.area * abs(place.uv.tiling[0] * place.uv.tiling[1])
        uneven = unevenness(facts.statistics)
        if times >= OFTEN and uneven >= SEEN:
            yield finding(
                "repeats-often",
                f"mesh {name} · {slot.name}",
                f"{fed.map} shows {times:,.0f} times on it, and its light and dark parts show "
                "where it begins again.",
                numbers=(
                    Number("times", f"{times:,.0f}"),
                    Number("unevenness", f"{uneven:.2f}", "of 4 × 4 fields"),
                ),
            )


def unevenness(s: Statistics) -> float:
    """How unevenly bright a map is in the large: the standard deviation over 4 × 4 fields of its
    mean as stored, 0–0.5."""
    small = thumbnail_of(s)[..., :3].mean(axis=2)
    height, width = (4 * (side // 4) for side in small.shape)
    if not height or not width:
        return 0.0
    fields = small[:height, :width].reshape(4, height // 4, 4, width // 4)
    return float(fields.mean(axis=(1, 3)).std())


def _tag(material: Material) -> str:
    return f"for {material.surface_tag}" if material.surface_tag else ""


def _middle(slots: list[tuple[float, float]]) -> float:
    """The density that half of the area stays below."""
    half, run = sum(area for area, _ in slots) / 2, 0.0
    for area, density in sorted(slots, key=lambda pair: pair[1]):
        run += area
        if run >= half:
            return density
    return slots[-1][1]


def _smaller(examined: Examined, material: Material, times: float) -> Remedy | None:
    """A size limit that brings a density down to its rule by halves; `None` where it is too coarse,
    or where other slots wear the material, which would lose by it."""
    size = _exported(examined, material)
    wearers = sum(worn.name == material.name for _, _, worn in examined.worn())
    halves = round(math.log2(times)) if times > 1 else 0
    if size is None or halves < 1 or wearers > 1:
        return None
    limit = max(SMALLEST, max(size) >> halves)
    return Remedy(
        f"Limit to {limit}",
        f"Limits the maps of {material.name} to {limit} texels on export. The files stay as "
        "they are.",
        [SetSetting(material=material.name, setting="size_limit", value=limit)],
    )
