"""What the measures are taken to mean: every piece of pixel evidence, its weight and its words, in one table.

Weights are in nats of log-odds: 1 is a hint, 2 is good evidence, 4 settles it. To tune a judgement, change a line here.
Thresholds were set by common practice of the trade on generated and bundled pictures; there is no published source.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ektopos.document import Role
from ektopos.maps.statistics import ChannelFacts, Statistics

UNIT_SURE = 0.9
CURL_SURE = 0.2
"""Correlation beyond which the direction of green is said. White noise over 10,000 texels stays below 0.05."""
CURL_LEAST = 0.004
TILES_BELOW = 2.5
DIFFERENT_PICTURES = 0.92


@dataclass(frozen=True)
class Sign:
    """One piece of evidence for or against a role."""

    role: Role
    weight: float
    holds: Callable[[ChannelFacts], bool]
    words: Callable[[ChannelFacts], str]


def _percent(share: float) -> str:
    return f"{100 * share:.0f} %" if share > 0.995 or share < 0.005 or share * 100 % 1 < 0.05 else f"{100 * share:.1f} %"


def _middle(c: ChannelFacts) -> float:
    return 1.0 - c.two_valued


SIGNS: tuple[Sign, ...] = (
    # Metal is one or the other, greys only in transitions.
    Sign("metallic", 2.2, lambda c: c.two_valued > 0.9 and min(c.at_zero, c.at_one) > 0.01,
         lambda c: f"two-valued: {_percent(c.two_valued)} of texels within 8 steps of 0 or 1"),
    Sign("metallic", 1.2, lambda c: c.is_constant and (c.high < 0.04 or c.low > 0.96),
         lambda c: f"constant at {c.mean:.2f}"),
    Sign("metallic", -3.0, lambda c: c.two_valued < 0.5 and not c.is_constant,
         lambda c: f"metal is 0 or 1, but {_percent(_middle(c))} of texels lie between"),
    # Opacity masks are two-valued too, mostly open, with sharp areas.
    Sign("opacity", 1.7, lambda c: c.two_valued > 0.9 and min(c.at_zero, c.at_one) > 0.01,
         lambda c: f"sharp areas of 0 and 1: {_percent(c.two_valued)} of texels"),
    Sign("opacity", -1.5, lambda c: c.two_valued < 0.3 and not c.is_constant,
         lambda c: f"{_percent(_middle(c))} of texels lie between see-through and solid"),
    # Occlusion is open over most of the surface and dark only in creases.
    Sign("occlusion", 2.6, lambda c: c.mean > 0.75 and c.high > 0.97 and 0.02 < c.deviation < 0.3 and c.two_valued < 0.98
         and c.at_zero < 0.1 and _mode(c) > 0.9,
         lambda c: f"mostly open (mean {c.mean:.2f}), dark only in places"),
    Sign("occlusion", 0.8, lambda c: c.is_constant and c.low > 0.96, lambda c: "all open"),
    Sign("occlusion", -2.5, lambda c: c.mean < 0.4, lambda c: f"too dark for occlusion (mean {c.mean:.2f})"),
    Sign("occlusion", -1.8, lambda c: c.two_valued > 0.97 and c.at_zero > 0.02,
         lambda c: "only black and white, occlusion has soft edges"),
    # Heights are smooth and use their range.
    Sign("height", 1.6, lambda c: c.roughness_of_picture < 0.12 and c.deviation > 0.06 and c.two_valued < 0.3,
         lambda c: f"smooth: neighbours differ by {c.roughness_of_picture:.2f} of the deviation"),
    Sign("height", 0.9, lambda c: c.levels > 300, lambda c: f"{c.levels} different values need more than 8 bits"),
    Sign("height", -2.0, lambda c: c.two_valued > 0.9, lambda c: "only black and white"),
    # Roughness lies between, rarely at either end.
    Sign("roughness", 1.5, lambda c: c.two_valued < 0.1 and 0.02 < c.deviation < 0.3 and 0.12 < c.mean < 0.92,
         lambda c: f"lies between smooth and rough ({c.low:.2f}–{c.high:.2f})"),
    Sign("roughness", -2.0, lambda c: c.two_valued > 0.9 and not c.is_constant,
         lambda c: "roughness is seldom only black and white"),
    Sign("gloss", 0.9, lambda c: c.two_valued < 0.1 and 0.02 < c.deviation < 0.3 and 0.05 < c.mean < 0.9,
         lambda c: f"lies between dull and glossy ({c.low:.2f}–{c.high:.2f})"),
    Sign("gloss", -2.0, lambda c: c.two_valued > 0.9 and not c.is_constant,
         lambda c: "gloss is seldom only black and white"),
    # Emission is sparse on black.
    Sign("emission", 2.0, lambda c: c.at_zero > 0.6 and c.high > 0.2 and c.at_one < 0.3,
         lambda c: f"black over {_percent(c.at_zero)}, bright in places"),
    Sign("emission", -2.5, lambda c: c.at_zero < 0.2, lambda c: "emission is mostly black, this is not"),
)  # fmt: skip


def _mode(c: ChannelFacts) -> float:
    """The middle of the fullest fifth of the histogram's upper end: where most texels lie, 0–1."""
    fullest = max(range(len(c.histogram)), key=c.histogram.__getitem__)
    return (fullest + 0.5) / len(c.histogram)


def is_normal(s: Statistics) -> bool:
    """Whether RGB reads as unit vectors that point out of the surface."""
    return len(s.channels) >= 3 and s.unit_length > UNIT_SURE and s.upward > 0.95


def is_grey(s: Statistics) -> bool:
    """Whether the picture is one channel, or three that say the same."""
    return len(s.channels) < 3 or s.equal_channels


def different_pictures(s: Statistics) -> bool:
    """Whether R, G and B are different pictures, as in a packed map, rather than one coloured picture.

    In a photograph or painting the channels rise and fall together; packed quantities do not.
    """
    if is_grey(s) or is_normal(s):
        return False
    known = [c for c in s.correlations if c is not None]
    constant = sum(channel.is_constant for channel in s.channels[:3])
    return (bool(known) and min(known) < 0.6) or (constant >= 1 and s.colourfulness > 0.1)
