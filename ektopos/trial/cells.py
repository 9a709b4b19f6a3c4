"""The verdict on one input of one slot, as a value."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

from ektopos.trial.diagnosis import Cause

Verdict = Literal["same", "close", "differs", "lost", "unsupported", "by-hand"]
SOUND: tuple[Verdict, ...] = ("same", "close", "unsupported", "by-hand")
"""Verdicts with which a trial passes."""
SETTINGS, MESH, SCENE = "settings", "mesh", "scene"
"""What a cell is about, where that is no input: the material's settings, the slot's triangles, and
the mesh's whole file."""


@dataclass(frozen=True)
class SettingPair:
    """One setting on both sides, in words."""

    name: str
    meant: str
    arrived: str


@dataclass(frozen=True)
class Cell:
    """The verdict on one input of one slot."""

    mesh: str
    slot: str
    material: str | None
    input: str
    verdict: Verdict
    max_error: float | None = None
    mean_error: float | None = None
    unit: str | None = None
    cause: Cause | None = None
    message: str = ""
    differing: float | None = None
    """Share of texels outside the tolerance, 0–1."""
    white_at: float | None = None
    """What white stands for in the picture of its difference, in its unit; black is no error."""
    advice: str = ""
    """What to do about its cause."""
    settings: tuple[SettingPair, ...] = ()
    """Of the settings: each one as it was meant and as it arrived."""


def because(cell: Cell, cause: Cause, message: str) -> Cell:
    """The cell with a cause."""
    return replace(cell, cause=cause, message=message)


def not_carried(cells: Iterable[tuple[str, str, Verdict, Cause | None]]) -> tuple[int, int]:
    """How many inputs a target does not support, and how many slots have no material, of cells as
    mesh, slot, verdict and cause."""
    unsupported = [cell for cell in cells if cell[2] == "unsupported"]
    bare = {(mesh, slot) for mesh, slot, _, cause in unsupported if not cause}
    return sum(bool(cause) for *_, cause in unsupported), len(bare)


def badness(cell: Cell) -> int:
    """Orders cells from sound to wrong."""
    return ("same", "close", "by-hand", "unsupported", "lost", "differs").index(cell.verdict)
