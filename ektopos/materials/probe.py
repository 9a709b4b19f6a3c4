"""The probe: every input at one point of a surface, each traced to its file, channel and texel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ektopos.document import Document, Feed, InputName
from ektopos.images import Image
from ektopos.materials.adjust import changes
from ektopos.materials.coverage import transform_uvs
from ektopos.materials.derive import Material
from ektopos.materials.resolve import Decoded, FindMap, default_channels, feed_problem, feed_result


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
class Probed:
    """One input at a point."""

    input: InputName
    value: list[float]
    """One number, or three: linear colour, unit normal."""
    words: str
    """The value as people read it: sRGB for colours, degrees from flat for normals."""
    changed: list[str]
    traces: list[Traced]


def probe(
    document: Document, material: Material, uv: tuple[float, float], find: FindMap
) -> list[Probed]:
    """Every input of a material at mesh UVs (v down), before the material's own transform. Texels
    are the nearest ones."""
    u, v = transform_uvs(np.asarray(uv, np.float64), material.uv)
    place = (float(u), float(v))
    found = []
    for name, feed in material.feeds.items():
        if feed_problem(document, feed, name) is None:
            found.append(_probe_feed(document, name, feed, place, find))
    return found


def _probe_feed(
    document: Document, name: InputName, feed: Feed, place: tuple[float, float], find: FindMap
) -> Probed:
    traces: list[Traced] = []

    def texel(map_name: str) -> Decoded:
        whole = find(map_name)
        x = int(place[0] % 1.0 * whole.image.width) % whole.image.width
        y = int(place[1] % 1.0 * whole.image.height) % whole.image.height
        if all(trace.map != map_name for trace in traces):
            stored = [float(code) for code in whole.image.pixels[y, x]]
            channels = (
                (feed.channels or default_channels(name)) if map_name == feed.map else "layer"
            )
            traces.append(Traced(map_name, document.maps[map_name].file, channels, x, y, stored))
        return Decoded(
            Image(whole.image.pixels[y : y + 1, x : x + 1]), whole.encoding, whole.normal_y
        )

    values = feed_result(feed, name, texel).reshape(-1)
    said = changes(feed) + ([f"strength {feed.strength:g}"] if feed.strength != 1.0 else [])
    return Probed(name, [round(float(v), 6) for v in values], _words(name, values), said, traces)


def _words(name: InputName, values: np.ndarray[tuple[int, ...], np.dtype[np.float32]]) -> str:
    if name == "normal":
        return f"{np.degrees(np.arccos(np.clip(values[2], -1, 1))):.1f}° from flat"
    return " ".join(f"{value:.2f}" for value in values)
