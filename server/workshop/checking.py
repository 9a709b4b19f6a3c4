"""Checks of a project in its newest state, from what was measured before: nothing is decoded."""

from __future__ import annotations

from collections.abc import Mapping

from ektopos.checks import Finding, Known, MeshLook, run_checks
from ektopos.document import Document
from ektopos.export.profile import find_profile
from server.workshop.mesh_cache import measured, mesh_at, scene_by_content
from server.workshop.models import MapFacts, Project, Unsaved


def findings_of(project: Project, target: str | None = None) -> list[Finding]:
    """Everything the checks find for the project's target, or another; worst first."""
    document = project.document
    if target is not None:
        document = document.model_copy(update={"target": target})
    return findings_in(project, document, project.head.files)


def findings_in(project: Project, document: Document, files: Mapping[str, str]) -> list[Finding]:
    """The same of a state that the project is not in: with another document, other contents."""
    state = Unsaved(document, dict(files))
    shas = {name: state.sha_of(entry.file) for name, entry in document.maps.items()}
    facts = MapFacts.values(shas.values())
    rows = measured(state, list(document.meshes))
    looks = {name: MeshLook(*row.look(), tuple(row.notes)) for name, row in rows.items()}
    core = state.core()
    known = Known(
        facts=lambda name: facts.get(shas[name]),
        mesh=looks.get,
        load=lambda name: mesh_at(state, name),
        scene_of=lambda name: scene_by_content(
            core, name, state.sha_of(document.meshes[name].file)
        ),
    )
    return run_checks(core, find_profile(document.target, document), known)
