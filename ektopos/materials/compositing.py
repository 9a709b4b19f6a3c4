"""Pictures laid into another: where a layer, or a whole feed under a cover, lies on what is made of
all of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from ektopos.base.types import Float, Values, Wrap, WrapPair
from ektopos.base.vectors import normalise
from ektopos.document import Feed, InputName, UvTransform
from ektopos.images import resize
from ektopos.materials.texel_coverage import transform_uvs

MOST_TIMES, MOST_SIDE = 2, 4096
"""A picture that repeats in another makes that larger, so that its texels are kept: at most so many
times as large as the largest source, and at most so many texels a side."""

_BORDERS: dict[Wrap, int] = {
    "repeat": cv2.BORDER_WRAP,
    "clamp": cv2.BORDER_REPLICATE,
    "mirror": cv2.BORDER_REFLECT,
}

Size = tuple[int, int]
"""Width and height in texels."""


def feed_size(feed: Feed, size_of: Callable[[str], Size]) -> Size:
    """The size of what a feed gives, of its maps' sizes: (1, 1) for a constant."""
    if feed.laid:
        parts = [(feed_size(laid.feed, size_of), laid.uv) for laid in feed.laid]
        masks = [
            (size_of(laid.mask.map), laid.mask.uv or UvTransform())
            for laid in feed.laid
            if laid.mask is not None
        ]
        return flat_size([*parts, *masks])
    if feed.converted is not None:
        both = feed.converted.diffuse, feed.converted.f0
        return max((feed_size(part, size_of) for part in both), key=lambda size: size[0] * size[1])
    names = {feed.map} if feed.map is not None else feed.maps()
    sizes = [size_of(name) for name in names if name is not None]
    return max(sizes, key=lambda size: size[0] * size[1], default=(1, 1))


def flat_size(parts: Sequence[tuple[Size, UvTransform]]) -> Size:
    """The size that keeps the texels of pictures that lie at these places, within bounds."""
    sizes = [(size, uv) for size, uv in parts if size != (1, 1)]
    if not sizes:
        return 1, 1
    most = max(max(size) for size, _ in sizes)
    limit = max(most, min(MOST_TIMES * most, MOST_SIDE))
    width, height = (
        max(size[axis] * max(1.0, abs(uv.tiling[axis])) for size, uv in sizes) for axis in (0, 1)
    )
    return min(limit, round(width)), min(limit, round(height))


def composite(
    values: Float, name: InputName, uv: UvTransform, wrap: WrapPair, width: int, height: int
) -> Float:
    """An input's values `(h, w)` or `(h, w, 3)` as they lie in a picture of `width` × `height`
    whose UVs `uv` turns into their own: `(height, width, …)`.

    Shrunk by areas where they repeat, then interpolated linearly. Normals turn along with what they
    are the normals of, and stay unit.
    """
    if values.shape[:2] == (1, 1):
        return np.broadcast_to(values, (height, width, *values.shape[2:]))
    if uv.is_identity:
        sized = resize(values, width, height, wrap)
        return normalise(sized) if name == "normal" else sized
    across, down = (max(1e-6, abs(tiles)) for tiles in uv.tiling)
    if abs(np.sin(uv.rotation)) > np.sqrt(0.5):
        across, down = down, across
    columns = min(values.shape[1], max(1, round(width / across)))
    rows = min(values.shape[0], max(1, round(height / down)))
    values = resize(values, columns, rows, wrap)
    u, v = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    own = transform_uvs(np.stack([u, v], axis=-1), uv)
    laid = look_up(values, own, wrap)
    return normalise(_turned(laid, uv)) if name == "normal" else laid


def look_up(values: Float, uvs: Values, wrap: WrapPair) -> Float:
    """A picture's values `(h, w, …)` at UVs `(rows, columns, 2)`, interpolated linearly between
    texel centres: `(rows, columns, …)`. Fewer than 32,767 rows and columns."""
    height, width = values.shape[:2]
    x = _inside(uvs[..., 0] * width - 0.5, width, wrap[0])
    y = _inside(uvs[..., 1] * height - 0.5, height, wrap[1])
    # A border of one texel, as the side wraps, is all that interpolation reaches beyond.
    framed = np.ascontiguousarray(values, np.float32)
    framed = np.asarray(cv2.copyMakeBorder(framed, 1, 1, 0, 0, _BORDERS[wrap[1]]), np.float32)
    framed = np.asarray(cv2.copyMakeBorder(framed, 0, 0, 1, 1, _BORDERS[wrap[0]]), np.float32)
    read = cv2.remap(framed, x + 1, y + 1, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(read, np.float32).reshape(*uvs.shape[:2], *values.shape[2:])


def _inside(place: Values, side: int, wrap: Wrap) -> Float:
    """Places in texels brought within −1 … `side`."""
    if wrap == "repeat":
        place = (place + 0.5) % side - 0.5
    elif wrap == "mirror":
        place = (place + 0.5) % (2 * side)
        place = np.minimum(place, 2 * side - place) - 0.5
    return np.asarray(np.clip(place, -1.0, side), np.float32)


def _turned(normals: Float, uv: UvTransform) -> Float:
    """Normals, +Y, of a picture that lies turned or mirrored: x and y follow its own axes."""
    corner, right, down = transform_uvs(np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]), uv)
    matrix = np.linalg.pinv(np.stack([right - corner, down - corner], axis=1))
    along, across = (column / max(float(np.linalg.norm(column)), 1e-9) for column in matrix.T)
    x, y = normals[..., 0], normals[..., 1]
    return np.stack(
        [x * along[0] - y * across[0], y * across[1] - x * along[1], normals[..., 2]], axis=-1
    ).astype(np.float32)
