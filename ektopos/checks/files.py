"""What files bring along: what a reader noted, texels that are no numbers, lossy compression and
sizes."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.base.names import in_words
from ektopos.checks.registry import Examined, Finding, Number, check, finding
from ektopos.checks.thresholds import GOOD_JPEG
from ektopos.document import COLOUR_ROLES, Role


@check
def unsound_texels(examined: Examined) -> Iterator[Finding]:
    """Texels that are not a number or infinite."""
    for name in examined.headers:
        facts = examined.facts(name)
        if facts is not None and facts.unsound:
            header = facts.header
            share = facts.unsound / (header.width * header.height)
            yield finding(
                "not-a-number",
                f"map {name}",
                f"{facts.unsound:,} texels are not a number or infinite; here they are read as 0.",
                numbers=(Number("such texels", f"{facts.unsound:,}", f"{share:.2%} of the map"),),
            )


@check
def reader_notes(examined: Examined) -> Iterator[Finding]:
    """Whatever a reader left out, turned or could not follow."""
    for name, header in examined.headers.items():
        facts = examined.facts(name)
        notes = facts.notes if facts else header.notes
        unsound = facts is not None and facts.unsound
        notes = tuple(note for note in notes if not (unsound and "not a number" in note))
        if notes:
            yield finding("reader-note", f"map {name}", _sentence(notes), evidence="; ".join(notes))
    for name, look in examined.looks.items():
        if look.notes:
            yield finding(
                "reader-note", f"mesh {name}", _sentence(look.notes), evidence="; ".join(look.notes)
            )


def _sentence(notes: tuple[str, ...]) -> str:
    text = "; ".join(note.rstrip(".") for note in notes)
    return f"{text[0].upper()}{text[1:]}."


@check
def lossy_data(examined: Examined) -> Iterator[Finding]:
    """Data in JPEG files."""
    for name, entry in examined.project.document.maps.items():
        held = set(entry.roles.values()) - {"unknown"}
        if name not in examined.headers or not held or held <= set(COLOUR_ROLES):
            continue
        facts = examined.facts(name)
        if facts is not None and facts.quality is not None and facts.quality < GOOD_JPEG:
            yield finding(
                "lossy-data",
                f"map {name}",
                f"It holds {_words(held)} and is a JPEG of quality {facts.quality}.",
                numbers=(Number("quality", str(facts.quality), f"{GOOD_JPEG} and more is fine"),),
            )


@check
def sizes(examined: Examined) -> Iterator[Finding]:
    """Sides that are no powers of two."""
    for name, header in examined.headers.items():
        if header.width & (header.width - 1) or header.height & (header.height - 1):
            size = f"{header.width} × {header.height}"
            yield finding(
                "not-power-of-two",
                f"map {name}",
                f"It is {size} texels.",
                severity="warning" if examined.profile.power_of_two else "note",
                numbers=(Number("size", size, "texels"),),
            )


def _words(held: set[Role]) -> str:
    return in_words(", ".join(sorted(held)))
