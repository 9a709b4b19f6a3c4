"""Findings, and the pictures that show them: a material before and after a change, faces on a mesh,
UVs."""

from __future__ import annotations

from uuid import UUID

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema

from ektopos.base.errors import MissingReference
from ektopos.checks import Finding
from ektopos.document import Document, InputName
from ektopos.edits import Edit, apply_edits
from ektopos.images.png import encode_png
from ektopos.materials.layering import surface_of
from ektopos.materials.sheet import problem_of, solo_recipe, stage_look
from ektopos.meshes.drawing import draw_uvs
from ektopos.rendering.marked import draw_marked
from server.workshop.api.maps import picture
from server.workshop.api.materials import sources_of
from server.workshop.api.projects import project_or_404
from server.workshop.checking import findings_of
from server.workshop.mesh_cache import mesh_of, mesh_row
from server.workshop.pictures import kept_or_made
from server.workshop.store import cache_path

router = Router(tags=["checks"])
SIDE = 512


class TriedEdits(Schema):
    """Changes that are not made, and what they would be about."""

    edits: list[Edit]
    material: str | None = None
    """The material to be seen; without one the first that looks otherwise."""


class BeforeAfter(Schema):
    """A material as it is, and as it would be."""

    material: str
    before: str
    """The key of its picture …"""
    after: str | None
    """… and that of what it would be; nothing where it would look the same."""
    inputs: dict[InputName, tuple[str, str]]
    """The inputs whose pictures would be others: keys of both."""


@router.get("/projects/{uuid:project_id}/checks", response=list[Finding])
def checks(request: HttpRequest, project_id: UUID, target: str | None = None) -> list[Finding]:
    """Everything the checks find for the project's target, or another; worst first."""
    return findings_of(project_or_404(project_id), target)


@router.post("/projects/{uuid:project_id}/checks/preview", response=BeforeAfter | None)
def preview(request: HttpRequest, project_id: UUID, given: TriedEdits) -> BeforeAfter | None:
    """How a material looks now and would look after some edits. Nothing is saved."""
    project = project_or_404(project_id)
    document, head = project.document, project.head
    changed = apply_edits(document, given.edits)
    name = given.material or _concerned(document, changed)
    if name not in document.materials or name not in changed.materials:
        return None
    now, then = sources_of(head, document), sources_of(head, changed)
    one, other = surface_of(document, name), surface_of(changed, name)
    before = stage_look(document, one, now).picture
    after = stage_look(changed, other, then).picture
    pictures = {}
    for which in one.feeds.keys() & other.feeds.keys():
        if all(
            problem_of(d, m.feeds[which], which, s.usable) is None
            for d, m, s in ((document, one, now), (changed, other, then))
        ):
            keys = (
                now.keep(solo_recipe(document, one.feeds[which], which, now)),
                then.keep(solo_recipe(changed, other.feeds[which], which, then)),
            )
            if keys[0] != keys[1]:
                pictures[which] = keys
    return BeforeAfter(
        material=name,
        before=before,
        after=after if after != before else None,
        inputs=pictures,
    )


def _concerned(document: Document, changed: Document) -> str | None:
    """The first material that a change to a document is seen on."""
    maps = {name for name, entry in document.maps.items() if changed.maps.get(name) != entry}
    return next(
        (
            name
            for name, entry in document.materials.items()
            if changed.materials.get(name) != entry or entry.maps() & maps
        ),
        None,
    )


@router.get("/mesh-evidence/{key}/{code}/{int:slot}.png")
def mesh_evidence(request: HttpRequest, key: str, code: str, slot: int) -> HttpResponse:
    """The faces that a fault is about, or for any other code the UVs of a slot, by its number."""
    row, source = mesh_row(key)
    slots = [entry["name"] for entry in row.slots]
    if not 0 <= slot < len(slots):
        raise MissingReference("there is no such slot.", subject=str(slot))
    faces = [
        face
        for fault in row.faults
        if fault["code"] == code and fault["slot"] in (slots[slot], None)
        for face in fault["faces"]
    ]

    def make() -> bytes:
        mesh = mesh_of(source)
        if not faces:
            return encode_png(draw_uvs(mesh, slot, SIDE))
        marked = np.zeros(len(mesh.triangles), bool)
        marked[faces] = True
        return encode_png(draw_marked(mesh, marked, SIDE))

    name = code if faces else "uvs"
    return picture(kept_or_made(cache_path("pictures", f"{row.key}-{name}-{slot}.png"), make))
