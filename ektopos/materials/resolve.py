"""From feeds to canonical arrays: linear colour, data 0–1, unit +Y normals."""

from __future__ import annotations

import os
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.base.types import Channels, Encoding, Float, NormalY, Pixels, WrapPair
from ektopos.base.vectors import decode_normals, normalise, raw_vectors
from ektopos.document import (
    COLOUR_INPUTS,
    UNCLIPPED,
    WIDE_INPUTS,
    Document,
    Feed,
    InputName,
    Layer,
    MapEntry,
    Mask,
    Reflectance,
    UvTransform,
)
from ektopos.images import (
    Image,
    covered_share,
    fit_within,
    in_srgb,
    keep_coverage,
    read_image,
    resize,
    shrink_seen,
)
from ektopos.images.encodings import decode_table
from ektopos.maps.normals import combine, flip_green, lacks_blue, rebuild_blue
from ektopos.materials.adjust import Source, adjust, apply_strength, combine_layers, decode_channels
from ektopos.materials.compositing import composite, flat_size
from ektopos.materials.inheritance import REPEAT
from ektopos.materials.specular_workflow import to_metallic_roughness
from ektopos.project import OpenProject

CACHE_BYTES = 512 * 2**20
_BAND = 128
"""Rows of a reduced copy that are decoded at once."""


ReadMap = Callable[[Path], Image]
"""Decodes a map's file, as `read_image` does."""


def as_stated(image: Image, entry: MapEntry) -> Image:
    """A map's picture as its entry says it is decoded: colours after the profile of its file."""
    return in_srgb(image) if entry.decoding == "srgb" else image


class MapLoader:
    """Decodes each map of a project once, and forgets the longest unused beyond `limit` bytes.
    Several threads may ask it."""

    def __init__(
        self, project: OpenProject, limit: int = CACHE_BYTES, read: ReadMap = read_image
    ) -> None:
        self.project = project
        self._limit = limit
        self._read = read
        self._kept: OrderedDict[str, Image] = OrderedDict()
        self._lock = threading.Lock()

    def image(self, name: str) -> Image:
        """A map's pixels at full size. Raises `MissingReference` or `UnreadableFile`."""
        with self._lock:
            if name in self._kept:
                self._kept.move_to_end(name)
                return self._kept[name]
        image = self._decode(name)
        with self._lock:
            self._kept[name] = image
            self._forget()
        return image

    def _forget(self) -> None:
        while (
            len(self._kept) > 1
            and sum(kept.pixels.nbytes for kept in self._kept.values()) > self._limit
        ):
            self._kept.popitem(last=False)

    def prefetch(self, names: Iterable[str]) -> None:
        """Decode several maps at once and hold all of them until others are. Those that cannot be
        read say so when they are asked for."""
        with self._lock:
            self._forget()
        wanted = [name for name in dict.fromkeys(names) if name not in self._kept]
        if len(wanted) < 2:
            return
        # More at once than there are cores: the third of three does not wait for one of the others.
        most = min(len(wanted), 2 * (os.cpu_count() or 1))
        with ThreadPoolExecutor(max_workers=most) as pool:
            for name, image in zip(wanted, pool.map(self._try, wanted), strict=True):
                if image is not None:
                    with self._lock:
                        self._kept[name] = image

    def _try(self, name: str) -> Image | None:
        try:
            return self._decode(name)
        except EktoposError:
            return None

    def _decode(self, name: str) -> Image:
        image = self._read(self.project.map_path(name))
        return as_stated(image, self.project.document.maps[name])

    def find(self, name: str) -> Decoded:
        """A map as feeds read it. Raises as `image`."""
        entry = self.project.document.maps[name]
        return Decoded(self.image(name), entry.encoding, entry.normal_y)


def default_channels(name: InputName) -> Channels:
    """The channels a feed reads when it does not say."""
    return "rgb" if name in WIDE_INPUTS else "r"


