"""Make a normal map of what feeds a material's height."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.base.types import Progress
from ektopos.base.vectors import encode_normals
from ektopos.document import Document, Feed, Layer, MapEntry
from ektopos.edits import ChangeFeed, Edit, Import, SetFeed
from ektopos.images import quantise, write_image
from ektopos.maps import map_name
from ektopos.maps.normals import height_to_normal
from ektopos.materials import MapLoader, resolve_inheritance
from ektopos.materials.resolve import resolve_feed
from server.workshop.jobs.measuring import keep_map
from server.workshop.models import Job


def normal(
    job: Job, progress: Progress
) -> Callable[[Document], tuple[list[Edit], dict[str, str], Any]]:
    """A normal map of a material's height (`material`), `depth` of its width deep, that feeds its
    normal, or lies `over` it as detail; one step to undo."""
    material, depth = str(job.arguments["material"]), float(job.arguments["depth"])
    document = job.project.document
    whole = resolve_inheritance(document, material)
    feed = whole.feeds.get("height")
    if feed is None or not feed.maps():
        raise EktoposError("no map feeds its height.", subject=material, hint="Feed it from a map.")
    progress(0.2, "reading the height")
    height = resolve_feed(MapLoader(job.project.core()), feed, "height")
    progress(0.5, "making normals")
    repeats = whole.placement("height").wrap == ("repeat", "repeat")
    normals = height_to_normal(height, depth * height.shape[1], wrap=repeats)
    # 16 bits: of gentle slopes 8 would leave steps.
    pixels = quantise(np.asarray(encode_normals(normals), np.float32), 16)
    wanted = f"{material}_height_normal.png"
    sha = keep_map(wanted, partial(write_image, pixels=pixels))
    source = document.maps.get(feed.map or "")

    def finish(document: Document) -> tuple[list[Edit], dict[str, str], Any]:
        if material not in document.materials:
            raise MissingReference(
                "there is no such material.", subject=material, hint="It was removed meanwhile."
            )
        entry = map_name(wanted, set(document.maps))
        file = f"maps/made/{entry}.png"
        made = MapEntry(
            file=file,
            roles={"rgb": "normal"},
            normal_y="+",
            set=(source and source.set) or material,
            by_hand=True,
        )
        edits: list[Edit] = [Import(maps={entry: made})]
        now = resolve_inheritance(document, material).feeds["normal"]
        if job.arguments["over"]:
            detail = Layer(map=entry, channels="rgb", op="normal")
            layers = [layer.model_dump(mode="json") for layer in (*now.layers, detail)]
            edits.append(ChangeFeed(material=material, input="normal", change={"layers": layers}))
        else:
            fresh = Feed(map=entry, channels="rgb", uv=feed.uv, wrap=feed.wrap)
            edits.append(SetFeed(material=material, input="normal", feed=fresh))
        return edits, {file: sha}, {"map": entry, "material": material}

    return finish
