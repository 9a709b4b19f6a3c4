"""Normal maps against what is said of them."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.checks.registry import Examined, Finding, Number, Remedy, check, finding
from ektopos.checks.thresholds import OFF_LENGTH, PLAINLY
from ektopos.edits import SetMap
from ektopos.maps.evidence import is_normal, is_normal_saved_as_colour
from ektopos.maps.verdict import curl_way, way


@check
def green_against_pixels(examined: Examined) -> Iterator[Finding]:
    """A direction of green that the slopes of the map contradict."""
    for name, entry in examined.project.document.maps.items():
        if entry.normal_y is None or "normal" not in entry.roles.values():
            continue
        facts = examined.facts(name) if name in examined.headers else None
        curl = facts.statistics.curl if facts else None
        seen = curl_way(facts.statistics) if facts else None
        if curl is None or seen in (None, entry.normal_y) or abs(curl.correlation) < PLAINLY:
            continue
        assert seen is not None
        said = f"{entry.said_by} sets it" if entry.said_by and not entry.by_hand else "It is set"
        by = "a person" if entry.by_hand else entry.said_by or "the project"
        yield finding(
            "green-against-pixels",
            f"map {name}",
            f"{said} to {entry.normal_y}Y (green points {way(entry.normal_y)}), but its slopes fit "
            f"a height field only with {seen}Y.",
            fix=f"Set it to {seen}Y (green points {way(seen)}).",
            numbers=(
                Number("slopes fit a height field, as set", f"{-abs(curl.correlation):+.2f}"),
                Number(
                    "and with green flipped",
                    f"{abs(curl.correlation):+.2f}",
                    f"above {PLAINLY:+.2f} is sure",
                ),
                Number("set by", by),
            ),
            remedy=Remedy(
                "Flip green",
                f"Sets {seen}Y for this map. The file stays unchanged; every target gets its green "
                "the right way.",
                [SetMap(maps=[name], normal_y=seen)],
            ),
        )


@check
def lengths(examined: Examined) -> Iterator[Finding]:
    """Normal maps whose vectors are not of length 1."""
    for name, entry in examined.project.document.maps.items():
        if entry.roles.get("rgb") != "normal" or name not in examined.headers:
            continue
        facts = examined.facts(name)
        if facts is None or not is_normal(facts.statistics) or facts.header.channels < 3:
            continue
        s = facts.statistics
        if (
            s.unit_error > OFF_LENGTH
            and not is_normal_saved_as_colour(s)
            and s.channels[2].deviation
        ):
            yield finding(
                "normal-not-unit",
                f"map {name}",
                f"A quarter of its texels is off by more than {s.unit_error:.2f} from length 1.",
                numbers=(
                    Number("error of length", f"{s.unit_error:.2f}", f"{OFF_LENGTH} is allowed"),
                ),
            )
