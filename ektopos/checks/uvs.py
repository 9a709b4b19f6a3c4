"""UVs against what lies on them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ektopos.checks.registry import Examined, Finding, Number, check, finding
from ektopos.checks.thresholds import FAR, LEAVES, NEAR, OVERLAP, STRETCHED, UNIQUE
from ektopos.images import ImageHeader
from ektopos.maps.sets import tile_of
from ektopos.materials import Material
from ektopos.meshes.slots import INSIDE_BY, TILED, UvFacts


@check
def unmapped_slots(examined: Examined) -> Iterator[Finding]:
    """Slots without UVs that wear a material with maps."""
    for name, slot, material in examined.worn():
        for number in sorted({place.uv.set for place in material.placements().values()}):
            has = slot.uv.min is not None
            if number:
                mesh = examined.mesh(name)
                if mesh is None or slot.name not in mesh.slots:
                    continue
                own = mesh.triangles[mesh.triangle_slot == mesh.slots.index(slot.name)]
                has = bool(np.isfinite(mesh.uv_set(number)[own]).any())
            if not has:
                lacks = "no UVs" if number == 0 else f"no UV set {number}, which it wants"
                yield finding(
                    "maps-without-uvs",
                    f"mesh {name} · {slot.name}",
                    f"Its material {material.name} has maps, and the slot has {lacks}.",
                    evidence=slot.name,
                )


def numbered_maps(examined: Examined, material: Material) -> dict[int, str]:
    """The maps that a material wears for UDIM tiles, by the tiles' numbers."""
    maps = examined.project.document.maps
    used = {m for feed in material.feeds.values() for m in feed.maps() if m in maps}
    return {t: m for m in sorted(used) if (t := tile_of(maps[m].file)) is not None}


@check
def slots_on_several_tiles(examined: Examined) -> Iterator[Finding]:
    """Slots that lie on UDIM tiles which their material's maps are not for."""
    for name, slot, material in examined.worn():
        numbered = numbered_maps(examined, material)
        lies = slot.uv.tiles or (1001,)
        if not numbered or set(lies) <= set(numbered):
            continue
        several = len(lies) > 1
        yield finding(
            "other-tile",
            f"mesh {name} · {slot.name}",
            f"Its UVs lie on tile{'s' if several else ''} {', '.join(map(str, lies))}; "
            f"{material.name} has maps of {', '.join(map(str, sorted(numbered)))}.",
            evidence=", ".join(numbered.values()),
            fix="Split the slot by UV tiles, and give each part a material of its tile."
            if several
            else "Give it the material of its tile.",
        )


def main_map(examined: Examined, material: Material) -> ImageHeader | None:
    """The header of the base colour's largest map, or of the largest map of a material without one;
    `None` without any."""
    colours = material.feeds["base_color"].maps()
    headers = [examined.headers[name] for name in colours if name in examined.headers]
    largest = max(headers, key=lambda header: header.width * header.height, default=None)
    return largest or largest_map(examined, material)


def largest_map(examined: Examined, material: Material) -> ImageHeader | None:
    """The header of the largest map that a material wears; `None` without any."""
    headers = [
        examined.headers[map_name]
        for name in material.placements()
        for map_name in material.feeds[name].maps()
        if map_name in examined.headers
    ]
    return max(headers, key=lambda header: header.width * header.height, default=None)


def _laid_out(examined: Examined) -> Iterator[tuple[str, UvFacts, Material, ImageHeader]]:
    """Every slot that has UVs and wears maps: what it is called in findings, how it lies, what it
    wears, and the largest of its maps."""
    for name, slot, material in examined.worn():
        header = largest_map(examined, material)
        if header is not None and slot.uv.min is not None:
            yield f"mesh {name} · {slot.name}", slot.uv, material, header


@check
def uv_bounds(examined: Examined) -> Iterator[Finding]:
    """UVs outside the square, where the maps do not repeat, or hardly, or very often."""
    for subject, uv, material, _ in _laid_out(examined):
        assert uv.min is not None and uv.max is not None
        ends = list(zip(uv.min, uv.max, strict=True))
        reach = " × ".join(f"{low:.3g} to {high:.3g}" for low, high in ends)
        lies = Number("UVs", reach, "u × v")
        tiling = material.common_place().uv.tiling
        outside = max(-min(uv.min), max(uv.max) - 1.0)
        times = max(abs((b - a) * t) for (a, b), t in zip(ends, tiling, strict=True))
        if outside > INSIDE_BY and _clamps(material):
            yield finding(
                "uvs-outside-clamped",
                subject,
                f"Its UVs leave 0–1 by {outside:.3g}, and {material.name} clamps its maps.",
                numbers=(lies,),
            )
        elif times >= FAR:
            yield finding(
                "uvs-far-away",
                subject,
                f"{material.name} repeats {times:,.0f} times over it.",
                numbers=(lies, Number("tiling", " × ".join(f"{t:g}" for t in tiling))),
            )
        elif outside > LEAVES and times < TILED and not numbered_maps(examined, material):
            yield finding(
                "uvs-outside",
                subject,
                f"Its UVs leave 0–1 by {outside:.3g} and are not laid out to repeat.",
                numbers=(lies,),
            )


def _clamps(material: Material) -> bool:
    return any("clamp" in place.wrap for place in material.placements().values())


@check
def unique_layouts(examined: Examined) -> Iterator[Finding]:
    """Islands that overlap or nearly touch, under maps that are meant for one place each."""
    for subject, uv, material, header in _laid_out(examined):
        side = max(header.width, header.height)
        if not uv.inside or side < UNIQUE or material.common_place().uv.tiling != (1.0, 1.0):
            continue
        twins = uv.stacked + uv.mirrored
        if uv.overlap - twins > OVERLAP:
            yield finding(
                "uvs-overlap",
                subject,
                f"{uv.overlap - twins:.0%} of its UV area is covered more than once, twins apart.",
                numbers=(
                    Number("covered more than once", f"{uv.overlap:.1%}"),
                    Number("twins on each other", f"{twins:.1%}", "on purpose"),
                ),
            )
        texels = None if uv.gap is None else uv.gap * side
        if texels is not None and texels < NEAR and uv.islands > 1:
            yield finding(
                "uvs-too-near",
                subject,
                f"Islands come as near as {texels:.1f} texels at {header.width} × {header.height}.",
                numbers=(Number("smallest gap", f"{texels:.1f} texels", f"{NEAR:g} and more"),),
            )


@check
def check_stretch(examined: Examined) -> Iterator[Finding]:
    """Maps that are drawn out in one direction."""
    for subject, uv, _, _ in _laid_out(examined):
        if uv.l2 is not None and uv.l2 > STRETCHED:
            yield finding(
                "uvs-stretched",
                subject,
                f"Its stretch is {uv.l2:.1f}; 1 is none.",
                numbers=(
                    Number("stretch L2", f"{uv.l2:.2f}", f"{STRETCHED:g} is the limit"),
                    *((Number("stretch L∞", f"{uv.linf:.1f}"),) if uv.linf is not None else ()),
                ),
            )
