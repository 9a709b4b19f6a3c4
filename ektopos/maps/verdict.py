"""The verdict on a map as a value, and the words and weights it is made of."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from math import exp
from typing import Any

from ektopos.base.names import in_words
from ektopos.base.types import Encoding, NormalSpace, NormalY
from ektopos.document import Role
from ektopos.images import ImageHeader
from ektopos.maps import evidence as ev
from ektopos.maps.roles import SPREAD, encoding_of_roles
from ektopos.maps.statistics import ChannelFacts, Statistics

SURE = 0.75
"""Confidence below which a map is shown as uncertain."""
SAY = 0.5
"""Confidence below which pixels alone say nothing."""
GREY_ROLES: tuple[Role, ...] = (
    "metallic",
    "opacity",
    "occlusion",
    "height",
    "roughness",
    "gloss",
    "emission",
)
"""Roles that one channel can hold, told apart by its pixels."""


@dataclass(frozen=True)
class Verdict:
    """What a map is, how sure that is, and why."""

    roles: dict[str, Role]
    """Role by channel group, as the document keeps it."""
    encoding: Encoding
    confidence: float
    normal_y: NormalY | None
    evidence: tuple[str, ...]
    """What speaks for it."""
    doubts: tuple[str, ...] = ()
    """What speaks against it, or cannot be told."""
    conflict: bool = False
    """Whether name and pixels contradict each other."""
    space: NormalSpace = "tangent"
    """What the normals of a normal map are told in."""

    @property
    def role(self) -> str:
        """The map's one role, or `packed`."""
        held = set(self.roles.values())
        if not held:
            return "unknown"
        return (
            "packed"
            if len(self.roles) > 1 or not (set(self.roles) & {*SPREAD, "r"})
            else next(iter(held))
        )


@dataclass(frozen=True)
class Facts:
    """Everything about one map's pixels that does not depend on its name. Kept by content."""

    header: ImageHeader
    statistics: Statistics
    notes: tuple[str, ...] = field(default=())
    unsound: int = 0
    """How many texels are not a number or infinite."""
    quality: int | None = None
    """Of a JPEG file, 1–100."""


def make_verdict(
    roles: Mapping[Any, Role],
    is_float: bool,
    confidence: float,
    normal_y: NormalY | None,
    evidence: Sequence[str],
    doubts: Sequence[str],
    *,
    conflict: bool = False,
) -> Verdict:
    """A verdict with the encoding its roles should have."""
    return Verdict(
        dict(roles),
        encoding_of_roles(roles, is_float=is_float),
        round(confidence, 3),
        normal_y,
        tuple(evidence),
        tuple(doubts),
        conflict,
    )


def declared_as(roles: Mapping[Any, Role]) -> str:
    """Roles in words."""
    return " · ".join(in_words(role) for role in roles.values())


def way(normal_y: NormalY) -> str:
    """Where green points, in words."""
    return "up" if normal_y == "+" else "down"


def coloured(s: Statistics) -> str:
    """How coloured a picture is, in words."""
    return f"coloured: R, G and B differ by {100 * s.colourfulness:.0f} % of the range"


def curl_way(s: Statistics) -> NormalY | None:
    """Which way green points by the curl of the slopes alone; `None` where that cannot be told."""
    if s.curl is None or not ev.slopes_tell(s):
        return None
    return "+" if s.curl.correlation > 0 else "-"


def weigh(channel: ChannelFacts, role: Role) -> tuple[float, list[str]]:
    """Log-odds of a role for one channel and the words of what decided it."""
    signs = [sign for sign in ev.SIGNS if sign.role == role and sign.holds(channel)]
    total = sum(sign.weight for sign in signs)
    return total, [sign.words(channel) for sign in signs if (sign.weight >= 0) == (total >= 0)]


def best_grey(channel: ChannelFacts, taken: set[Role]) -> tuple[Role, float, list[str]]:
    """The role that a channel's pixels fit best, its share of the belief, and why. Roughness and
    gloss share theirs."""
    weights = {role: weigh(channel, role) for role in GREY_ROLES if role not in taken}
    role = max(weights, key=lambda name: weights[name][0])
    # The 1 stands for every role that is not listed.
    total = 1.0 + sum(exp(weight) for weight, _ in weights.values())
    alike = {"roughness", "gloss"} if role in ("roughness", "gloss") else {role}
    share = sum(exp(weights[name][0]) for name in alike if name in weights)
    return role, share / total, weights[role][1]


def channel_roles(roles: Mapping[Any, Role], channels: int) -> dict[str, Role | None]:
    """Role of each of the letters r, g, b and a; `None` where the file has no such channel."""
    present = {1: "r", 2: "ra", 3: "rgb", 4: "rgba"}[channels]
    by_channel: dict[str, Role | None] = {}
    for letter in "rgba":
        covering = [role for group, role in roles.items() if letter in group]
        by_channel[letter] = (covering[0] if covering else None) if letter in present else None
    return by_channel
