"""What the measures are taken to mean: every piece of pixel evidence, its weight and its words, in
one table.

Weights are in nats of log-odds: 1 is a hint, 2 is good evidence, 4 settles it. To tune a judgement,
change a line here. Thresholds were set by common practice of the trade on generated and bundled
pictures; there is no published source.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ektopos.document import Role
from ektopos.images import ImageHeader
from ektopos.maps.statistics import ChannelFacts, Statistics

UNIT_ERROR = 0.17
"""Normal maps keep three quarters of their texels within this of unit length, even as strong JPEGs;
pictures seldom do."""
CURL_SURE = 0.2
"""Correlation beyond which the direction of green is said. White noise over 10,000 texels stays
below 0.05."""
CURL_LEAST = 0.002
TILES_BELOW = 2.5
SAME_PICTURE = 0.5
"""Correlation of edge strengths above which R, G and B show one coloured picture; packed channels
of one surface share few."""
TWO_PIGMENTS = 0.05
"""Independence of R, G and B below which they are mixtures of two pictures, as colours are."""
ONE_PIGMENT = 0.01
"""The same, where the borders of islands make channels look alike."""
ISLANDS_FROM = 0.05
"""Share of the most frequent colour from which it is a background."""
TWINS = 0.97
"""Correlation above which two channels are one: a hue is, two quantities are not."""
ONE_HUE = 0.7
"""Correlation above which two channels beside a blank one are the shades of one hue."""
OPPOSED = -0.8
"""Correlation below which one channel is the other turned round, as roughness is of metal; colours
seldom are."""
LIGHT_PAINTED = 0.45
"""Differences of brightness between large areas above which light may have been painted in."""
PALETTE_SIDE = 64
"""Texels a side up to which a coloured picture is a palette."""
FOLLOWS_HEIGHT = 0.7
"""Correlation of a picture's slopes with those of a normal map above which it is that surface's
height."""


@dataclass(frozen=True)
class Sign:
    """One piece of evidence for or against a role."""

    role: Role
    weight: float
    holds: Callable[[ChannelFacts], bool]
    words: Callable[[ChannelFacts], str]


def _percent(share: float) -> str:
    return (
        f"{100 * share:.0f} %"
        if share > 0.995 or share < 0.005 or share * 100 % 1 < 0.05
        else f"{100 * share:.1f} %"
    )


def _middle(c: ChannelFacts) -> float:
    return 1.0 - c.two_valued


SIGNS: tuple[Sign, ...] = (
    # Metal is one or the other, greys only in transitions.
    Sign(
        "metallic",
        2.2,
        lambda c: c.two_valued > 0.88 and min(c.at_zero, c.at_one) > 0.005,
        lambda c: f"two-valued: {_percent(c.two_valued)} of texels within 8 steps of 0 or 1",
    ),
    Sign(
        "metallic",
        -3.0,
        lambda c: c.two_valued < 0.6 and not c.is_blank,
        lambda c: f"metal is 0 or 1, but {_percent(_middle(c))} of texels lie between",
    ),
    # Opacity masks are two-valued too, with sharp areas.
    Sign(
        "opacity",
        1.7,
        lambda c: c.two_valued > 0.9 and min(c.at_zero, c.at_one) > 0.005,
        lambda c: f"sharp areas of 0 and 1: {_percent(c.two_valued)} of texels",
    ),
    Sign(
        "opacity",
        -1.5,
        lambda c: c.two_valued < 0.3 and not c.is_blank,
        lambda c: f"{_percent(_middle(c))} of texels lie between see-through and solid",
    ),
    # Occlusion is open over most of the surface and dark only in creases.
    Sign(
        "occlusion",
        2.8,
        lambda c: (
            c.median > 0.84
            and c.high > 0.96
            and c.skew < -0.6
            and c.two_valued < 0.97
            and c.at_zero < 0.12
            and c.deviation > 0.008
            and _levels_between(c)
        ),
        lambda c: f"mostly open (half of it above {c.median:.2f}), dark only in places",
    ),
    Sign(
        "occlusion",
        0.8,
        lambda c: c.mean > 0.86 and 0.008 < c.deviation < 0.1 and c.high > 0.95,
        lambda c: f"nearly white everywhere (mean {c.mean:.2f})",
    ),
    Sign(
        "occlusion",
        -2.5,
        lambda c: c.median < 0.45,
        lambda c: f"too dark for occlusion (half of it below {c.median:.2f})",
    ),
    Sign(
        "occlusion",
        -1.8,
        lambda c: c.two_valued > 0.97 and c.at_zero > 0.02,
        lambda c: "only black and white, occlusion has soft edges",
    ),
    # Heights are smooth and use their range.
    Sign(
        "height",
        1.3,
        lambda c: c.roughness_of_picture < 0.1 and c.deviation > 0.06 and c.two_valued < 0.3,
        lambda c: f"smooth: neighbours differ by {c.roughness_of_picture:.2f} of the deviation",
    ),
    Sign(
        "height",
        0.9,
        lambda c: c.levels > 300,
        lambda c: f"{c.levels} different values need more than 8 bits",
    ),
    Sign(
        "height",
        0.6,
        lambda c: c.low < 0.08 and c.high > 0.92 and c.two_valued < 0.3,
        lambda c: "uses the whole range",
    ),
    Sign(
        "height",
        -2.0,
        lambda c: c.two_valued > 0.9 and not c.is_blank,
        lambda c: "only black and white",
    ),
    # Roughness lies between, rarely at either end. Gloss looks the same turned round, so both have
    # the same signs.
    Sign(
        "roughness",
        1.6,
        lambda c: c.two_valued < 0.1 and 0.012 < c.deviation < 0.3 and 0.1 < c.mean < 0.95,
        lambda c: f"lies between smooth and rough ({c.low:.2f}–{c.high:.2f})",
    ),
    Sign(
        "roughness",
        0.5,
        lambda c: c.roughness_of_picture > 0.12 and c.two_valued < 0.3,
        lambda c: "full of fine detail",
    ),
    Sign(
        "roughness",
        -2.0,
        lambda c: c.two_valued > 0.9 and not c.is_blank,
        lambda c: "roughness is seldom only black and white",
    ),
    Sign(
        "gloss",
        1.0,
        lambda c: c.two_valued < 0.1 and 0.012 < c.deviation < 0.3 and 0.05 < c.mean < 0.9,
        lambda c: f"lies between dull and glossy ({c.low:.2f}–{c.high:.2f})",
    ),
    Sign(
        "gloss",
        -2.0,
        lambda c: c.two_valued > 0.9 and not c.is_blank,
        lambda c: "gloss is seldom only black and white",
    ),
    # Emission is sparse on black.
    Sign(
        "emission",
        2.2,
        lambda c: c.at_zero > 0.6 and c.high > 0.2 and c.at_one < 0.3 and c.two_valued < 0.985,
        lambda c: f"black over {_percent(c.at_zero)}, bright in places",
    ),
    Sign(
        "emission",
        -2.5,
        lambda c: c.at_zero < 0.2,
        lambda c: "emission is mostly black, this is not",
    ),
    Sign(
        "base_color",
        -2.2,
        lambda c: c.two_valued > 0.9,
        lambda c: "a base colour is seldom only black and white",
    ),
)


def _levels_between(c: ChannelFacts) -> bool:
    """Whether the dark parts are graded, as creases are, and not an edge between two values."""
    return (
        sum(share > 0.001 for share in c.histogram[: int(len(c.histogram) * 0.9)]) > 6
        or c.low > 0.5
    )


def is_normal(s: Statistics) -> bool:
    """Whether RGB reads as unit vectors that point out of the surface."""
    return (
        s.unit_error < UNIT_ERROR
        and s.upward > 0.95
        and s.mean_direction[2] > 0.4
        and is_centred(s)
    )


def reads_as_normal(s: Statistics, *, named: bool) -> bool:
    """Whether RGB is a map of normals in tangent space, of whatever length; `named` if its name
    says so."""
    return (
        is_normal(s)
        or is_normal_saved_as_colour(s)
        or is_two_channel_normal(s)
        or is_short_normal(s, named=named)
    )


def is_short_normal(s: Statistics, *, named: bool) -> bool:
    """Whether RGB reads as normals that are not of unit length, as after resizing, compression or
    exaggeration: R and G around the middle, blue high, and slopes that fit a height field, or a
    name that says normal."""
    if (
        len(s.channels) < 3
        or s.upward < (0.75 if named else 0.9)
        or not is_centred(s)
        or s.mean_direction[2] < 0.25
    ):
        return False
    return s.unit_error < 0.4 and (named or slopes_tell(s))


def slopes_tell(s: Statistics) -> bool:
    """Whether the slopes are those of a height field, with green pointing one way or the other."""
    return (
        s.curl is not None
        and s.curl.strength >= CURL_LEAST
        and abs(s.curl.correlation) >= CURL_SURE
    )


def is_palette(header: ImageHeader, s: Statistics) -> bool:
    """Whether a picture is a small table of colours: at most 64 texels a side, not grey, and no
    normals. A surface is never painted so small."""
    return (
        max(header.width, header.height) <= PALETTE_SIDE
        and len(s.channels) >= 3
        and not is_grey(s)
        and not is_normal(s)
    )


def could_be_packed(s: Statistics) -> bool:
    """Whether the channels of what looks like one coloured picture could be several quantities of
    one atlas: these have the edges of its islands in common, and little else. Colours are mixtures
    of a few pigments."""
    if is_grey(s) or len(s.channels) < 3:
        return False
    # Round islands lies a background, whose border all channels share whatever they hold.
    pigments = TWO_PIGMENTS if s.background < ISLANDS_FROM else ONE_PIGMENT
    return s.independence > pigments or len({_kind(c) for c in s.channels[:3]}) > 1


def is_panorama(header: ImageHeader) -> bool:
    """Whether a file is a picture of surroundings: floats, twice as wide as high (as common
    practice has them)."""
    return header.is_float and header.width == 2 * header.height and header.channels >= 3


def is_object_normal(s: Statistics) -> bool:
    """Whether RGB reads as unit vectors that point to all sides, as in a map in object space."""
    return (
        s.unit_error < UNIT_ERROR
        and s.unit_length > 0.9
        and 0.02 < s.upward < 0.98
        and not is_grey(s)
        and not is_normal(s)
    )


def is_two_channel_normal(s: Statistics) -> bool:
    """Whether R and G read as the x and y of normals, and blue says nothing."""
    return could_be_two_channels(s) and slopes_tell(s)


def could_be_in_green_and_alpha(s: Statistics) -> bool:
    """Whether green and alpha lie around the middle as y and x of normals do, and red and blue say
    nothing, or the same as green. An older compressed layout; common practice."""
    if len(s.channels) < 4:
        return False
    red, green, blue, alpha = s.channels
    silent = is_grey(s) or (red.is_constant and blue.is_constant)
    return silent and _lies_like_slopes(green) and _lies_like_slopes(alpha)


def could_be_two_channels(s: Statistics) -> bool:
    """Whether R and G lie around the middle as the x and y of normals do, and blue says nothing."""
    if len(s.channels) < 3:
        return False
    red, green, blue = s.channels[:3]
    return (
        blue.is_constant
        and (blue.mean < 0.01 or blue.mean > 0.99)
        and _lies_like_slopes(red)
        and _lies_like_slopes(green)
    )


def _lies_like_slopes(channel: ChannelFacts) -> bool:
    """Whether a channel lies around the middle and varies, as x and y of normals do."""
    return abs(channel.mean - 0.5) < 0.12 and channel.deviation > 0.01


def is_normal_saved_as_colour(s: Statistics) -> bool:
    """Whether RGB reads as such vectors once it is decoded from sRGB."""
    x, y, z = s.mean_direction
    return (
        not is_normal(s)
        and s.unit_error_decoded < UNIT_ERROR / 2
        and 0.3 < x < 0.6
        and 0.3 < y < 0.6
        and z > 0.7
    )


def is_centred(s: Statistics) -> bool:
    """Whether the mean of RGB, read as a vector, leans to no side."""
    x, y, _ = s.mean_direction
    return abs(x) < 0.35 and abs(y) < 0.35


def is_grey(s: Statistics) -> bool:
    """Whether the picture is one channel, or three that say the same."""
    return len(s.channels) < 3 or s.equal_channels


def different_pictures(s: Statistics) -> bool:
    """Whether R, G and B are different pictures, as in a packed map, rather than one coloured
    picture.

    What shows in one channel of a coloured picture shows in the others, brighter or darker; packed
    quantities have edges of their own. A channel that is nothing but 0 or 1 beside one that varies
    says the same: no coloured picture has one.
    """
    if is_grey(s) or is_normal(s):
        return False
    if has_dead_channel(s):
        return True
    colours = s.channels[:3]
    varied = [channel for channel in colours if not channel.is_blank]
    if len(varied) < 3:
        # One is blank but for noise: packed beside channels of data, not beside a hue, which goes
        # up and down with the other.
        hue = any(pair is not None and pair > ONE_HUE for pair in s.correlations)
        return (
            len(varied) > 0
            and (s.edges is None or s.edges < SAME_PICTURE)
            and s.colourfulness > 0.15
            and not hue
        )
    if any(pair is not None and pair > TWINS for pair in s.correlations):
        return False
    kinds = {_kind(channel) for channel in colours}
    if s.edges is None or s.edges >= SAME_PICTURE:
        # Metal is smoother than what lies on it, so the two may have all edges in common.
        opposed = any(pair is not None and pair < OPPOSED for pair in s.correlations)
        return opposed and len(kinds) > 1
    return s.independence > TWO_PIGMENTS or len(kinds) > 1


def has_dead_channel(s: Statistics) -> bool:
    """Whether one of R, G and B is 0 or 1 in every texel, and another varies."""
    colours = s.channels[:3]
    dead = [c for c in colours if c.is_constant and not 0.004 < c.mean < 0.996]
    return bool(dead) and any(not c.is_constant for c in colours)


def _kind(c: ChannelFacts) -> str:
    """What kind of picture one channel is; the channels of a coloured picture are seldom of
    different kinds."""
    if c.two_valued > 0.8:
        return "two-valued"
    return "open" if _weighs_as_occlusion(c) else "between"


def of_one_kind(s: Statistics) -> bool:
    """Whether R, G and B all vary, and are pictures of the same kind: which holds what is then no
    more than where such things usually lie."""
    colours = s.channels[:3]
    return not any(c.is_blank for c in colours) and len({_kind(c) for c in colours}) == 1


def plainly_packed(s: Statistics) -> bool:
    """Whether the channels are different pictures beyond what a vivid coloured picture, named as
    one, could show."""
    if not different_pictures(s):
        return False
    colours = s.channels[:3]
    live = [channel for channel in colours if not channel.is_blank]
    apart = s.edges is None or s.edges < 0.3
    white = any(channel.is_blank and channel.mean > 0.9 for channel in colours)
    return len(live) > 1 and apart and (white or len({_kind(channel) for channel in live}) > 1)


def _weighs_as_occlusion(c: ChannelFacts) -> bool:
    return sum(sign.weight for sign in SIGNS if sign.role == "occlusion" and sign.holds(c)) > 2
