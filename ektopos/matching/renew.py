"""A new version of a mesh in the place of the old one: its slots found again, its recipe kept as
far as it still means the same."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from ektopos.base.errors import EktoposError
from ektopos.document.mesh_steps import MeshStep, RenameSlot
from ektopos.matching.layout import layout_of, shared_share
from ektopos.meshes import Mesh, apply_recipe, carried
from ektopos.meshes.recipe import apply_step

SAME_LAYOUT = 0.9
"""Share of two layouts' cells that both cover, from which they count as the same."""
SAME_PLACE = 0.8
"""Share of their common box that two slots fill both to count as lying at one place; common
practice."""


@dataclass(frozen=True)
class Renewed:
    """How a new version takes the place of an old one."""

    recipe: list[MeshStep]
    """What is done to the new file."""
    slots: list[str]
    """All slots that it has then."""
    came_from: dict[str, str]
    """For every slot that it has then, the slot of the old one that it continues; those that are
    new are not in it."""
    notes: list[str]
    """What was found otherwise than by name, and what could not be kept, in words."""


def renew(before: Mesh, recipe: Sequence[MeshStep], after: Mesh) -> Renewed:
    """How the file `after` takes the place of `before`, to which `recipe` was done.

    Slots are found again by name, then by their UV layout, then by where they are; each of these
    only where it tells one from all others. Steps that name faces by numbers are kept where the
    slot still has as many. Raises `EktoposError` if the recipe does not fit the old file.
    """
    notes: list[str] = []
    made: list[MeshStep] = []
    old, new = before, after
    for was, now, why in _found_again(before, after):
        rename = RenameSlot(kind="rename-slot", slot=now, name=was)
        made.append(rename)
        new = apply_step(rename, new)
        notes.append(f"{now} is taken for {was}, by {why}")
    for step in recipe:
        same = getattr(step, "at", None) is None or _as_many(step, old, new)
        if same:
            try:
                new = apply_step(step, new)
                made.append(step)
            except EktoposError as problem:
                notes.append(f"left out: {step.label()} ({problem.message.rstrip('.')})")
        else:
            notes.append(f"left out: {step.label()} (its faces are numbered otherwise now)")
        old = apply_step(step, old)
    goal = set(old.slots)
    came_from = {
        slot: slot if slot in goal else source
        for slot, source in carried(apply_recipe(after, made[: _renames(made)]), new).items()
        if slot in goal or source in goal
    }
    notes += [f"{slot} is new" for slot in new.slots if slot not in came_from]
    notes += [f"{slot} is gone" for slot in old.slots if slot not in came_from.values()]
    return Renewed(made, list(new.slots), came_from, notes)


def _renames(steps: Sequence[MeshStep]) -> int:
    return next((i for i, step in enumerate(steps) if step.kind != "rename-slot"), len(steps))


def _as_many(step: MeshStep, old: Mesh, new: Mesh) -> bool:
    """Whether the slot that a step names faces of has as many triangles in both."""
    slot = getattr(step, "slot", None) or getattr(step, "slots", [""])[0]
    counts = [
        int((mesh.triangle_slot == mesh.slots.index(slot)).sum()) if slot in mesh.slots else -1
        for mesh in (old, new)
    ]
    return counts[0] == counts[1] >= 0


def _found_again(before: Mesh, after: Mesh) -> list[tuple[str, str, str]]:
    """Slots of the old file that the new one calls otherwise: what it was, what it is, and how it
    was told."""
    lost = [slot for slot in before.slots if slot not in after.slots]
    fresh = [slot for slot in after.slots if slot not in before.slots]
    pairs: list[tuple[str, str, str]] = []
    for measure, least, why in (
        (_same_layout, SAME_LAYOUT, "its UV layout"),
        (_same_place, SAME_PLACE, "where it is"),
    ):
        for was, now in _one_to_one(before, lost, after, fresh, measure, least):
            pairs.append((was, now, why))
            lost.remove(was)
            fresh.remove(now)
    return pairs


def _one_to_one(
    before: Mesh,
    lost: list[str],
    after: Mesh,
    fresh: list[str],
    measure: Callable[[Mesh, str, Mesh, str], float],
    least: float,
) -> list[tuple[str, str]]:
    """Pairs of which each is the only one like the other."""
    like = {(was, now): measure(before, was, after, now) >= least for was in lost for now in fresh}
    return [
        (was, now)
        for (was, now), alike in like.items()
        if alike
        and sum(like[was, other] for other in fresh) == 1
        and sum(like[other, now] for other in lost) == 1
    ]


def _same_layout(before: Mesh, was: str, after: Mesh, now: str) -> float:
    """Share of the cells that either layout covers which both cover."""
    return shared_share(
        layout_of(before, before.slots.index(was)), layout_of(after, after.slots.index(now))
    )


def _same_place(before: Mesh, was: str, after: Mesh, now: str) -> float:
    """How much of their common box the smaller side of each fills, 0–1."""
    boxes = []
    for mesh, slot in ((before, was), (after, now)):
        corners = mesh.corners()[mesh.triangle_slot == mesh.slots.index(slot)].reshape(-1, 3)
        if not len(corners):
            return 0.0
        boxes.append((corners.min(axis=0), corners.max(axis=0)))
    (low, high), (other_low, other_high) = boxes
    both = np.minimum(high, other_high) - np.maximum(low, other_low)
    either = np.maximum(high, other_high) - np.minimum(low, other_low)
    # Flat sides have no depth to compare.
    wide = either > 1e-6 * max(float(either.max()), 1e-30)
    return float((both[wide] / either[wide]).min()) if wide.any() else 0.0
