"""Edits: what each one changes, what it leaves alone, and what it refuses. A table row is a rule
someone relies on."""

from __future__ import annotations

from collections.abc import Callable
from unittest import TestCase

from pydantic import TypeAdapter, ValidationError

from ektopos.base.errors import EktoposError, MissingReference
from ektopos.document import Document, document_json, load_document
from ektopos.edits import Edit, RemoveMaps, apply_edits
from ektopos.edits.maps import uses_of_maps
from ektopos.materials import resolve_inheritance
from tests.samples import project

EDIT = TypeAdapter(Edit)


def edited(document: Document, *edits: dict) -> Document:
    return apply_edits(document, [EDIT.validate_python(edit) for edit in edits])


def start() -> Document:
    with project() as opened:
        return opened.document


class Labels(TestCase):
    def test_every_edit_says_what_it_does_in_words(self) -> None:
        cases: list[tuple[dict, str]] = [
            ({"kind": "rename-project", "name": "Hull"}, "rename the project to Hull"),
            ({"kind": "set-target", "target": "gltf-split"}, "target gltf-split"),
            ({"kind": "set-map", "maps": ["tile_orm"]}, "tile_orm: confirmed"),
            ({"kind": "set-map", "maps": ["tile_nrm"], "normal_y": "+"}, "tile_nrm: green +Y"),
            ({"kind": "set-map", "maps": ["tile_orm", "tile_nrm"], "set": "x"}, "2 maps: set x"),
            (
                {
                    "kind": "set-map",
                    "maps": ["tile_col"],
                    "roles": {"rgb": "base_color"},
                    "encoding": "srgb",
                },
                "tile_col: base colour, srgb",
            ),
            ({"kind": "remove-maps", "maps": ["a", "b"]}, "remove 2 maps"),
            ({"kind": "remove-maps", "maps": ["a"]}, "remove a"),
            ({"kind": "add-material", "name": "m"}, "new material m"),
            ({"kind": "material-from-set", "set": "tile"}, "material from set tile"),
            ({"kind": "rename-material", "material": "a", "name": "b"}, "rename a to b"),
            ({"kind": "rename-materials", "names": {"a": "b", "c": "d"}}, "rename 2 materials"),
            (
                {"kind": "set-feed", "material": "m", "input": "base_color", "feed": None},
                "m: base colour reset to inherited",
            ),
            (
                {"kind": "set-feed", "material": "m", "input": "roughness", "feed": {"value": 0.5}},
                "m: roughness 0.5",
            ),
            (
                {"kind": "set-feed", "material": "m", "input": "normal", "feed": {"map": "n"}},
                "m: normal n",
            ),
            (
                {"kind": "set-setting", "material": "m", "setting": "alpha_mode", "value": "mask"},
                "m: alpha mode",
            ),
            (
                {"kind": "assign", "mesh": "h", "slots": ["A", "B"], "material": None},
                "h · A, B: no material",
            ),
            ({"kind": "assign", "mesh": "h", "slots": ["A"], "material": "m"}, "h · A: m"),
            ({"kind": "set-done", "mesh": "h", "slot": "A", "done": True}, "h · A: done"),
            ({"kind": "set-done", "mesh": "h", "slot": "A", "done": False}, "h · A: not done"),
            ({"kind": "remove-mesh", "mesh": "h"}, "remove h"),
            (
                {
                    "kind": "bring-in",
                    "maps": {"a": {"file": "a.png"}},
                    "meshes": {"h": {"file": "h.glb"}},
                },
                "import 1 map and 1 mesh",
            ),
        ]
        for edit, words in cases:
            with self.subTest(words):
                self.assertEqual(EDIT.validate_python(edit).label(), words)


