"""Split a packed map into single maps, and pack single maps into one: operations on files, apart
from any material."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ektopos.base.errors import EktoposError
from ektopos.base.types import Pixels
from ektopos.images import Image

LETTERS = "rgba"


def split_channels(image: Image) -> dict[str, Image]:
    """Every channel of a map as a grey map of its own, in the same depth: by its letter; grey
    images give `r` (and `a`)."""
    names = {1: "r", 2: "ra", 3: "rgb", 4: "rgba"}[image.channels]
    return {
        letter: Image(np.ascontiguousarray(image.pixels[..., i : i + 1]))
        for i, letter in enumerate(names)
    }


def pack_channels(channels: Mapping[str, Pixels], fill: float = 0.0) -> Image:
    """One map from single channels `(h, w)`, by the letters r, g, b and a.

    Colours that are not given are filled with `fill` (0–1). All must have one size and one depth:
    nothing is resampled or rounded here. Raises `EktoposError` otherwise.
    """
    given = {letter: np.asarray(channels[letter]) for letter in LETTERS if letter in channels}
    if not given or set(channels) - set(LETTERS):
        raise EktoposError("name the channels r, g, b or a.", subject=", ".join(channels) or "pack")
    first = next(iter(given.values()))
    for letter, plane in given.items():
        if plane.ndim != 2 or plane.shape != first.shape or plane.dtype != first.dtype:
            raise EktoposError(
                "packed channels need one size and one depth.",
                subject=letter.upper(),
                hint="Resize or convert them first.",
            )
    largest = np.iinfo(first.dtype).max if np.issubdtype(first.dtype, np.integer) else 1.0
    blank = np.full(first.shape, fill * largest, first.dtype)
    planes = [given.get(letter, blank) for letter in "rgb"] + ([given["a"]] if "a" in given else [])
    return Image(np.stack(planes, axis=-1))
