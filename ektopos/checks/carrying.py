"""What a target cannot take as it was made: found before it is exported."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress

from ektopos.base.errors import UnreadableFile
from ektopos.checks.registry import Examined, Finding, check, finding
from ektopos.document import TABLE
from ektopos.export.dropped_features import exported_mesh_of
from ektopos.export.hand_over import UNSAID
from ektopos.export.plan import split_inputs


@check
def inputs_at_two_places(examined: Examined) -> Iterator[Finding]:
    """Inputs that the target reads from one texture, and that lie at different UVs."""
    for name, material in examined.materials.items():
        split = split_inputs(material, examined.profile)
        if split is not None:
            one, other = (TABLE[each].label.lower() for each in split)
            yield finding(
                "places-differ",
                f"material {name}",
                f"Its {one} and {other} lie at different UVs.",
                why=f"{examined.profile.title} looks them up at one place.",
                evidence=f"{one}, {other}",
            )


@check
def shading_left_behind(examined: Examined) -> Iterator[Finding]:
    """Unlit materials, where the container has no word for them."""
    if "shading" not in UNSAID[examined.profile.container]:
        return
    for name, material in examined.materials.items():
        if material.shading == "unlit":
            yield finding(
                "not-carried",
                f"material {name}",
                "It is unlit, which this target cannot say.",
                why="It arrives lit, and looks different in every light.",
                evidence=examined.profile.container,
                fix="Set it in the engine, or choose glTF.",
            )


@check
def scenes_left_behind(examined: Examined) -> Iterator[Finding]:
    """What of the meshes' files the target does not take."""
    for name in examined.looks:
        left = []
        with suppress(UnreadableFile):
            left = exported_mesh_of(
                examined.project, examined.profile, name, examined.scene_of
            ).left
        for one in left:
            yield finding(
                one.code,
                one.subject,
                one.message,
                severity=one.severity,
                evidence=examined.project.document.meshes[name].file,
            )
