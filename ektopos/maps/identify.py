"""One verdict on every map, from names and pixels together, with its evidence in plain words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from ektopos.document import NamingRule
from ektopos.images import Image, ImageHeader, jpeg_quality, read_header, read_image
from ektopos.maps.judge import judge
from ektopos.maps.names import read_names
from ektopos.maps.relations import relate
from ektopos.maps.set_context import SetContext, resolve_from_set, separate_nameless_sets
from ektopos.maps.sets import place
from ektopos.maps.statistics import measure
from ektopos.maps.verdict import Facts, Verdict


def facts_of(path: Path) -> Facts:
    """Read and measure a map. Raises `UnreadableFile` or `TooLarge`."""
    return facts_of_image(path, read_header(path), read_image(path))


def facts_of_image(path: Path, header: ImageHeader, image: Image) -> Facts:
    """Measure a decoded map; of its file only the compression is looked at again."""
    notes = tuple(dict.fromkeys((*header.notes, *image.notes)))
    quality = jpeg_quality(path) if header.format == "jpeg" else None
    return Facts(header, measure(image), notes, image.unsound, quality)


def identify(
    facts: Mapping[str, Facts], rules: Sequence[NamingRule] = ()
) -> list[tuple[str, Verdict, str]]:
    """Verdicts on maps that came together, by their paths: path, verdict, set's name.

    Names are read, and pictures related, all at once; `rules` are what a person has said of the
    endings of names.
    """
    names = list(facts)
    read = read_names(names, rules)
    sets = place(names, read)
    related = relate(names, sets, list(facts.values()))
    verdicts = [
        judge(facts[name], reading, relation)
        for name, reading, relation in zip(names, read, related, strict=True)
    ]
    sets = separate_nameless_sets(names, read, sets, verdicts)
    settled = resolve_from_set(SetContext(names, read, sets, list(facts.values())), verdicts)
    return list(zip(names, settled, sets, strict=True))
