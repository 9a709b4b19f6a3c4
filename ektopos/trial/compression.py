"""What an engine's texture compression makes of a picture: encoded with etcpak, decoded with
texture2ddecoder.

BC5 for normals (z is worked out again), BC7 for all others: 16 bytes for a block of 4 × 4 texels.
Source: Khronos Data Format Specification, “BC” formats.
"""

from __future__ import annotations

import etcpak
import numpy as np
import texture2ddecoder
from numpy.typing import NDArray

_BLOCK = 4


def block_compressed(pixels: NDArray[np.uint8], *, normal: bool) -> NDArray[np.uint8]:
    """A picture `(h, w, 3 or 4)` as it is after block compression, same shape.

    8 bits, 0–255, as stored.
    """
    height, width, channels = pixels.shape
    padded = np.pad(pixels, ((0, -height % _BLOCK), (0, -width % _BLOCK), (0, 0)), mode="edge")
    rows, columns = padded.shape[:2]
    wide = padded if channels == 4 else np.dstack([padded, np.full((rows, columns), 255, np.uint8)])
    if normal:
        packed = etcpak.compress_bc5(wide.tobytes(), columns, rows)
        raw = texture2ddecoder.decode_bc5(packed, columns, rows)
    else:
        packed = etcpak.compress_bc7(wide.tobytes(), columns, rows, etcpak.BC7CompressBlockParams())
        raw = texture2ddecoder.decode_bc7(packed, columns, rows)
    # The decoder gives blue first.
    decoded = np.frombuffer(raw, np.uint8).reshape(rows, columns, 4)[..., [2, 1, 0, 3]].copy()
    if normal:
        x, y = (decoded[..., i].astype(np.float32) / 127.5 - 1.0 for i in (0, 1))
        z = np.sqrt(np.clip(1.0 - x * x - y * y, 0.0, 1.0))
        decoded[..., 2] = np.round((z * 0.5 + 0.5) * 255).astype(np.uint8)
    return decoded[:height, :width, :channels]
