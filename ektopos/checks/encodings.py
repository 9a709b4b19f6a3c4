"""Encodings and sizes. All thresholds here are common practice; there is no published source."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.checks.registry import Examined, Finding, Severity, check
from ektopos.document import COLOUR_ROLES
from ektopos.maps import encoding_of


@check
def encoding_against_role(examined: Examined) -> Iterator[Finding]:
    """Data read as sRGB, colour read as linear, float files read as sRGB."""
    for name, entry in examined.project.document.maps.items():
        header = examined.headers.get(name)
        held = set(entry.roles.values()) - {"unknown"}
        if not held or header is None:
            continue
        wanted = "srgb" if held & set(COLOUR_ROLES) and not header.is_float else "linear"
        if (
            all(encoding_of(role, is_float=header.is_float) == entry.encoding for role in held)
            or entry.encoding == wanted
        ):
            continue
        yield Finding(
            code="encoding-against-role",
            severity="warning",
            subject=f"map {name}",
            message=f"It holds {', '.join(sorted(held)).replace('_', ' ')} and is read as "
            f"{entry.encoding}.",
            why="Data decoded as colour, or colour read as data, is wrong in every texel.",
            evidence=f"encoding {entry.encoding}, usual is {wanted}",
            fix=f"Set the encoding to {wanted}.",
        )


@check
def sizes(examined: Examined) -> Iterator[Finding]:
    """Sides that are no powers of two."""
    for name, header in examined.headers.items():
        if header.width & (header.width - 1) or header.height & (header.height - 1):
            severity: Severity = "warning" if examined.profile.power_of_two else "note"
            yield Finding(
                code="not-power-of-two",
                severity=severity,
                subject=f"map {name}",
                message=f"It is {header.width} × {header.height} texels.",
                why="Sizes that are no powers of two cost memory or are resampled by some engines.",
                evidence=f"{header.width} × {header.height}",
                fix="Resize it where it was made.",
            )


@check
def wasted_channels(examined: Examined) -> Iterator[Finding]:
    """One grey quantity stored in three or four channels."""
    for name, entry in examined.project.document.maps.items():
        header = examined.headers.get(name)
        data = set(entry.roles.values()) <= {
            "roughness",
            "gloss",
            "metallic",
            "occlusion",
            "height",
            "opacity",
            "mask",
        }
        if header is not None and header.channels >= 3 and list(entry.roles) == ["rgb"] and data:
            yield Finding(
                code="wasted-channels",
                severity="note",
                subject=f"map {name}",
                message=f"It holds one quantity in {header.channels} channels.",
                why=f"{header.channels - 1} of {header.channels} parts of its memory say nothing.",
                evidence=f"{header.channels} × {header.bits} bit",
                fix="Exporting packs it; nothing needs to be done here.",
            )