class Refusals(TestCase):
    def test_what_is_not_there_is_named_and_nothing_changes(self) -> None:
        cases: list[dict] = [
            {"kind": "set-map", "maps": ["tile_orm", "gone"], "encoding": "srgb"},
            {"kind": "rename-set", "set": "gone", "name": "x"},
            {"kind": "add-naming-rule", "map": "gone"},
            {"kind": "remove-maps", "maps": ["gone"]},
            {"kind": "add-material", "name": "x", "base": "gone"},
            {"kind": "material-from-set", "set": "gone"},
            {"kind": "rename-material", "material": "gone", "name": "x"},
            {"kind": "rename-materials", "names": {"gone": "x"}},
            {"kind": "duplicate-material", "material": "gone"},
            {"kind": "set-feed", "material": "gone", "input": "roughness", "feed": None},
            {
                "kind": "set-feed",
                "material": "tile",
                "input": "roughness",
                "feed": {"map": "gone", "channels": "r"},
            },
            {"kind": "set-setting", "material": "gone", "setting": "uv", "value": None},
            {"kind": "set-setting", "material": "tile", "setting": "from", "value": "gone"},
            {"kind": "push-up", "material": "gone", "input": "roughness"},
            {"kind": "detach", "material": "gone"},
            {"kind": "apply-pattern", "material": "gone", "set": "tile"},
            {"kind": "apply-pattern", "material": "tile", "set": "gone"},
            {"kind": "assign", "mesh": "gone", "slots": ["Front"], "material": None},
            {"kind": "assign", "mesh": "plates", "slots": ["Front"], "material": "gone"},
            {"kind": "set-done", "mesh": "gone", "slot": "Front", "done": True},
        ]
        document = start()
        before = document_json(document)
        for edit in cases:
            with self.subTest(str(edit)), self.assertRaises(MissingReference) as caught:
                edited(document, {"kind": "rename-project", "name": "changed"}, edit)
            self.assertIn("gone", str(caught.exception))
            self.assertEqual(document_json(document), before)

    def test_names_that_are_taken_are_refused(self) -> None:
        document = start()
        for edit in (
            {"kind": "add-material", "name": "tile"},
            {"kind": "material-from-set", "set": "tile", "name": "plain"},
            {"kind": "rename-material", "material": "tile", "name": "plain"},
            {"kind": "duplicate-material", "material": "tile", "name": "plain"},
            {"kind": "apply-pattern", "material": "tile", "set": "tile", "name": "plain"},
            {"kind": "rename-materials", "names": {"tile": "plain"}},
            {"kind": "rename-materials", "names": {"tile": "same", "plain": "same"}},
        ):
            with self.subTest(str(edit)), self.assertRaises(EktoposError) as caught:
                edited(document, edit)
            self.assertIn("name", str(caught.exception))
            self.assertTrue(caught.exception.hint)

    def test_values_out_of_bounds_are_refused_before_they_are_stored(self) -> None:
        feed: Callable[..., dict] = lambda **given: {  # noqa: E731
            "kind": "set-feed",
            "material": "tile",
            "input": "roughness",
            "feed": {"map": "tile_orm", "channels": "g", **given},
        }
        for bad in (
            feed(gamma=0),
            feed(gamma=-1),
            feed(range=[0, float("nan")]),
            feed(multiply=float("inf")),
            feed(saturation=-0.1),
            feed(value=0.5),
            feed(channels="q"),
            feed(layers=[{"amount": 1.5}]),
            feed(layers=[{"op": "screen"}]),
            {"kind": "add-material", "name": ""},
            {"kind": "add-material", "name": "x" * 256},
            {"kind": "set-map", "maps": []},
            {"kind": "set-map", "maps": ["tile_orm"], "normal_y": "up"},
            {"kind": "assign", "mesh": "plates", "slots": [], "material": None},
            {"kind": "set-target", "target": "gltf-glb", "extra": 1},
        ):
            with self.subTest(str(bad)), self.assertRaises(ValidationError):
                EDIT.validate_python(bad)

    def test_a_setting_of_the_wrong_kind_is_named_by_its_place(self) -> None:
        for setting, value in (
            ("alpha_mode", "glass"),
            ("alpha_cutoff", -1),
            ("uv", {"tiling": [1]}),
            ("filter", 3),
        ):
            with self.subTest(setting), self.assertRaises(EktoposError) as caught:
                edited(
                    start(),
                    {"kind": "set-setting", "material": "tile", "setting": setting, "value": value},
                )
            self.assertIn(setting, str(caught.exception))


class Names(TestCase):
    def test_names_can_be_exchanged_and_everything_follows(self) -> None:
        after = edited(
            start(), {"kind": "rename-materials", "names": {"tile": "plain", "plain": "tile"}}
        )
        self.assertEqual(
            after.meshes["plates"].slots, {"Front": "plain", "Back": "tile_dull", "Bare": "tile"}
        )
        self.assertEqual(after.materials["tile_dull"].base, "plain")
        self.assertEqual(after.materials["tile"].inputs["roughness"].value, 0.35)

    def test_a_rename_to_the_same_name_changes_nothing(self) -> None:
        document = start()
        after = edited(document, {"kind": "rename-material", "material": "tile", "name": "tile"})
        self.assertEqual(document_json(after), document_json(document))

    def test_copies_and_sets_find_a_free_name(self) -> None:
        after = edited(
            start(),
            {"kind": "duplicate-material", "material": "plain"},
            {"kind": "duplicate-material", "material": "plain"},
            {"kind": "material-from-set", "set": "tile"},
            {"kind": "material-from-set", "set": "tile"},
        )
        self.assertEqual(
            list(after.materials)[3:], ["plain_copy", "plain_copy_2", "tile_2", "tile_3"]
        )

    def test_a_copy_shares_nothing_with_what_it_was_copied_from(self) -> None:
        after = edited(
            start(),
            {"kind": "duplicate-material", "material": "plain", "name": "other"},
            {"kind": "set-feed", "material": "other", "input": "roughness", "feed": {"value": 0.9}},
        )
        self.assertEqual(after.materials["plain"].inputs["roughness"].value, 0.35)
        self.assertEqual(after.materials["other"].inputs["roughness"].value, 0.9)


