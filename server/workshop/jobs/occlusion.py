"""Bake a mesh's occlusion into a map of the project."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from django.conf import settings

from ektopos.document import Document, Feed, MapEntry
from ektopos.edits import BringIn, SetFeed
from ektopos.images import quantise, read_header, read_image, write_image
from ektopos.maps import map_name
from ektopos.maps.identify import facts_of_image
from ektopos.maps.sets import sets_of
from ektopos.meshes.bake import bake_occlusion
from ektopos.types import Progress
from server.workshop.meshing import mesh_at
from server.workshop.models import Job, MapFacts
from server.workshop.pictures import keep_reduced
from server.workshop.store import put_file


def occlusion(job: Job, progress: Progress) -> dict[str, Any]:
    """Bake the slots that share a slot's material into one map, and feed it to that material; one step to undo."""
    mesh_name, slot = str(job.arguments["mesh"]), str(job.arguments["slot"])
    document = job.project.document
    mesh = mesh_at(job.project.head, mesh_name)
    worn = document.meshes[mesh_name].slots
    material = worn.get(slot)
    slots = [s for s in mesh.slots if s == slot or (material is not None and worn.get(s) == material)]
    filled = [s for s in slots if (mesh.triangle_slot == mesh.slots.index(s)).any()] or [slot]
    baked = bake_occlusion(
        mesh, filled, int(job.arguments["size"]), samples=int(job.arguments["samples"]),
        progress=lambda share, what: progress(0.95 * share, what),
    )  # fmt: skip
    entry = map_name(f"{mesh_name}_{material or slot}_AO.png", set(document.maps))
    file = f"maps/baked/{entry}.png"
    with tempfile.TemporaryDirectory(dir=settings.FILE_UPLOAD_TEMP_DIR) as folder:
        path = Path(folder) / "baked.png"
        write_image(path, quantise(baked[..., None], 8))
        sha, size = put_file(path)
        image = read_image(path)
        MapFacts.keep(sha, size, facts_of_image(read_header(path), image))
    keep_reduced(sha, image)
    made = MapEntry(file=file, roles={"r": "occlusion"}, set=_set_of(document, material) or material or slot, by_hand=True)
    edits: list[Any] = [BringIn(maps={entry: made})]
    if material is not None and job.arguments.get("feed"):
        edits.append(SetFeed(material=material, input="occlusion", feed=Feed(map=entry, channels="r")))
    job.project.edit(edits, None, {file: sha})
    return {"map": entry, "material": material, "slots": filled}


def _set_of(document: Document, material: str | None) -> str | None:
    """The map set that most feeds of a material come from."""
    if material is None or material not in document.materials:
        return None
    used = {name for feed in document.materials[material].inputs.values() for name in feed.maps()}
    counted = {name: len(used & set(members)) for name, members in sets_of(document).items()}
    return max((name for name, count in counted.items() if count), key=lambda name: counted[name], default=None)
