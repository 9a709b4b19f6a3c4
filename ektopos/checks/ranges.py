"""Values that no surface has, or that are seldom meant. Only feeds that take a map as it is, or a
constant, are judged: adjusted ones have been looked at."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import numpy as np

from ektopos.base.names import in_words
from ektopos.base.types import Float, Json
from ektopos.base.vectors import raw_vectors
from ektopos.checks.registry import Examined, Finding, Number, Remedy, check, finding
from ektopos.checks.thresholds import (
    BETWEEN,
    BRIGHTEST,
    DARKEST,
    DARKEST_METAL,
    EXTREME_ROUGHNESS,
    GREY_MASK_SHARE,
    HALF_METAL_SHARE,
    LIT,
    PLAIN,
    SMOOTH,
    SNAP,
    TINTED,
)
from ektopos.document import COLOUR_ROLES, Feed
from ektopos.edits import ChangeFeed, Edit
from ektopos.images import luminance, srgb_to_linear
from ektopos.maps import Facts
from ektopos.maps.evidence import different_pictures
from ektopos.maps.statistics import (
    HISTOGRAM_BINS,
    THUMBNAIL,
    ChannelFacts,
    Statistics,
    picture_of,
    thumbnail_of,
)
from ektopos.materials import Material

_NO_QUANTITY = {*COLOUR_ROLES, "normal", "unknown"}
_PLAIN = {"map", "channels", "uv", "wrap", "strength"}


def is_plain(feed: Feed) -> bool:
    """Whether a feed takes a map just as it is."""
    return feed.map is not None and set(feed.model_dump(exclude_defaults=True)) <= _PLAIN


def channel_facts(examined: Examined, feed: Feed) -> ChannelFacts | None:
    """The measures of the one channel that feeds an input as it is; `None` for any other feed, and
    where colour would have to be decoded first."""
    entry = examined.project.document.maps.get(feed.map or "")
    if entry is None or not is_plain(feed) or feed.map not in examined.headers:
        return None
    facts = examined.facts(feed.map)
    if facts is None or entry.encoding == "srgb":
        return None
    name = feed.channels or "r"
    channels = {channel.name: channel for channel in facts.statistics.channels}
    return channels.get(
        name, channels["r"] if set(channels) <= {"r", "a"} and name != "a" else None
    )


def in_between(channel: ChannelFacts) -> float:
    """Share of texels between `BETWEEN`, by the histogram."""
    centres = (np.arange(HISTOGRAM_BINS) + 0.5) / HISTOGRAM_BINS
    inside = (centres > BETWEEN[0]) & (centres < BETWEEN[1])
    return float(np.asarray(channel.histogram)[inside].sum())


def typical_luminance(examined: Examined, feed: Feed) -> float | None:
    """The luminance that half of a base colour's texels stay below, channel by channel; `None` for
    adjusted feeds, and for atlases on a plain ground."""
    if feed.value is not None and not feed.layers and not feed.laid:
        return float(luminance(np.broadcast_to(np.asarray(feed.value, np.float32), (3,))))
    entry = examined.project.document.maps.get(feed.map or "")
    if entry is None or not is_plain(feed) or feed.map not in examined.headers:
        return None
    facts = examined.facts(feed.map)
    if facts is None or facts.header.is_float:
        return None
    channels = [c for c in facts.statistics.channels if c.name != "a"]
    if facts.statistics.background > PLAIN and not all(c.is_constant for c in channels):
        return None  # Half of an atlas may be its ground.
    colours = [c.median for c in channels]
    stored = np.array(colours if len(colours) == 3 else colours[:1] * 3, np.float32)
    return float(luminance(srgb_to_linear(stored) if entry.encoding == "srgb" else stored))


def how_metallic(examined: Examined, material: Material) -> float | None:
    """0 or 1 for what is all one or the other; `None` where it differs over the surface or is not
    known."""
    feed = material.feeds["metallic"]
    if feed.value is not None and not feed.layers and not feed.laid:
        return float(feed.value) if feed.value in (0.0, 1.0) else None
    channel = channel_facts(examined, feed)
    if channel is None:
        return None
    return 0.0 if channel.at_zero > 0.95 else 1.0 if channel.at_one > 0.95 else None


@check
def albedo(examined: Examined) -> Iterator[Finding]:
    """Base colours that no material has."""
    for name, material in examined.materials.items():
        metallic = how_metallic(examined, material)
        feed = material.feeds["base_color"]
        # What shines by itself is often black.
        judged = "base_color" in material.origin and "emission" not in material.origin
        judged = judged and material.alpha_mode == "opaque"
        if metallic is None or material.covers or not judged:
            continue
        value = typical_luminance(examined, feed)
        if value is None:
            continue
        lowest = DARKEST_METAL if metallic else DARKEST
        highest = 1.0 if metallic else BRIGHTEST
        if lowest <= value <= highest:
            continue
        dark = value < lowest
        code = "metal-too-dark" if metallic else f"base-colour-too-{'dark' if dark else 'bright'}"
        limit = f"{'from' if dark else 'up to'} {lowest if dark else highest:g}"
        yield finding(
            code,
            f"material {name} · base_color",
            f"Its luminance is {value:.3f}{' at the median' if feed.map else ''}; "
            f"{'metals' if metallic else 'what is no metal'} {'have' if metallic else 'has'} "
            f"{limit}.",
            numbers=(Number("luminance, linear", f"{value:.3f}", limit),),
            remedy=None
            if metallic or name not in (material.origin.get("base_color"),)
            else _into_range(name, feed, dark),
        )


def _into_range(material: str, feed: Feed, dark: bool) -> Remedy:
    """A base colour brought to what surfaces have: a number clamped, a map scaled so that none of
    its values lies outside and none is cut off. Metals would need more than that."""
    change: Json
    if feed.value is not None:
        values = np.broadcast_to(np.asarray(feed.value, np.float64), (3,))
        change = {"value": np.clip(values, DARKEST, BRIGHTEST).tolist()}
        does = f"Clamps the colour to {DARKEST:g}–{BRIGHTEST:g}, linear."
    else:
        low, high = (DARKEST, 1.0) if dark else (0.0, BRIGHTEST)
        change = {"range": [low, high]}
        does = (
            f"Sets the feed’s range to {low:g}–{high:g}, linear: differences stay, and nothing is "
            "cut off. The map stays unchanged."
        )
    edits: list[Edit] = [ChangeFeed(material=material, input="base_color", change=change)]
    return Remedy("Bring into range", does, edits)


@check
def metallic_greys(examined: Examined) -> Iterator[Finding]:
    """Metallic that is neither 0 nor 1 over much of the surface."""
    for name, material in examined.materials.items():
        feed = material.feeds["metallic"]
        channel = channel_facts(examined, feed)
        share = in_between(channel) if channel else 0.0
        subject = f"material {name} · metallic"
        if isinstance(feed.value, float) and BETWEEN[0] < feed.value < BETWEEN[1]:
            yield finding(
                "metallic-grey",
                subject,
                f"It is {feed.value:g} all over.",
                fix="Choose 0 or 1.",
                numbers=(Number("metallic", f"{feed.value:g}", "0 or 1"),),
            )
        elif share >= HALF_METAL_SHARE:
            own = name in (material.origin.get("metallic"),)
            yield finding(
                "metallic-grey",
                subject,
                f"{share:.0%} of {feed.map} lies between {BETWEEN[0]:g} and {BETWEEN[1]:g}.",
                numbers=(Number("in between", f"{share:.0%}", "a quarter is much"),),
                remedy=Remedy(
                    "Snap to 0 or 1",
                    f"Sets the feed’s contrast to {SNAP:g}: what is below a half becomes 0, what "
                    "is above 1, with a narrow edge. The map stays unchanged.",
                    [ChangeFeed(material=name, input="metallic", change={"contrast": SNAP})],
                )
                if own
                else None,
            )


@check
def coloured_quantities(examined: Examined) -> Iterator[Finding]:
    """Quantities that are read from one channel of a coloured map that holds nothing else."""
    maps = examined.project.document.maps
    for name, material in examined.materials.items():
        for input_name, feed in material.feeds.items():
            entry = maps.get(feed.map or "")
            if feed.map is None or entry is None or feed.channels not in ("r", "g", "b"):
                continue
            held = {role for letters, role in entry.roles.items() if letters != "a"}
            whole = "rgb" in entry.roles and len(held) == 1
            facts = examined.facts(feed.map) if whole and not held & _NO_QUANTITY else None
            if facts is None or not _is_tinted(facts.statistics):
                continue
            own = name in (material.origin.get(input_name),)
            apart = facts.statistics.colourfulness
            yield finding(
                "coloured-quantity",
                f"material {name} · {in_words(input_name)}",
                f"It is read from {feed.channels.upper()} of {feed.map}, whose channels differ.",
                numbers=(Number("channels differ", f"{apart:.3f}", f"{TINTED:g} is a tint"),),
                remedy=Remedy(
                    "Use luminance",
                    "Reads the map’s luminance instead of one channel. The map stays unchanged.",
                    [ChangeFeed(material=name, input=input_name, change={"channels": "luminance"})],
                )
                if own
                else None,
            )


def _is_tinted(s: Statistics) -> bool:
    return (
        len(s.channels) >= 3
        and not s.equal_channels
        and s.colourfulness > TINTED
        and not different_pictures(s)
    )


@check
def flat_roughness(examined: Examined) -> Iterator[Finding]:
    """Roughness maps that say one extreme value everywhere."""
    for name, material in examined.materials.items():
        channel = channel_facts(examined, material.feeds["roughness"])
        low, high = EXTREME_ROUGHNESS
        if channel and channel.is_constant and not low <= channel.mean <= high:
            yield finding(
                "roughness-flat",
                f"material {name} · roughness",
                f"{material.feeds['roughness'].map} is {channel.mean:.2f} all over.",
                numbers=(Number("roughness", f"{channel.mean:.2f}", "all over"),),
            )


@check
def grey_masks(examined: Examined) -> Iterator[Finding]:
    """Cut-outs of masks that are mostly in between."""
    for name, material in examined.materials.items():
        channel = channel_facts(examined, material.feeds["opacity"])
        if (
            material.alpha_mode == "mask"
            and channel
            and (share := in_between(channel)) >= GREY_MASK_SHARE
        ):
            yield finding(
                "mask-grey",
                f"material {name} · opacity",
                f"{share:.0%} of {material.feeds['opacity'].map} is neither solid nor nothing.",
                numbers=(Number("in between", f"{share:.0%}", "edges apart, masks are 0 or 1"),),
            )


@check
def painted_light(examined: Examined) -> Iterator[Finding]:
    """Base colours that are brighter on one side of every bump, or from one end to the other."""
    for name, material in examined.materials.items():
        base, normal = material.feeds["base_color"], material.feeds["normal"]
        facts = examined.facts(base.map or "") if base.map in examined.headers else None
        if facts is None or not is_plain(base) or "base_color" not in material.origin:
            continue
        subject = f"material {name} · base_color"
        shade = shading_over(facts)
        if shade is not None:
            share, times = shade
            yield finding(
                "light-painted-in",
                subject,
                f"{base.map} runs from dark to bright over all of it, {times:.1f} times.",
                numbers=(
                    Number("one smooth shade explains", f"{share:.0%}", f"{SMOOTH:.0%} is much"),
                    Number("brightest against darkest", f"{times:.1f} ×", "linear, of that shade"),
                ),
            )
            continue
        other = examined.facts(normal.map or "") if normal.map in examined.headers else None
        if other is None or not is_plain(normal) or base.uv != normal.uv:
            continue
        green_up = examined.project.document.maps[normal.map or ""].normal_y != "-"
        lit = light_in(facts, other, -1.0 if green_up else 1.0)
        if lit is not None:
            strength, side = lit
            yield finding(
                "light-painted-in",
                subject,
                f"{base.map} is brighter where {normal.map} leans {side}.",
                numbers=(
                    Number("brightness follows the slopes", f"{strength:.2f}", f"{LIT} is much"),
                    Number("brighter towards the", side),
                ),
            )


def shading_over(base: Facts) -> tuple[float, float] | None:
    """The share of a colour's brightness (in logarithms, as light multiplies) that one smooth shade
    over the whole picture explains, and how many times its brightest place is its darkest; `None`
    below `SMOOTH` and 1.5 times. Atlases on a plain ground are left alone."""
    s = base.statistics
    if base.header.channels < 3 or s.background > PLAIN:
        return None
    share, times = _smooth_shade(s.thumbnail, len(s.channels))
    return (share, times) if share >= SMOOTH and times >= 1.5 else None


@lru_cache(maxsize=4096)
def _smooth_shade(thumbnail: str, channels: int) -> tuple[float, float]:
    """What one smooth shade explains of a kept picture, worked out once for each."""
    linear = srgb_to_linear(picture_of(thumbnail, channels)[..., :3])
    levels = np.log(luminance(linear) + 1e-3).reshape(-1)
    y, x = np.mgrid[-1 : 1 : THUMBNAIL * 1j, -1 : 1 : THUMBNAIL * 1j].reshape(2, -1)
    terms = np.stack([np.ones_like(x), x, y, x * x, y * y, x * y], axis=1)
    shade = terms @ np.linalg.lstsq(terms, levels, rcond=None)[0]
    return float(shade.var() / max(levels.var(), 1e-12)), float(np.exp(np.ptp(shade)))


def light_in(base: Facts, normal: Facts, down: float) -> tuple[float, str] | None:
    """How strongly a base colour's brightness follows the lean of the normals, 0–1, and towards
    which side; `None` where it does not. `down` is the sign that makes the normals' y run down the
    picture. All four quarters have to agree on the side, so that a picture that only happens to
    brighten along an edge is not accused.
    """
    brightness = _grey(base.statistics)
    leans = raw_vectors(thumbnail_of(normal.statistics)[..., :3])[..., :2] * np.array(
        [1.0, down], np.float32
    )
    whole, direction = _follows(brightness, leans)
    if whole < LIT:
        return None
    half = len(brightness) // 2
    for rows in (slice(None, half), slice(half, None)):
        for columns in (slice(None, half), slice(half, None)):
            part, way = _follows(brightness[rows, columns], leans[rows, columns])
            if part < LIT / 2 or float(way @ direction) < 0.7:
                return None
    across = "" if abs(direction[0]) < 0.38 else "left" if direction[0] < 0 else "right"
    along = "" if abs(direction[1]) < 0.38 else "upper" if direction[1] < 0 else "lower"
    side = f"{along} {across}".strip()
    return whole, {"upper": "top", "lower": "bottom"}.get(side, side)


def _grey(s: Statistics) -> Float:
    picture = thumbnail_of(s)
    return np.asarray(picture[..., : min(3, picture.shape[2])].mean(axis=2), np.float32)


def _follows(brightness: Float, leans: Float) -> tuple[float, Float]:
    """The multiple correlation of brightness with the two leans, and the unit direction in which it
    rises."""
    values = (brightness - brightness.mean()).reshape(-1)
    slopes = (leans - leans.mean(axis=(0, 1))).reshape(-1, 2)
    if values.std() < 1e-3 or slopes.std() < 1e-3:
        return 0.0, np.zeros(2, np.float32)
    rises = np.linalg.lstsq(slopes, values, rcond=None)[0]
    explained = slopes @ rises
    strength = float(explained.std() / values.std())
    return strength, np.asarray(rises / max(float(np.linalg.norm(rises)), 1e-9), np.float32)
