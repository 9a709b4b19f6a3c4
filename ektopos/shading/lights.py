"""Light set-ups: plain surroundings and lamps, each made to show other faults. Nothing is loaded;
radiance is a formula."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from ektopos.types import Values

Radiance = Callable[[Values], Values]
"""From unit directions `(…, 3)`, y up, to linear radiance `(…, 3)`."""


@dataclass(frozen=True)
class Lamp:
    """A light far away: direction towards it and irradiance on a surface that faces it, linear
    RGB.
    """

    towards: tuple[float, float, float]
    irradiance: tuple[float, float, float]


@dataclass(frozen=True)
class Light:
    """Surroundings and lamps."""

    surroundings: Radiance
    lamps: tuple[Lamp, ...] = field(default=())


Colour = tuple[float, float, float]


def _panels(sky: Colour, *panels: tuple[Colour, float, Colour]) -> Radiance:
    """A sky and round panels: each a direction, the cosine of its half angle, and its radiance;
    edges are soft."""

    def radiance(directions: Values) -> Values:
        found = np.broadcast_to(np.asarray(sky), directions.shape).astype(np.float64)
        for towards, cosine, colour in panels:
            axis = np.asarray(towards) / np.linalg.norm(towards)
            share = np.clip((directions @ axis - cosine) / (0.15 * (1.0 - cosine) + 1e-6), 0.0, 1.0)
            found = found + share[..., None] * np.asarray(colour)
        return np.asarray(found)

    return radiance


_WHITE = 1.0, 1.0, 1.0


def _grey(strength: float) -> Colour:
    return strength, strength, strength


LIGHTS: dict[str, Light] = {
    "overcast": Light(
        _panels(_grey(0.55), ((0, 1, 0), 0.1, _grey(0.75)), ((0, -1, 0), 0.2, _grey(-0.3)))
    ),
    "low-sun": Light(
        _panels(
            (0.16, 0.2, 0.3),
            ((0.5, 0.8, 0.4), 0.75, _grey(1.1)),
            ((-0.9, 0.25, 0.4), 0.85, (2.2, 1.6, 1.0)),
        ),
        (Lamp((-4.0, 1.3, 2.2), (3.2, 2.5, 1.7)),),
    ),
    "points": Light(
        _panels(
            _grey(0.07),
            ((-4, 6, 3), 0.995, _grey(40)),
            ((5, 4, 2), 0.995, _grey(40)),
            ((1, 7, -4), 0.995, _grey(30)),
        ),
        (Lamp((-1.6, 1.8, 1.6), _WHITE), Lamp((1.8, 1.2, 1.2), _grey(0.8))),
    ),
    "rim": Light(
        _panels(_grey(0.008), ((6, 4, -7), 0.93, (1.3, 1.7, 2.4))),
        (Lamp((2.5, 1.5, -4.0), (1.3, 1.7, 2.4)),),
    ),
    "grey-room": Light(
        _panels(
            _grey(0.3),
            ((0, 1, 0), 0.8, _grey(2.0)),
            ((-1, 0.2, 0), 0.85, _grey(0.7)),
            ((0, 0.2, 1), 0.85, _grey(0.5)),
        ),
        (Lamp((2.0, 4.0, 3.0), _grey(0.8)),),
    ),
}
"""By name, as the interface calls them."""
