"""Palettes: small maps of colour squares. Common practice; there is no published source."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path

import numpy as np

from ektopos.base.errors import UnreadableFile
from ektopos.checks.registry import Examined, Finding, Number, Remedy, check, finding
from ektopos.checks.thresholds import LARGEST_PALETTE, MOST_COLOURS
from ektopos.edits import SetSetting
from ektopos.images import Image, read_image


@check
def palettes(examined: Examined) -> Iterator[Finding]:
    """Palettes that are filtered linearly, and triangles that reach over the edge of a square."""
    for name, material in examined.materials.items():
        feed = material.feeds["base_color"]
        header = examined.headers.get(feed.map or "")
        if feed.map is None or header is None or max(header.width, header.height) > LARGEST_PALETTE:
            continue
        path = examined.project.map_path(feed.map)
        image = _palette(path, path.stat().st_mtime_ns)
        if image is None:
            continue
        if material.filter == "linear":
            yield finding(
                "palette-filtered",
                f"material {name}",
                f"{feed.map} is a palette, and it is filtered linearly.",
                evidence=f"{header.width} × {header.height} texels",
                remedy=Remedy(
                    "Use nearest filter",
                    "Sets the material’s filter to nearest.",
                    [SetSetting(material=name, setting="filter", value="nearest")],
                ),
            )
        for mesh_name, slot, worn in examined.worn():
            mesh = examined.mesh(mesh_name) if worn.name == name else None
            if mesh is None or slot.name not in mesh.slots:
                continue
            own = mesh.corner_uvs()[mesh.triangle_slot == mesh.slots.index(slot.name)]
            crossing = crossed_squares(image, own)
            if crossing:
                yield finding(
                    "palette-square-crossed",
                    f"mesh {mesh_name} · {slot.name}",
                    f"{crossing} of {len(own)} triangles reach over the edge of a "
                    f"square of {feed.map}.",
                    numbers=(Number("triangles", f"{crossing}", f"of {len(own)}"),),
                )


@lru_cache(maxsize=256)
def _palette(path: Path, changed: int) -> Image | None:
    """A small picture of few colours, read once for as long as its file stays as it is; `None` for
    any other."""
    try:
        image = read_image(path)
    except UnreadableFile:
        return None
    colours = np.unique(image.pixels.reshape(-1, image.channels), axis=0)
    return image if len(colours) <= MOST_COLOURS else None


def crossed_squares(
    image: Image, corner_uvs: np.ndarray[tuple[int, ...], np.dtype[np.float64]]
) -> int:
    """How many triangles `(t, 3, 2)` meet different colours at their corners (drawn in a little)
    and their middle."""
    middle = corner_uvs.mean(axis=1, keepdims=True)
    points = np.concatenate([middle + (corner_uvs - middle) * 0.98, middle], axis=1)
    points = points[np.isfinite(points).all(axis=(1, 2))] % 1.0
    x = np.minimum((points[..., 0] * image.width).astype(int), image.width - 1)
    y = np.minimum((points[..., 1] * image.height).astype(int), image.height - 1)
    colours = image.pixels[y, x]
    return int((colours != colours[:, :1]).any(axis=(1, 2)).sum())
