"""Read KTX 2.0 as an engine would: uncompressed texels, plain or under zlib, with all levels.

Written apart from the core's own writer, from the specification: Khronos KTX File Format
Specification 2.0, sections 2 and 3.
"""

from __future__ import annotations

import struct
import zlib
from typing import Any

import numpy as np
from numpy.typing import NDArray

SIGNATURE = bytes([0xAB, 0x4B, 0x54, 0x58, 0x20, 0x32, 0x30, 0xBB, 0x0D, 0x0A, 0x1A, 0x0A])
_KINDS: dict[int, tuple[int, str, bool]] = {
    23: (3, "u1", False),
    29: (3, "u1", True),
    37: (4, "u1", False),
    43: (4, "u1", True),
    84: (3, "<u2", False),
    91: (4, "<u2", False),
}
"""Channels, number type and whether colours are sRGB, by Vulkan's number of the format."""


MAX_LEVEL_BYTES = 2**31


def read_head(raw: bytes) -> tuple[int, int, int, int, int]:
    """Vulkan's number of the format, that of the compression, width, height and the number of
    levels. Raises `ValueError` for what is no KTX2 file, and for 3D, arrays and cubes."""
    if len(raw) < 80 or not raw.startswith(SIGNATURE):
        raise ValueError("it is no KTX2 file")
    code, _, width, height, depth, layers, faces, count, scheme = struct.unpack_from("<9I", raw, 12)
    if depth or layers > 1 or faces != 1 or not width or not height:
        raise ValueError("it is no plain picture")
    return code, scheme, width, height, count


def read_ktx2(raw: bytes) -> tuple[list[NDArray[Any]], bool]:
    """All levels `(h, w, 3 or 4)`, the largest first, and whether the file calls its colours sRGB.

    Raises `ValueError` or `zlib.error` for damage, and for what such an engine does not take: 3D,
    arrays, cubes, other formats.
    """
    code, scheme, width, height, count = read_head(raw)
    if code not in _KINDS or scheme not in (0, 3):
        raise ValueError("it is no plain picture")
    channels, kind, is_srgb = _KINDS[code]
    levels = []
    for number in range(min(max(1, count), max(width, height).bit_length())):
        at, size, whole = struct.unpack_from("<3Q", raw, 80 + 24 * number)
        content = raw[at : at + size]
        if len(content) != size:
            raise ValueError("it breaks off")
        high, wide = max(1, height >> number), max(1, width >> number)
        expected = high * wide * channels * np.dtype(kind).itemsize
        if expected > MAX_LEVEL_BYTES:
            raise ValueError("a level is larger than an engine would take")
        # One byte more than there should be, so that what unpacks to gigabytes is seen and not
        # unpacked.
        plain = zlib.decompressobj().decompress(content, expected + 1) if scheme == 3 else content
        if len(plain) != expected or (scheme == 3 and len(plain) != whole):
            raise ValueError("a level is not as large as it says")
        levels.append(np.frombuffer(plain, kind).reshape(high, wide, channels))
    return levels, is_srgb
