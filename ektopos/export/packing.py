"""Make the texels of a planned file.

Where a map has the file's size, each channel is one table lookup from the map's codes to the file's
codes, and no floating-point picture is made. Otherwise values are decoded, resampled in their own
space and encoded again. Smaller levels are made of canonical values, never of the level before as
it was rounded.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Encoding, Float, NormalY, Pixels, WrapPair
from ektopos.base.vectors import encode_component
from ektopos.document import COLOUR_INPUTS, Feed, InputName
from ektopos.export.mixing import Coded, mixed
from ektopos.export.plan import PlannedChannel, PlannedFile
from ektopos.export.profile import LETTERS, Letter
from ektopos.export.quantities import is_mixed
from ektopos.export.values import input_values, to_quantity
from ektopos.images import (
    Image,
    decode_table,
    linear_to_srgb,
    nearest_covered,
    quantise,
    quantise_spread,
)
from ektopos.maps.normals import lacks_blue
from ektopos.materials.adjust import adjust
from ektopos.materials.inheritance import Material
from ektopos.materials.mips import material_mips
from ektopos.materials.resolve import (
    MapLoader,
    at_size,
    default_channels,
    resolve_feed,
)
from ektopos.materials.texel_coverage import covered_by
from ektopos.meshes import Mesh


@dataclass(frozen=True)
class Packed:
    """The texels of a file."""

    levels: list[list[Pixels]]
    """Three or four channels `(height, width)` uint8, uint16 or float16, and those of its smaller
    levels where the file brings mips."""
    divided_by: float
    """1, but for emission above 1 where the file cannot hold that."""


@dataclass
class _Job:
    """One file while it is made."""

    loader: MapLoader
    planned: PlannedFile
    normal_y: NormalY
    factor: float
    nearest: NDArray[np.int64] | None
    """For padding: the texel whose value each one holds."""
    resolved: dict[str, list[Float]] = field(default_factory=dict)
    """Levels of inputs that are resolved as a whole, by what they are."""
    mixed: dict[str, list[Pixels] | None] = field(default_factory=dict)
    """The channels of diffuse or specular, where tables give them."""


def pack_file(
    loader: MapLoader,
    planned: PlannedFile,
    normal_y: NormalY,
    nearest: NDArray[np.int64] | None = None,
) -> Packed:
    """The texels of a file; `nearest` `(height, width)` from `padded_from` fills what lies round
    its islands.

    Raises as `resolve_feed`.
    """
    mapped = [channel for channel in planned.channels.values() if channel.fill is None]
    beside = {name for one in (planned.normal, planned.seen) if one for name in one.maps()}
    loader.prefetch(
        [
            *(
                name
                for channel in mapped
                for feed in channel.feeds()
                for name in sorted(feed.maps())
            ),
            *sorted(beside),
        ]
    )
    job = _Job(
        loader,
        planned,
        normal_y,
        1.0 if planned.holds_floats else emission_factor(loader, planned),
        nearest,
    )
    levels = [_level(job, number) for number in range(planned.levels)]
    return Packed(levels, job.factor)


def is_constant(planes: list[Pixels]) -> bool:
    """Whether every texel of a picture's channels `(height, width)` is the same."""
    return all(bool((plane == plane[0, 0]).all()) for plane in planes)


def constant_levels(levels: list[list[Pixels]]) -> list[list[Pixels]]:
    """The levels of a picture of one colour, from 4 × 4 texels on."""
    sides = [4, 2, 1][: len(levels)]
    return [
        [np.ascontiguousarray(plane[:side, :side]) for plane in planes]
        for side, planes in zip(sides, levels, strict=False)
    ]


def padded_from(
    planned: PlannedFile,
    materials: Mapping[str, Material],
    meshes: Mapping[str, Mesh],
    loader: MapLoader,
) -> NDArray[np.int64] | None:
    """Where the padding of a file takes its texels from; `None` without padding, and where all of
    the file may show."""
    if not planned.padding:
        return None
    covered = np.zeros((planned.height, planned.width), bool)
    carried = [name for c in planned.channels.values() if c.fill is None for name in c.inputs()]
    document, size = loader.project.document, (planned.width, planned.height)
    for name in planned.materials:
        shown = covered_by(document, meshes, materials[name], carried, *size)
        if shown is None:
            return None
        covered |= shown
    return nearest_covered(covered, planned.padding)


def emission_factor(loader: MapLoader, planned: PlannedFile) -> float:
    """The largest value of a file's emission if that is above 1, else 1."""
    feed = next(
        (c.feed for c in planned.channels.values() if c.input == "emission" and c.fill is None),
        None,
    )
    if feed is None or not feed.maps():
        return 1.0
    if feed.map is not None:
        plain = Feed(
            map=feed.map, channels=feed.channels, invert=feed.invert, strength=feed.strength
        )
        if feed == plain and not loader.image(feed.map).is_float:
            return 1.0
    return max(1.0, float(resolve_feed(loader, feed, "emission", with_strength=False).max()))


