"""The document: what is read, what is refused, and every edit."""

from __future__ import annotations

import json
import zipfile
from unittest import TestCase

from pydantic import TypeAdapter

from ektopos.base.errors import EktoposError, InvalidDocument, MissingReference
from ektopos.document import Document, document_json, dump_document, load_document
from ektopos.edits import Edit, apply_edits
from ektopos.materials import resolve_inheritance
from ektopos.project import folder_files, is_safe, open_project, pack
from tests.samples import folder, project, project_folder

EDIT = TypeAdapter(Edit)


def edited(document: Document, *edits: dict) -> Document:
    return apply_edits(document, [EDIT.validate_python(edit) for edit in edits])


class Loading(TestCase):
    def test_what_is_written_is_what_is_read(self) -> None:
        with project() as opened:
            text = dump_document(opened.document)
        self.assertEqual(document_json(load_document(text)), json.loads(text))

    def test_unknown_fields_are_kept(self) -> None:
        document = load_document(
            '{"ektopos": 1, "materials": {"m": {"shininess": 3}}, "note": "hand-made"}'
        )
        self.assertEqual(json.loads(dump_document(document))["note"], "hand-made")
        self.assertEqual(json.loads(dump_document(document))["materials"]["m"]["shininess"], 3)

    def test_what_is_wrong_is_named_by_its_place(self) -> None:
        cases = {
            "[]": "not a project document",
            "{": "not JSON",
            '{"ektopos": 2}': "version 2",
            '{"ektopos": true}': "project document",
            '{"ektopos": 1, "materials": {"m": {"alpha_cutoff": "high"}}}': "materials.m.alpha_cutoff",
            '{"ektopos": 1, "materials": {"m": {"inputs": {"roughness": {"value": 1, "map": "x"}}}}}': "either a value or a map",
            '{"ektopos": 1, "materials": {"m": {"inputs": {"roughness": {"value": 1e999}}}}}': "materials.m.inputs.roughness",
        }
        for text, words in cases.items():
            with self.subTest(text), self.assertRaises(InvalidDocument) as caught:
                load_document(text, "x.ektopos.json")
            self.assertIn(words, str(caught.exception))


class Paths(TestCase):
    def test_nothing_outside_a_project_is_opened(self) -> None:
        for path in ("../x", "/etc/passwd", "a/../../x", "c:/x", "http://a/b", "..\\x", ""):
            self.assertFalse(is_safe(path), path)
        with folder() as root:
            (root / "inside").mkdir()
            (root / "secret.png").write_bytes(b"x")
            (root / "inside/link.png").symlink_to(root / "secret.png")
            find = folder_files(root / "inside")
            self.assertIsNone(find("link.png"))
            self.assertIsNone(find("../secret.png"))

    def test_a_zip_is_the_folder_and_back(self) -> None:
        with folder() as root, project() as opened:
            pack(opened, root / "p.zip")
            names = zipfile.ZipFile(root / "p.zip").namelist()
            with open_project(root / "p.zip") as again:
                self.assertEqual(document_json(again.document), document_json(opened.document))
                self.assertEqual(
                    again.path("maps/tile_col.png").read_bytes(),
                    opened.path("maps/tile_col.png").read_bytes(),
                )
        self.assertIn("meshes/plates.glb", names)

    def test_zips_that_leave_their_folder_are_refused(self) -> None:
        with folder() as root:
            with zipfile.ZipFile(root / "bad.zip", "w") as packed:
                packed.writestr("../out.txt", "x")
            with self.assertRaises(InvalidDocument), open_project(root / "bad.zip"):
                pass
            self.assertFalse((root.parent / "out.txt").exists())

    def test_two_documents_in_one_folder_are_not_guessed_between(self) -> None:
        with folder() as root:
            project_folder(root)
            (root / "other.ektopos.json").write_text('{"ektopos": 1}')
            with self.assertRaises(InvalidDocument) as caught, open_project(root):
                pass
        self.assertIn("more than one", str(caught.exception))