def feed_problem(document: Document, feed: Feed, name: InputName) -> str | None:
    """Why a feed cannot fill an input, as a sentence, or `None` if it can."""
    for missing in sorted(one for one in feed.maps() if one not in document.maps):
        return f"{name} is fed from the map {missing}, which is not there."
    if feed.converted is not None:
        return feed_problem(document, feed.converted.diffuse, "base_color") or feed_problem(
            document, feed.converted.f0, "f0"
        )
    for laid in feed.laid:
        problem = feed_problem(document, laid.feed, name) or (
            feed_problem(document, laid.opacity, "opacity") if laid.opacity else None
        )
        if problem:
            return problem
    sources: list[Source] = [feed, *feed.layers]
    for source in sources:
        if name == "normal" and source.map and document.maps[source.map].space == "object":
            return f"{source.map} holds normals in object space; a material takes tangent space."
        problem = _source_problem(source, name)
        if problem:
            return problem
    return None


def _source_problem(source: Source, name: InputName) -> str | None:
    wide = name in WIDE_INPUTS
    if isinstance(source, Layer) and (source.op == "normal") != (name == "normal"):
        return f"the layer {source.op} does not fit {name}."
    if source.map is not None:
        channels = source.channels or default_channels(name)
        if name == "normal" and channels not in ("rgb", "rgba"):
            return "a normal needs three channels, not one."
        if not wide and channels in ("rgb", "rgba"):
            return f"{name} takes one channel, and is fed with {channels}."
    elif isinstance(source.value, tuple) and not wide:
        return f"{name} takes one number, and is fed with three."
    elif name == "normal" and not isinstance(source.value, tuple):
        return "a constant normal needs three numbers."
    return None


def feed_values(image: Image, encoding: Encoding, source: Source, name: InputName) -> Float:
    """A map's values as a feed picks them, linear, before any adjustment: `(h, w)` or `(h, w,
    3)`.
    """
    values = decode_channels(image, source.channels or default_channels(name), encoding)
    if name in COLOUR_INPUTS and values.ndim == 2:
        values = np.repeat(values[..., None], 3, axis=2)
    return values


def constant_values(source: Source, name: InputName) -> Float:
    """A constant feed as a picture of one texel: `(1, 1)` or `(1, 1, 3)`."""
    value = np.asarray(source.value, np.float32)
    if name in WIDE_INPUTS:
        return np.broadcast_to(value, (1, 1, 3)).astype(np.float32)
    return value.reshape(1, 1)


@dataclass(frozen=True)
class Decoded:
    """A map ready to be fed: its pixels, how they are encoded, and which way its green points."""

    image: Image
    encoding: Encoding
    normal_y: NormalY | None


FindMap = Callable[[str], Decoded]
"""From a map's name in a feed to the map."""


def feed_result(feed: Feed, name: InputName, find: FindMap, *, with_strength: bool = True) -> Float:
    """What a feed gives: `(h, w)` or `(h, w, 3)`, at the size of its map (of its largest layer, if
    it is a constant).

    Layers of another size are resampled to that. Raises what `find` raises.
    """
    if feed.converted is not None:
        return _converted(feed.converted, name, find)
    values = _flattened(feed, name, find) if feed.laid else _source_result(feed, name, find)
    for layer in feed.layers:
        over = _source_result(layer, name, find)
        mask = None if layer.mask is None else _mask(layer.mask, find)
        if values.shape[:2] == (1, 1):
            height, width = max(
                (a.shape[:2] for a in (values, over, mask) if a is not None),
                key=lambda s: s[0] * s[1],
            )
            values = at_size(values, name, width, height)
        height, width = values.shape[:2]
        over = composite(over, name, layer.uv or UvTransform(), layer.wrap or REPEAT, width, height)
        weight = _weight(layer.amount, layer.mask, mask, width, height)
        if layer.op == "normal":
            flat = np.array([0.0, 0.0, 1.0], np.float32)
            part = np.asarray(weight, np.float32)
            part = part[..., None] if part.ndim == 2 else part
            values = combine(values, normalise(flat + (over - flat) * part))
        else:
            values = combine_layers(values, over, layer.op, weight)
            values = values if name in UNCLIPPED else np.clip(values, 0.0, 1.0)
    return apply_strength(values, name, feed.strength) if with_strength else values


