"""The probe: every input at one point of a surface, each traced to its file, channel and texel."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from ektopos.base.types import WrapPair
from ektopos.document import Document, Feed, InputName, Layer, UvTransform
from ektopos.images import Image, wrapped
from ektopos.materials.adjust import changes
from ektopos.materials.inheritance import REPEAT, Material
from ektopos.materials.resolve import Decoded, FindMap, default_channels, feed_problem, feed_result
from ektopos.materials.texel_coverage import transform_uvs


@dataclass(frozen=True)
class Traced:
    """One map's texel under the probe."""

    map: str
    file: str
    channels: str
    x: int
    y: int
    stored: list[float]
    """The texel's channels as stored: codes of integer files, values of float ones."""


@dataclass(frozen=True)
class ProbeResult:
    """One input at a point."""

    input: InputName
    value: list[float]
    """One number, or three: linear colour, unit normal."""
    words: str
    """The value as people read it: sRGB for colours, degrees from flat for normals."""
    changed: list[str]
    traces: list[Traced]


def probe(
    document: Document,
    material: Material,
    uvs: Sequence[tuple[float, float]],
    find: FindMap,
) -> list[ProbeResult]:
    """Every input of a material at a point with these mesh UVs (v down, one pair a set), before any
    transform. Texels are the nearest ones."""
    readings = []
    for name, feed in material.feeds.items():
        if feed_problem(document, feed, name) is None:
            place = material.placement(name)
            if feed.maps() and place.uv.set >= len(uvs):
                reason = f"it lies on UV set {place.uv.set}, which is not known at this point"
                readings.append(ProbeResult(name, [], reason, [], []))
                continue
            own = uvs[place.uv.set] if place.uv.set < len(uvs) else (0.0, 0.0)
            u, v = transform_uvs(np.asarray(own, np.float64), place.uv)
            readings.append(
                _probe_feed(document, name, feed, (float(u), float(v)), place.wrap, find)
            )
    return readings


def _probe_feed(
    document: Document,
    name: InputName,
    feed: Feed,
    place: tuple[float, float],
    wrap: WrapPair,
    find: FindMap,
) -> ProbeResult:
    traces: list[Traced] = []

    def texel(map_name: str) -> Decoded:
        whole = find(map_name)
        x, y = _texel_at(place, wrap, whole.image)
        if all(trace.map != map_name for trace in traces):
            stored = [float(code) for code in whole.image.pixels[y, x]]
            channels = (
                (feed.channels or default_channels(name)) if map_name == feed.map else "layer"
            )
            traces.append(Traced(map_name, document.maps[map_name].file, channels, x, y, stored))
        return Decoded(
            Image(whole.image.pixels[y : y + 1, x : x + 1]), whole.encoding, whole.normal_y
        )

    def constant(part: Feed, part_name: InputName, uv: UvTransform, sides: WrapPair) -> Feed:
        u, v = transform_uvs(np.asarray(place, np.float64), uv)
        here = _probe_feed(document, part_name, part, (float(u), float(v)), sides, find)
        traces.extend(t for t in here.traces if t.map not in {known.map for known in traces})
        values = here.value
        return Feed(value=values[0] if len(values) == 1 else (values[0], values[1], values[2]))

    values = feed_result(_with_constants(feed, name, constant), name, texel).reshape(-1)
    changed = changes(feed) + ([f"strength {feed.strength:g}"] if feed.strength != 1.0 else [])
    return ProbeResult(
        name, [round(float(v), 6) for v in values], _words(name, values), changed, traces
    )


def _texel_at(place: tuple[float, float], wrap: WrapPair, image: Image) -> tuple[int, int]:
    """The column and row of the texel that a place in UVs falls on."""
    x, y = (
        int(wrapped(np.array([math.floor(part * side)]), side, how)[0])
        for part, side, how in zip(place, (image.width, image.height), wrap, strict=True)
    )
    return x, y


def _with_constants(
    feed: Feed, name: InputName, constant: Callable[[Feed, InputName, UvTransform, WrapPair], Feed]
) -> Feed:
    """A feed whose parts with a placement of their own are the constants that they are here."""
    layers = [
        layer
        if layer.uv is None
        else Layer(
            value=constant(
                Feed(**layer.model_dump(include=_SOURCE)), name, layer.uv, layer.wrap or REPEAT
            ).value,
            op=layer.op,
            amount=layer.amount,
            mask=layer.mask,
        )
        for layer in feed.layers
    ]
    laid = [
        part.model_copy(
            update={
                "feed": constant(part.feed, name, part.uv, part.wrap),
                "opacity": part.opacity and constant(part.opacity, "opacity", part.uv, part.wrap),
            }
        )
        for part in feed.laid
    ]
    return feed.model_copy(update={"layers": layers, "laid": laid})


_SOURCE = set(Feed.model_fields) & set(Layer.model_fields) - {"uv", "wrap"}
"""What a layer is before it is laid over anything."""


def _words(name: InputName, values: np.ndarray[tuple[int, ...], np.dtype[np.float32]]) -> str:
    if name == "normal":
        return f"{np.degrees(np.arccos(np.clip(values[2], -1, 1))):.1f}° from flat"
    return " ".join(f"{value:.2f}" for value in values)