class Deriving(TestCase):
    def test_only_own_values_are_stated_and_the_rest_follows_the_base(self) -> None:
        with project() as opened:
            dull = resolve_inheritance(opened.document, "tile_dull")
            self.assertEqual(dull.feeds["roughness"].map, "tile_gloss")
            self.assertEqual(dull.feeds["base_color"].map, "tile_col")
            self.assertEqual(dull.origin["base_color"], "tile")
            self.assertEqual((dull.alpha_mode, dull.surface_tag), ("mask", "stone"))

    def test_a_feed_is_replaced_whole(self) -> None:
        document = load_document(
            '{"ektopos": 1, "maps": {"a": {"file": "a.png"}}, "materials": {"base": {"inputs": {"roughness": '
            '{"map": "a", "channels": "g", "range": [0.2, 0.4]}}}, "own": {"from": "base", "inputs": {"roughness": {"map": "a"}}}}}'
        )
        self.assertEqual(resolve_inheritance(document, "own").feeds["roughness"].range, (0.0, 1.0))

    def test_a_material_that_says_nothing_of_metal_is_none(self) -> None:
        document = load_document('{"ektopos": 1, "materials": {"m": {}}}')
        self.assertEqual(resolve_inheritance(document, "m").feeds["metallic"].value, 0.0)
        self.assertEqual(resolve_inheritance(document, "m").feeds["roughness"].value, 1.0)

    def test_circles_and_gaps_are_named(self) -> None:
        circle = load_document(
            '{"ektopos": 1, "materials": {"a": {"from": "b"}, "b": {"from": "a"}}}'
        )
        gap = load_document('{"ektopos": 1, "materials": {"a": {"from": "gone"}}}')
        with self.assertRaises(MissingReference) as caught:
            resolve_inheritance(circle, "a")
        self.assertIn("a → b → a", str(caught.exception))
        with self.assertRaises(MissingReference):
            resolve_inheritance(gap, "a")


class Edits(TestCase):
    def test_a_renamed_material_keeps_its_slots_and_its_derived_materials(self) -> None:
        with project() as opened:
            after = edited(
                opened.document, {"kind": "rename-material", "material": "tile", "name": "slab"}
            )
        self.assertEqual(after.materials["tile_dull"].base, "slab")
        self.assertEqual(after.meshes["plates"].slots["Front"], "slab")
        self.assertEqual(list(after.materials), ["slab", "tile_dull", "plain"])

    def test_a_base_in_use_and_a_feeding_map_are_not_removed(self) -> None:
        with project() as opened:
            for edit in (
                {"kind": "remove-material", "material": "tile"},
                {"kind": "remove-maps", "maps": ["tile_orm"]},
            ):
                with self.subTest(edit["kind"]), self.assertRaises(EktoposError):
                    edited(opened.document, edit)

    def test_edits_are_done_together_or_not_at_all(self) -> None:
        with project() as opened:
            before = document_json(opened.document)
            with self.assertRaises(EktoposError):
                edited(
                    opened.document,
                    {"kind": "rename-project", "name": "X"},
                    {"kind": "remove-mesh", "mesh": "gone"},
                )
            self.assertEqual(document_json(opened.document), before)

    def test_a_set_fills_a_sheet_gloss_inverted_and_opacity_as_a_cut_out(self) -> None:
        with project() as opened:
            after = edited(opened.document, {"kind": "material-from-set", "set": "tile"})
        made = after.materials["tile_2"]
        self.assertEqual(made.inputs["metallic"].channels, "b")
        self.assertEqual(made.inputs["normal"].map, "tile_nrm")
        self.assertEqual((made.inputs["opacity"].channels, made.alpha_mode), ("a", "mask"))

    def test_every_setting_can_be_set_and_given_back(self) -> None:
        with project() as opened:
            set_ = {
                "kind": "set-setting",
                "material": "tile_dull",
                "setting": "double_sided",
                "value": False,
            }
            after = edited(opened.document, set_)
            self.assertIs(resolve_inheritance(after, "tile_dull").double_sided, False)
            after = edited(after, {**set_, "value": None})
            self.assertIs(resolve_inheritance(after, "tile_dull").double_sided, True)
            with self.assertRaises(EktoposError):
                edited(opened.document, {**set_, "setting": "from", "value": "tile_dull"})

    def test_what_a_person_said_of_a_map_outlives_bringing_it_in_again(self) -> None:
        with project() as opened:
            said = edited(
                opened.document, {"kind": "set-map", "maps": ["tile_orm"], "roles": {"r": "mask"}}
            )
            entry = opened.document.maps["tile_orm"].model_dump(mode="json")
            again = edited(said, {"kind": "bring-in", "maps": {"tile_orm": entry}})
        self.assertEqual(again.maps["tile_orm"].roles, {"r": "mask"})

    def test_done_assign_and_sets(self) -> None:
        with project() as opened:
            after = edited(
                opened.document,
                {
                    "kind": "assign",
                    "mesh": "plates",
                    "slots": ["Front", "Bare"],
                    "material": "plain",
                },
                {"kind": "set-done", "mesh": "plates", "slot": "Front", "done": True},
                {"kind": "rename-set", "set": "tile", "name": "floor"},
                {"kind": "duplicate-material", "material": "plain"},
            )
        self.assertEqual(after.meshes["plates"].slots["Front"], "plain")
        self.assertEqual(after.meshes["plates"].done, ["Front"])
        self.assertEqual({after.maps[m].set for m in ("tile_col", "tile_orm")}, {"floor"})
        self.assertIn("plain_copy", after.materials)
