"""What a target cannot take as it was made: found before it is exported."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.checks.registry import Examined, Finding, check
from ektopos.document import TABLE
from ektopos.targets.left import leaving_of, scene_reader
from ektopos.targets.plan import split_inputs
from ektopos.targets.profile import GLTF_CONTAINERS


@check
def inputs_at_two_places(examined: Examined) -> Iterator[Finding]:
    """Inputs that the target reads from one texture, and that lie at different UVs."""
    for name, material in examined.materials.items():
        split = split_inputs(material, examined.profile)
        if split is not None:
            one, other = (TABLE[each].label.lower() for each in split)
            yield Finding(
                code="places-differ",
                severity="error",
                subject=f"material {name}",
                message=f"Its {one} and {other} lie at different UVs.",
                why=f"{examined.profile.title} looks them up at one place.",
                evidence=f"{one}, {other}",
                fix="Give both feeds the same UVs, or choose another target.",
            )


@check
def shading_left_behind(examined: Examined) -> Iterator[Finding]:
    """Unlit materials, where the container has no word for them."""
    if examined.profile.container in GLTF_CONTAINERS:
        return
    for name, material in examined.materials.items():
        if material.shading == "unlit":
            yield Finding(
                code="not-carried",
                severity="warning",
                subject=f"material {name}",
                message="It is unlit, which this target cannot say.",
                why="It arrives lit, and looks different in every light.",
                evidence=examined.profile.container,
                fix="Set it in the engine, or choose glTF.",
            )


@check
def scenes_left_behind(examined: Examined) -> Iterator[Finding]:
    """What of the meshes' files the target does not take."""
    scene_of = scene_reader(examined.project)
    for name in examined.meshes:
        for one in leaving_of(examined.project, examined.profile, name, scene_of).left:
            yield Finding(
                code=one.code,
                severity=one.severity,
                subject=one.subject,
                message=one.message,
                why="In the engine the asset is without it.",
                evidence=examined.project.document.meshes[name].file,
                fix="Choose a target that keeps it, or leave it if nobody needs it.",
            )
