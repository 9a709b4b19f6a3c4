"""Change what is done to a mesh, where that takes longer than a person waits: unwrapping, or a mesh
that is not at hand."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from pydantic import TypeAdapter

from ektopos.base.errors import MissingReference
from ektopos.base.types import Progress
from ektopos.document import Document
from ektopos.document.mesh_steps import MeshStep
from ektopos.edits import Edit, SetRecipe
from ektopos.meshes import carried
from server.workshop.mesh_cache import changed_mesh, keep_changed, mesh_at
from server.workshop.models import Job, StaleRevision

_STEPS = TypeAdapter(list[MeshStep])


def recipe(
    job: Job, progress: Progress
) -> Callable[[Document], tuple[list[Edit], dict[str, str], Any]]:
    """Do steps to a mesh (`mesh`, `recipe`) as it was when they were chosen, measure it, and put
    them in its document."""
    name = str(job.arguments["mesh"])
    steps = _STEPS.validate_python(job.arguments["recipe"])
    revision = job.project.revisions.get(pk=job.arguments["revision"])
    made_on = revision.core().document.meshes.get(name)
    if made_on is None:
        raise MissingReference(
            "there is no such mesh.", subject=name, hint="It may have been removed meanwhile."
        )
    before = mesh_at(revision, name)
    progress(0.2, steps[-1].label() if steps else f"reading {name}")
    after = changed_mesh(revision, name, steps)
    progress(0.8, f"measuring {name}")
    keep_changed(revision, name, steps, after)
    edit = SetRecipe(mesh=name, recipe=steps, came_from=carried(before, after))

    def finish(document: Document) -> tuple[list[Edit], dict[str, str], Any]:
        now = document.meshes.get(name)
        if now is None or now.recipe != made_on.recipe or list(now.slots) != list(made_on.slots):
            raise StaleRevision(f"what is done to {name}")
        return [edit], {}, {"mesh": name}

    return finish
