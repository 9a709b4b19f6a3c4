"""Recipes: slots and UVs changed without touching the surface."""

from __future__ import annotations

from pathlib import Path
from unittest import TestCase

import numpy as np
import trimesh
from pydantic import TypeAdapter

from ektopos.base.errors import EktoposError
from ektopos.document import Document, MeshEntry, dump_document, load_document
from ektopos.document.mesh_steps import MeshStep
from ektopos.edits import SetRecipe, apply_edits
from ektopos.meshes import (
    Mesh,
    apply_recipe,
    carried,
    find_faults,
    groups_of,
    read_mesh,
    slot_facts,
)
from ektopos.meshes.islands import smallest_gap, uv_islands
from ektopos.project import OpenProject, load_mesh
from tests.samples import folder, quads, save_glb

STEPS = TypeAdapter(list[MeshStep])


def after(mesh: Mesh, *steps: dict) -> Mesh:
    return apply_recipe(mesh, STEPS.validate_python(list(steps)))


def counts(mesh: Mesh) -> dict[str, int]:
    return {slot.name: slot.triangles for slot in slot_facts(mesh)}


def solid(shape: trimesh.Trimesh, root: Path) -> Mesh:
    """A shape of the trimesh package, without UVs."""
    (root / "s.ply").write_bytes(shape.export(file_type="ply"))
    return read_mesh(root / "s.ply")


class Slots(TestCase):
    def test_a_slot_is_renamed_and_keeps_all_else(self) -> None:
        mesh = quads({"0x1f": 2, "Bare": 1})
        self.assertEqual(
            counts(after(mesh, {"kind": "rename-slot", "slot": "0x1f", "name": "Hull"})),
            {"Hull": 4, "Bare": 2},
        )

    def test_slots_are_merged_where_the_first_stood(self) -> None:
        mesh = quads({"A": 1, "B": 2, "C": 3})
        merged = after(mesh, {"kind": "merge-slots", "slots": ["C", "A"], "name": "A"})
        self.assertEqual(counts(merged), {"A": 8, "B": 4})
        self.assertEqual(carried(mesh, merged), {"A": "C", "B": "B"})
        self.assertEqual({f.code for f in find_faults(merged)}, {f.code for f in find_faults(mesh)})

    def test_a_slot_is_split_into_its_parts_or_at_a_chosen_face(self) -> None:
        mesh = quads({"A": 3, "B": 1})
        self.assertEqual(
            counts(after(mesh, {"kind": "split-slot", "slot": "A"})),
            {"A": 2, "B": 2, "A_2": 2, "A_3": 2},
        )
        chosen = after(mesh, {"kind": "split-slot", "slot": "A", "at": [3], "name": "Lid"})
        self.assertEqual(counts(chosen), {"A": 4, "B": 2, "Lid": 2})
        self.assertEqual(chosen.triangle_slot.tolist(), [0, 0, 2, 2, 0, 0, 1, 1])
        face = after(
            mesh, {"kind": "split-slot", "slot": "A", "by": "face", "at": [0, 5], "name": "B"}
        )
        self.assertEqual(counts(face), {"A": 4, "B": 4}, "faces can go to a slot that is there")

    def test_islands_split_where_the_surface_hangs_together(self) -> None:
        with folder() as root:
            box = after(
                solid(trimesh.creation.box((1, 1, 1)), root),
                {"kind": "pack-uvs", "slots": ["slot_0"], "anew": True},
            )
        parts = counts(after(box, {"kind": "split-slot", "slot": "slot_0", "by": "part"}))
        islands = counts(after(box, {"kind": "split-slot", "slot": "slot_0", "by": "island"}))
        self.assertEqual(list(parts.values()), [12])
        self.assertEqual(sum(islands.values()), 12)
        self.assertEqual(len(islands), uv_islands(box.corner_uvs())[1])

    def test_vertices_that_two_slots_come_to_share_are_split(self) -> None:
        mesh = quads({"A": 1})
        split = after(
            mesh, {"kind": "split-slot", "slot": "A", "by": "face", "at": [1], "name": "B"}
        )
        self.assertEqual(len(split.positions), 6)
        np.testing.assert_array_equal(split.corners(), mesh.corners())
        self.assertEqual(np.bincount(split.vertex_slot).tolist(), [3, 3])

    def test_what_does_not_fit_is_refused_in_words(self) -> None:
        mesh = quads({"A": 1, "B": 1})
        for step in (
            {"kind": "rename-slot", "slot": "gone", "name": "X"},
            {"kind": "rename-slot", "slot": "A", "name": "B"},
            {"kind": "merge-slots", "slots": ["A", "gone"], "name": "A"},
            {"kind": "split-slot", "slot": "A", "at": [9]},
            {"kind": "split-slot", "slot": "A", "by": "face"},
            {"kind": "move-uvs", "slots": ["A"], "scale": [0, 1]},
            {"kind": "palette-uvs", "slot": "A", "square": [8, 0], "grid": [8, 8]},
        ):
            with self.subTest(step), self.assertRaises(EktoposError):
                after(mesh, step)


