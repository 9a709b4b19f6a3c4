"""UVs against what lies on them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ektopos.checks.registry import Examined, Finding, Number, check, found
from ektopos.images import ImageHeader
from ektopos.maps.sets import tile_of
from ektopos.materials import Material
from ektopos.meshes.slots import INSIDE_BY, TILED

OVERLAP = 0.01
"""Share of the UV area that may be covered more than once, beside twins; common practice."""
FAR = 16.0
"""UV units that a slot may span: beyond them half floats hold less than a texel of 1024. Source:
IEEE 754 binary16, 10 bits of fraction."""
NEAR = 2.0
"""Texels between islands; common practice."""
STRETCHED = 2.0
UNIQUE = 512
"""Maps from this side on are laid out for one place each; smaller ones are mostly patterns."""


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
                yield found(
                    "maps-without-uvs",
                    f"mesh {name} · {slot.name}",
                    f"The slot wears {material.name}, which has maps, and has {lacks}.",
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
        yield found(
            "other-tile",
            f"mesh {name} · {slot.name}",
            f"Its UVs lie on tile{'s' if several else ''} {', '.join(map(str, lies))}; "
            f"{material.name} wears maps of {', '.join(map(str, sorted(numbered)))}.",
            evidence=", ".join(numbered.values()),
            fix="Split the slot by UV tiles, and give each part a material of its tile."
            if several
            else "Give it the material of its tile.",
        )


def largest_map(examined: Examined, material: Material) -> ImageHeader | None:
    """The header of the largest map that a material wears; `None` without any."""
    headers = [
        examined.headers[map_name]
        for name in material.placements()
        for map_name in material.feeds[name].maps()
        if map_name in examined.headers
    ]
    return max(headers, key=lambda header: header.width * header.height, default=None)


@check
def layouts(examined: Examined) -> Iterator[Finding]:
    """What is wrong with how a slot's UVs lie, for the maps that it wears."""
    for name, slot, material in examined.worn():
        header, uv = largest_map(examined, material), slot.uv
        if header is None or uv.min is None or uv.max is None:
            continue
        subject = f"mesh {name} · {slot.name}"
        span = [high - low for low, high in zip(uv.min, uv.max, strict=True)]
        reach = " × ".join(
            f"{low:.3g} to {high:.3g}" for low, high in zip(uv.min, uv.max, strict=True)
        )
        lies = Number("UVs", reach, "u × v")
        tiling = material.common_place().uv.tiling
        clamped = any("clamp" in place.wrap for place in material.placements().values())
        outside = max(-min(uv.min), max(uv.max) - 1.0)
        tiled = bool(numbered_maps(examined, material))
        repeats = [abs(s * t) for s, t in zip(span, tiling, strict=True)]
        if clamped and outside > INSIDE_BY:
            yield found(
                "uvs-outside-clamped",
                subject,
                f"Its UVs leave 0–1 by {outside:.3g}, and {material.name} clamps its maps.",
                numbers=(lies,),
            )
        elif max(repeats) >= FAR:
            yield found(
                "uvs-far-away",
                subject,
                f"{material.name} repeats {max(repeats):,.0f} times over it.",
                numbers=(lies, Number("tiling", " × ".join(f"{t:g}" for t in tiling))),
            )
        elif outside > 1e-3 and max(span) < TILED and not tiled and tiling == (1.0, 1.0):
            yield found(
                "uvs-outside",
                subject,
                f"Its UVs leave 0–1 by {outside:.3g} and are not laid out to repeat.",
                numbers=(lies,),
            )
        unique = uv.inside and tiling == (1.0, 1.0) and max(header.width, header.height) >= UNIQUE
        wanted = uv.overlap - uv.stacked - uv.mirrored
        if unique and wanted > OVERLAP:
            yield found(
                "uvs-overlap",
                subject,
                f"{wanted:.0%} of its UV area is covered more than once, twins apart.",
                numbers=(
                    Number("covered more than once", f"{uv.overlap:.1%}"),
                    Number("twins on each other", f"{uv.stacked + uv.mirrored:.1%}", "on purpose"),
                ),
            )
        texels = None if uv.gap is None else uv.gap * max(header.width, header.height)
        if unique and texels is not None and texels < NEAR and uv.islands > 1:
            yield found(
                "uvs-too-near",
                subject,
                f"Islands come as near as {texels:.1f} texels at {header.width} × {header.height}.",
                numbers=(Number("smallest gap", f"{texels:.1f} texels", f"{NEAR:g} and more"),),
            )
        if uv.l2 is not None and uv.l2 > STRETCHED:
            yield found(
                "uvs-stretched",
                subject,
                f"Its stretch is {uv.l2:.1f}; 1 is none.",
                numbers=(
                    Number("stretch L2", f"{uv.l2:.2f}", f"{STRETCHED:g} is the limit"),
                    *((Number("stretch L∞", f"{uv.linf:.1f}"),) if uv.linf is not None else ()),
                ),
            )
