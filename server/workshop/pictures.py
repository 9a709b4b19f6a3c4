"""Pictures for the screen: reduced maps, stage pictures, regions of maps. All cached by content and
recipe."""

from __future__ import annotations

import contextlib
import json
import os
import threading
from collections import OrderedDict
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.base.types import Decoding, Float, Pixels
from ektopos.base.vectors import degrees_from_flat, encode_normals, raw_vectors
from ektopos.document import COLOUR_INPUTS, UvTransform
from ektopos.images import (
    Image,
    encode_png,
    fit_within,
    in_srgb,
    linear_to_srgb,
    quantise,
    read_image,
    resize,
)
from ektopos.images.image import as_float
from ektopos.materials.inheritance import Placement
from ektopos.materials.preview import STAGE_PICTURES, recipe_key, recipe_values, stage_picture
from ektopos.materials.resolve import reduce_image
from ektopos.rendering import LIGHTS, SurfaceInputs
from ektopos.rendering.filtered import LIGHTS_KEY, filtered_lights
from ektopos.rendering.render import picture, render_hits
from ektopos.rendering.specimen import specimen_hits
from server.workshop.models import MapFacts
from server.workshop.store import (
    cache_path,
    content_path,
    fetch,
    named,
    recipe_path,
    share_file,
    write_array,
    writing,
)

REDUCED = 1024
QUICK = 256
"""Longest sides of the two reduced copies of every map: full preview size, and the size that
answers while dragging."""
DECODED_BYTES = 768 * 2**20

MOST_WAITING = 24

_making = threading.BoundedSemaphore(os.cpu_count() or 1)
_waiting = threading.BoundedSemaphore(MOST_WAITING)
_reading = threading.BoundedSemaphore(os.cpu_count() or 1)
"""Maps are decoded by no more threads than there are cores; whoever makes a picture may wait for
it, never the other way."""


class Busy(EktoposError):
    """So many pictures are being made that this one has to be asked for again."""

    def __init__(self) -> None:
        super().__init__(
            "so many pictures are being made that this one has to wait.",
            hint="It is asked for again.",
        )


_decoded: OrderedDict[str, Image] = OrderedDict()
_decoding = threading.Lock()


def keep_reduced(sha256: str, image: Image) -> None:
    """Keep a map's reduced copies, for every way it can be decoded (float has only one)."""
    ways: dict[Decoding, Image] = {"linear": image}
    if not image.is_float:
        ways |= {"srgb": in_srgb(image), "stored": image}
    if image.profile is None:
        ways.pop("stored", None)
    for decoding, pixels in ways.items():
        full = reduce_image(pixels, "linear" if decoding == "linear" else "srgb", REDUCED)
        width, height = fit_within(full.width, full.height, QUICK)
        quick = Image(resize(full.pixels.astype(np.float32), width, height).astype(np.float16))
        for size, reduced in ((REDUCED, full), (QUICK, quick)):
            path = cache_path("reduced", f"{sha256}-{decoding}-{size}.npy")
            write_array(path, reduced.pixels)


@lru_cache(maxsize=48)
def reduced_map(key: str, size: int) -> Image:
    """A reduced copy by content and decoding (`sha-decoding`); made again if the cache was
    emptied.
    """
    sha256, _, decoding = key.partition("-")
    facts = MapFacts.objects.filter(sha256=sha256).first()
    header = facts.facts["header"] if facts is not None else {}
    if header.get("is_float"):
        decoding = "linear"
    elif decoding == "stored" and not header.get("profile"):
        decoding = "srgb"
    path = cache_path("reduced", f"{sha256}-{decoding}-{size}.npy")
    with contextlib.suppress(OSError, ValueError, EOFError):
        return Image(np.load(path))
    keep_reduced(sha256, decoded(sha256))
    return Image(np.load(path))


def decoded(sha256: str) -> Image:
    """A map at full size, the last few kept."""
    with _decoding:
        if sha256 in _decoded:
            _decoded.move_to_end(sha256)
            return _decoded[sha256]
    with _reading:
        image = read_image(content_file(sha256))
    with _decoding:
        _decoded[sha256] = image
        while (
            len(_decoded) > 1
            and sum(kept.pixels.nbytes for kept in _decoded.values()) > DECODED_BYTES
        ):
            _decoded.popitem(last=False)
    return image


