"""Normal maps against what is said of them."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.checks.registry import Examined, Finding, check
from ektopos.maps.verdict import curl_way, way

PLAINLY = 0.3
"""Correlation from which the pixels contradict a stated direction; common practice, no source."""


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
        stated = f"{entry.said_by} says" if entry.said_by and not entry.by_hand else "It is said"
        yield Finding(
            code="green-against-pixels",
            severity="warning",
            subject=f"map {name}",
            message=f"{stated} that its green points {way(entry.normal_y)}; its slopes are those "
            f"of a height field only if it points {way(seen)}.",
            why="Turned the wrong way, dents look like bumps, and light seems to come from below.",
            evidence=f"correlation of mixed slopes {curl.correlation:+.2f}",
            fix=f"Say that its green points {way(seen)} ({seen}Y).",
        )
