"""Feeds that cannot fill their input, or that say something without effect."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.base.names import in_words
from ektopos.base.types import Channels
from ektopos.checks.registry import Examined, Finding, Remedy, check, finding
from ektopos.document import TABLE, Feed, InputName, Role
from ektopos.edits import ChangeFeed, SetFeed, SetSetting
from ektopos.materials import Material, feed_problem
from ektopos.materials.from_map_set import contradiction, feed_from


@check
def impossible_feeds(examined: Examined) -> Iterator[Finding]:
    """Feeds from maps that are not there, or with the wrong number of channels."""
    document = examined.project.document
    for name, material in document.materials.items():
        for input_name, feed in material.inputs.items():
            problem = feed_problem(document, feed, input_name)
            if problem:
                yield finding(
                    "missing-map" if feed.maps() - set(document.maps) else "impossible-feed",
                    f"material {name} · {input_name}",
                    problem,
                    evidence=feed.map or str(feed.value),
                )


@check
def inputs_of_the_other_workflow(examined: Examined) -> Iterator[Finding]:
    """Metallic in the specular workflow, and F0 in the metallic one: neither counts."""
    idle: dict[str, InputName] = {"specular": "metallic", "metallic": "f0"}
    for name, material in examined.materials.items():
        input_name = idle[material.workflow]
        if input_name in material.origin:
            label = TABLE[input_name].label
            yield finding(
                "no-effect",
                f"material {name} · {input_name}",
                f"{label} is fed, and the {material.workflow} workflow takes none.",
                evidence=material.feeds[input_name].map or "a constant",
                fix="Choose the other workflow, or remove the feed.",
            )


@check
def adjustments_without_effect(examined: Examined) -> Iterator[Finding]:
    """Strengths and adjustments on inputs that have none."""
    for name, material in examined.project.document.materials.items():
        for input_name, feed in material.inputs.items():
            idle: dict[str, str] = {}
            if feed.strength != 1.0 and TABLE[input_name].strength is None:
                idle["strength"] = "strength"
            if not TABLE[input_name].adjusts and (feed.invert or feed.range != (0.0, 1.0)):
                idle |= {"invert": "invert and range", "range": ""}
            if feed.tint != (1.0, 1.0, 1.0) and not TABLE[input_name].is_colour:
                idle["tint"] = "tint"
            if idle:
                what = " and ".join(words for words in idle.values() if words)
                yield finding(
                    "no-effect",
                    f"material {name} · {input_name}",
                    f"{what.capitalize()} has no meaning for {in_words(input_name)}.",
                    evidence=feed.map or str(feed.value),
                    remedy=Remedy(
                        "Reset to inherited",
                        f"Resets {what} of this feed. Nothing changes in the picture.",
                        [
                            ChangeFeed(
                                material=name, input=input_name, change=dict.fromkeys(idle, None)
                            )
                        ],
                    ),
                )


@check
def opacity_without_alpha_mode(examined: Examined) -> Iterator[Finding]:
    """A material with an opacity feed whose alpha mode is opaque. Common practice."""
    for name, material in examined.materials.items():
        feed = material.feeds["opacity"]
        if material.alpha_mode != "opaque" or not (feed.maps() or feed.value != 1.0):
            continue
        # Which of the two is meant can be told only where all is one or the other.
        facts = examined.facts(feed.map) if feed.map in examined.headers else None
        channel = None
        if facts is not None and feed.map is not None:
            named = {c.name: c for c in facts.statistics.channels}
            channel = named.get((feed.channels or "r")[0])
        sure = channel is not None and channel.two_valued > 0.95 and channel.deviation > 0.05
        yield finding(
            "alpha-mode-forgotten",
            f"material {name}",
            "Opacity is fed, but the alpha mode is opaque.",
            evidence=feed.map or str(feed.value),
            fix="Set the alpha mode to mask or blend, or remove the opacity.",
            remedy=Remedy(
                "Set to mask",
                "Sets the alpha mode to mask, for the map is black and white.",
                [SetSetting(material=name, setting="alpha_mode", value="mask")],
            )
            if sure
            else None,
        )


@check
def feeds_of_corrected_maps(examined: Examined) -> Iterator[Finding]:
    """Inputs fed from a map that a person has said to be something else."""
    document = examined.project.document
    for name, material in examined.materials.items():
        for input_name, feed in document.materials[name].inputs.items():
            said_otherwise = contradiction(document, feed, input_name)
            if said_otherwise is None:
                continue
            held, goal = said_otherwise
            words = (in_words(held), TABLE[input_name].label.lower(), TABLE[goal].label.lower())
            move = _moved_feed(material, input_name, goal, feed, held)
            taken = f"{TABLE[goal].label} is fed from another map: feed it from the right one."
            yield finding(
                "feed-contradicts-map",
                f"material {name} · {input_name}",
                f"You said that {feed.map} holds {words[0]}, and it still feeds {words[1]}.",
                evidence=feed.map or "",
                fix=f"Move the feed to {words[2]}." if move else taken,
                remedy=move,
            )


def _moved_feed(
    material: Material, from_input: InputName, goal: InputName, feed: Feed, role: Role
) -> Remedy | None:
    """The feed on the input that its map is for; none where another map feeds that already, its own
    or one that it has from its base."""
    there = material.feeds.get(goal)
    if there is not None and there.maps():
        return None
    channels: Channels = "rgb" if TABLE[goal].is_wide else (feed.channels or "r")
    taken = feed_from(feed.map, channels, goal, role)
    moved = taken.model_copy(update={"uv": feed.uv, "wrap": feed.wrap})
    words = TABLE[from_input].label.lower(), TABLE[goal].label.lower()
    return Remedy(
        "Move the feed",
        f"Takes the map from {words[0]}, which is again what it was without it, and feeds "
        f"{words[1]} from it.",
        [
            SetFeed(material=material.name, input=from_input, feed=None),
            SetFeed(material=material.name, input=goal, feed=moved),
        ],
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
            is_gloss = "gloss" in held
            turn = "on" if is_gloss else "off"
            yield finding(
                "gloss-as-roughness",
                f"material {name} · roughness",
                "Gloss feeds roughness as it is." if is_gloss else "Roughness is inverted.",
                evidence=feed.map or "",
                fix=f"Turn invert {turn}.",
                remedy=Remedy(
                    f"Turn invert {turn}",
                    f"Turns invert {turn} in this feed. The map stays unchanged.",
                    [ChangeFeed(material=name, input="roughness", change={"invert": is_gloss})],
                ),
            )
