"""Encodings, judged as whoever reads the maps judges them."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.base.names import in_words
from ektopos.base.types import Encoding
from ektopos.checks.registry import Examined, Finding, Remedy, check, finding
from ektopos.document import MapEntry
from ektopos.edits import SetMap
from ektopos.images import ImageHeader
from ektopos.maps import encoding_of_roles
from ektopos.maps.evidence import is_normal_saved_as_colour


def wanted_encoding(
    examined: Examined, name: str, entry: MapEntry, header: ImageHeader
) -> Encoding | None:
    """The encoding that a map should have; `None` where its pixels would decide and are not known,
    or nothing is said of what it holds."""
    roles = {group: role for group, role in entry.roles.items() if role != "unknown"}
    if not roles:
        return None
    if "normal" in roles.values() and entry.encoding == "srgb":
        facts = examined.facts(name)
        if facts is None or is_normal_saved_as_colour(facts.statistics):
            return None if facts is None else "srgb"
    return encoding_of_roles(roles, is_float=header.is_float)


@check
def encoding_against_role(examined: Examined) -> Iterator[Finding]:
    """Data read as sRGB, colour read as linear, float files read as sRGB."""
    for name, entry in examined.project.document.maps.items():
        header = examined.headers.get(name)
        wanted = header and wanted_encoding(examined, name, entry, header)
        if wanted is None or wanted == entry.encoding:
            continue
        held = in_words(", ".join(dict.fromkeys(entry.roles.values())))
        yield finding(
            "encoding-against-role",
            f"map {name}",
            f"It holds {held} and is read as {entry.encoding}.",
            evidence=f"encoding {entry.encoding}, usual is {wanted}",
            fix=f"Set the encoding to {wanted}.",
            remedy=Remedy(
                f"Read as {wanted}",
                f"Sets {wanted} for this map. The file stays unchanged.",
                [SetMap(maps=[name], encoding=wanted)],
            ),
        )


@check
def wasted_channels(examined: Examined) -> Iterator[Finding]:
    """One grey quantity stored in three or four channels."""
    grey = {"roughness", "gloss", "metallic", "occlusion", "height", "opacity", "mask"}
    for name, entry in examined.project.document.maps.items():
        header = examined.headers.get(name)
        one = list(entry.roles) == ["rgb"] and set(entry.roles.values()) <= grey
        if header is not None and header.channels >= 3 and one:
            yield finding(
                "wasted-channels",
                f"map {name}",
                f"It holds one quantity in {header.channels} channels.",
                evidence=f"{header.channels} × {header.bits} bit",
                why=f"{header.channels - 1} of {header.channels} parts of its memory say nothing.",
            )
