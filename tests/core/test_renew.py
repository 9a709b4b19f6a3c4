"""A mesh that comes back from another program: its slots are found again, its recipe is kept."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from ektopos.document.mesh_steps import MeshStep, MoveUvs, RenameSlot, SplitSlot
from ektopos.matching.renew import renew
from ektopos.meshes import Mesh
from tests.samples import quads


def panels(slots: dict[str, int]) -> Mesh:
    """Quads side by side, each slot on a strip of the UV square of its own."""
    mesh = quads(slots)
    own = mesh.vertex_slot[:, None]
    strip = np.float32(1 / len(slots))
    return replace(mesh, uvs=(mesh.uvs * [strip * 0.9, 0.9] + own * [strip, 0]).astype(np.float32))


def renamed(mesh: Mesh, **names: str) -> Mesh:
    return replace(mesh, slots=tuple(names.get(slot, slot) for slot in mesh.slots))


class Renewing(TestCase):
    def test_slots_of_the_same_names_stay_whatever_their_order(self) -> None:
        before, after = panels({"Hull": 2, "Keel": 1}), panels({"Keel": 1, "Hull": 3})
        found = renew(before, [], after)
        self.assertEqual(found.came_from, {"Keel": "Keel", "Hull": "Hull"})
        self.assertEqual((found.recipe, found.notes), ([], []))

    def test_a_slot_with_another_name_is_told_by_its_layout_and_keeps_its_old_name(self) -> None:
        before = panels({"Hull": 2, "Keel": 1})
        found = renew(before, [], renamed(before, Keel="lambert5"))
        self.assertEqual(found.came_from, {"Hull": "Hull", "Keel": "Keel"})
        self.assertEqual(
            found.recipe, [RenameSlot(kind="rename-slot", slot="lambert5", name="Keel")]
        )
        self.assertIn("UV layout", found.notes[0])

    def test_where_uvs_are_new_too_it_is_told_by_its_place(self) -> None:
        before = panels({"Hull": 2, "Keel": 1})
        moved = replace(before, uvs=before.uvs[::-1] * np.float32(0.3))
        found = renew(before, [], renamed(moved, Keel="mat_1"))
        self.assertEqual(found.came_from["Keel"], "Keel")
        self.assertIn("where it is", found.notes[0])

    def test_it_abstains_where_two_would_fit(self) -> None:
        # Both of the new slots lie where both of the old ones lie.
        before = quads({"A": 1, "B": 1})
        same = replace(before, positions=np.tile(before.positions[:4], (2, 1)))
        found = renew(same, [], renamed(same, A="one", B="two"))
        self.assertEqual(found.came_from, {})
        self.assertEqual(found.notes, ["one is new", "two is new", "A is gone", "B is gone"])

    def test_a_recipe_is_kept_on_new_numbers_of_triangles(self) -> None:
        recipe: list[MeshStep] = [
            RenameSlot(kind="rename-slot", slot="Hull", name="Body"),
            MoveUvs(kind="move-uvs", slots=["Body"], offset=(0.5, 0.0)),
        ]
        found = renew(panels({"Hull": 2, "Keel": 1}), recipe, panels({"Hull": 5, "Keel": 1}))
        self.assertEqual(found.recipe, recipe)
        self.assertEqual(found.came_from, {"Body": "Body", "Keel": "Keel"})

    def test_steps_that_number_faces_are_left_out_where_the_numbers_changed(self) -> None:
        split = SplitSlot(kind="split-slot", slot="Hull", at=[0], name="Bow")
        before = panels({"Hull": 2, "Keel": 1})
        self.assertEqual(renew(before, [split], before).recipe, [split])
        found = renew(before, [split], panels({"Hull": 3, "Keel": 1}))
        self.assertEqual(found.recipe, [])
        self.assertIn("numbered otherwise", found.notes[0])
        self.assertIn("Bow is gone", found.notes)

    def test_what_is_new_and_what_is_gone_is_said(self) -> None:
        after = panels({"Hull": 2, "Rudder": 3})
        elsewhere = np.where(after.vertex_slot[:, None] == 1, np.float32(0.2), np.float32(1))
        after = replace(after, uvs=after.uvs * elsewhere)
        found = renew(panels({"Hull": 2, "Keel": 1}), [], after)
        self.assertEqual(found.came_from, {"Hull": "Hull"})
        self.assertEqual(found.notes, ["Rudder is new", "Keel is gone"])
