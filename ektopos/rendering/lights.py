"""Light set-ups: plain surroundings and lamps, each made to show other faults. Nothing is loaded;
radiance is a formula."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ektopos.base.types import Values

Radiance = Callable[[Values], Values]
"""From unit directions `(…, 3)`, y up, to linear radiance `(…, 3)`."""


@dataclass(frozen=True)
class Lamp:
    """A light far away: direction towards it and irradiance on a surface that faces it, linear
    RGB.
    """

    towards: tuple[float, float, float]
    irradiance: tuple[float, float, float]


Colour = tuple[float, float, float]


@dataclass(frozen=True)
class Panel:
    """A round panel far away, with soft edges: its direction, the cosine of its half angle, and
    its radiance, which is added to the sky's.
    """

    towards: tuple[float, float, float]
    cosine: float
    radiance: Colour


@dataclass(frozen=True)
class Light:
    """Surroundings and lamps; what they are called, and what they show."""

    label: str
    shows: str
    sky: Colour
    panels: tuple[Panel, ...] = ()
    lamps: tuple[Lamp, ...] = ()

    def surroundings(self, directions: Values) -> Values:
        """Radiance from unit directions `(…, 3)`, y up: `(…, 3)` linear."""
        kind = np.result_type(directions, np.float32)
        radiance = np.broadcast_to(np.asarray(self.sky, kind), directions.shape).copy()
        for panel in self.panels:
            axis = np.asarray(panel.towards) / np.linalg.norm(panel.towards)
            rise = EDGE * (1.0 - panel.cosine) + 1e-6
            # Not by a matrix product: how that rounds depends on what else runs, and equal
            # surfaces give equal pictures.
            share = np.einsum("...i,i->...", directions, (axis / rise).astype(kind))
            share -= kind.type(panel.cosine / rise)
            np.clip(share, 0.0, 1.0, out=share)
            radiance += share[..., None] * np.asarray(panel.radiance, kind)
        return np.asarray(radiance)


EDGE = 0.15
"""How much of a panel's width its edge takes."""


def _grey(strength: float) -> Colour:
    return strength, strength, strength


LIGHTS: dict[str, Light] = {
    "overcast": Light(
        "Overcast",
        "even light: colour and occlusion",
        _grey(0.55),
        (Panel((0, 1, 0), 0.1, _grey(0.75)), Panel((0, -1, 0), 0.2, _grey(-0.3))),
    ),
    "low-sun": Light(
        "Low sun",
        "light from the side: normals and height",
        (0.16, 0.2, 0.3),
        (
            Panel((0.5, 0.8, 0.4), 0.75, _grey(1.1)),
            Panel((-0.9, 0.25, 0.4), 0.85, (2.2, 1.6, 1.0)),
        ),
        (Lamp((-4.0, 1.3, 2.2), (3.2, 2.5, 1.7)),),
    ),
    "points": Light(
        "Bright points",
        "small lamps: roughness",
        _grey(0.07),
        (
            Panel((-4, 6, 3), 0.995, _grey(40)),
            Panel((5, 4, 2), 0.995, _grey(40)),
            Panel((1, 7, -4), 0.995, _grey(30)),
        ),
        (Lamp((-1.6, 1.8, 1.6), _grey(1.0)), Lamp((1.8, 1.2, 1.2), _grey(0.8))),
    ),
    "rim": Light(
        "Dark, rim",
        "little light: emission",
        _grey(0.008),
        (Panel((6, 4, -7), 0.93, (1.3, 1.7, 2.4)),),
        (Lamp((2.5, 1.5, -4.0), (1.3, 1.7, 2.4)),),
    ),
    "grey-room": Light(
        "Plain walls",
        "bright walls and a ceiling: metal and colour",
        _grey(0.3),
        (
            Panel((0, 1, 0), 0.8, _grey(2.0)),
            Panel((-1, 0.2, 0), 0.85, _grey(0.7)),
            Panel((0, 0.2, 1), 0.85, _grey(0.5)),
        ),
        (Lamp((2.0, 4.0, 3.0), _grey(0.8)),),
    ),
}
"""By the name that a page's address has. The stage draws the same ones from a generated copy."""
