"""Write KTX 2.0: textures with their mip levels, uncompressed texels under zlib. Compressed ones:
`basis.py`.

Source: Khronos KTX File Format Specification 2.0; the data format descriptor by Khronos Data Format
1.3, section 5.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence

import numpy as np
from zlib_ng import zlib_ng

from ektopos.base.types import Encoding, Pixels

IDENTIFIER = b"\xabKTX 20\xbb\r\n\x1a\n"
_ZLIB = 3
_FORMATS: dict[tuple[int, int, Encoding], int] = {
    (3, 8, "linear"): 23,
    (3, 8, "srgb"): 29,
    (4, 8, "linear"): 37,
    (4, 8, "srgb"): 43,
    (3, 16, "linear"): 84,
    (4, 16, "linear"): 91,
}
"""Vulkan's number of a format by channels, bits and encoding: R8G8B8(A8) and R16G16B16(A16), UNORM
or SRGB."""
_RGBSDA, _BT709, _LINEAR, _SRGB = 1, 1, 1, 2
_CHANNEL = (0, 1, 2, 15)
_STAYS_LINEAR = 0x10


def encode_ktx2(levels: Sequence[Pixels], encoding: Encoding) -> bytes:
    """A KTX2 file of a picture `(h, w, 3 or 4)` uint8 or uint16 and its smaller levels, the largest
    first.

    16 bits are linear only. The bytes depend on nothing but the texels. Raises `KeyError` for
    another kind of picture.
    """
    height, width, channels = levels[0].shape
    bits = 8 * levels[0].dtype.itemsize
    descriptor = _descriptor(channels, bits, encoding)
    facts = _facts({"KTXorientation": "rd", "KTXwriter": "ektopos"})
    plain = [
        np.ascontiguousarray(level.astype(level.dtype.newbyteorder("<"), copy=False)).tobytes()
        for level in levels
    ]
    packed = [zlib_ng.compress(content, 2) for content in plain]
    number = _FORMATS[channels, bits, encoding]
    sizes = [len(content) for content in plain]
    return assemble(number, bits // 8, (width, height), _ZLIB, descriptor, facts, packed, sizes)


def assemble(
    vulkan: int,
    type_size: int,
    size: tuple[int, int],
    scheme: int,
    descriptor: bytes,
    facts: bytes,
    packed: Sequence[bytes],
    plain: Sequence[int],
) -> bytes:
    """A file of levels that are compressed already, the largest first: its header, index,
    descriptor, keys and values, and then the levels. `plain` are their bytes uncompressed, `scheme`
    is the number of what compressed them (sections 3.4 to 3.12)."""
    start = 80 + 24 * len(packed)
    # The smallest level comes first in the file, so that a reader can show something early (section
    # 3.10).
    places, at = [0] * len(packed), start + len(descriptor) + len(facts)
    for number in reversed(range(len(packed))):
        places[number] = at
        at += len(packed[number])
    head = IDENTIFIER + struct.pack(
        "<13I2Q",
        vulkan,
        type_size,
        *size,
        0,
        0,
        1,
        len(packed),
        scheme,
        start,
        len(descriptor),
        start + len(descriptor),
        len(facts),
        0,
        0,
    )
    index = b"".join(
        struct.pack("<3Q", *entry) for entry in zip(places, map(len, packed), plain, strict=True)
    )
    return head + index + descriptor + facts + b"".join(reversed(packed))


def _descriptor(channels: int, bits: int, encoding: Encoding) -> bytes:
    """The basic data format descriptor: one sample a channel; alpha stays linear also where colours
    are sRGB."""
    samples = b""
    for number, channel in enumerate(_CHANNEL[:channels]):
        kind = channel | (_STAYS_LINEAR if encoding == "srgb" and channel == 15 else 0)
        samples += struct.pack(
            "<HBB4B2I", number * bits, bits - 1, kind, 0, 0, 0, 0, 0, 2**bits - 1
        )
    transfer = _SRGB if encoding == "srgb" else _LINEAR
    block = struct.pack("<IHH", 0, 2, 24 + len(samples))
    block += bytes(
        [_RGBSDA, _BT709, transfer, 0, 0, 0, 0, 0, channels * bits // 8, 0, 0, 0, 0, 0, 0, 0]
    )
    return struct.pack("<I", 4 + len(block) + len(samples)) + block + samples


def _facts(said: dict[str, str]) -> bytes:
    """Keys and values, each padded to 4 bytes (section 3.12)."""
    facts = b""
    for key, value in said.items():
        entry = key.encode() + b"\0" + value.encode() + b"\0"
        facts += struct.pack("<I", len(entry)) + entry + b"\0" * (-len(entry) % 4)
    return facts
