"""How large a planned file will be on disk, guessed before anything is written."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import PurePosixPath

from ektopos.export.plan import PlannedFile
from ektopos.images import ImageHeader

SizedMap = Callable[[str], tuple[ImageHeader, int]]
"""A map's header and the bytes of its file, by the map's name."""
_OF_RAW = 0.6
"""What lossless compression leaves of most maps, where the map's own file does not tell."""
_OF_PNG = {"png": 1.0, "ktx2": 1.05, "webp": 0.75, "jpg": 0.3, "exr": 1.6}
"""A file's size against a PNG of the same texels, by experience."""
_OF_TEXELS = {"etc1s": 0.1, "uastc": 0.65}
"""Bytes a texel with Basis Universal, by experience."""
_OVERHEAD = 200


def estimated_bytes(planned: PlannedFile, sized: SizedMap) -> int:
    """A guess, mostly right to a factor of two: maps that compress well in their own files will do
    so again."""
    kind = PurePosixPath(planned.path).suffix[1:]
    texels, deep = planned.width * planned.height, planned.bits // 8
    if kind == "tga":
        return texels * (4 if "a" in planned.channels else 3) + _OVERHEAD
    levels = 4 / 3 if planned.levels > 1 else 1.0
    if planned.basis:
        return round(texels * _OF_TEXELS[planned.basis[0]] * levels) + _OVERHEAD
    total = 0.0
    for channel in planned.channels.values():
        if channel.fill is not None:
            continue
        names = {channel.feed.map} if channel.feed.map else channel.feed.maps()
        rates = [_rate(*sized(name)) for name in names if name is not None]
        total += texels * deep * max(rates, default=_OF_RAW)
    return round(total * _OF_PNG[kind] * levels) + _OVERHEAD


def _rate(header: ImageHeader, size: int) -> float:
    """Share of a map's raw bytes that its file takes, if the file is a compressed one without
    loss.
    """
    if header.format.lower() != "png":
        return _OF_RAW
    raw = header.width * header.height * header.channels * header.bits / 8
    return min(1.0, size / max(raw, 1.0))
