"""The project's scene: where meshes would stand, and the scene as one file."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from ektopos.document import SceneItem
from ektopos.document.scene_layout import side_by_side
from ektopos.edits.common import require
from server.workshop.api.files import JobOut
from server.workshop.api.projects import project_or_404
from server.workshop.mesh_cache import measured
from server.workshop.models import Job

router = Router(tags=["scene"])


class MeshesToPlace(Schema):
    """Meshes to be stood in the scene, in order."""

    meshes: Annotated[list[str], Field(max_length=500)]


class SceneFileAsked(Schema):
    """How large the textures of the scene's file may be."""

    size: Annotated[int, Field(ge=16, le=4096)] = 512


@router.get("/projects/{uuid:project_id}/scene/default-placement", response=dict[str, SceneItem])
def default_placement(
    request: HttpRequest, project_id: UUID, given: Query[MeshesToPlace]
) -> dict[str, SceneItem]:
    """Where meshes would stand: side by side, right of what stands in the scene already."""
    project = project_or_404(project_id)
    document = project.head.core().document
    for mesh in given.meshes:
        require(document.meshes, mesh, "mesh")
    rows = measured(project.head, list(document.meshes))
    sizes = {name: (row.size[0], row.size[1], row.size[2]) for name, row in rows.items()}
    return side_by_side(given.meshes, sizes, document.scene)


@router.post("/projects/{uuid:project_id}/scene/file", response=JobOut)
def start_file(request: HttpRequest, project_id: UUID, given: SceneFileAsked) -> Job:
    """Start writing the scene as one GLB with reduced textures, to be downloaded."""
    return Job.start(project_or_404(project_id), "scene", {"size": given.size})
