"""Make the texels of a planned file.

Where a map has the file's size, each channel is one table lookup from the map's codes to the file's codes, and no
floating-point picture is made. Otherwise values are decoded, resampled in their own space and encoded again.
"""

from __future__ import annotations

import cv2
import numpy as np

from ektopos.document import COLOUR_INPUTS, Feed, InputName
from ektopos.images import Image, decode_table, linear_to_srgb, quantise
from ektopos.materials.adjust import adjust, normalise
from ektopos.materials.convert import to_specular_gloss
from ektopos.materials.resolve import MapLoader, at_size, constant_values, default_channels, resolve_feed
from ektopos.targets.plan import PlannedChannel, PlannedFile
from ektopos.targets.profile import LETTERS, Letter
from ektopos.types import Encoding, Float, NormalY, Pixels


def pack_file(loader: MapLoader, planned: PlannedFile, normal_y: NormalY) -> tuple[Pixels, float]:
    """The texels of a file, `(height, width, 3 or 4)` uint8 or uint16, and the factor they were divided by.

    The factor is 1 but for emission above 1. Raises as `resolve_feed`.
    """
    mapped = [channel for channel in planned.channels.values() if channel.fill is None]
    loader.prefetch(name for channel in mapped for feed in channel.feeds() for name in feed.maps())
    factor = emission_factor(loader, planned)
    planes: list[Pixels] = []
    whole: dict[str, Float] = {}
    for letter in LETTERS:
        channel = planned.channels.get(letter)
        if channel is None:
            if letter != "a":
                planes.append(np.zeros((planned.height, planned.width), _kind(planned.bits)))
            continue
        planes.append(_plane(loader, planned, channel, letter, normal_y, factor, whole))
    return np.asarray(cv2.merge(planes)).reshape(planned.height, planned.width, len(planes)), factor


def emission_factor(loader: MapLoader, planned: PlannedFile) -> float:
    """The largest value of a file's emission if that is above 1, else 1."""
    feed = next((c.feed for c in planned.channels.values() if c.input == "emission" and c.fill is None), None)
    if feed is None or not feed.maps():
        return 1.0
    if feed.map is not None:
        plain = Feed(map=feed.map, channels=feed.channels, invert=feed.invert, strength=feed.strength)
        if feed == plain and not loader.image(feed.map).is_float:
            return 1.0
    return max(1.0, float(resolve_feed(loader, feed, "emission", with_strength=False).max()))


def _plane(
    loader: MapLoader, planned: PlannedFile, channel: PlannedChannel, letter: Letter, normal_y: NormalY,
    factor: float, whole: dict[str, Float],
) -> Pixels:  # fmt: skip
    """One channel of a file, `(height, width)`."""
    size = (planned.height, planned.width)
    encoding: Encoding = "linear" if letter == "a" else planned.encoding
    if channel.fill is not None:
        value = np.full((1, 1), channel.fill, np.float32)
        return np.full(size, quantise(_encoded(value, encoding), planned.bits)[0, 0])
    if channel.feed.map is None or channel.beside is not None:
        return quantise(_encoded(_whole(loader, planned, channel, letter, normal_y, factor, whole), encoding), planned.bits)
    image = loader.image(channel.feed.map)
    entry = loader.project.document.maps[channel.feed.map]
    same_size = (image.height, image.width) == size
    source = None if _mixes_channels(channel.feed) else _source_plane(image, channel.feed, channel.input, letter)
    if same_size and source is not None and not image.is_float:
        is_alpha = (channel.feed.channels or default_channels(channel.input)) == "a"
        decoded = decode_table(image.bits, "linear" if is_alpha else entry.encoding)
        if channel.input == "normal":
            # Length is left as it is: whoever reads normals makes them unit again, so untouched texels stay exact.
            turned = letter == "g" and (entry.normal_y or "+") != normal_y
            table = 1.0 - decoded if turned else decoded
        else:
            table = adjust(_as_input(decoded, channel.input), channel.feed, channel.input)
            table = table[:, "rgb".index(letter)] if table.ndim == 2 else table
            table = converted(channel.quantity, channel.input, table, None)
        codes = quantise(_encoded(table / np.float32(factor), encoding), planned.bits)
        if source.dtype == np.uint8:
            return np.asarray(cv2.LUT(np.ascontiguousarray(source), codes))
        return np.asarray(codes[source])
    return quantise(_encoded(_whole(loader, planned, channel, letter, normal_y, factor, whole), encoding), planned.bits)


def _whole(
    loader: MapLoader, planned: PlannedFile, channel: PlannedChannel, letter: Letter, normal_y: NormalY,
    factor: float, whole: dict[str, Float],
) -> Float:  # fmt: skip
    """One channel of an input that is resolved as a whole, at the file's size; resolved once for all its channels."""
    key = channel.quantity or channel.input
    if key not in whole:
        size = (planned.width, planned.height)
        found = at_size(resolve_feed(loader, channel.feed, channel.input, with_strength=False), channel.input, *size)
        beside = None
        if channel.beside is not None:
            other: InputName = "metallic" if channel.input == "base_color" else "base_color"
            beside = at_size(resolve_feed(loader, channel.beside, other, with_strength=False), other, *size)
        whole[key] = converted(channel.quantity, channel.input, found, beside)
    values = whole[key]
    if channel.input == "normal":
        sign = -1.0 if letter == "g" and normal_y == "-" else 1.0
        return np.asarray(values[..., "rgb".index(letter)] * sign * 0.5 + 0.5, np.float32)
    if values.ndim == 3:
        return np.asarray(values[..., "rgb".index(letter)] / np.float32(factor), np.float32)
    return values


def input_values(feed: Feed, name: InputName) -> Float:
    """A constant feed's canonical value, as one texel."""
    values = constant_values(feed, name)
    return normalise(values) if name == "normal" else adjust(values, feed, name)


def converted(quantity: str, name: InputName, values: Float, beside: Float | None) -> Float:
    """The quantity a target wants of an input: gloss or smoothness of roughness, diffuse or specular of colour and metallic.

    `values` are those of the input `name`, `beside` those of the other one a conversion needs.
    """
    if quantity in ("gloss", "smoothness"):
        return np.asarray(1.0 - values, np.float32)
    if quantity in ("diffuse", "specular") and beside is not None:
        base, metallic = (values, beside) if name == "base_color" else (beside, values)
        diffuse, specular, _ = to_specular_gloss(base, metallic, np.zeros_like(metallic))
        return diffuse if quantity == "diffuse" else specular
    return values


def _mixes_channels(feed: Feed) -> bool:
    """Whether one channel of the result depends on more than one channel of one map, so that no table can make it."""
    return bool(feed.layers) or feed.hue != 0.0 or feed.saturation != 1.0


def _source_plane(image: Image, feed: Feed, name: InputName, letter: Letter) -> Pixels | None:
    """The map's channel that alone decides a file's channel, or `None` where several do (luminance)."""
    channels = feed.channels or default_channels(name)
    if channels == "luminance":
        return None
    if channels in ("rgb", "rgba"):
        return image.channel(letter)
    return image.channel(channels)


def _as_input(decoded: Float, name: InputName) -> Float:
    return np.repeat(decoded[:, None], 3, axis=1) if name in COLOUR_INPUTS else decoded


def _encoded(values: Float, encoding: Encoding) -> Float:
    return linear_to_srgb(values) if encoding == "srgb" else values


def _kind(bits: int) -> type[np.uint8] | type[np.uint16]:
    return np.uint8 if bits == 8 else np.uint16
