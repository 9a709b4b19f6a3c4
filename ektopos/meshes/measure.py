"""All that is known of a mesh before anyone assigns anything: its slots and its faults."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor

from ektopos.meshes.faults import Fault, find_faults
from ektopos.meshes.mesh import Mesh
from ektopos.meshes.slots import SlotFacts, SlotTriangles, slot_facts

_LARGE = 100_000
"""Triangles from which other cores are worth a thread."""


def measure_mesh(
    mesh: Mesh, measured: SlotTriangles | None = None
) -> tuple[list[SlotFacts], list[Fault]]:
    """Facts of every slot, and every fault. `measured` are its triangles, where that was done
    already. Cost: n log n in its triangles; the slots of large ones are shared by the cores."""
    if len(mesh.triangles) < _LARGE:
        return slot_facts(mesh, measured), find_faults(mesh)
    _ = mesh.points  # both need them: found once, before either begins
    with ThreadPoolExecutor(max_workers=os.cpu_count()) as pool:
        faults = pool.submit(find_faults, mesh)
        return slot_facts(mesh, measured, pool.map), faults.result()
