"""What a slot could wear: proposals from ranked sets, the material of a set, and slots that are
alike."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from ektopos.document import Document, Feed, MapEntry, MaterialEntry, MeshEntry
from ektopos.matching import Candidate, material_of_set, proposals, same_slots
from ektopos.meshes import apply_recipe
from ektopos.steps import MoveUvs, RenameSlot
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


class Alike(TestCase):
    def test_names_count_first_whatever_their_case(self) -> None:
        found = same_slots(quads({"HULL": 1, "x": 1}), quads({"Hull": 1, "Deck": 2}))
        self.assertEqual(found["HULL"], ("Hull", "the same name"))

    def test_slots_with_other_names_are_told_by_their_layout(self) -> None:
        layouts = [islands(np.random.default_rng(seed)) for seed in (1, 2)]
        one, two = mesh_of(layouts), mesh_of(layouts[::-1])
        renamed = replace(two, slots=("p", "q"))
        found = same_slots(one, renamed)
        self.assertEqual(
            {slot: other for slot, (other, _) in found.items()},
            {one.slots[0]: "q", one.slots[1]: "p"},
        )
        self.assertIn("UV layout", found[one.slots[0]][1])

    def test_other_layouts_are_not_alike(self) -> None:
        one = quads({"a": 1})
        moved = apply_recipe(
            one,
            [
                MoveUvs(kind="move-uvs", slots=["a"], scale=(0.4, 0.4)),
                RenameSlot(kind="rename-slot", slot="a", name="b"),
            ],
        )
        self.assertEqual(same_slots(moved, one), {})
