"""What the screen shows of a material: pictures for the stage, and facts of what each input gives.

A stage picture is named by its recipe: the feeds it is made of with the contents of their maps.
Equal recipes are equal pictures, so they are cached for good, and a change to one input only makes
that input's picture again.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, cast, get_args

import numpy as np

from ektopos.base.hashing import hash_json
from ektopos.base.types import Float, Json, Pixels
from ektopos.base.vectors import degrees_from_flat, encode_normals, normalise
from ektopos.document import COLOUR_INPUTS, TABLE, Feed, InputName, MapEntry
from ektopos.images import Image, fit_within, linear_to_srgb, luminance, quantise, resize
from ektopos.materials.inheritance import Material
from ektopos.materials.resolve import Decoded, feed_result

StagePicture = Literal[
    "base",
    "orm",
    "occlusion",
    "normal",
    "emission",
    "height",
    "specular",
    "coat",
    "sheen",
    "through",
    "inside",
]
STAGE_PICTURES: dict[StagePicture, tuple[InputName, ...]] = {
    "base": ("base_color", "opacity"),
    "orm": ("roughness", "metallic", "occlusion"),
    "occlusion": ("occlusion",),
    "normal": ("normal",),
    "emission": ("emission",),
    "height": ("height",),
    "specular": ("specular",),
    "coat": ("clearcoat", "clearcoat_roughness"),
    "sheen": ("sheen", "sheen_roughness"),
    "through": ("transmission", "thickness"),
    "inside": ("subsurface_color", "subsurface"),
}
assert set(STAGE_PICTURES) == set(get_args(StagePicture))
HISTOGRAM_BINS = 32

ReducedMap = Callable[[str], Image]
"""A reduced, linear float copy of a map, by the hash of its content and encoding."""


@dataclass(frozen=True)
class FeedPreview:
    """What an input gives, in numbers."""

    low: float
    high: float
    mean: float
    histogram: list[float]
    """Share of texels in `HISTOGRAM_BINS` equal steps from 0 to 1 (degrees from flat / 90 for
    normals)."""
    unit: str
    """`value`, `luminance` or `degrees`."""


def stage_recipe(
    material: Material,
    picture: StagePicture,
    maps: dict[str, MapEntry],
    content: Callable[[str], str],
) -> Json:
    """The recipe of one stage picture: plain JSON, complete, and the same for equal pictures.

    `content` gives the hash of a map's file by the map's name.
    """
    parts: Json = {}
    for name in STAGE_PICTURES[picture]:
        feed = material.feeds.get(name)
        if feed is None or (name == "opacity" and material.alpha_mode == "opaque"):
            continue
        parts[name] = feed_recipe(feed, maps, content)
    return {"picture": picture, "inputs": parts}


def feed_recipe(feed: Feed, maps: dict[str, MapEntry], content: Callable[[str], str]) -> Json:
    """A feed with its maps named by what they are: content, encoding and direction of green,
    instead of a name."""
    named = {}
    for name in feed.maps():
        entry = maps[name]
        named[name] = f"{content(name)}-{entry.decoding}-{entry.normal_y or '+'}"
    plain = feed.model_dump(mode="json", exclude_defaults=True, exclude={"uv", "wrap"})
    return cast(Json, _with_maps(plain, named))


def _with_maps(value: Any, named: dict[str, str]) -> Any:
    """A dumped feed with every map in it under its other name."""
    if isinstance(value, list):
        return [_with_maps(part, named) for part in value]
    if not isinstance(value, dict):
        return value
    return {
        key: named[part] if key == "map" and part is not None else _with_maps(part, named)
        for key, part in value.items()
    }


def recipe_key(recipe: Json) -> str:
    """A recipe's name: 40 hexadecimal digits."""
    return hash_json(recipe)[:40]


def recipe_values(recipe: Json, name: InputName, reduced: ReducedMap) -> Float:
    """One input of a recipe as a canonical array at the size of its reduced map."""
    plain = recipe["inputs"].get(name)

    def find(key: str) -> Decoded:
        content, encoding, normal_y = key.split("-", 2)
        # The reduced copy is linear already.
        return Decoded(reduced(f"{content}-{encoding}"), "linear", "-" if normal_y == "-" else "+")

    return feed_result(
        Feed(value=TABLE[name].default) if plain is None else Feed.model_validate(plain),
        name,
        find,
    )


def stage_picture(recipe: Json, reduced: ReducedMap, longest: int) -> tuple[Pixels, float]:
    """The picture of a recipe for the stage, `(h, w, 3 or 4)` uint8, and the factor it was divided
    by.

    Base colour and emission are sRGB (emission divided by its largest value, which is the factor;
    all others have 1), opacity is their alpha; occlusion, roughness and metallic are R, G and B;
    normals are encoded +Y. The pictures of glTF's extensions are laid out as those want their
    textures.
    """
    kind: StagePicture = recipe["picture"]
    planes = {name: recipe_values(recipe, name, reduced) for name in STAGE_PICTURES[kind]}
    width = max(values.shape[1] for values in planes.values())
    height = max(values.shape[0] for values in planes.values())
    width, height = fit_within(width, height, longest)
    planes = {name: resize(values, width, height) for name, values in planes.items()}
    if kind == "base":
        colour = linear_to_srgb(planes["base_color"])
        return quantise(np.concatenate([colour, planes["opacity"][..., None]], axis=2), 8), 1.0
    if kind == "orm":
        return quantise(
            np.stack([planes["occlusion"], planes["roughness"], planes["metallic"]], axis=2), 8
        ), 1.0
    if kind == "normal":
        return quantise(encode_normals(normalise(planes["normal"])), 8), 1.0
    if kind in ("height", "occlusion"):
        (values,) = planes.values()
        return quantise(np.repeat(values[..., None], 3, axis=2), 8), 1.0
    if kind == "specular":
        return quantise(np.repeat(planes["specular"][..., None], 4, axis=2), 8), 1.0
    if kind in ("sheen", "inside"):
        # A colour, and a number beside it.
        colour, number = (planes[name] for name in STAGE_PICTURES[kind])
        beside = np.concatenate([linear_to_srgb(colour), number[..., None]], axis=2)
        return quantise(beside, 8), 1.0
    if kind in ("coat", "through"):
        first, second = (planes[name] for name in STAGE_PICTURES[kind])
        return quantise(np.stack([first, second, np.zeros_like(first)], axis=2), 8), 1.0
    factor = max(1.0, float(planes["emission"].max()))
    return quantise(linear_to_srgb(planes["emission"] / factor), 8), factor


def feed_preview(values: Float, name: InputName) -> FeedPreview:
    """The facts of a canonical array that stand at the end of a feed sheet's row.

    `values` is `(h, w)` or `(h, w, 3)` in the input's own unit and range.
    """
    unit = "value"
    scale = 1.0
    if name == "normal":
        values, unit, scale = degrees_from_flat(values), "degrees", 90.0
    elif name in COLOUR_INPUTS:
        values, unit = luminance(values), "luminance"
    counts, _ = np.histogram(
        np.clip(values / scale, 0.0, 1.0), bins=HISTOGRAM_BINS, range=(0.0, 1.0)
    )
    return FeedPreview(
        low=float(values.min()),
        high=float(values.max()),
        mean=float(values.mean(dtype=np.float64)),
        histogram=[round(float(count) / values.size, 5) for count in counts],
        unit=unit,
    )
