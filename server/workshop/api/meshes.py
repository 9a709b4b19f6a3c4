"""Meshes: slots, faults and recipes."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

import numpy as np
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from ektopos.base.errors import EktoposError
from ektopos.document.mesh_steps import By, MeshStep, PackUvs
from ektopos.edits import SetRecipe
from ektopos.meshes import Fault, SlotFacts, carried, groups_of
from server.workshop.api.files import JobOut
from server.workshop.api.mesh_files import Inside, inside_of
from server.workshop.api.projects import At, ProjectOut, project_or_404, shown
from server.workshop.mesh_cache import (
    called,
    changed_mesh,
    is_at_hand,
    measured,
    mesh_at,
    source_mesh,
)
from server.workshop.models import Job
from server.workshop.retention import ensure_measured

router = Router(tags=["meshes"])


class FaultOut(Schema):
    """One kind of fault."""

    code: str
    slot: str | None
    count: int
    message: str
    seen: bool
    """Whether its faces can be shown."""


class StepOut(Schema):
    """One step of a recipe, in words."""

    step: MeshStep
    words: str


class MeshOut(Schema):
    """One mesh with its slots and what is worn on them."""

    name: str
    file: str
    key: str
    measured: bool
    triangles: int
    size: list[float]
    notes: list[str]
    slots: list[SlotFacts]
    renamed: dict[str, str]
    """What slots are called now, by what the geometry for the stage calls them, where that differs:
    its address stays as it is when a slot is renamed."""
    assigned: dict[str, str | None]
    done: list[str]
    faults: list[FaultOut]
    recipe: list[StepOut]
    inside: Inside


class NewRecipe(At):
    """What is to be done to a mesh, made on a revision: the whole recipe, or one step after those
    that are there."""

    recipe: Annotated[list[MeshStep], Field(max_length=1000)] | None = None
    append: MeshStep | None = None


class RecipeOut(Schema):
    """The project with the change made, or the job that makes it."""

    project: ProjectOut | None = None
    job: JobOut | None = None


class Picked(Schema):
    """Faces that belong together with one that was chosen."""

    faces: list[int]
    """Numbers within the slot."""


@router.get("/projects/{uuid:project_id}/meshes", response=list[MeshOut])
def meshes(request: HttpRequest, project_id: UUID) -> list[MeshOut]:
    """Every mesh of a project."""
    project = project_or_404(project_id)
    document = project.document
    rows = measured(project.head, list(document.meshes))
    if len(rows) < len(document.meshes):
        ensure_measured(project)
    result = []
    for name, entry in document.meshes.items():
        row = rows.get(name)
        faults = [
            Fault(f["code"], f["slot"], f["count"], tuple(f["faces"][:1]))
            for f in (row.faults if row else [])
        ]
        result.append(
            MeshOut(
                name=name,
                file=entry.file,
                key=row.key if row else "",
                measured=row is not None,
                triangles=row.triangles if row else 0,
                size=row.size if row else [0, 0, 0],
                notes=row.notes if row else [],
                slots=list(row.slots) if row else [],
                renamed=called(project.head, name),
                assigned=entry.slots,
                done=entry.done,
                faults=[
                    FaultOut(
                        code=f.code,
                        slot=f.slot,
                        count=f.count,
                        message=f.message,
                        seen=bool(f.faces),
                    )
                    for f in faults
                ],
                recipe=[StepOut(step=step, words=step.label()) for step in entry.recipe],
                inside=inside_of(project, entry.file),
            )
        )
    return result


@router.post(
    "/projects/{uuid:project_id}/meshes/{path:name}/recipe", response=RecipeOut, by_alias=True
)
def set_recipe(request: HttpRequest, project_id: UUID, name: str, given: NewRecipe) -> RecipeOut:
    """Change what is done to a mesh; slots keep what they wear. What takes long, and measuring, is
    done by jobs."""
    project = project_or_404(project_id)
    revision = project.head
    made = (
        list(revision.core().document.meshes[name].recipe)
        if name in revision.document["meshes"]
        else []
    )
    steps = [*made, given.append] if given.append else list(given.recipe or [])
    if given.append is None and given.recipe is None:
        raise EktoposError(
            "neither a recipe nor a step is given.", subject=name, hint="Say what is to be done."
        )
    source = source_mesh(revision, name)
    starts_here = steps[: len(made)] == made
    new = steps[len(made) :] if starts_here else steps
    start = source if starts_here else source_mesh(revision, name, [])
    if (
        any(isinstance(step, PackUvs) for step in new)
        or not is_at_hand(start)
        or not is_at_hand(source)
    ):
        arguments = {
            "mesh": name,
            "revision": revision.pk,
            "recipe": [step.model_dump(mode="json") for step in steps],
        }
        job = Job.start(project, "recipe", arguments, given.page)
        return RecipeOut(job=JobOut.from_orm(job))
    before, after = mesh_at(revision, name), changed_mesh(revision, name, steps)
    project.edit(
        [SetRecipe(mesh=name, recipe=steps, came_from=carried(before, after))],
        given.revision,
        page=given.page,
    )
    project = project_or_404(project_id)
    ensure_measured(project)
    return RecipeOut(project=shown(project))


@router.get("/projects/{uuid:project_id}/meshes/{path:name}/faces", response=Picked)
def faces_with(
    request: HttpRequest, project_id: UUID, name: str, slot: str, face: int, by: By
) -> Picked:
    """The faces of a slot that belong together with one of them."""
    mesh = mesh_at(project_or_404(project_id).head, name)
    own = np.flatnonzero(
        mesh.triangle_slot == (mesh.slots.index(slot) if slot in mesh.slots else -1)
    )
    if not 0 <= face < len(own):
        raise EktoposError("the mesh has no such face.", subject=slot, hint="Load the page again.")
    group = groups_of(mesh, own, by)
    return Picked(faces=[int(number) for number in np.flatnonzero(group == group[face])])
