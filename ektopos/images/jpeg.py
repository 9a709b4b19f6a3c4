"""How strongly a JPEG file was compressed, told from its tables of quantisation."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ektopos.base.types import Float
from ektopos.sandbox import sandboxed

# fmt: off
_LUMINANCE = np.array([
    16, 11, 10, 16, 24, 40, 51, 61,
    12, 12, 14, 19, 26, 58, 60, 55,
    14, 13, 16, 24, 40, 57, 69, 56,
    14, 17, 22, 29, 51, 87, 80, 62,
    18, 22, 37, 56, 68, 109, 103, 77,
    24, 35, 55, 64, 81, 104, 113, 92,
    49, 64, 78, 87, 103, 121, 120, 101,
    72, 92, 95, 98, 112, 100, 103, 99,
], np.float64)
# fmt: on
"""Table K.1. Source: ITU-T T.81, annex K."""


@sandboxed
def jpeg_quality(path: Path) -> int | None:
    """The quality 1–100 whose table of luminance comes nearest to the file's, or `None` where it
    has none. How qualities scale the table is libjpeg's convention, which nearly all writers keep.
    """
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(path) as picture:
            tables = getattr(picture, "quantization", None)
    except (OSError, UnidentifiedImageError, ValueError):
        return None
    table = np.array((tables or {}).get(0, ()), np.float64)
    if table.shape != (64,):
        return None
    # Tables of different writers come in different orders; sorted ones are alike.
    errors = np.abs(np.sort(_tables(), axis=1) - np.sort(table)).sum(axis=1)
    return 1 + int(errors.argmin())


def _tables() -> Float:
    """The tables of the qualities 1 to 100, `(100, 64)`."""
    quality = np.arange(1, 101)[:, None]
    scale = np.where(quality < 50, 5000 // quality, 200 - 2 * quality)
    scaled = np.floor((_LUMINANCE * scale + 50) / 100)
    return np.asarray(np.clip(scaled, 1, 255), np.float32)
