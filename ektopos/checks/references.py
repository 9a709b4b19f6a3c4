"""What refers to something that is not there."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.base.errors import MissingReference
from ektopos.checks.registry import Examined, Finding, Remedy, check, finding
from ektopos.document import Document
from ektopos.edits.scene import SetGround, SetPanorama, TakeAway


@check
def missing_and_broken_files(examined: Examined) -> Iterator[Finding]:
    """Maps and meshes whose files are gone or cannot be read, materials whose bases are gone or go
    in a circle."""
    _ = examined.headers, examined.looks, examined.materials
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
        yield finding(code, subject, problem.message, evidence=str(problem), fix=problem.hint)


@check
def missing_materials(examined: Examined) -> Iterator[Finding]:
    """Slots that name a material the project does not have."""
    document = examined.project.document
    for mesh, entry in document.meshes.items():
        for slot, material in entry.slots.items():
            if material is not None and material not in document.materials:
                yield finding(
                    "missing-material",
                    f"mesh {mesh} · {slot}",
                    f"Its material {material} does not exist.",
                    evidence=material,
                )


@check
def missing_slots(examined: Examined) -> Iterator[Finding]:
    """Slots that the document names and the mesh does not have."""
    for name, look in examined.looks.items():
        there = [slot.name for slot in look.slots]
        for slot in examined.project.document.meshes[name].slots:
            if slot not in there:
                yield finding(
                    "missing-slot",
                    f"mesh {name} · {slot}",
                    f"The mesh has no slot called {slot}.",
                    evidence=f"slots: {', '.join(there)}",
                )


@check
def missing_in_scene(examined: Examined) -> Iterator[Finding]:
    """Meshes and a ground's material that the scene names and the project does not have."""
    document = examined.project.document
    for name, item in document.scene.items.items():
        if item.mesh not in document.meshes:
            yield finding(
                "missing-in-scene",
                f"project · scene {name}",
                f"It is the mesh {item.mesh}, which is not there.",
                evidence=item.mesh,
                remedy=Remedy(
                    "Remove", f"Removes {name} from the scene.", [TakeAway(items=[name])]
                ),
            )
    ground = document.scene.ground
    if ground is not None and ground.material not in {None, *document.materials}:
        yield finding(
            "missing-in-scene",
            "project · ground",
            f"The ground’s material {ground.material} does not exist.",
            evidence=str(ground.material),
            remedy=Remedy(
                "Use plain grey",
                "Leaves the ground plain grey.",
                [SetGround(change={"material": None})],
            ),
        )
    panorama = document.scene.panorama
    if panorama not in {None, *document.maps}:
        yield finding(
            "missing-in-scene",
            "project · panorama",
            f"The scene is lit by {panorama}, which is not there.",
            evidence=str(panorama),
            remedy=Remedy(
                "Remove panorama", "Lights the scene by the light set-ups.", [SetPanorama(map=None)]
            ),
        )


@check
def unknown_fields(examined: Examined) -> Iterator[Finding]:
    """Fields of the document that mean nothing here, which are often misspelt."""
    for place, names in _extras(examined.project.document):
        yield finding(
            "unknown-field",
            place,
            f"The document says {', '.join(names)} here, which means nothing.",
            evidence=", ".join(names),
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
    yield from _extra("project · scene", document.scene)
    for name, item in document.scene.items.items():
        yield from _extra(f"project · scene {name}", item)


def _extra(place: str, model: object) -> Iterator[tuple[str, list[str]]]:
    extra = getattr(model, "model_extra", None)
    if extra:
        yield place, sorted(extra)
