"""Geometry and measures for the viewport, at addresses that name their content."""

from __future__ import annotations

from typing import Literal

import numpy as np
from django.http import FileResponse, HttpRequest, HttpResponse
from ninja import Router

from ektopos.base.errors import MissingReference
from server.workshop.api.maps import FOREVER
from server.workshop.mesh_cache import (
    stage_file,
)
from server.workshop.models import MeshFacts

router = Router(tags=["meshes"])


@router.get("/mesh-geometry/{key}.glb")
def geometry(request: HttpRequest, key: str) -> FileResponse:
    """A mesh's geometry for the stage: one primitive a slot."""
    return _kept(key, ".glb", "model/gltf-binary")


@router.get("/mesh-measures/{key}/{measure}.bin")
def measure(
    request: HttpRequest, key: str, measure: Literal["density", "stretch", "flipped"]
) -> FileResponse:
    """A measure of every triangle, float32, in the order of the geometry's slots."""
    return _kept(key, f"-{measure}.bin", "application/octet-stream")


@router.get("/mesh-faults/{key}/{int:number}.bin")
def fault_faces(request: HttpRequest, key: str, number: int) -> HttpResponse:
    """Whether each triangle has a fault, one byte each, in the order of the geometry's slots."""
    row = MeshFacts.objects.filter(key=key).first()
    if row is None or number >= len(row.faults):
        raise MissingReference(
            "the mesh has not been measured.", subject=key[:12], hint="Load the page again."
        )
    order = np.load(stage_file(_safe(key), "-order.npy"))
    mask = np.zeros(len(order), np.uint8)
    mask[row.faults[number]["faces"]] = 1
    response = HttpResponse(mask[order].tobytes(), content_type="application/octet-stream")
    response["Cache-Control"] = FOREVER
    return response


def _safe(key: str) -> str:
    return "".join(c for c in key if c in "0123456789abcdef")


def _kept(key: str, ending: str, kind: str) -> FileResponse:
    response = FileResponse(stage_file(_safe(key), ending).open("rb"), content_type=kind)
    response["Cache-Control"] = FOREVER
    return response
