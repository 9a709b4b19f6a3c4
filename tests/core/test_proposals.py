"""What a slot could wear: proposals from ranked sets, the material of a set, and slots that are
alike."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from ektopos.document import Document, Feed, MapEntry, MaterialEntry, MeshEntry
from ektopos.document.mesh_steps import MoveUvs, RenameSlot
from ektopos.matching import Candidate, Pair, material_of_set, pair_slots, proposals
from ektopos.meshes import Mesh, apply_recipe
from tests.core.test_match import islands, mesh_of
from tests.samples import quads


def ranked(*scores: float) -> list[Candidate]:
    return [Candidate(f"set{i}", score, [f"reason {i}"]) for i, score in enumerate(scores)]


def document(**slots: str | None) -> Document:
    maps = {f"m{i}": MapEntry(file=f"m{i}.png", set=f"set{i % 2}") for i in range(4)}
    materials = {
        "whole": MaterialEntry(
            inputs={"base_color": Feed(map="m0"), "roughness": Feed(map="m2", channels="r")}
        ),
        "variant": MaterialEntry.model_validate(
            {
                "from": "whole",
                "inputs": {"base_color": {"map": "m0"}, "metallic": {"map": "m2", "channels": "b"}},
            }
        ),
        "partly": MaterialEntry(
            inputs={"base_color": Feed(map="m0"), "occlusion": Feed(map="m1", channels="r")}
        ),
    }
    return Document(
        maps=maps, materials=materials, meshes={"mesh": MeshEntry(file="m.glb", slots=slots)}
    )


class Proposing(TestCase):
    def test_only_bare_slots_are_proposed_for_and_the_best_set_is_named(self) -> None:
        made = proposals(
            document(a=None, b="whole", c=None),
            "mesh",
            {"a": ranked(0.95, 0.6), "b": ranked(0.99), "c": ranked()},
            {},
        )
        self.assertEqual(
            [(p.slot, p.set, p.material, p.reasons) for p in made],
            [("a", "set0", "whole", ["reason 0"])],
        )

    def test_it_is_as_sure_as_its_candidate(self) -> None:
        for sure in (True, False):
            first = Candidate("set0", 0.95, ["reason"], sure=sure)
            (made,) = proposals(document(a=None), "mesh", {"a": [first, *ranked(0.4)]}, {})
            self.assertEqual(made.sure, sure)

    def test_the_material_of_a_set_is_the_one_most_fed_from_it_and_a_base_before_its_variants(
        self,
    ) -> None:
        self.assertEqual(material_of_set(document(), "set0"), "whole")
        self.assertEqual(material_of_set(document(), "set1"), "partly")
        self.assertIsNone(material_of_set(document(), "set9"))

    def test_layers_and_masks_of_a_set_do_not_make_a_material_of_it(self) -> None:
        feed = {"map": "m0", "layers": [{"map": "m1", "mask": {"map": "m3"}}]}
        whole = document()
        whole.materials = {"one": MaterialEntry.model_validate({"inputs": {"base_color": feed}})}
        self.assertEqual(material_of_set(whole, "set0"), "one")
        self.assertIsNone(material_of_set(whole, "set1"))

    def test_the_only_set_for_the_only_slot_is_ticked(self) -> None:
        whole = document(a=None)
        whole.maps = {"m0": whole.maps["m0"]}
        (made,) = proposals(whole, "mesh", {"a": ranked(0.2)}, {})
        self.assertTrue(made.sure)
        self.assertIn("only", made.reasons[0])
        for other in (document(a=None), document(a=None, b=None)):
            found = proposals(other, "mesh", {"a": ranked(0.2)}, {})
            self.assertEqual([p.sure for p in found], [False])


class Alike(TestCase):
    def told(self, one: Mesh, other: Mesh) -> dict[str, str | None]:
        return {pair.slot: pair.other for pair in pair_slots(one, other)}

    def test_names_count_first_whatever_their_case(self) -> None:
        found = pair_slots(quads({"HULL": 1, "Keel": 1}), quads({"Hull": 1, "Deck": 2}))
        self.assertEqual(found[0], Pair("HULL", "Hull", "the same name"))

    def test_slots_with_other_names_are_told_by_their_layout(self) -> None:
        layouts = [islands(np.random.default_rng(seed)) for seed in (1, 2)]
        one, two = mesh_of(layouts), mesh_of(layouts[::-1])
        renamed = replace(two, slots=("p", "q"))
        found = pair_slots(one, renamed)
        self.assertEqual(
            {pair.slot: pair.other for pair in found}, {one.slots[0]: "q", one.slots[1]: "p"}
        )
        self.assertIn("UV layout", found[0].why)

    def test_other_layouts_are_not_alike(self) -> None:
        one = quads({"a": 1})
        moved = apply_recipe(
            one,
            [
                MoveUvs(kind="move-uvs", slots=["a"], scale=(0.4, 0.4)),
                RenameSlot(kind="rename-slot", slot="a", name="b"),
            ],
        )
        self.assertEqual(pair_slots(moved, one), [])

    def test_names_that_say_nothing_do_not_decide(self) -> None:
        layouts = [islands(np.random.default_rng(seed)) for seed in (1, 2)]
        one = replace(mesh_of(layouts), slots=("slot_0", "slot_1"))
        swapped = replace(mesh_of(layouts[::-1]), slots=("slot_0", "slot_1"))
        self.assertEqual(self.told(one, swapped), {"slot_0": "slot_1", "slot_1": "slot_0"})

    def test_where_several_fit_nothing_is_said(self) -> None:
        # Each slot is one square over the whole of the UVs: nothing tells them apart.
        one, other = quads({"a": 1, "b": 1}), quads({"p": 1, "q": 1})
        found = pair_slots(one, other)
        self.assertEqual([pair.other for pair in found], [None, None])
        self.assertIn("p, q fit alike", found[0].why)
        # One of them twice as large in metres, and so half as dense, tells both.
        larger, wide = stretched(one, 0, 2.0), stretched(other, 1, 2.0)
        self.assertEqual(self.told(larger, wide), {"a": "q", "b": "p"})

    def test_no_slot_is_given_away_twice(self) -> None:
        one, other = quads({"a": 1, "b": 1}), quads({"p": 1})
        self.assertEqual({pair.other for pair in pair_slots(one, other)}, {None})

    def test_slots_without_uvs_are_told_by_name_only(self) -> None:
        one = quads({"Hull": 1, "x": 1})
        bare = replace(one, uvs=np.full_like(one.uvs, np.nan))
        self.assertEqual(self.told(bare, replace(bare, slots=("hull", "y"))), {"Hull": "hull"})


def stretched(mesh: Mesh, slot: int, by: float) -> Mesh:
    """The mesh with one slot larger in metres; its UVs stay."""
    positions = mesh.positions.copy()
    positions[mesh.vertex_slot == slot] *= by
    return replace(mesh, positions=positions)
