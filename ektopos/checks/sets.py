"""What of a delivery is left lying."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.base.names import in_words
from ektopos.checks.registry import Examined, Finding, Remedy, check, finding
from ektopos.document import TABLE
from ektopos.edits import SetFeed
from ektopos.maps import set_of_each, sets_of
from ektopos.maps.evidence import is_panorama
from ektopos.materials.from_map_set import unused_of_set


@check
def unused_of_sets(examined: Examined) -> Iterator[Finding]:
    """Channels of a material's own set whose input nothing feeds."""
    sets = sets_of(examined.project.document)
    set_of = set_of_each(sets)
    for name, material in examined.materials.items():
        if examined.project.document.materials[name].base is not None:
            continue  # Its base is asked.
        for one in unused_of_set(examined.project.document, material, sets, set_of):
            if one.input is None or one.feed is None:
                continue
            label = TABLE[one.input].label.lower()
            yield finding(
                "set-map-unused",
                f"material {name} · {one.input}",
                f"{one.map} of its set holds {in_words(one.role)} in "
                f"{one.channels.upper()}, and nothing feeds {label}.",
                evidence=f"{one.map} {one.channels}",
                remedy=Remedy(
                    "Feed it",
                    f"Feeds {label} from {one.map}.",
                    [SetFeed(material=name, input=one.input, feed=one.feed)],
                ),
            )


@check
def unused_maps(examined: Examined) -> Iterator[Finding]:
    """Maps that nothing is made from."""
    document = examined.project.document
    if not document.materials:
        return  # Nothing is made yet.
    used = {name for entry in document.materials.values() for name in entry.maps()}
    used |= {name for name, header in examined.headers.items() if is_panorama(header)}
    for name in document.maps:
        if name not in used:
            yield finding(
                "unused-map",
                f"map {name}",
                "No material is fed from it, and nothing is covered by it.",
            )


@check
def unused_materials(examined: Examined) -> Iterator[Finding]:
    """Materials that nothing wears, in projects where something is worn."""
    document = examined.project.document
    worn = {name for mesh in document.meshes.values() for name in mesh.slots.values()}
    if not worn - {None}:
        return
    used = worn | {entry.base for entry in document.materials.values()}
    used |= {c.material for entry in document.materials.values() for c in entry.covers or ()}
    for name in document.materials:
        if name not in used and name not in document.left_out.materials:
            yield finding("unused-material", f"material {name}", "No slot uses it.")
