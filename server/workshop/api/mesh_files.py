"""What a mesh file holds besides its triangles."""

from __future__ import annotations

import contextlib
import hashlib
import json
from dataclasses import asdict
from typing import Any
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.material_import import Carried, carried_whole, says_something
from ektopos.meshes.formats.gltf import GLTF_SUFFIXES
from ektopos.meshes.scene import Brought, NodeKind
from server.workshop import pictures
from server.workshop.api.files import JobOut
from server.workshop.api.projects import project_or_404
from server.workshop.mesh_cache import (
    referred,
    scene_by_content,
    scene_content,
    source_mesh,
)
from server.workshop.models import Job, Project
from server.workshop.store import cache_path, known_content, writing

router = Router(tags=["meshes"])
INSIDE_VERSION = 4
"""Of what is read of materials that come with a mesh; another one reads again."""


class Inside(Schema):
    """What the file brings with it."""

    maps: int = 0
    materials: int = 0
    not_taken: list[str] = []
    """What of the materials cannot be kept exactly, a sentence for each."""


class SceneNodeOut(Schema):
    """One node of a file's hierarchy."""

    name: str
    depth: int
    kind: NodeKind
    detail: str


class SceneOut(Schema):
    """What a mesh file holds besides its triangles."""

    nodes: list[SceneNodeOut]
    brings: list[str]
    kinds: list[Brought]
    morphs: list[str]
    playable: bool
    """Whether its animations and morph targets can be tried on the stage."""


@router.get("/projects/{uuid:project_id}/meshes/{path:name}/scene.glb")
def scene_file(request: HttpRequest, project_id: UUID, name: str) -> HttpResponse:
    """The scene of a mesh that came as glTF, with its slots and UVs as they are now and without
    materials: for the stage, where animations are played and morph targets tried."""
    revision = project_or_404(project_id).head
    path = cache_path("scenes", f"{source_mesh(revision, name).key}.glb")
    content = pictures.kept_or_made(path, lambda: scene_content(revision, name))
    response = HttpResponse(content, content_type="model/gltf-binary")
    # Its address names what it was made of.
    response["Cache-Control"] = "private, max-age=86400"
    return response


@router.get("/projects/{uuid:project_id}/meshes/{path:name}/scene", response=SceneOut)
def scene(request: HttpRequest, project_id: UUID, name: str) -> dict[str, Any]:
    """What a mesh file holds: its nodes, and whatever else it brings along."""
    project = project_or_404(project_id)
    core = project.core()
    entry = core.document.meshes.get(name)
    if entry is None:
        raise MissingReference(
            "there is no such mesh.", subject=name, hint="It may have been removed meanwhile."
        )
    contents = scene_by_content(core, name, project.head.sha_of(entry.file))
    return asdict(contents) | {"playable": entry.file.lower().endswith(GLTF_SUFFIXES)}


@router.post("/projects/{uuid:project_id}/meshes/{path:name}/embedded-materials", response=JobOut)
def start_inside(request: HttpRequest, project_id: UUID, name: str) -> Job:
    """Start bringing in the maps and materials that come with a mesh file."""
    return Job.start(project_or_404(project_id), "embedded", {"mesh": name})


def inside_of(project: Project, file: str) -> Inside:
    """What a mesh file has inside, read once."""
    sha = project.head.sha_of(file)
    content = known_content(sha) if sha else None
    if content is None:
        return Inside()
    core = project.core()
    find = core.find_pictures(file)
    parts = map(find, referred(sha, file, project.head.sha_of))
    beside = sorted(str(part) for part in parts if part is not None)
    key = hashlib.sha256(repr((INSIDE_VERSION, sha, beside)).encode()).hexdigest()
    path = cache_path("inside", key)
    with contextlib.suppress(OSError, ValueError):
        return Inside(**json.loads(path.read_text()))
    try:
        brings = carried_whole(content, find, file, str, contents=False)
    except EktoposError:
        brings = Carried()
    inside = Inside(
        maps=len(brings.maps),
        materials=sum(map(says_something, brings.materials.values())),
        not_taken=[
            f"{line.subject.removeprefix('material ')}: {line.message}" for line in brings.not_taken
        ],
    )
    with writing(path) as temporary:
        temporary.write_text(inside.model_dump_json())
    return inside