def _level(job: _Job, number: int) -> list[Pixels]:
    planned = job.planned
    height, width = max(1, planned.height >> number), max(1, planned.width >> number)
    planes: list[Pixels] = []
    for letter in LETTERS:
        channel = planned.channels.get(letter)
        if channel is None:
            if letter != "a":
                # A file of one quantity is grey, so that it looks like what it is, whichever
                # channel a reader takes.
                alone = list(planned.channels) == ["r"]
                planes.append(planes[0] if alone else np.zeros((height, width), _kind(planned)))
        elif channel.fill is not None:
            value = np.full((1, 1), channel.fill, np.float32)
            code = (
                quantise(_encoded(value, _encoding(planned, letter)), planned.bits)
                if not planned.holds_floats
                else value
            )
            planes.append(np.full((height, width), code[0, 0], _kind(planned)))
        else:
            planes.append(_plane(job, channel, letter, number))
    return planes


def _plane(job: _Job, channel: PlannedChannel, letter: Letter, number: int) -> Pixels:
    """One channel of one level, `(height, width)`."""
    planned = job.planned
    if number == 0:
        direct = (_direct if channel.beside is None else _mixed)(job, channel, letter)
        if direct is not None:
            return direct if job.nearest is None else np.take(direct, job.nearest)
    values = _whole(job, channel)[number]
    if channel.input == "normal":
        values = encode_component(values[..., "rgb".index(letter)], letter, job.normal_y)
    elif values.ndim == 3:
        values = np.asarray(values[..., "rgb".index(letter)] / np.float32(job.factor), np.float32)
    return _codes(planned, _encoded(values, _encoding(planned, letter)))


def _direct(job: _Job, channel: PlannedChannel, letter: Letter) -> Pixels | None:
    """A channel by one look-up of a map's codes; `None` where that cannot be."""
    planned = job.planned
    tabled = _tabled(job, channel.feed, channel.input, letter)
    if tabled is None:
        return None
    source, values = tabled
    table = to_quantity(channel.quantity, channel.input, values, None)
    stored = _encoded(table / np.float32(job.factor), _encoding(planned, letter))
    if planned.dither:
        return _codes(planned, stored[source])
    codes = _codes(planned, stored)
    if codes.dtype == source.dtype and np.array_equal(codes, np.arange(len(codes))):
        return source
    if source.dtype == np.uint8 and not planned.holds_floats:
        return np.asarray(cv2.LUT(np.ascontiguousarray(source), codes))
    return np.asarray(codes[source])


def _mixed(job: _Job, channel: PlannedChannel, letter: Letter) -> Pixels | None:
    """A channel of diffuse or specular by tables of both maps' codes; `None` where that cannot
    be."""
    if channel.quantity not in job.mixed:
        job.mixed[channel.quantity] = _mixed_channels(job, channel)
    planes = job.mixed[channel.quantity]
    return None if planes is None else planes["rgb".index(letter)]


def _mixed_channels(job: _Job, channel: PlannedChannel) -> list[Pixels] | None:
    planned = job.planned
    if planned.dither or job.factor != 1.0 or channel.beside is None:
        return None
    feeds = [channel.feed, channel.beside]
    colour, data = feeds if channel.input == "base_color" else feeds[::-1]
    found = [_coded(job, colour, "base_color", letter) for letter in LETTERS[:3]]
    base = [one for one in found if one is not None]
    metallic = _coded(job, data, "metallic", "r")
    if metallic is None or len(base) < len(found):
        return None
    return mixed(
        channel.quantity,
        base,
        metallic,
        lambda values: _codes(planned, _encoded(values, planned.encoding)),
    )


def _coded(job: _Job, feed: Feed, name: InputName, letter: Letter) -> Coded | None:
    """One channel of an input as 8-bit codes of the file's size, a constant too; `None` where it is
    none."""
    if feed.value is not None and not (feed.map or feed.layers or feed.laid):
        values = np.ravel(input_values(feed, name))
        value = values["rgb".index(letter)] if len(values) > 1 else values[0]
        size = job.planned.height, job.planned.width
        return Coded(np.zeros(size, np.uint8), np.full(256, value, np.float32))
    tabled = _tabled(job, feed, name, letter)
    if tabled is None or tabled[0].dtype != np.uint8:
        return None
    return Coded(np.ascontiguousarray(tabled[0]), np.asarray(tabled[1], np.float32))


