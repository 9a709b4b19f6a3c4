"""Read KTX 2.0 with Basis Universal as an engine would: through the transcoder that engines embed.

It is another program than the one that encoded the file, and gives what graphics memory would hold.
"""

from __future__ import annotations

from typing import Any

import opengl_basisu
from numpy.typing import NDArray

from ektopos.trial.engine.ktx2 import MAX_LEVEL_BYTES, SIGNATURE, read_head

_CODECS = {opengl_basisu.Codec.ETC1S: "ETC1S", opengl_basisu.Codec.UASTC_LDR_4x4: "UASTC"}


def is_basis(raw: bytes) -> bool:
    """Whether a file is KTX2 whose texels are no format of their own. Source: KTX 2.0, 3.1."""
    return raw.startswith(SIGNATURE) and raw[12:16] == b"\0\0\0\0"


def read_basis(raw: bytes) -> tuple[list[NDArray[Any]], bool, str]:
    """All levels `(h, w, 3 or 4)` uint8, the largest first, whether the file calls its colours
    sRGB, and the name of the codec.

    Raises `ValueError` for damage, and for what such an engine does not take: 3D, arrays, cubes,
    other codecs, sides that are no whole blocks.
    """
    _, _, width, height, count = read_head(raw)
    if width % 4 or height % 4:
        raise ValueError("its sides are no whole blocks of 4 texels")
    if 4 * width * height > MAX_LEVEL_BYTES or count > max(width, height).bit_length():
        raise ValueError("it is larger than an engine would take")
    texture = opengl_basisu.open(raw)
    if texture.codec not in _CODECS:
        raise ValueError("it is of another codec")
    channels = 4 if texture.has_alpha else 3
    levels = [
        texture.transcode("rgba8", level).data[..., :channels] for level in range(texture.levels)
    ]
    return levels, texture.srgb, _CODECS[texture.codec]
