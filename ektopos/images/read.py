"""Read every supported image format at its full depth, through OpenImageIO.

A file's header is always read first, so that a small file which claims an enormous picture is
refused before any memory is asked for.
"""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from ektopos.errors import TooLarge, UnreadableFile
from ektopos.images.image import Image, ImageHeader

IMAGE_SUFFIXES = (".png", ".jpg", ".jpeg", ".tga", ".tif", ".tiff", ".exr", ".webp", ".hdr")
MAX_TEXELS = 16384 * 16384
MAX_SIDE = 32768
MAX_BYTES = 2**30
"""Decoded: 16384² texels of four 8-bit channels, 8192² of four 32-bit ones."""

_FORMATS = ("png", "jpeg", "targa", "tiff", "openexr", "webp", "hdr")
_BITS = {"uint8": 8, "uint16": 16, "half": 16, "float": 32}
_READ_AS = {"uint8": "uint8", "uint16": "uint16", "half": "half", "float": "float"}
_PNG_COLOUR_TYPE = 25
"""Byte offset of IHDR's colour type. Source: PNG specification, third edition, 11.2.1."""


def read_header(path: Path) -> ImageHeader:
    """Size, channels and depth of an image file, without decoding it.

    Raises `UnreadableFile` if it is no image of a supported format, `TooLarge` beyond `MAX_TEXELS`.
    """
    source = _open(path)
    try:
        return _header(
            path, source.spec(), source.format_name(), _layer(source.spec().channelnames)[1]
        )
    finally:
        source.close()


def read_image(path: Path) -> Image:
    """Decode an image file in the depth it was stored in.

    Alpha stays as it is in the file. Not-a-number and infinite texels of float files become 0, and
    are counted in `notes`. Of a multi-layer EXR the first layer with colours is read, and the
    others are named in `notes`. Raises `UnreadableFile` or `TooLarge`.
    """
    source = _open(path)
    try:
        spec = source.spec()
        first, count, notes = _layer(spec.channelnames)
        header = _header(path, spec, source.format_name(), count, notes)
        pixels = source.read_image(
            0, 0, first, first + count, _READ_AS.get(str(spec.format), "float")
        )
        problem = source.geterror()
    finally:
        source.close()
    if pixels is None or problem:
        raise UnreadableFile(
            f"the picture breaks off or is damaged ({_first_line(problem)}).",
            subject=path.name,
            hint="Save or copy it again.",
        )
    pixels = np.asarray(pixels).reshape(header.height, header.width, count)
    if not header.is_float:
        return Image(pixels, header.notes)
    bad = ~np.isfinite(pixels)
    wrong = int(bad.any(axis=2).sum())
    if not wrong:
        return Image(pixels, header.notes)
    pixels[bad] = 0
    return Image(
        pixels, (*header.notes, f"{wrong} texels are not a number or infinite, and are read as 0")
    )


def _open(path: Path) -> oiio.ImageInput:
    if not path.is_file():
        raise UnreadableFile("there is no such file.", subject=path.name, hint="Check the path.")
    if path.stat().st_size == 0:
        raise UnreadableFile("the file is empty.", subject=path.name, hint="Save or copy it again.")
    if path.suffix.lower() not in IMAGE_SUFFIXES and path.suffix:
        raise UnreadableFile(
            f"“{path.suffix}” is not an image format that is read.",
            subject=path.name,
            hint="Save it as PNG, JPEG, TGA, TIFF, EXR, WebP or Radiance HDR.",
        )
    keep_alpha = oiio.ImageSpec()
    keep_alpha["oiio:UnassociatedAlpha"] = 1
    source = oiio.ImageInput.open(str(path), keep_alpha)
    if source is None or source.format_name() not in _FORMATS:
        raise UnreadableFile(
            f"this is not a readable image ({_first_line(oiio.geterror())}).",
            subject=path.name,
            hint="Save it again as PNG, JPEG, TGA, TIFF, EXR, WebP or Radiance HDR.",
        )
    return source


