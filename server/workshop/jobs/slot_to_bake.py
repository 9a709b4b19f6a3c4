"""The slot of a mesh that something is baked or painted for."""

from __future__ import annotations

from dataclasses import dataclass

from ektopos.base.errors import MissingReference
from ektopos.meshes import Mesh
from ektopos.meshes.recipe import slot_number
from server.workshop.mesh_cache import mesh_at
from server.workshop.models import Job


@dataclass(frozen=True)
class SlotToBake:
    """A slot, with the mesh in the state that the job was started from."""

    mesh_name: str
    mesh: Mesh
    slot: str
    number: int
    material: str | None
    sharing: list[str]
    """It and all other slots with its material, which share its maps."""


def slot_to_bake(job: Job) -> SlotToBake:
    """The slot that a job names. Raises `MissingReference` if it or its mesh is not there."""
    name, slot = str(job.arguments["mesh"]), str(job.arguments["slot"])
    meshes = job.project.document.meshes
    if name not in meshes:
        raise MissingReference(
            "there is no such mesh.", subject=name, hint="It may have been removed meanwhile."
        )
    mesh = mesh_at(job.project.head, name)
    number = slot_number(mesh, slot)
    assigned = meshes[name].slots
    material = assigned.get(slot)
    sharing = [s for s in mesh.slots if s == slot or (material and assigned.get(s) == material)]
    return SlotToBake(name, mesh, slot, number, material, sharing)