class Uvs(TestCase):
    def test_uvs_move_turn_and_scale_about_a_point(self) -> None:
        mesh = quads({"A": 1, "B": 1})
        turned = after(
            mesh,
            {
                "kind": "move-uvs",
                "slots": ["A"],
                "rotation": 90,
                "scale": [0.5, 0.5],
                "offset": [0.25, 0],
            },
        )
        # (1, 0.5), the middle of the right edge, goes to the middle of the upper edge: v runs down.
        right = turned.uvs[turned.vertex_slot == 0][[1, 2]].mean(axis=0)
        np.testing.assert_allclose(right, [0.75, 0.25], atol=1e-6)
        np.testing.assert_array_equal(
            turned.uvs[turned.vertex_slot == 1], mesh.uvs[mesh.vertex_slot == 1]
        )

    def test_mirrored_uvs_run_the_other_way(self) -> None:
        mirrored = after(quads({"A": 1}), {"kind": "move-uvs", "slots": ["A"], "scale": [-1, 1]})
        (facts,) = slot_facts(mirrored)
        self.assertEqual((facts.uv.flipped, facts.uv.coverage, facts.density), (1.0, 1.0, 1.0))

    def test_packed_islands_do_not_overlap_and_keep_their_shape(self) -> None:
        """xatlas' own promise, checked with measures of ours: no overlap, all inside, room between,
        no stretch added."""
        mesh = quads({"A": 7})
        self.assertGreater(slot_facts(mesh)[0].uv.overlap, 0.9)
        packed = after(mesh, {"kind": "pack-uvs", "slots": ["A"], "texels": 512, "gap": 6})
        (facts,) = slot_facts(packed)
        self.assertEqual((facts.uv.overlap, facts.uv.inside, facts.uv.islands), (0.0, True, 7))
        self.assertAlmostEqual(facts.uv.l2, 1.0, places=3)
        gap = smallest_gap(packed.corner_uvs(), uv_islands(packed.corner_uvs())[0])
        self.assertGreaterEqual(gap * 512, 5.0)
        np.testing.assert_array_equal(packed.corners(), mesh.corners())

    def test_a_solid_without_uvs_is_unwrapped(self) -> None:
        shapes = {
            "box": trimesh.creation.box((1, 2, 0.5)),
            "can": trimesh.creation.cylinder(0.5, 2, sections=24),
        }
        for name, shape in shapes.items():
            with self.subTest(name), folder() as root:
                bare = solid(shape, root)
                whole = after(bare, {"kind": "pack-uvs", "slots": ["slot_0"], "anew": True})
                (facts,) = slot_facts(whole)
                self.assertTrue(facts.uv.inside)
                self.assertLess(facts.uv.overlap, 0.002)
                self.assertLess(facts.uv.l2, 1.05)
                self.assertGreater(facts.uv.coverage, 0.3)
                self.assertEqual(facts.uv.flipped, 0.0, "none is mirrored")
                gap = smallest_gap(whole.corner_uvs(), uv_islands(whole.corner_uvs())[0]) or 0
                self.assertGreaterEqual(gap * 1024, 8, "the step's own gap and size")
                self.assertLessEqual(gap * 1024, 12)
                self.assertAlmostEqual(whole.areas().sum(), shape.area, places=5)
                self.assertEqual(
                    [f.code for f in find_faults(whole)],
                    [f.code for f in find_faults(bare) if f.code != "missing-uvs"],
                )

    def test_slots_packed_together_share_the_square(self) -> None:
        mesh = quads({"A": 2, "B": 3})
        packed = after(mesh, {"kind": "pack-uvs", "slots": ["A", "B"], "texels": 256, "gap": 2})
        corners = packed.corner_uvs()
        self.assertEqual(uv_islands(corners)[1], 5)
        self.assertGreater(smallest_gap(corners, uv_islands(corners)[0]), 0)

    def test_islands_are_put_inside_a_square_of_a_palette(self) -> None:
        mesh = quads({"A": 2, "B": 1})
        placed = after(
            mesh, {"kind": "palette-uvs", "slot": "A", "at": [2], "square": [3, 1], "grid": [8, 4]}
        )
        moved = placed.corner_uvs()[2:4].reshape(-1, 2)
        self.assertTrue((moved > [3 / 8, 1 / 4]).all() and (moved < [4 / 8, 2 / 4]).all())
        np.testing.assert_array_equal(placed.corner_uvs()[:2], mesh.corner_uvs()[:2])


