"""What refers to something that is not there."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.checks.registry import Examined, Finding, check
from ektopos.document import Document
from ektopos.errors import MissingReference


@check
def missing_and_broken_files(examined: Examined) -> Iterator[Finding]:
    """Maps and meshes whose files are gone or cannot be read, materials whose bases are gone or go
    in a circle."""
    _ = examined.headers, examined.meshes, examined.materials
    for subject, problem in examined.problems.items():
        kind = subject.partition(" ")[0]
        gone = isinstance(problem, MissingReference)
        code = (
            "broken-base"
            if kind == "material"
            else f"missing-{kind}-file"
            if gone
            else f"unreadable-{kind}"
        )
        yield Finding(
            code=code,
            severity="error",
            subject=subject,
            message=problem.message,
            why="What depends on it cannot be made.",
            evidence=str(problem),
            fix=problem.hint,
        )


@check
def missing_materials(examined: Examined) -> Iterator[Finding]:
    """Slots that name a material the project does not have."""
    document = examined.project.document
    for mesh, entry in document.meshes.items():
        for slot, material in entry.slots.items():
            if material is not None and material not in document.materials:
                yield Finding(
                    code="missing-material",
                    severity="error",
                    subject=f"mesh {mesh} · {slot}",
                    message=f"The slot wears {material}, which is not there.",
                    why="The slot would arrive without a material.",
                    evidence=material,
                    fix="Choose another material.",
                )


@check
def missing_slots(examined: Examined) -> Iterator[Finding]:
    """Slots that the document names and the mesh does not have."""
    for name, mesh in examined.meshes.items():
        for slot in examined.project.document.meshes[name].slots:
            if slot not in mesh.slots:
                yield Finding(
                    code="missing-slot",
                    severity="error",
                    subject=f"mesh {name} · {slot}",
                    message=f"The mesh has no slot called {slot}.",
                    why="Its material would be worn by nothing.",
                    evidence=f"slots: {', '.join(mesh.slots)}",
                    fix="Assign it to another slot.",
                )


@check
def unknown_fields(examined: Examined) -> Iterator[Finding]:
    """Fields of the document that mean nothing here, which are often misspelt."""
    for place, names in _extras(examined.project.document):
        yield Finding(
            code="unknown-field",
            severity="warning",
            subject=place,
            message=f"The document says {', '.join(names)} here, which means nothing.",
            why="A misspelt field has no effect.",
            evidence=", ".join(names),
            fix="Correct or remove it.",
        )


def _extras(document: Document) -> Iterator[tuple[str, list[str]]]:
    yield from _extra("document", document)
    for name, entry in document.maps.items():
        yield from _extra(f"map {name}", entry)
    for name, material in document.materials.items():
        yield from _extra(f"material {name}", material)
        for input_name, feed in material.inputs.items():
            yield from _extra(f"material {name} · {input_name}", feed)
    for name, mesh in document.meshes.items():
        yield from _extra(f"mesh {name}", mesh)


def _extra(place: str, model: object) -> Iterator[tuple[str, list[str]]]:
    extra = getattr(model, "model_extra", None)
    if extra:
        yield place, sorted(extra)
