"""What can be done to a mesh without a modelling tool, as values: the steps of its recipe.

A recipe is kept in the document beside the mesh; the file stays as it is. What each step does is in
`ektopos.meshes.recipe`.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from ektopos.base.names import LONGEST_GIVEN, counted

Name = Annotated[str, Field(min_length=1, max_length=LONGEST_GIVEN)]
Finite = Annotated[float, Field(allow_inf_nan=False)]
Pair = tuple[Finite, Finite]
Face = Annotated[int, Field(ge=0)]
By = Literal["part", "island", "tile", "side", "face"]
"""Faces that hang together on the surface, in UV space, that lie on one UV square (UDIM tile), or
each for itself."""


class _Step(BaseModel):
    model_config = ConfigDict(extra="forbid", defer_build=True)

    def label(self) -> str:
        """What it does, for people."""
        raise NotImplementedError


class RenameSlot(_Step):
    """Give a slot another name."""

    kind: Literal["rename-slot"]
    slot: str
    name: Name

    def label(self) -> str:
        return f"rename {self.slot} to {self.name}"


class MergeSlots(_Step):
    """Make one slot of several; it stands where the first stood."""

    kind: Literal["merge-slots"]
    slots: list[str] = Field(min_length=2)
    name: Name

    def label(self) -> str:
        return f"merge {', '.join(self.slots)} into {self.name}"


class SplitSlot(_Step):
    """Move faces of a slot into another: those that belong together with some chosen ones, or every
    such group into its own."""

    kind: Literal["split-slot"]
    slot: str
    by: By = "part"
    at: list[Face] | None = None
    """Chosen faces, counted within the slot; without any, every part or island becomes a slot of
    its own."""
    name: Name | None = None
    """The slot that the chosen faces go to, a new one or one that is there; by default the slot's
    name and a number."""

    def label(self) -> str:
        if self.at is None:
            return f"split {self.slot} by {self.by}s"
        return f"move faces of {self.slot} to {self.name or 'a new slot'}"


class MoveUvs(_Step):
    """Move, turn, mirror and scale the UVs of slots: uv' = about + turn · scale · (uv − about) +
    offset."""

    kind: Literal["move-uvs"]
    slots: list[str] = Field(min_length=1)
    offset: Pair = (0.0, 0.0)
    rotation: Finite = 0.0
    """Degrees, counter-clockwise as seen on the picture."""
    scale: Pair = (1.0, 1.0)
    """Negative values mirror."""
    about: Pair | None = (0.5, 0.5)
    """`null` is the middle of what is moved."""
    at: list[Face] | None = None
    """Only these faces, counted within the first slot; all of them without it."""

    def label(self) -> str:
        changes = [
            f"by {self.offset[0]:g}, {self.offset[1]:g}" if self.offset != (0.0, 0.0) else "",
            f"turned by {self.rotation:g}°" if self.rotation else "",
            f"scaled by {self.scale[0]:g}, {self.scale[1]:g}" if self.scale != (1.0, 1.0) else "",
        ]
        what = (
            f"{counted(len(self.at), 'face')} of {self.slots[0]}"
            if self.at
            else ", ".join(self.slots)
        )
        return f"UVs of {what}: {', '.join(text for text in changes if text) or 'as they are'}"


class ScaleUvs(_Step):
    """Scale the UVs of slots, each by a factor of its own, about the middle of 0–1: so that slots
    come to one density."""

    kind: Literal["scale-uvs"]
    factors: dict[str, Annotated[Finite, Field(gt=0)]] = Field(min_length=1)

    def label(self) -> str:
        return f"UVs of {', '.join(self.factors)}: one texel density"


class PackUvs(_Step):
    """Lay the islands of slots side by side in 0–1, or cut new ones. Source: the xatlas library."""

    kind: Literal["pack-uvs"]
    slots: list[str] = Field(min_length=1)
    anew: bool = False
    """Cut new islands, instead of keeping those that are there."""
    texels: Annotated[int, Field(ge=16, le=16384)] = 1024
    """Size of the map it is for …"""
    gap: Annotated[int, Field(ge=0, le=256)] = 8
    """… and the room between islands on it."""

    def label(self) -> str:
        done = "unwrapped" if self.anew else "packed"
        return f"UVs of {', '.join(self.slots)}: {done}, {self.gap} texels apart at {self.texels}"


class PaletteUvs(_Step):
    """Put islands of a slot onto a square of a palette, shrunk so that no neighbour is near."""

    kind: Literal["palette-uvs"]
    slot: str
    by: By = "island"
    at: list[Face] | None = None
    """Faces that say which islands, counted within the slot; without any, all of them."""
    square: tuple[Face, Face]
    """Column and row, from 0, from the upper left."""
    grid: tuple[Annotated[int, Field(ge=1, le=256)], Annotated[int, Field(ge=1, le=256)]]
    """Columns and rows of the palette."""

    def label(self) -> str:
        return (
            f"UVs of {self.slot}: on the square {self.square[0] + 1}, {self.square[1] + 1} of "
            "the palette"
        )


class TurnReversed(_Step):
    """Turn the faces of slots that show their backs: those that the fault `reversed-faces`
    counts."""

    kind: Literal["turn-reversed"]
    slots: list[str] = Field(min_length=1)

    def label(self) -> str:
        return f"flip the back faces of {', '.join(self.slots)}"


class Shade(_Step):
    """Give slots other normals: every face flat, or smooth over edges up to an angle."""

    kind: Literal["shade"]
    slots: list[str] = Field(min_length=1)
    angle: Annotated[Finite, Field(ge=0, le=180)] = 30.0
    """Degrees that faces may lean from each other and still be smooth; 0 makes all flat."""

    def label(self) -> str:
        how = "flat" if self.angle == 0 else f"smooth up to {self.angle:g}°"
        return f"{', '.join(self.slots)}: shaded {how}"


class ApplyScale(_Step):
    """Put the scales of the file's nodes into the geometry below them, where nothing else hangs on
    them."""

    kind: Literal["apply-scale"]

    def label(self) -> str:
        return "apply the scales of nodes"


class CloseCracks(_Step):
    """Bring points of open edges together that lie within a share of the mesh's size."""

    kind: Literal["close-cracks"]
    share: Annotated[Finite, Field(gt=0, le=0.01)] = 1e-4

    def label(self) -> str:
        return f"merge vertices of open edges within {100 * self.share:g} % of the size"


MeshStep = Annotated[
    RenameSlot
    | MergeSlots
    | SplitSlot
    | MoveUvs
    | ScaleUvs
    | PackUvs
    | PaletteUvs
    | TurnReversed
    | Shade
    | ApplyScale
    | CloseCracks,
    Field(discriminator="kind"),
]
