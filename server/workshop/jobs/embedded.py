"""Bring in the maps and materials that a mesh file has inside it."""

from __future__ import annotations

import tempfile
from pathlib import Path, PurePosixPath
from typing import Any

from django.conf import settings

from ektopos.edits import AddMaterial, Assign, BringIn, SetFeed, SetSetting
from ektopos.errors import EktoposError
from ektopos.images import read_header, read_image
from ektopos.maps import map_name
from ektopos.maps.identify import facts_of_image
from ektopos.meshes.embedded import embedded, map_entries
from ektopos.types import Progress
from server.workshop.models import Job, MapFacts
from server.workshop.pictures import keep_reduced
from server.workshop.store import put_file

SETTINGS = ("alpha_mode", "alpha_cutoff", "double_sided", "uv", "filter", "surface_tag")


def bring_embedded(job: Job, progress: Progress) -> dict[str, Any]:
    """Maps, materials and their assignment to the slots of their names; one step to undo. Slots that wear something keep it."""
    name = str(job.arguments["mesh"])
    core = job.project.core()
    document = core.document
    entry = document.meshes.get(name)
    if entry is None:
        raise EktoposError("there is no such mesh.", subject=name)
    taken = set(document.maps)

    def entry_name(file: str) -> str:
        made = map_name(file, taken)
        taken.add(made)
        return made

    found = embedded(core.path(entry.file, name), entry.file, entry_name)
    files: dict[str, str] = {}
    shas: dict[str, str] = {}
    for done, one in enumerate(found.maps):
        progress(done / max(1, len(found.maps)), f"measuring {one.name}")
        with tempfile.TemporaryDirectory(dir=settings.FILE_UPLOAD_TEMP_DIR) as folder:
            path = Path(folder) / f"map{PurePosixPath(one.name).suffix}"
            path.write_bytes(one.content)
            image = read_image(path)
            sha, size = put_file(path)
            MapFacts.keep(sha, size, facts_of_image(read_header(path), image))
        keep_reduced(sha, image)
        files[one.name] = f"maps/{name}/{one.name}"
        shas[files[one.name]] = sha
    edits: list[Any] = [BringIn(maps=map_entries(found, files, name))]
    for label, material in found.materials.items():
        goal = label
        while goal in document.materials:
            goal += "_inside"
        edits.append(AddMaterial(name=goal))
        edits += [SetFeed(material=goal, input=part, feed=feed) for part, feed in material.inputs.items()]
        plain = material.model_dump(mode="json", exclude_none=True)
        edits += [SetSetting(material=goal, setting=key, value=plain[key]) for key in SETTINGS if key in plain]
        if label in entry.slots and entry.slots[label] is None:
            edits.append(Assign(mesh=name, slots=[label], material=goal))
    job.project.edit(edits, None, shas)
    return {"maps": len(found.maps), "materials": len(found.materials)}
