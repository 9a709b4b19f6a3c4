"""Checks of a project in its newest state, from what was measured before: nothing is decoded."""

from __future__ import annotations

from ektopos.checks import Finding, Known, MeshLook, run_checks
from ektopos.targets.profile import find_profile
from server.workshop.meshing import measured, mesh_at, scene_by_content
from server.workshop.models import MapFacts, Project


def findings_of(project: Project) -> list[Finding]:
    """Everything the checks find, worst first."""
    head = project.head
    document, core = project.document, project.core()
    shas = {name: head.sha_of(entry.file) for name, entry in document.maps.items()}
    facts = MapFacts.values(shas.values())
    rows = measured(head, list(document.meshes))
    looks = {name: MeshLook(*row.look(), tuple(row.notes)) for name, row in rows.items()}
    known = Known(
        facts=lambda name: facts.get(shas[name]),
        mesh=looks.get,
        load=lambda name: mesh_at(head, name),
        scene_of=lambda name: scene_by_content(core, name, head.sha_of(document.meshes[name].file)),
    )
    return run_checks(core, find_profile(document.target, document), known)