class Maps(TestCase):
    def test_what_is_not_given_stays(self) -> None:
        after = edited(start(), {"kind": "set-map", "maps": ["tile_nrm"], "encoding": "srgb"})
        entry = after.maps["tile_nrm"]
        self.assertEqual(
            (entry.roles, entry.normal_y, entry.encoding, entry.by_hand),
            ({"rgb": "normal"}, "-", "srgb", True),
        )

    def test_a_direction_goes_with_the_role_of_a_normal_map(self) -> None:
        after = edited(
            start(), {"kind": "set-map", "maps": ["tile_nrm"], "roles": {"rgb": "base_color"}}
        )
        self.assertIsNone(after.maps["tile_nrm"].normal_y)

    def test_being_put_into_a_set_says_nothing_of_what_a_map_is(self) -> None:
        after = edited(start(), {"kind": "set-map", "maps": ["tile_orm"], "set": "floor"})
        self.assertEqual(
            (after.maps["tile_orm"].set, after.maps["tile_orm"].by_hand), ("floor", False)
        )

    def test_a_rule_names_all_that_end_alike_except_what_a_person_named(self) -> None:
        document = load_document(
            '{"ektopos": 1, "maps": {"hull_col": {"file": "hull_col.png", "set": "hull"}, "hull_zz": {"file": "hull_zz.png", "set": "hull"}, '
            '"fin_zz": {"file": "fin_zz.png"}, "fin_col": {"file": "fin_col.png"}, "own_zz": {"file": "own_zz.png"}}}'
        )
        after = edited(
            document,
            {"kind": "set-map", "maps": ["own_zz"], "roles": {"rgb": "emission"}},
            {"kind": "set-map", "maps": ["hull_zz"], "roles": {"r": "roughness"}},
            {"kind": "add-naming-rule", "map": "hull_zz"},
        )
        self.assertEqual([rule.ending for rule in after.naming], ["_zz"])
        self.assertEqual(after.maps["fin_zz"].roles, {"r": "roughness"})
        self.assertEqual(after.maps["fin_zz"].set, "fin")
        self.assertEqual(after.maps["own_zz"].roles, {"rgb": "emission"})
        back = edited(after, {"kind": "remove-naming-rule", "ending": "_zz"})
        self.assertEqual((back.naming, back.maps["fin_zz"].roles), ([], {"r": "roughness"}))

    def test_maps_that_feed_nothing_go_and_layers_count_as_feeding(self) -> None:
        layered = {
            "value": 0.5,
            "layers": [{"op": "mix", "value": 0.1, "mask": {"map": "spare", "channels": "r"}}],
        }
        document = edited(
            start(), {"kind": "bring-in", "maps": {"spare": {"file": "maps/spare.png"}}}
        )
        self.assertNotIn("spare", edited(document, {"kind": "remove-maps", "maps": ["spare"]}).maps)
        fed = edited(
            document,
            {"kind": "set-feed", "material": "plain", "input": "roughness", "feed": layered},
        )
        with self.assertRaises(EktoposError) as caught:
            edited(fed, {"kind": "remove-maps", "maps": ["spare"]})
        self.assertIn("plain", str(caught.exception))


