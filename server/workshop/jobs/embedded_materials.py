"""Bring in the maps and materials that come with a mesh file."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.base.types import Progress
from ektopos.document import OWN_SETTINGS, Document
from ektopos.edits import AddMaterial, Assign, Edit, Import, SetFeed, SetSetting
from ektopos.maps import map_name
from ektopos.material_import import Carried, carried_whole, map_entries
from server.workshop.jobs.measuring import keep_map, reason
from server.workshop.models import Job


def bring_embedded(
    job: Job, progress: Progress
) -> Callable[[Document], tuple[list[Edit], dict[str, str], Any]]:
    """Maps, materials and their assignment to the slots of their names; one step to undo. Slots
    that wear something keep it.

    A map inside that cannot be read is listed with its reason; the inputs that it feeds are left as
    they are without it.
    """
    name = str(job.arguments["mesh"])
    core = job.project.core()
    entry = core.document.meshes.get(name)
    if entry is None:
        raise MissingReference(
            "there is no such mesh.", subject=name, hint="It may have been removed meanwhile."
        )
    path, file = core.path(entry.file, name), entry.file
    # Read once for its pictures; their names are chosen when they are added.
    contents: dict[str, str] = {}
    report: list[dict[str, str]] = []
    find = core.find_pictures(file)
    carried_here = carried_whole(path, find, file, str)
    for done, one in enumerate(carried_here.maps):
        progress(done / max(1, len(carried_here.maps)), f"measuring {one.name}")
        try:
            contents[one.name] = keep_map(one.name, partial(_write_bytes, one.content))
        except Exception as problem:
            report.append({"path": one.name, "error": reason(problem)})

    def finish(document: Document) -> tuple[list[Edit], dict[str, str], Any]:
        taken = set(document.maps)
        there = {job.project.head.sha_of(entry.file): key for key, entry in document.maps.items()}

        def entry_name(inside: str) -> str:
            # A picture that lies beside the mesh may have come in with it already.
            known = there.get(contents.get(inside, ""))
            made = known or map_name(inside, taken)
            taken.add(made)
            return made

        carried = carried_whole(path, find, file, entry_name, contents=False)
        return _added(document, name, carried, contents, report)

    return finish


def _added(
    document: Document,
    mesh: str,
    found: Carried,
    contents: dict[str, str],
    report: list[dict[str, str]],
) -> tuple[list[Edit], dict[str, str], Any]:
    entry = document.meshes.get(mesh)
    if entry is None:
        raise EktoposError("it was removed meanwhile.", subject=mesh)
    files = {
        one.name: document.maps[one.entry].file
        if one.entry in document.maps
        else f"maps/{mesh}/{one.name}"
        for one in found.maps
    }
    entries = map_entries(found, files, mesh)
    unread = {one.entry for one in found.maps if one.name not in contents}
    edits: list[Edit] = [
        Import(maps={key: value for key, value in entries.items() if key not in unread})
    ]
    for label, material in found.materials.items():
        goal = label
        while goal in document.materials:
            goal += "_inside"
        edits.append(AddMaterial(name=goal))
        edits += [
            SetFeed(material=goal, input=part, feed=feed)
            for part, feed in material.inputs.items()
            if not feed.maps() & unread
        ]
        plain = material.model_dump(mode="json", exclude_none=True)
        edits += [
            SetSetting(material=goal, setting=key, value=plain[key])
            for key in OWN_SETTINGS
            if key in plain
        ]
        if label in entry.slots and entry.slots[label] is None:
            edits.append(Assign(mesh=mesh, slots=[label], material=goal))
    known = {entry.file for entry in document.maps.values()}
    placed = {files[key]: sha for key, sha in contents.items() if files[key] not in known}
    return (
        edits,
        placed,
        {
            "maps": len(contents),
            "materials": len(found.materials),
            "files": report,
            "not_taken": [vars(line) for line in found.not_taken],
        },
    )


def _write_bytes(content: bytes, path: Path) -> None:
    path.write_bytes(content)
