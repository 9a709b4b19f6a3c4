"""Meshes: slots, faults and geometry for the stage."""

from __future__ import annotations

from uuid import UUID

from django.http import FileResponse, HttpRequest
from ninja import Router, Schema

from ektopos.errors import MissingReference
from ektopos.meshes import Fault, SlotFacts, companion_files
from server.workshop.api.maps import FOREVER
from server.workshop.api.projects import found
from server.workshop.jobs.bring_in import mesh_key, named
from server.workshop.models import MeshFacts, Project
from server.workshop.store import cache_path, content_path

router = Router(tags=["meshes"])


class FaultOut(Schema):
    """One kind of fault."""

    code: str
    slot: str | None
    count: int
    message: str


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
    worn: dict[str, str | None]
    done: list[str]
    faults: list[FaultOut]


def _key(project: Project, file: str) -> str:
    """The key of a mesh's facts in this state of the project."""
    sha = project.head.sha_of(file)
    if not sha or not content_path(sha).is_file():
        return ""
    folder = file.rpartition("/")[0]
    parts = companion_files(named(content_path(sha), file), file)
    beside = {part: project.head.sha_of(f"{folder}/{part}") for part in parts}
    return mesh_key(sha, {part: other for part, other in beside.items() if other})


@router.get("/projects/{uuid:project_id}/meshes", response=list[MeshOut])
def meshes(request: HttpRequest, project_id: UUID) -> list[MeshOut]:
    """Every mesh of a project."""
    project = found(project_id)
    keys = {name: _key(project, entry.file) for name, entry in project.document.meshes.items()}
    rows = {row.key: row for row in MeshFacts.objects.filter(key__in=set(keys.values()))}
    result = []
    for name, entry in project.document.meshes.items():
        row = rows.get(keys[name])
        faults = [Fault(f["code"], f["slot"], f["count"]) for f in (row.faults if row else [])]
        slots = list(row.slots) if row else []
        result.append(
            MeshOut(
                name=name, file=entry.file, key=keys[name], measured=row is not None, triangles=row.triangles if row else 0,
                size=row.size if row else [0, 0, 0], notes=row.notes if row else [], slots=slots,
                worn=entry.slots, done=entry.done,
                faults=[FaultOut(code=f.code, slot=f.slot, count=f.count, message=f.message) for f in faults],
            )
        )  # fmt: skip
    return result


@router.get("/mesh-geometry/{key}.glb")
def geometry(request: HttpRequest, key: str) -> FileResponse:
    """A mesh's geometry for the stage: one primitive a slot."""
    safe = "".join(c for c in key if c in "0123456789abcdef")
    path = cache_path("stage", f"{safe}.glb")
    if not path.is_file():
        raise MissingReference("the mesh has not been measured.", subject=safe[:12], hint="Bring it in again.")
    response = FileResponse(path.open("rb"), content_type="model/gltf-binary")
    response["Cache-Control"] = FOREVER
    return response
