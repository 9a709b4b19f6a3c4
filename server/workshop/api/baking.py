"""What is baked or painted into the UVs of a slot."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

import numpy as np
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.meshes.padding import padding_of
from server.workshop import pictures
from server.workshop.api.files import JobOut
from server.workshop.api.projects import project_or_404
from server.workshop.mesh_cache import (
    mesh_at,
)
from server.workshop.models import Job

router = Router(tags=["meshes"])
BakeSize = Literal[256, 512, 1024, 2048, 4096]
"""Sides of maps that are baked or painted."""


class PaddingOut(Schema):
    """How a map goes with a slot's UVs."""

    map: str
    width: int
    height: int
    padding: int | None
    """Texels; `None` where the map has no background."""


class Baking(Schema):
    """What occlusion to bake."""

    slot: str
    size: BakeSize = 1024
    samples: int = 64
    feed: bool = True


class Painting(Schema):
    """What to paint into a slot's UVs."""

    what: Literal["faces", "colours", "three-sides"]
    slot: str
    size: BakeSize = 1024
    at: list[int] | None = None
    """For a mask: the faces of the slot where it is 1."""
    metres: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)] = 1.0
    """From three sides: what the maps cover before they repeat …"""
    hardness: Annotated[float, Field(ge=1, le=64)] = 4.0
    """… how fast one side gives way to the next …"""
    offset: Annotated[float, Field(ge=0, le=0.5)] = 0.0
    """… and what of the normal does not count."""
    anew: bool = False
    """Whether the slot is unwrapped first; one without UVs always is."""


@router.get(
    "/projects/{uuid:project_id}/meshes/{path:name}/padding/{path:map_name}", response=PaddingOut
)
def padding(
    request: HttpRequest, project_id: UUID, name: str, map_name: str, slot: str
) -> PaddingOut:
    """How far a map is painted on beyond the islands of a slot and of those that wear the same."""
    project = project_or_404(project_id)
    document = project.document
    mesh = mesh_at(project.head, name)
    assigned = document.meshes[name].slots
    sharing = [
        s
        for s in mesh.slots
        if s == slot or (assigned.get(slot) is not None and assigned.get(s) == assigned.get(slot))
    ]
    faces = np.isin(mesh.triangle_slot, [mesh.slots.index(s) for s in sharing])
    corners = mesh.corner_uvs()[faces]
    corners = corners[np.isfinite(corners).all(axis=(1, 2))]
    entry = document.maps.get(map_name)
    if entry is None:
        raise MissingReference("there is no such map.", subject=map_name, hint="Choose another.")
    image = pictures.decoded(project.head.sha_of(entry.file))
    texels = padding_of(image.pixels, corners) if len(corners) else None
    return PaddingOut(map=map_name, width=image.width, height=image.height, padding=texels)


@router.post("/projects/{uuid:project_id}/meshes/{path:name}/occlusion", response=JobOut)
def start_bake(request: HttpRequest, project_id: UUID, name: str, given: Baking) -> Job:
    """Start baking the occlusion of a slot and of those that wear the same material."""
    if not 1 <= given.samples <= 1024:
        raise EktoposError("between 1 and 1,024 rays a texel are possible.", hint="64 are usual.")
    return Job.start(project_or_404(project_id), "occlusion", {"mesh": name, **given.dict()})


@router.post("/projects/{uuid:project_id}/meshes/{path:name}/paint", response=JobOut)
def start_paint(request: HttpRequest, project_id: UUID, name: str, given: Painting) -> Job:
    """Start painting a mask, vertex colours, or a material from three sides into a slot's UVs."""
    return Job.start(project_or_404(project_id), "paint", {"mesh": name, **given.dict()})