def _tabled(job: _Job, feed: Feed, name: InputName, letter: Letter) -> tuple[Pixels, Float] | None:
    """The map's channel that alone decides a channel of an input, and the canonical value of each
    of its codes, a normal's still 0–1; `None` where it has another size than the file, and where
    something else decides."""
    planned = job.planned
    if feed.map is None or feed.layers or feed.hue != 0.0 or feed.saturation != 1.0:
        return None
    image, entry = job.loader.image(feed.map), job.loader.project.document.maps[feed.map]
    source = _source_plane(image, feed, name, letter)
    if name == "normal" and lacks_blue(image.pixels):
        return None
    if (
        source is None
        or image.is_float
        or (image.height, image.width) != (planned.height, planned.width)
    ):
        return None
    is_alpha = (feed.channels or default_channels(name)) == "a"
    decoded = decode_table(image.bits, "linear" if is_alpha else entry.encoding)
    if name == "normal":
        # Length is left as it is: whoever reads normals makes them unit again, so untouched texels
        # stay exact.
        turned = letter == "g" and (entry.normal_y or "+") != job.normal_y
        return source, 1.0 - decoded if turned else decoded
    table = adjust(_as_input(decoded, name), feed, name)
    return source, table[:, "rgb".index(letter)] if table.ndim == 2 else table


def _whole(job: _Job, channel: PlannedChannel) -> list[Float]:
    """The levels of an input, canonical; resolved once for all its channels."""
    planned = job.planned
    key = channel.quantity or channel.input
    if key not in job.resolved:
        plane = _resized(job, channel.feed, channel.input, channel.wrap)
        beside = None
        if channel.beside is not None:
            other: InputName = "metallic" if channel.input == "base_color" else "base_color"
            beside = _resized(job, channel.beside, other, channel.wrap)
        # Gloss and smoothness are turned round below, once the levels of roughness are made.
        mixed = is_mixed(channel.quantity)
        values = to_quantity(channel.quantity, channel.input, plane, beside) if mixed else plane
        if job.nearest is not None:
            values = values.reshape(-1, *values.shape[2:])[job.nearest]
        if planned.levels == 1:
            levels = [values]
        else:
            spread = (
                None
                if planned.normal is None
                else _resized(job, planned.normal, "normal", channel.wrap, with_strength=True)
            )
            levels = material_mips(
                values,
                "base_color" if mixed else channel.input,
                normals=spread,
                cutoff=planned.cutoff,
                seen=_seen(job, channel, values.shape[:2]),
            )
        job.resolved[key] = [
            v if mixed else to_quantity(channel.quantity, channel.input, v, None) for v in levels
        ]
    return job.resolved[key]


def _resized(
    job: _Job, feed: Feed, name: InputName, wrap: WrapPair, *, with_strength: bool = False
) -> Float:
    """An input at the file's size; a cut-out keeps its coverage, and colour counts as far as it is
    seen."""
    planned = job.planned
    values = resolve_feed(job.loader, feed, name, with_strength=with_strength)
    seen = None
    if name == "base_color" and planned.seen and values.shape[0] > planned.height:
        seen = resolve_feed(job.loader, planned.seen, "opacity")
    return at_size(
        values, name, planned.width, planned.height, planned.cutoff, wrap=wrap, seen=seen
    )


def _seen(job: _Job, channel: PlannedChannel, size: tuple[int, ...]) -> Float | None:
    """How much of each texel of a colour is seen, `size`; `None` for other inputs, and where all
    is."""
    if channel.input != "base_color" or job.planned.seen is None:
        return None
    opacity = resolve_feed(job.loader, job.planned.seen, "opacity")
    return at_size(opacity, "opacity", size[1], size[0], wrap=channel.wrap)


def _source_plane(image: Image, feed: Feed, name: InputName, letter: Letter) -> Pixels | None:
    """The map's channel that alone decides a file's channel, or `None` where several do
    (luminance)."""
    channels = feed.channels or default_channels(name)
    if channels == "luminance":
        return None
    if channels in ("rgb", "rgba"):
        return image.channel(letter)
    return image.channel(channels)


def _as_input(decoded: Float, name: InputName) -> Float:
    return np.repeat(decoded[:, None], 3, axis=1) if name in COLOUR_INPUTS else decoded


def _encoding(planned: PlannedFile, letter: Letter) -> Encoding:
    return "linear" if letter == "a" else planned.encoding


def _encoded(values: Float, encoding: Encoding) -> Float:
    return linear_to_srgb(values) if encoding == "srgb" else values


def _codes(planned: PlannedFile, stored: Float) -> Pixels:
    """Stored values as the file's own numbers."""
    if planned.holds_floats:
        return np.asarray(stored.astype(np.float16))
    if planned.dither and stored.ndim == 2:
        return quantise_spread(stored)
    return quantise(stored, planned.bits)


def _kind(planned: PlannedFile) -> type[np.uint8] | type[np.uint16] | type[np.float16]:
    return np.float16 if planned.holds_floats else np.uint8 if planned.bits == 8 else np.uint16