def content_file(sha256: str) -> Path:
    """A map's content under a name with its suffix."""
    facts = MapFacts.objects.filter(sha256=sha256).first()
    if facts is None:
        raise MissingReference("there is no such map.", subject=sha256[:12])
    suffix = {"jpeg": ".jpg", "targa": ".tga", "tiff": ".tif", "openexr": ".exr"}
    kind = facts.facts["header"]["format"]
    return named(content_path(sha256), "map" + suffix.get(kind, f".{kind}"))


def keep_recipe(recipe: dict[str, Any]) -> str:
    """Keep a recipe so that its picture can be asked for; gives its key."""
    key = recipe_key(recipe)
    path = recipe_path(f"{key}.json")
    try:
        os.utime(path)
    except OSError:
        with writing(path) as temporary:
            temporary.write_text(json.dumps(recipe))
        share_file(path)
    return key


def kept_recipe(key: str) -> dict[str, Any]:
    """A recipe by its key. Raises `MissingReference` if it was not kept, or so long ago that it is
    gone."""
    path = recipe_path(f"{key}.json")
    fetch(path)
    try:
        recipe: dict[str, Any] = json.loads(path.read_text())
    except (OSError, ValueError):
        raise MissingReference(
            "there is no such picture any more.", subject=key[:12], hint="Load the page again."
        ) from None
    return recipe


def kept_or_made(path: Path, make: Callable[[], bytes]) -> bytes:
    """A picture from the cache, or made; no more are made at once than there are cores, whoever
    asks.

    Raises `Busy` where so many wait for theirs that one more would keep all else waiting.
    """
    with contextlib.suppress(OSError):
        return path.read_bytes()
    if not _waiting.acquire(blocking=False):
        raise Busy
    try:
        with _making:
            with contextlib.suppress(OSError):
                return path.read_bytes()
            content = make()
    finally:
        _waiting.release()
    with writing(path) as temporary:
        temporary.write_bytes(content)
    return content


def recipe_png(key: str, size: int) -> bytes:
    """The picture of a kept recipe. Raises `MissingReference` if nothing was kept under that
    key.
    """

    def make() -> bytes:
        recipe = kept_recipe(key)
        source = QUICK if size <= QUICK else REDUCED
        if recipe["picture"] == "solo":
            return encode_png(solo_picture(recipe, source))
        if recipe["picture"] not in STAGE_PICTURES:
            raise MissingReference(
                "it is no picture for the stage.", subject=key[:12], hint="Load the page again."
            )
        return encode_png(stage_picture(recipe, lambda name: reduced_map(name, source), size)[0])

    return kept_or_made(cache_path("pictures", f"{key}-{size}.png"), make)


def lights(key: str) -> bytes:
    """The filtered set-ups. Raises `MissingReference` for any key but that of this version's."""
    if key != LIGHTS_KEY:
        raise MissingReference(
            "these lights are of another version.", subject=key[:20], hint="Load the page again."
        )
    return kept_or_made(cache_path("pictures", f"lights-{key}.bin"), filtered_lights)


def swatch_png(key: str, light: str, size: int) -> bytes:
    """A material by its recipe, rendered on the specimen. Raises `MissingReference` for an unknown
    recipe or light."""
    if light not in LIGHTS:
        raise MissingReference(
            "there is no such light.", subject=light[:40], hint="Load the page again."
        )

    def make() -> bytes:
        recipe = kept_recipe(key)
        if recipe["picture"] != "material":
            raise MissingReference(
                "it is no picture of a material.", subject=key[:12], hint="Load the page again."
            )
        look = SurfaceInputs(
            {
                name: recipe_values(recipe, name, lambda map_key: reduced_map(map_key, QUICK))
                for name in recipe["inputs"]
            },
            recipe["alpha_mode"],
            recipe["alpha_cutoff"],
            recipe["double_sided"],
            {
                name: Placement(UvTransform.model_validate(place["uv"]), tuple(place["wrap"]))
                for name, place in recipe["places"].items()
            },
            recipe["filter"],
            recipe["unlit"],
            recipe["ior"],
        )
        # Twice the size, then halved: smooth edges.
        drawn = render_hits(specimen_hits(size * 2), {"specimen": look}, LIGHTS[light])
        return encode_png(quantise(picture(resize(drawn, size, size)), 8))

    return kept_or_made(cache_path("pictures", f"{key}-{light}-{size}.png"), make)


