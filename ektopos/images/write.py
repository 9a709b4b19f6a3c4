"""Write images, always the same bytes for the same texels: PNG by `images.png`, all else through OpenImageIO."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from ektopos.errors import EktoposError
from ektopos.images.png import encode_png
from ektopos.types import Float, Pixels

_OPTIONS: dict[str, dict[str, int | str]] = {
    ".jpg": {"Compression": "jpeg:95", "jpeg:subsampling": "4:4:4"},
    ".exr": {"compression": "zip"},
    ".webp": {"Compression": "lossless"},
}


def quantise(values: Float, bits: int) -> Pixels:
    """Values 0–1 as integer codes, rounded to the nearest and clipped: same shape, uint8 or uint16."""
    largest = 2**bits - 1
    scaled = np.clip(values, 0.0, 1.0) * np.float32(largest) + np.float32(0.5)
    return np.asarray(scaled.astype(np.uint8 if bits == 8 else np.uint16))


def write_image(path: Path, pixels: Pixels) -> None:
    """Write `(height, width, 1…4)` pixels in the format that the suffix names, in their own depth.

    The bytes depend on nothing but the pixels: no date, no program name. Raises `EktoposError` if it cannot be written.
    """
    if path.suffix.lower() == ".png":
        try:
            path.write_bytes(encode_png(pixels))
        except OSError as problem:
            raise EktoposError(
                f"cannot be written ({problem.strerror}).", subject=path.name, hint="Is the disk full?"
            ) from None
        return
    height, width, channels = pixels.shape
    spec = oiio.ImageSpec(width, height, channels, oiio.TypeDesc(_oiio_type(pixels)))
    if channels in (2, 4):
        # Without this the writer takes alpha as premultiplied and divides the colours by it.
        spec.alpha_channel = channels - 1
        spec.attribute("oiio:UnassociatedAlpha", 1)
    spec.attribute("DateTime", "")
    spec.attribute("Software", "")
    for option, setting in _OPTIONS.get(path.suffix.lower(), {}).items():
        spec.attribute(option, setting)
    target = oiio.ImageOutput.create(str(path))
    if target is None or not target.open(str(path), spec):
        raise EktoposError(f"cannot be written ({oiio.geterror()}).", subject=path.name)
    written = target.write_image(np.ascontiguousarray(pixels))
    if not (target.close() and written):
        raise EktoposError(f"cannot be written ({target.geterror()}).", subject=path.name, hint="Is the disk full?")


def _oiio_type(pixels: Pixels) -> str:
    return {"uint8": "uint8", "uint16": "uint16", "float16": "half", "float32": "float"}[str(pixels.dtype)]
