"""Write images, always the same bytes for the same texels: PNG and KTX2 by the core, all else
through OpenImageIO."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from ektopos.base.errors import EktoposError
from ektopos.base.hashing import hash_file
from ektopos.base.types import Basis, Encoding, Float, Pixels, Quality
from ektopos.images.basis import encode_basis
from ektopos.images.ktx2 import encode_ktx2
from ektopos.images.png import png_parts

_OPTIONS: dict[str, dict[str, int | str]] = {
    ".jpg": {"Compression": "jpeg:95", "jpeg:subsampling": "4:4:4"},
    ".exr": {"compression": "zip"},
    ".webp": {"Compression": "lossless"},
}


def quantise(values: Float, bits: int) -> Pixels:
    """Values 0–1 as integer codes, rounded to the nearest and clipped: same shape, uint8 or
    uint16.
    """
    largest = 2**bits - 1
    scaled = np.clip(values, 0.0, 1.0) * np.float32(largest) + np.float32(0.5)
    return np.asarray(scaled.astype(np.uint8 if bits == 8 else np.uint16))


def quantise_spread(values: Float) -> NDArray[np.uint8]:
    """Values `(h, w)` 0–1 as 8-bit codes, rounded up or down so that neighbours together keep the
    mean: ordered dithering.

    What already is a code stays it; the error is below one step. The pattern repeats every 8 × 8
    texels and is always the same. Source: Bayer, “An optimum method for two-level rendition of
    continuous-tone pictures”, 1973.
    """
    height, width = values.shape
    pattern = np.tile(_BAYER, (-(-height // 8), -(-width // 8)))[:height, :width]
    return np.asarray(
        np.floor(np.clip(values, 0.0, 1.0) * np.float32(255) + pattern).astype(np.uint8)
    )


def _bayer(size: int) -> Float:
    """Thresholds `(size, size)` between 0 and 1, each its own, as evenly spread as can be. Source:
    Bayer 1973."""
    order = np.zeros((1, 1))
    while len(order) < size:
        order = np.block([[4 * order, 4 * order + 2], [4 * order + 3, 4 * order + 1]])
    return np.asarray((order + 0.5) / size**2, np.float32)


_BAYER = _bayer(8)


def write_image(
    path: Path,
    pixels: Pixels | Sequence[Pixels],
    smaller: Sequence[Sequence[Pixels]] = (),
    encoding: Encoding = "linear",
    basis: tuple[Basis, Quality] | None = None,
) -> str:
    """Write `(height, width, 1…4)` pixels, or their channels each for itself, in the format that
    the suffix names, in their own depth; gives the file's SHA-256.

    `smaller` are mip levels, and `encoding` is written down, in KTX2 only, whose texels `basis`
    compresses for graphics memory. The bytes depend on nothing but the pixels: no date, no program
    name. Raises `EktoposError` if it cannot be written.
    """
    suffix = path.suffix.lower()
    if suffix not in (".png", ".ktx2"):
        _write_otherwise(path, _side_by_side(pixels))
        return hash_file(path)
    seen = hashlib.sha256()
    try:
        with path.open("wb") as file:
            for part in (
                png_parts(pixels)
                if suffix == ".png"
                else [_ktx2([_side_by_side(each) for each in (pixels, *smaller)], encoding, basis)]
            ):
                file.write(part)
                seen.update(part)
    except OSError as problem:
        raise EktoposError(
            f"cannot be written ({problem.strerror}).", subject=path.name, hint="Is the disk full?"
        ) from None
    return seen.hexdigest()


def _ktx2(levels: list[Pixels], encoding: Encoding, basis: tuple[Basis, Quality] | None) -> bytes:
    if basis is None:
        return encode_ktx2(levels, encoding)
    return encode_basis(levels, encoding, *basis)


def _side_by_side(pixels: Pixels | Sequence[Pixels]) -> Pixels:
    return np.dstack(pixels) if isinstance(pixels, Sequence) else pixels


def _write_otherwise(path: Path, pixels: Pixels) -> None:
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
        raise EktoposError(
            f"cannot be written ({target.geterror()}).", subject=path.name, hint="Is the disk full?"
        )


def _oiio_type(pixels: Pixels) -> str:
    return {"uint8": "uint8", "uint16": "uint16", "float16": "half", "float32": "float"}[
        str(pixels.dtype)
    ]