class Deriving(TestCase):
    def test_giving_back_brings_the_base_value_back(self) -> None:
        document = start()
        self.assertEqual(
            resolve_inheritance(document, "tile_dull").feeds["roughness"].map, "tile_gloss"
        )
        after = edited(
            document,
            {"kind": "set-feed", "material": "tile_dull", "input": "roughness", "feed": None},
        )
        self.assertEqual(resolve_inheritance(after, "tile_dull").feeds["roughness"].map, "tile_orm")
        self.assertEqual(resolve_inheritance(after, "tile_dull").origin["roughness"], "tile")

    def test_a_pushed_value_reaches_every_sibling(self) -> None:
        after = edited(
            start(),
            {"kind": "add-material", "name": "sibling", "base": "tile"},
            {"kind": "push-up", "material": "tile_dull", "input": "roughness"},
        )
        self.assertEqual(after.materials["tile_dull"].inputs, {})
        for name in ("tile", "tile_dull", "sibling"):
            self.assertEqual(resolve_inheritance(after, name).feeds["roughness"].map, "tile_gloss")

    def test_there_must_be_something_to_push_and_somewhere_to_push_it(self) -> None:
        for material, name in (("tile_dull", "metallic"), ("tile", "roughness")):
            with self.subTest(material), self.assertRaises(EktoposError):
                edited(start(), {"kind": "push-up", "material": material, "input": name})

    def test_a_detached_material_no_longer_follows(self) -> None:
        after = edited(
            start(),
            {"kind": "detach", "material": "tile_dull"},
            {"kind": "set-feed", "material": "tile", "input": "metallic", "feed": {"value": 1.0}},
            {"kind": "set-setting", "material": "tile", "setting": "surface_tag", "value": "metal"},
        )
        self.assertIsNone(after.materials["tile_dull"].base)
        self.assertEqual(resolve_inheritance(after, "tile_dull").feeds["metallic"].map, "tile_orm")
        self.assertEqual(resolve_inheritance(after, "tile_dull").surface_tag, "stone")
        edited(
            after, {"kind": "remove-material", "material": "tile"}
        )  # nothing derives from it any more

    def test_a_base_can_be_changed_to_any_depth_but_never_to_a_circle(self) -> None:
        chain = [
            {"kind": "add-material", "name": f"m{i}", "base": f"m{i - 1}" if i else "plain"}
            for i in range(40)
        ]
        document = edited(start(), *chain)
        self.assertEqual(resolve_inheritance(document, "m39").feeds["roughness"].value, 0.35)
        changed = edited(
            document,
            {"kind": "set-feed", "material": "plain", "input": "roughness", "feed": {"value": 0.7}},
        )
        self.assertEqual(resolve_inheritance(changed, "m39").feeds["roughness"].value, 0.7)
        with self.assertRaises(EktoposError):
            edited(
                document,
                {"kind": "set-setting", "material": "plain", "setting": "from", "value": "m39"},
            )


class Meshes(TestCase):
    def test_a_deleted_material_leaves_its_slots_bare(self) -> None:
        after = edited(start(), {"kind": "remove-material", "material": "plain"})
        self.assertEqual(
            after.meshes["plates"].slots, {"Front": "tile", "Back": "tile_dull", "Bare": None}
        )

    def test_a_mesh_brought_in_again_keeps_what_its_slots_wear(self) -> None:
        after = edited(
            start(),
            {
                "kind": "bring-in",
                "meshes": {
                    "plates": {"file": "meshes/plates.glb", "slots": {"Front": None, "New": None}}
                },
            },
        )
        self.assertEqual(after.meshes["plates"].slots, {"Front": "tile", "New": None})

    def test_done_is_ticked_once_and_taken_back(self) -> None:
        tick = {"kind": "set-done", "mesh": "plates", "slot": "Back", "done": True}
        after = edited(start(), tick, tick)
        self.assertEqual(after.meshes["plates"].done, ["Back"])
        self.assertEqual(edited(after, {**tick, "done": False}).meshes["plates"].done, [])

    def test_a_removed_mesh_takes_nothing_else_with_it(self) -> None:
        document = start()
        after = edited(document, {"kind": "remove-mesh", "mesh": "plates"})
        self.assertEqual(after.meshes, {})
        self.assertEqual(after.materials, document.materials)


class UsesOfMaps(TestCase):
    def test_masks_and_the_panorama_are_uses_and_nothing_of_them_goes_without_a_word(self) -> None:
        document = Document.model_validate(
            {
                "ektopos": 1,
                "name": "p",
                "maps": {name: {"file": f"{name}.png"} for name in ("moss_mask", "sky", "free")},
                "materials": {
                    "moss": {},
                    "wall": {"covers": [{"material": "moss", "mask": {"map": "moss_mask"}}]},
                },
                "scene": {"panorama": "sky"},
            }
        )
        said = {"moss_mask": ["mask of moss over wall"], "sky": ["light of the scene"]}
        self.assertEqual(uses_of_maps(document), said)
        for name in said:
            with self.subTest(name):
                with self.assertRaises(EktoposError):
                    apply_edits(document, [RemoveMaps(maps=[name])])
                after = apply_edits(document, [RemoveMaps(maps=[name], with_feeds=True)])
                self.assertNotIn(name, uses_of_maps(after))
        self.assertNotIn("free", apply_edits(document, [RemoveMaps(maps=["free"])]).maps)