def _converted(reflectance: Reflectance, name: InputName, find: FindMap) -> Float:
    """Base colour or metallic of diffuse and reflectance, at the size of the larger."""
    both = [
        feed_result(reflectance.diffuse, "base_color", find),
        feed_result(reflectance.f0, "f0", find),
    ]
    height, width = max((part.shape[:2] for part in both), key=lambda size: size[0] * size[1])
    diffuse, f0 = (at_size(part, "base_color", width, height) for part in both)
    base, metallic, _ = to_metallic_roughness(diffuse, f0, np.zeros(diffuse.shape[:2], np.float32))
    return base if name == "base_color" else metallic


def _flattened(feed: Feed, name: InputName, find: FindMap) -> Float:
    """Feeds over each other, as one picture."""
    overs = [feed_result(laid.feed, name, find) for laid in feed.laid]
    masks = [None if laid.mask is None else _mask(laid.mask, find) for laid in feed.laid]
    holes = [
        None if laid.opacity is None else feed_result(laid.opacity, "opacity", find)
        for laid in feed.laid
    ]
    places = [laid.uv for laid in feed.laid]
    mask_places = [(laid.mask.uv if laid.mask else None) or UvTransform() for laid in feed.laid]
    width, height = flat_size(
        [
            ((values.shape[1], values.shape[0]), uv)
            for values, uv in zip(
                [*overs, *masks, *holes], [*places, *mask_places, *places], strict=True
            )
            if values is not None
        ]
    )
    flat = np.full((1, 1), 0.0, np.float32)
    for laid, over, mask, hole in zip(feed.laid, overs, masks, holes, strict=True):
        over = composite(over, name, laid.uv, laid.wrap, width, height)
        if laid is feed.laid[0]:
            flat = over
            continue
        weight = _weight(laid.amount, laid.mask, mask, width, height)
        if hole is not None:
            weight = weight * composite(hole, "opacity", laid.uv, laid.wrap, width, height)
        flat = combine_layers(flat, over, "mix", weight)
        flat = normalise(flat) if name == "normal" else flat
    return np.ascontiguousarray(flat, np.float32)


def _weight(
    amount: float, mask: Mask | None, values: Float | None, width: int, height: int
) -> Float | float:
    """How much of a layer counts, 0–1, `(height, width)` where it has a mask."""
    if mask is None or values is None:
        return amount
    placed = composite(
        values, "height", mask.uv or UvTransform(), mask.wrap or REPEAT, width, height
    )
    return np.float32(amount) * placed


def _normals(stored: Float, normal_y: NormalY | None) -> Float:
    """Unit normals, +Y, of a map's values; of two-channel maps z follows from x and y."""
    if not lacks_blue(stored):
        return decode_normals(stored, normal_y)
    normals = rebuild_blue(raw_vectors(stored))
    return flip_green(normals) if normal_y == "-" else normals


def at_size(
    values: Float,
    name: InputName,
    width: int,
    height: int,
    cutoff: float | None = None,
    *,
    wrap: WrapPair = ("clamp", "clamp"),
    seen: Float | None = None,
) -> Float:
    """An input's canonical values at another size; normals stay unit, a cut-out with a `cutoff`
    keeps its coverage, and colours count as far as they are `seen` (opacity, of any size)."""
    if values.shape[:2] == (height, width):
        return values
    shrinks = width <= values.shape[1] and height <= values.shape[0]
    if name == "base_color" and seen is not None and shrinks:
        return shrink_seen(values, resize(seen, values.shape[1], values.shape[0]), width, height)
    sized = resize(values, width, height, wrap)
    if name == "opacity" and cutoff is not None and sized.size < values.size:
        return keep_coverage(sized, cutoff, covered_share(values, cutoff))
    return normalise(sized) if name == "normal" else sized


