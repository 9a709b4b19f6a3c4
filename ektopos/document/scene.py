"""The project's scene: its meshes side by side on a ground, to be judged together.

Metres, y up, as glTF counts. It is looked at and leaves as a package of its own; no target's
package depends on it.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from ektopos.document.values import DocumentModel, Finite, Pair, Triple

MOST_ITEMS = 500
Times = Annotated[int, Field(ge=1, le=50)]
Metres = Annotated[Finite, Field(ge=-10_000, le=10_000)]
Place = tuple[Metres, Metres, Metres]


class SceneItem(DocumentModel):
    """A mesh, and where it stands."""

    mesh: str
    position: Place = (0.0, 0.0, 0.0)
    """Where the middle of its underside stands."""
    rotation: Triple = (0.0, 0.0, 0.0)
    """Degrees about x, y and z, round that point; about z first, then x, the upright y last."""
    scale: Annotated[Finite, Field(gt=0, le=1000)] = 1.0
    repeat: tuple[Times, Times] = (1, 1)
    """How often it stands in a row along x, and how many such rows along z."""
    every: Pair = (1.0, 1.0)
    """Metres from one to the next, along x and along z."""


class Ground(DocumentModel):
    """What everything stands on: a square in the plane y = 0."""

    material: str | None = None
    """Grey without one."""
    size: Annotated[Finite, Field(gt=0, le=10_000)] = 20.0
    """Its side."""
    tile: Annotated[Finite, Field(gt=0, le=10_000)] = 2.0
    """How many metres the UVs from 0 to 1 cover; the material's own tiling is counted on top."""


class Sun(DocumentModel):
    """A sun beside the light set-up; it throws shadows."""

    turn: Annotated[Finite, Field(ge=-360, le=360)] = 35.0
    """Degrees from the front (+z) towards +x where it stands."""
    height: Annotated[Finite, Field(ge=0, le=90)] = 40.0
    """Degrees above the horizon."""
    strength: Annotated[Finite, Field(ge=0, le=100)] = 3.0
    """Irradiance on a surface that faces it, in units of the light set-ups."""


class SceneView(DocumentModel):
    """A place of the camera that was kept."""

    position: Place
    target: Place


class Scene(DocumentModel):
    """What stands where, on what, under which sun, and from where it is seen."""

    items: Annotated[dict[str, SceneItem], Field(max_length=MOST_ITEMS)] = Field(
        default_factory=dict
    )
    ground: Ground | None = None
    sun: Sun | None = None
    panorama: str | None = None
    """The map that lights it from all around, instead of a light set-up: twice as wide as high, in
    floats."""
    views: Annotated[dict[str, SceneView], Field(max_length=100)] = Field(default_factory=dict)
