"""The parts of an OpenEXR file, each as a file of its own: renderers write several maps into one,
told apart by the names of their channels or by parts."""

from __future__ import annotations

import re
import tempfile
from dataclasses import dataclass
from pathlib import Path

import OpenImageIO as oiio

from ektopos.base.errors import UnreadableFile
from ektopos.base.names import shortened
from ektopos.images.read import MAX_BYTES
from ektopos.sandbox import sandboxed

PARTED_SUFFIX = ".exr"
"""Of the files that can hold several maps."""
MAX_PARTS = 64
"""A file of more parts is no bundle of maps."""
_COLOURS = ("r", "g", "b", "a")
_USUAL = {*_COLOURS, "y", "x", "z"}
"""Channels of the main picture, when they have no other name. Source: the OpenEXR technical
introduction, “Channel names”."""


@dataclass(frozen=True)
class ImagePart:
    """One part: its name, which of the file's pictures it is in, and its channels there, in the
    order in which they are read."""

    name: str
    picture: int
    channels: tuple[int, ...]


@sandboxed
def image_parts(path: Path) -> tuple[ImagePart, ...]:
    """The parts of an OpenEXR file that holds several maps; none for any other file, for one of a
    single map, and for one that is damaged or too large to be taken apart. Reads headers only.

    Source: the OpenEXR technical introduction: what stands before the last dot of a channel's name
    is its layer. A channel with a name of its own and no dot is a layer too.
    """
    if path.suffix.lower() != PARTED_SUFFIX:
        return ()
    source = oiio.ImageInput.open(str(path))
    if source is None:
        oiio.geterror()  # fetched, or the library prints it
        return ()
    found: dict[str, ImagePart] = {}
    texels = 0
    try:
        while source.seek_subimage(source.current_subimage() + (1 if found else 0), 0):
            spec, picture = source.spec(), source.current_subimage()
            texels += spec.width * spec.height * spec.nchannels
            title = str(spec.getattribute("oiio:subimagename") or "")
            for layer, channels in _layers(spec.channelnames).items():
                name = _plain(".".join(dict.fromkeys(filter(None, (title, layer))))) or "main"
                while name in found:
                    name += "_"
                found[name] = ImagePart(name, picture, channels)
            if len(found) > MAX_PARTS:
                return ()
    finally:
        source.close()
    if len(found) < 2 or texels * 4 > MAX_BYTES:
        return ()
    return tuple(found.values())


@sandboxed
def part_content(path: Path, part: ImagePart) -> bytes:
    """One part of an OpenEXR file as a file of its own, texels and windows as they are.

    Raises `UnreadableFile`.
    """
    whole = oiio.ImageBuf(str(path), part.picture, 0)
    names = whole.spec().channelnames
    letters = tuple(_letter(names[channel]) for channel in part.channels)
    if len(letters) == 1:
        letters = ("Y",)
    one = oiio.ImageBufAlgo.channels(whole, part.channels, letters)
    for attribute in ("oiio:subimagename", "name", "type", "oiio:subimages"):
        one.specmod().erase_attribute(attribute)
    one.specmod().attribute("DateTime", "")  # the same bytes whenever it is brought in
    one.set_write_tiles(0, 0)
    with tempfile.NamedTemporaryFile(prefix="ektopos-", suffix=PARTED_SUFFIX) as out:
        # Their errors are fetched, or the library prints them.
        if not (whole.geterror() or one.geterror()) and one.write(out.name):
            return out.read()
    one.geterror()
    raise UnreadableFile(
        f"the part “{part.name}” breaks off or is damaged.",
        subject=path.name,
        hint="Save or copy it again.",
    )


def _layers(names: tuple[str, ...]) -> dict[str, tuple[int, ...]]:
    """Channels by layer, at most four of each and colours in their order."""
    layers: dict[str, list[int]] = {}
    for place, name in enumerate(names):
        layer, _, last = name.rpartition(".")
        if not layer and last.lower() not in _USUAL:
            layer = last
        layers.setdefault(layer, []).append(place)
    return {
        layer: tuple(sorted(places, key=lambda place: _order(names[place]))[:4])
        for layer, places in layers.items()
    }


def _order(name: str) -> int:
    letter = _letter(name).lower()
    return _COLOURS.index(letter) if letter in _COLOURS else ord(letter)


def _letter(name: str) -> str:
    return name.rpartition(".")[2][:1].upper()


def _plain(name: str) -> str:
    return shortened(re.sub(r"[^\w.-]+", "_", name).strip("_."))
