"""Bake a mesh's occlusion into a map of the project."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ektopos.base.types import Progress
from ektopos.document import Document, Feed, MapEntry, UvTransform
from ektopos.edits import Edit, Import, SetFeed
from ektopos.images import quantise, write_image
from ektopos.maps import map_name
from ektopos.maps.sets import sets_of
from ektopos.materials import resolve_inheritance
from ektopos.meshes.bake import bake_occlusion
from server.workshop.jobs.measuring import keep_map
from server.workshop.jobs.slot_to_bake import slot_to_bake
from server.workshop.models import Job


def occlusion(
    job: Job, progress: Progress
) -> Callable[[Document], tuple[list[Edit], dict[str, str], Any]]:
    """Bake the slots that share a slot's material into one map, and feed it to that material; one
    step to undo."""
    baking = slot_to_bake(job)
    mesh, slot, material = baking.mesh, baking.slot, baking.material
    drawn = [s for s in baking.sharing if (mesh.triangle_slot == mesh.slots.index(s)).any()]
    filled = drawn or [slot]
    baked = bake_occlusion(
        mesh,
        filled,
        int(job.arguments["size"]),
        samples=int(job.arguments["samples"]),
        progress=lambda share, what: progress(0.95 * share, what),
    )
    wanted = f"{baking.mesh_name}_{material or slot}_AO.png"
    sha = keep_map(wanted, lambda path: write_image(path, quantise(baked[..., None], 8)))

    def finish(document: Document) -> tuple[list[Edit], dict[str, str], Any]:
        entry = map_name(wanted, set(document.maps))
        file = f"maps/baked/{entry}.png"
        made = MapEntry(
            file=file,
            roles={"r": "occlusion"},
            set=_set_of(document, material) or material or slot,
            by_hand=True,
        )
        edits: list[Edit] = [Import(maps={entry: made})]
        if material in document.materials and job.arguments.get("feed"):
            # It is of this mesh's own UVs: whatever the material repeats, this lies once.
            lies = resolve_inheritance(document, material).uv
            own = None if lies.is_identity else UvTransform(set=lies.set)
            feed = Feed(map=entry, channels="r", uv=own)
            edits.append(SetFeed(material=material, input="occlusion", feed=feed))
        return edits, {file: sha}, {"map": entry, "material": material, "slots": filled}

    return finish


def _set_of(document: Document, material: str | None) -> str | None:
    """The map set that most feeds of a material come from."""
    if material is None or material not in document.materials:
        return None
    used = document.materials[material].maps()
    counted = {name: len(used & set(members)) for name, members in sets_of(document).items()}
    return max(
        (name for name, count in counted.items() if count),
        key=lambda name: counted[name],
        default=None,
    )