def _header(
    path: Path, spec: oiio.ImageSpec, format_name: str, channels: int, notes: tuple[str, ...] = ()
) -> ImageHeader:
    width, height = spec.width, spec.height
    if width < 1 or height < 1:
        raise UnreadableFile("the picture has no texels.", subject=path.name, hint="Save it again.")
    if width * height > MAX_TEXELS or max(width, height) > MAX_SIDE:
        raise TooLarge(
            f"the picture claims {width} × {height} texels; the most that is read is "
            f"{MAX_TEXELS // 16384} × 16384.",
            subject=path.name,
            hint="Make it smaller before bringing it in.",
        )
    kind = str(spec.format)
    decoded = width * height * channels * max(1, _BITS.get(kind, 32) // 8)
    if decoded > MAX_BYTES:
        raise TooLarge(
            f"the picture would take {decoded / 2**30:.1f} GiB decoded; the most that is read "
            "is 1 GiB.",
            subject=path.name,
            hint="Make it smaller, or save it with fewer channels or bits, before bringing it in.",
        )
    return ImageHeader(
        width=width,
        height=height,
        channels=channels,
        bits=_BITS.get(kind, 32),
        is_float=kind not in ("uint8", "uint16"),
        format=format_name,
        notes=(*notes, *_reading_notes(path, spec, format_name)),
    )


def _reading_notes(path: Path, spec: oiio.ImageSpec, format_name: str) -> list[str]:
    notes = []
    if spec.getattribute("jpeg:ColorSpace") == "CMYK":
        notes.append("stored as CMYK, converted to RGB")
    if spec.getattribute("ICCProfile") is not None:
        notes.append("carries a colour profile, which is not applied")
    if spec.alpha_channel >= 0 and not spec.getattribute("oiio:UnassociatedAlpha"):
        notes.append("alpha is premultiplied in the file")
    if format_name == "png":
        with path.open("rb") as file:
            start = file.read(_PNG_COLOUR_TYPE + 1)
        if start[_PNG_COLOUR_TYPE] == 3:
            notes.append("stored with a palette, read as colours")
        if start[_PNG_COLOUR_TYPE - 1] < 8:
            notes.append(f"stored with {start[_PNG_COLOUR_TYPE - 1]} bit a texel")
    return notes


def _layer(names: tuple[str, ...]) -> tuple[int, int, tuple[str, ...]]:
    """First channel and channel count of the layer to read, and a note on the channels left out."""
    if len(names) <= 4 and not any("." in name for name in names):
        return 0, len(names), ()
    groups: dict[str, list[int]] = {}
    for position, name in enumerate(names):
        groups.setdefault(name.rpartition(".")[0], []).append(position)
    colourful = (g for g in groups if len(groups[g]) >= 3 and _leads_with_colour(names, groups[g]))
    chosen = next(colourful, next(iter(groups)))
    members = groups[chosen]
    count = min(len(members), 4)
    if members[:count] != list(range(members[0], members[0] + count)):
        count = 1
    others = [group or "main" for group in groups if group != chosen]
    note = (
        f"layer “{chosen or 'main'}” is read; also in the file: {', '.join(others)}"
        if others
        else ""
    )
    if not others and len(members) > count:
        note = f"the first {count} of {len(members)} channels are read"
    return members[0], count, (note,) if note else ()


def _leads_with_colour(names: tuple[str, ...], members: list[int]) -> bool:
    letters = "".join(names[m].rpartition(".")[2][:1].lower() for m in members[:3])
    return letters in ("rgb", "xyz")


def _first_line(problem: str) -> str:
    line = problem.strip().splitlines()[0] if problem.strip() else "no picture found in it"
    return re.sub(r'"[^"]*/([^"/]*)"', r"“\1”", line).rstrip(".")
