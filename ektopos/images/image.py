"""The value that every image in Ektopos is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ektopos.base.types import Float, Pixels


@dataclass(frozen=True)
class ColourProfile:
    """How a file tells its colours where that is not sRGB: an ICC profile, or a gamma."""

    name: str
    icc: bytes | None = None
    gamma: float | None = None
    """Light is code ** gamma."""


@dataclass(frozen=True)
class ImageHeader:
    """What a file says of its picture before any texel is decoded."""

    width: int
    height: int
    channels: int
    bits: int
    """Bits per channel: 8, 16 or 32."""
    is_float: bool
    format: str
    """`png`, `jpeg`, `targa`, `tiff`, `openexr`, `webp` or `hdr`."""
    notes: tuple[str, ...] = ()
    """What a person should know of how the file is read, in plain words."""
    profile: str | None = None
    """What its colours are told in, where that is not sRGB and can be converted."""

    @property
    def decoded_bytes(self) -> int:
        """Memory of the decoded picture in bytes."""
        return self.width * self.height * self.channels * self.bits // 8


@dataclass(frozen=True)
class Image:
    """A decoded picture, in the depth of its file.

    `pixels` is `(height, width, channels)`: grey, grey + alpha, RGB or RGBA; uint8, uint16, float16
    or float32. Integers run from 0 to their type's largest; nothing is decoded from sRGB yet.
    """

    pixels: Pixels
    notes: tuple[str, ...] = ()
    profile: ColourProfile | None = None
    """How its colours are told, where that is not sRGB; `in_srgb` converts them."""
    unsound: int = 0
    """How many texels were not a number or infinite, and are read as 0."""

    @property
    def height(self) -> int:
        """Rows."""
        return int(self.pixels.shape[0])

    @property
    def width(self) -> int:
        """Columns."""
        return int(self.pixels.shape[1])

    @property
    def channels(self) -> int:
        """1 grey, 2 grey + alpha, 3 RGB, 4 RGBA."""
        return int(self.pixels.shape[2])

    @property
    def bits(self) -> int:
        """Bits per channel."""
        return int(self.pixels.dtype.itemsize) * 8

    @property
    def is_float(self) -> bool:
        """Whether values are floating point, and so linear."""
        return bool(np.issubdtype(self.pixels.dtype, np.floating))

    @property
    def has_alpha(self) -> bool:
        """Whether the last channel is alpha."""
        return self.channels in (2, 4)

    def channel(self, name: str) -> Pixels | None:
        """One channel, `(height, width)`, by its letter; `None` for an alpha that is not there.

        A grey image gives its grey for r, g and b.
        """
        if name == "a":
            return self.pixels[..., -1] if self.has_alpha else None
        return self.pixels[..., "rgb".index(name) if self.channels >= 3 else 0]

    def rgb(self) -> Pixels:
        """The colour channels, `(height, width, 3)`; a view where possible, grey repeated without
        copying."""
        if self.channels >= 3:
            return self.pixels[..., :3]
        return np.broadcast_to(self.pixels[..., :1], (self.height, self.width, 3))


def as_float(pixels: Pixels) -> Float:
    """Codes as values: integers divided by their largest code, floats as they are. Returns float32,
    same shape.

    >>> [round(float(v), 6) for v in as_float(np.array([0, 51, 255], np.uint8))]
    [0.0, 0.2, 1.0]
    """
    if np.issubdtype(pixels.dtype, np.integer):
        return pixels.astype(np.float32) / np.float32(np.iinfo(pixels.dtype).max)
    return pixels.astype(np.float32)
