"""Read every supported image format at its full depth, through OpenImageIO.

A file's header is always read first, so that a small file which claims an enormous picture is
refused before any memory is asked for.
"""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from ektopos.base.errors import TooLarge, UnreadableFile
from ektopos.base.types import Pixels
from ektopos.images.image import Image, ImageHeader, as_float
from ektopos.images.profiles import colour_profile_of
from ektopos.sandbox import sandboxed

IMAGE_SUFFIXES = (".png", ".jpg", ".jpeg", ".tga", ".tif", ".tiff", ".exr", ".webp", ".hdr")
MAX_TEXELS = 16384 * 16384
MAX_SIDE = 32768
MAX_BYTES = 2**29
"""Decoded: 16384² texels of four 8-bit channels, 8192² of four 32-bit ones."""

_FORMATS = ("png", "jpeg", "targa", "tiff", "openexr", "webp", "hdr")
_BITS = {"uint8": 8, "uint16": 16, "uint": 16, "half": 16, "float": 32}
_BY_ROWS = ("png", "jpeg")
_READ_AS = {"uint8": "uint8", "uint16": "uint16", "uint": "uint16", "half": "half"}
"""Whole numbers of 32 bits are read with 16, which is said; all else as floats."""
_SIGNED = ("int8", "int16", "int")
_AT_ONCE = 2**20
"""Values that are read together."""
_PNG_COLOUR_TYPE = 25
"""Byte offset of IHDR's colour type. Source: PNG specification, third edition, 11.2.1."""


@sandboxed
def read_header(path: Path) -> ImageHeader:
    """Size, channels and depth of an image file, without decoding it.

    Raises `UnreadableFile` if it is no image of a supported format, `TooLarge` beyond `MAX_TEXELS`.
    """
    source = _open(path)
    try:
        _, _, channels, notes = _layer(source.spec().channelnames)
        pages = _pages(source)
        return _header(path, source.spec(), source.format_name(), channels, (*notes, *pages))
    finally:
        source.close()


@sandboxed
def read_image(path: Path) -> Image:
    """Decode an image file in the depth it was stored in.

    Orientation flags, data windows and premultiplied alpha are applied. Not-a-number and infinite
    texels of float files become 0, and are counted in `notes`. Of a multi-layer EXR the first layer
    with colours is read; the others, and further pages, are named in `notes`. Raises
    `UnreadableFile` or `TooLarge`.
    """
    source = _open(path)
    try:
        spec = source.spec()
        first, count, channels, notes = _layer(spec.channelnames)
        notes = (*notes, *_pages(source))
        header = _header(path, spec, source.format_name(), channels, notes)
        pixels = _texels(source, first, count)
        problem = source.geterror()
    finally:
        source.close()
    if pixels is None or problem:
        raise UnreadableFile(
            f"the picture breaks off or is damaged ({_first_line(problem)}).",
            subject=path.name,
            hint="Save or copy it again.",
        )
    if channels > count:
        pixels = np.concatenate([pixels, np.zeros_like(pixels[..., :1])], axis=2)
    notes = header.notes
    bad = ~np.isfinite(pixels) if header.is_float else np.zeros((1, 1, 1), bool)
    unsound = int(bad.any(axis=2).sum())
    if unsound:
        pixels[bad] = 0
        notes = (*notes, f"{unsound} texels are not a number or infinite, and are read as 0")
    if _is_premultiplied(spec) and channels in (2, 4):
        pixels = _divided_by_alpha(pixels)
    placed = _in_display_window(pixels, spec)
    return Image(
        np.ascontiguousarray(_upright(placed, _orientation(spec))),
        notes,
        colour_profile_of(spec, source.format_name())[0],
        unsound,
    )


