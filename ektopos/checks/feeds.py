"""Feeds that cannot fill their input, or that say something without effect."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.checks.registry import Examined, Finding, check
from ektopos.document import TABLE
from ektopos.materials import feed_problem


@check
def impossible_feeds(examined: Examined) -> Iterator[Finding]:
    """Feeds from maps that are not there, or with the wrong number of channels."""
    document = examined.project.document
    for name, material in document.materials.items():
        for input_name, feed in material.inputs.items():
            problem = feed_problem(document, feed, input_name)
            if problem:
                code = "missing-map" if feed.maps() - set(document.maps) else "impossible-feed"
                yield Finding(
                    code=code,
                    severity="error",
                    subject=f"material {name} · {input_name}",
                    message=problem,
                    why="The input cannot be made, so nothing is.",
                    evidence=feed.map or str(feed.value),
                    fix="Choose another map, channel or constant.",
                )


@check
def adjustments_without_effect(examined: Examined) -> Iterator[Finding]:
    """Strengths and adjustments on inputs that have none."""
    for name, material in examined.project.document.materials.items():
        for input_name, feed in material.inputs.items():
            findings = []
            if feed.strength != 1.0 and TABLE[input_name].strength is None:
                findings.append("strength")
            if not TABLE[input_name].adjusts and (feed.invert or feed.range != (0.0, 1.0)):
                findings.append("invert and range")
            if feed.tint != (1.0, 1.0, 1.0) and not TABLE[input_name].is_colour:
                findings.append("tint")
            if findings:
                yield Finding(
                    code="no-effect",
                    severity="warning",
                    subject=f"material {name} · {input_name}",
                    message=f"{' and '.join(findings).capitalize()} has no meaning for "
                    f"{input_name.replace('_', ' ')}.",
                    why="What is set has no effect, which is rarely meant.",
                    evidence=feed.map or str(feed.value),
                    fix="Remove it.",
                )


@check
def opacity_without_alpha_mode(examined: Examined) -> Iterator[Finding]:
    """A material with an opacity feed whose alpha mode is opaque. Common practice."""
    for name, material in examined.materials.items():
        feed = material.feeds["opacity"]
        if material.alpha_mode == "opaque" and (feed.maps() or feed.value != 1.0):
            yield Finding(
                code="alpha-mode-forgotten",
                severity="warning",
                subject=f"material {name}",
                message="Opacity is fed, but the alpha mode is opaque.",
                why="A cut-out without an alpha mode arrives solid.",
                evidence=feed.map or str(feed.value),
                fix="Set the alpha mode to mask or blend, or remove the opacity.",
            )


@check
def gloss_not_inverted(examined: Examined) -> Iterator[Finding]:
    """Gloss fed as roughness without invert, or roughness with it. Common practice: gloss is 1 −
    roughness."""
    document = examined.project.document
    for name, material in document.materials.items():
        feed = material.inputs.get("roughness")
        if feed is None or feed.map not in document.maps:
            continue
        channels = feed.channels or "r"
        held = {
            role
            for group, role in document.maps[feed.map].roles.items()
            if channels[0] in group or group == "rgb"
        }
        if ("gloss" in held and not feed.invert) or ("roughness" in held and feed.invert):
            what = "Gloss feeds roughness as it is" if "gloss" in held else "Roughness is inverted"
            yield Finding(
                code="gloss-as-roughness",
                severity="warning",
                subject=f"material {name} · roughness",
                message=f"{what}.",
                why="The surface will look too shiny where it should be dull, and the other way "
                "round.",
                evidence=feed.map or "",
                fix="Turn invert on." if "gloss" in held else "Turn invert off.",
            )
