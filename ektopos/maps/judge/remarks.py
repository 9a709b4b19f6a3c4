"""What else the pixels say that a person should know, whatever the map holds."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from ektopos.maps import evidence as ev
from ektopos.maps.verdict import Facts, Verdict


def with_remarks(facts: Facts, verdict: Verdict) -> Verdict:
    """The verdict with the remarks on its map behind its doubts."""
    return replace(verdict, doubts=(*verdict.doubts, *_remarks(facts, verdict)))


def _remarks(facts: Facts, verdict: Verdict) -> Iterator[str]:
    s, header = facts.statistics, facts.header
    if header.bits == 16 and not header.is_float and not s.low_byte:
        yield "a 16-bit file that uses only 8 bits"
    if len(s.channels) >= 3 and s.equal_channels:
        yield "R, G and B are the same picture: one grey channel would do"
    if s.channels[-1].name == "a" and s.channels[-1].is_constant:
        yield f"alpha is {s.channels[-1].mean:.2f} everywhere and says nothing"
    if verdict.role == "base_color" and len(s.channels) >= 3 and not s.equal_channels:
        brightness = sum(channel.mean for channel in s.channels[:3]) / 3
        if brightness < 0.06 and s.colourfulness > 0.01:
            yield "very dark for a base colour: it may have been saved as linear"
        if s.large_scale > ev.LIGHT_PAINTED:
            yield (
                f"brightness changes by {100 * s.large_scale:.0f} % over large areas: light or "
                "shadow may be painted in "
                "(large patches of two materials look the same to this measure)"
            )