def _texels(source: oiio.ImageInput, first: int, count: int) -> Pixels | None:
    """Some channels of a picture as the file stores them, `(height, width, count)`; `None` if it
    cannot be read.

    A few rows at a time where they follow each other in the file: the library makes a copy of
    whatever it gives, which of a whole picture would be as much memory again. (Others store tiles,
    or one channel after the other, and cannot go back.)
    """
    spec = source.spec()
    kind = _READ_AS.get(str(spec.format), "float")
    if source.format_name() not in _BY_ROWS:
        whole = source.read_image(0, 0, first, first + count, kind)
        return None if whole is None else np.asarray(whole).reshape(spec.height, spec.width, count)
    texels: Pixels | None = None
    step = max(1, _AT_ONCE // max(1, spec.width * count))
    for top in range(0, spec.height, step):
        end = min(top + step, spec.height)
        rows = source.read_scanlines(
            0, 0, spec.y + top, spec.y + end, 0, first, first + count, kind
        )
        if rows is None:
            return None
        if texels is None:
            texels = np.empty((spec.height, spec.width, count), rows.dtype)
        texels[top:end] = rows.reshape(end - top, spec.width, count)
    return texels


def _is_premultiplied(spec: oiio.ImageSpec) -> bool:
    return spec.alpha_channel >= 0 and not spec.getattribute("oiio:UnassociatedAlpha")


def _divided_by_alpha(pixels: Pixels) -> Pixels:
    """Colours as they are without their alpha, in the depth of the file; where alpha is 0 they stay
    as they are, for nothing is known of them."""
    alpha = as_float(pixels[..., -1:])
    colour = as_float(pixels[..., :-1])
    straight = np.where(alpha > 0, colour / np.maximum(alpha, 1e-9), colour)
    if np.issubdtype(pixels.dtype, np.integer):
        largest = np.iinfo(pixels.dtype).max
        straight = np.round(np.clip(straight, 0.0, 1.0) * largest)
    return np.concatenate([straight.astype(pixels.dtype), pixels[..., -1:]], axis=2)


def _windows_differ(spec: oiio.ImageSpec) -> bool:
    return (spec.x, spec.y, spec.width, spec.height) != (
        spec.full_x,
        spec.full_y,
        spec.full_width,
        spec.full_height,
    ) and min(spec.full_width, spec.full_height) > 0


def _in_display_window(pixels: Pixels, spec: oiio.ImageSpec) -> Pixels:
    """What a file stores, laid where it belongs in the picture that it means. Source: the OpenEXR
    file layout, data window and display window."""
    if not _windows_differ(spec):
        return pixels
    canvas = np.zeros((spec.full_height, spec.full_width, pixels.shape[2]), pixels.dtype)
    left, top = spec.x - spec.full_x, spec.y - spec.full_y
    x0, y0 = max(left, 0), max(top, 0)
    x1 = min(left + spec.width, spec.full_width)
    y1 = min(top + spec.height, spec.full_height)
    if x1 > x0 and y1 > y0:
        canvas[y0:y1, x0:x1] = pixels[y0 - top : y1 - top, x0 - left : x1 - left]
    return canvas


def _orientation(spec: oiio.ImageSpec) -> int:
    """How the rows lie, 1 to 8. Source: TIFF 6.0, Orientation; Exif 3.0, 4.6.5."""
    value = spec.getattribute("Orientation")
    return value if isinstance(value, int) and 1 <= value <= 8 else 1


def _upright(pixels: Pixels, orientation: int) -> Pixels:
    """A picture as it is meant to be seen."""
    if orientation >= 5:
        pixels = pixels.transpose(1, 0, 2)
    if orientation in (3, 4, 7, 8):
        pixels = pixels[::-1]
    if orientation in (2, 3, 6, 7):
        pixels = pixels[:, ::-1]
    return pixels


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
    if _windows_differ(spec):
        width, height = max(width, spec.full_width), max(height, spec.full_height)
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
    if kind in _SIGNED:
        raise UnreadableFile(
            f"it stores signed whole numbers ({kind}), which no quantity of a material is.",
            subject=path.name,
            hint="Save it with 8 or 16 bits, or as floats.",
        )
    decoded = width * height * channels * max(1, _BITS.get(kind, 32) // 8)
    if decoded > MAX_BYTES:
        raise TooLarge(
            f"the picture would take {decoded / 2**20:,.0f} MiB decoded; the most that is read "
            f"is {MAX_BYTES // 2**20} MiB.",
            subject=path.name,
            hint="Make it smaller, or save it with fewer channels or bits, before bringing it in.",
        )
    if _holds_inks(spec):
        raise UnreadableFile(
            "it is in CMYK, which is for print.", subject=path.name, hint="Save it as RGB."
        )
    if _windows_differ(spec):
        width, height = spec.full_width, spec.full_height
    if _orientation(spec) >= 5:
        width, height = height, width
    profile, told = colour_profile_of(spec, format_name)
    return ImageHeader(
        width=width,
        height=height,
        channels=channels,
        bits=_BITS.get(kind, 32),
        is_float=kind not in ("uint8", "uint16", "uint"),
        format=format_name,
        notes=(*notes, *([told] if told else []), *_reading_notes(path, spec, format_name)),
        profile=profile.name if profile else None,
    )


def _reading_notes(path: Path, spec: oiio.ImageSpec, format_name: str) -> list[str]:
    notes = []
    if str(spec.format) == "uint":
        notes.append("stored with 32 bits a channel, read with 16")
    if _is_premultiplied(spec):
        notes.append("alpha is premultiplied in the file, and was divided out")
    if _orientation(spec) != 1:
        notes.append("turned as its orientation flag says")
    if _windows_differ(spec):
        notes.append(
            f"stores {spec.width} × {spec.height} texels of {spec.full_width} × "
            f"{spec.full_height}; the rest is 0"
        )
    if format_name == "png":
        with path.open("rb") as file:
            start = file.read(_PNG_COLOUR_TYPE + 1)
        if start[_PNG_COLOUR_TYPE] == 3:
            notes.append("stored with a palette, read as colours")
        if start[_PNG_COLOUR_TYPE - 1] < 8:
            notes.append(f"stored with {start[_PNG_COLOUR_TYPE - 1]} bit a texel")
    return notes


def _holds_inks(spec: oiio.ImageSpec) -> bool:
    """Whether a file is for print. Source: TIFF 6.0, PhotometricInterpretation 5 is separated."""
    if "CMYK" in (spec.getattribute("jpeg:ColorSpace"), spec.getattribute("tiff:ColorSpace")):
        return True
    if spec.getattribute("tiff:PhotometricInterpretation") == 5:
        return True
    names = {name.lower() for name in spec.channelnames}
    return {"c", "m", "y", "k"} <= names or {"cyan", "magenta", "yellow"} <= names


def _pages(source: oiio.ImageInput) -> tuple[str, ...]:
    """That a file has more pictures than the one that is read."""
    if source.format_name() not in ("tiff", "openexr"):
        return ()
    count = 1
    while count < 1000 and source.seek_subimage(count, 0):
        count += 1
    source.seek_subimage(0, 0)
    source.geterror()
    return (f"{count - 1} further pages or parts are left out",) if count > 1 else ()


def _layer(names: tuple[str, ...]) -> tuple[int, int, int, tuple[str, ...]]:
    """First channel and channel count of the layer to read, how many channels it is given as, and
    notes on those left out or added."""
    first, count, notes = _stored_layer(names)
    if _lacks_blue(names[first : first + count]):
        return first, count, 3, (*notes, "it has two channels, R and G; blue is read as 0")
    return first, count, count, notes


def _stored_layer(names: tuple[str, ...]) -> tuple[int, int, tuple[str, ...]]:
    """The same as the file stores it."""
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


def _lacks_blue(names: tuple[str, ...]) -> bool:
    """Whether two channels are the first two of three, and not a grey with its alpha: x and y of
    normals, say. Blue is read as 0."""
    letters = tuple(name.rpartition(".")[2][:1].lower() for name in names)
    return letters in (("r", "g"), ("x", "y"))


def _leads_with_colour(names: tuple[str, ...], members: list[int]) -> bool:
    letters = "".join(names[m].rpartition(".")[2][:1].lower() for m in members[:3])
    return letters in ("rgb", "xyz")


def _first_line(problem: str) -> str:
    line = problem.strip().splitlines()[0] if problem.strip() else "no picture found in it"
    return re.sub(r'"[^"]*/([^"/]*)"', r"“\1”", line).rstrip(".")