def _source_result(source: Source, name: InputName, find: FindMap) -> Float:
    if source.map is None:
        values = constant_values(source, name)
        return normalise(values) if name == "normal" else adjust(values, source, name)
    file = find(source.map)
    values = feed_values(file.image, file.encoding, source, name)
    return _normals(values, file.normal_y) if name == "normal" else adjust(values, source, name)


def _mask(mask: Mask, find: FindMap) -> Float:
    file = find(mask.map)
    values = decode_channels(file.image, mask.channels, file.encoding)
    values = 1.0 - values if mask.invert else values
    if mask.contrast == 1.0 and mask.pivot == 0.5:
        return values
    spread = (values - mask.pivot) * mask.contrast + 0.5
    return np.asarray(np.clip(spread, 0.0, 1.0), np.float32)


def resolve_feed(
    loader: MapLoader, feed: Feed, name: InputName, *, with_strength: bool = True
) -> Float:
    """What a feed gives in a project, as `feed_result`.

    Raises `EktoposError` if the feed cannot fill the input, `MissingReference` or `UnreadableFile`
    for its maps.
    """
    document = loader.project.document
    problem = feed_problem(document, feed, name)
    if problem:
        raise EktoposError(problem, hint="Change the feed.")
    return feed_result(feed, name, loader.find, with_strength=with_strength)


def resolve_input(loader: MapLoader, feeds: dict[InputName, Feed], name: InputName) -> Float:
    """One input of a material as a canonical array. Raises as `resolve_feed`, and for an input
    without any feed."""
    if name not in feeds:
        raise MissingReference(f"nothing feeds {name}.", hint="Choose a map or a constant.")
    return resolve_feed(loader, feeds[name], name)


def reduce_image(image: Image, encoding: Encoding, longest: int) -> Image:
    """A small copy of a map in linear float16, whose longer side is at most `longest` texels.

    Colour is averaged in linear light, alpha apart from it. Because float images are linear, a feed
    reads the copy exactly as it reads the map. Decoded in bands, so that the copy never costs more
    memory than the map.
    """
    width, height = fit_within(image.width, image.height, longest)

    def reduced(position: int) -> Float:
        is_alpha = image.has_alpha and position == image.channels - 1
        plane = _averaged(
            image.pixels[..., position], "linear" if is_alpha else encoding, width, height
        )
        return resize(plane, width, height)

    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        planes = list(pool.map(reduced, range(image.channels)))
    return Image(np.stack(planes, axis=-1).astype(np.float16))


def _averaged(plane: Pixels, encoding: Encoding, width: int, height: int) -> Float:
    """Means of the whole blocks of texels that fit into one texel of `width` × `height`, linear."""
    step = max(1, min(plane.shape[1] // width, plane.shape[0] // height))
    columns, rows = plane.shape[1] // step, plane.shape[0] // step
    means = np.empty((rows, columns), np.float32)
    for top in range(0, rows, _BAND):
        bottom = min(rows, top + _BAND)
        values = _linear(
            np.ascontiguousarray(plane[top * step : bottom * step, : columns * step]), encoding
        )
        means[top:bottom] = values if step == 1 else resize(values, columns, bottom - top)
    return means


def _linear(codes: Pixels, encoding: Encoding) -> Float:
    if codes.dtype == np.uint8:
        return np.asarray(cv2.LUT(codes, decode_table(8, encoding)), np.float32)
    if codes.dtype == np.uint16:
        return decode_table(16, encoding)[codes]
    return codes.astype(np.float32)