class InDocument(TestCase):
    RECIPE = (
        {"kind": "rename-slot", "slot": "A", "name": "Hull"},
        {"kind": "split-slot", "slot": "Hull", "by": "part"},
    )

    def test_a_mesh_read_through_its_project_has_its_recipe(self) -> None:
        with folder() as root:
            save_glb(root / "p.glb", quads({"A": 2, "B": 1}))
            entry = MeshEntry(file="p.glb", recipe=STEPS.validate_python(list(self.RECIPE)))
            document = Document(meshes={"p": entry})
            again = load_document(dump_document(document))
            self.assertEqual(again, document)
            mesh = load_mesh(OpenProject(again, lambda file: root / file), "p")
        self.assertEqual(counts(mesh), {"Hull": 2, "B": 2, "Hull_2": 2})

    def test_slots_keep_what_they_wear_and_whether_they_are_done(self) -> None:
        mesh = quads({"A": 2, "B": 1})
        steps = STEPS.validate_python(list(self.RECIPE))
        document = Document(
            meshes={"p": MeshEntry(file="p.glb", slots={"A": "tin", "B": None}, done=["A"])}
        )
        edit = SetRecipe(mesh="p", recipe=steps, came_from=carried(mesh, apply_recipe(mesh, steps)))
        changed = apply_edits(document, [edit]).meshes["p"]
        self.assertEqual(changed.slots, {"Hull": "tin", "B": None, "Hull_2": "tin"})
        self.assertEqual(changed.done, ["Hull", "Hull_2"])
        self.assertEqual(document.meshes["p"].recipe, [], "the document before is as it was")


class Even(TestCase):
    def test_each_slot_is_scaled_by_its_own_factor_and_names_follow(self) -> None:
        mesh = quads({"A": 1, "B": 1})
        made = after(mesh, {"kind": "scale-uvs", "factors": {"A": 2.0, "B": 0.5}})
        before = {slot.name: slot.density for slot in slot_facts(mesh)}
        now = {slot.name: slot.density for slot in slot_facts(made)}
        self.assertAlmostEqual(now["A"], 2 * before["A"], places=5)
        self.assertAlmostEqual(now["B"], before["B"] / 2, places=5)
        with folder() as root:
            save_glb(root / "m.glb", mesh)
            renamed = after(
                read_mesh(root / "m.glb"),
                {"kind": "rename-slot", "slot": "A", "name": "Hull"},
                {"kind": "scale-uvs", "factors": {"Hull": 2.0}},
            )
        facts = {slot.name: slot.density for slot in slot_facts(renamed)}
        self.assertAlmostEqual(facts["Hull"], 2 * before["A"], places=5)
        with self.assertRaises(EktoposError):
            after(mesh, {"kind": "scale-uvs", "factors": {"gone": 2.0}})

    def test_an_even_side_ends_where_it_bends(self) -> None:
        # trimesh's box has twelve triangles on six sides; a fine ball bends nowhere by 30 degrees.
        with folder() as root:
            box = solid(trimesh.creation.box(), root)
            ball = solid(trimesh.creation.icosphere(3), root)
        sides = groups_of(box, np.arange(12), "side")
        self.assertEqual(np.bincount(sides).tolist(), [2] * 6)
        normals = np.cross(*np.moveaxis(np.diff(box.corners(), axis=1), 1, 0))
        for side in range(6):
            own = normals[sides == side]
            self.assertTrue(np.allclose(own[0], own[1]))
        self.assertEqual(set(groups_of(ball, np.arange(len(ball.triangles)), "side").tolist()), {0})

    def test_picked_faces_are_turned_in_place(self) -> None:
        mesh = quads({"A": 2})
        step = {"kind": "move-uvs", "slots": ["A"], "rotation": 90, "about": None, "at": [2, 3]}
        made = after(mesh, step)
        own, rest = made.corner_uvs()[2:4], made.corner_uvs()[:2]
        np.testing.assert_allclose(rest, mesh.corner_uvs()[:2])
        self.assertFalse(np.allclose(own, mesh.corner_uvs()[2:4]))
        for axis in (own.min(axis=(0, 1)), own.max(axis=(0, 1))):
            np.testing.assert_allclose(np.abs(axis - 0.5), 0.5, atol=1e-6)
        again = after(mesh, step, step, step, step)
        np.testing.assert_allclose(again.corner_uvs(), mesh.corner_uvs(), atol=1e-6)
        with self.assertRaisesRegex(EktoposError, "not in the slot any more"):
            after(mesh, step | {"at": [99]})