def solo_picture(recipe: dict[str, Any], source: int) -> Pixels:
    """One input by itself, as it is best seen: colour as sRGB, normals encoded, data as grey."""
    (name,) = recipe["inputs"]
    values = recipe_values(recipe, name, lambda key: reduced_map(key, source))
    if name == "normal":
        return quantise(encode_normals(values), 8)
    if name in COLOUR_INPUTS:
        return quantise(linear_to_srgb(values / max(1.0, float(values.max()))), 8)
    # Quantities that are no share of 1, an index of refraction or a length, are shown against their
    # largest.
    return quantise(np.repeat(values[..., None], 3, axis=2) / max(1.0, float(values.max())), 8)


def map_view(image: Image, view: str) -> Pixels:
    """A map, or one of its channels, as 8-bit pixels for the screen: as stored, floats as sRGB."""
    pixels = image.rgb() if view == "rgb" else image.channel(view)
    if pixels is None:
        raise EktoposError("the map has no alpha.", hint="Choose another channel.")
    if pixels.dtype == np.uint8:
        shown: Float | Pixels = pixels
    elif image.is_float and view == "rgb":
        shown = quantise(linear_to_srgb(np.clip(as_float(pixels), 0, 1)), 8)
    else:
        shown = quantise(as_float(pixels), 8)
    return np.asarray(shown if shown.ndim == 3 else shown[..., None])


def map_png(sha256: str, view: str, size: int) -> bytes:
    """A map or channel fitted into `size` texels. Small sizes come from the reduced copy."""

    def make() -> bytes:
        if size > REDUCED:
            return encode_png(map_view(decoded(sha256), view))
        content_file(sha256)
        small = reduced_map(f"{sha256}-linear", QUICK if size <= QUICK else REDUCED)
        width, height = fit_within(small.width, small.height, size)
        values = resize(small.pixels.astype(np.float32), width, height)
        is_float = MapFacts.objects.get(sha256=sha256).facts["header"]["is_float"]
        return encode_png(map_view(Image(values if is_float else quantise(values, 8)), view))

    return kept_or_made(cache_path("views", f"{sha256}-{view}-{size}.png"), make)


def region_picture(sha256: str, view: str, x: int, y: int, width: int, height: int) -> bytes:
    """Part of a map, texel for texel."""
    image = decoded(sha256)
    part = image.pixels[y : y + height, x : x + width]
    if not part.size:
        raise EktoposError("that is outside the map.")
    return encode_png(map_view(Image(part), view))


def texel_at(sha256: str, x: int, y: int) -> dict[str, Any]:
    """One texel's numbers: codes, values 0–1, linear values, and degrees from flat if it is read as
    a normal."""
    image = decoded(sha256)
    if not (0 <= x < image.width and 0 <= y < image.height):
        raise EktoposError("that is outside the map.")
    stored = image.pixels[y, x]
    values = as_float(stored)
    names = {1: "r", 2: "ra", 3: "rgb", 4: "rgba"}[image.channels]
    vector = raw_vectors(values[:3])
    is_vector = image.channels >= 3 and float(np.linalg.norm(vector)) > 1e-6
    tilt = float(degrees_from_flat(vector)) if is_vector else None
    return {
        "channels": list(names),
        "codes": None if image.is_float else [int(code) for code in stored],
        "values": [float(value) for value in values],
        "degrees_from_flat": tilt,
    }


def difference_png(sha256: str, other: str, size: int) -> bytes:
    """Where two maps differ, in any channel, as stored; the largest difference is white. The second
    is brought to the first one's size. Raises `MissingReference` and its kin."""

    def make() -> bytes:
        small = QUICK if size <= QUICK else REDUCED
        one, two = (reduced_map(f"{sha}-linear", small) for sha in (sha256, other))
        width, height = fit_within(one.width, one.height, size)
        first, second = (
            resize(image.pixels.astype(np.float32), width, height) for image in (one, two)
        )
        if first.shape[2] != second.shape[2]:
            # One has channels that the other lacks: those are compared that both have.
            channels = min(first.shape[2], second.shape[2])
            first, second = first[..., :channels], second[..., :channels]
        apart = np.nan_to_num(np.abs(first - second)).max(axis=2, keepdims=True)
        most = float(apart.max())
        return encode_png(quantise(apart / most if most > 0 else apart, 8))

    return kept_or_made(cache_path("views", f"{sha256}-less-{other}-{size}.png"), make)
