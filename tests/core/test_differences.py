"""What a target does not take as it was made is said before anything is written."""

from __future__ import annotations

from unittest import TestCase

from ektopos.base.errors import MissingReference
from ektopos.export.differences import converted, left_out
from ektopos.export.plan import make_plan
from ektopos.export.profile import Profile, built_in_profiles
from ektopos.images import ImageHeader, read_header
from tests.core.test_rules import FLAT, LOOSE, formats, profile
from tests.samples import project


def said(rules: Profile, change: dict | None = None) -> tuple[list[str], list[str]]:
    """What is converted and what is left out, for the small project."""
    with project(change) as opened:

        def header_of(name: str) -> ImageHeader:
            return read_header(opened.map_path(name))

        plan = make_plan(opened.document, rules, header_of)
        return converted(plan, rules, header_of), left_out(plan)


class Converted(TestCase):
    def test_every_built_in_target_says_what_it_takes_otherwise(self) -> None:
        expected = {
            "orm-y-minus": "green of normals points down",
            "metal-smooth": "smoothness instead of roughness",
            "spec-gloss": "gloss instead of roughness",
        }
        for name, rules in built_in_profiles().items():
            found, _ = said(rules)
            for target, words in expected.items():
                self.assertEqual(words in found, target == name, (name, words, found))
        self.assertIn("diffuse instead of base colour", said(built_in_profiles()["spec-gloss"])[0])

    def test_a_normal_map_never_leaves_as_jpeg_without_a_word(self) -> None:
        files = [
            file | ({"format": "jpg"} if file["suffix"] in ("Nrm", "Glow") else {})
            for file in LOOSE["files"]
        ]  # type: ignore[attr-defined]
        found, _ = said(profile(files=files))
        self.assertIn("normals as JPEG, which bends them: choose PNG for these", found)
        self.assertIn("emission as JPEG, which changes texels a little", found)
        self.assertFalse([words for words in said(profile())[0] if "JPEG" in words])

    def test_maps_with_more_bits_than_their_file_are_named(self) -> None:
        """The small project feeds roughness from 16 bits, and emission from floats."""
        self.assertIn("emission, roughness in 8 bits, from maps with more", said(profile())[0])
        deeper = [
            words
            for words in said(profile(files=formats("png", bits=16)))[0]
            if "from maps with more" in words
        ]
        self.assertEqual(deeper, ["emission in 16 bits, from maps with more"])

    def test_transforms_padding_and_mips_are_said_where_they_happen(self) -> None:
        rules = profile(files=formats("ktx2"), mips=True, padding=4, mesh={"uv_transform": "baked"})
        found, _ = said(rules)
        for words in (
            "mips with roughness grown and coverage kept",
            "4 texels round UV islands are filled",
            "UV transforms are worked into the UVs",
        ):
            self.assertIn(words, found)
            self.assertNotIn(words, said(profile())[0])
        with project() as opened:
            materials = opened.document.model_dump(mode="json", by_alias=True, exclude_none=True)[
                "materials"
            ]
        flat = {"materials": materials | {"tile": materials["tile"] | {"uv": FLAT}}}
        self.assertNotIn("UV transforms are worked into the UVs", said(rules, flat)[0])

    def test_a_map_that_cannot_be_read_is_left_to_the_checks(self) -> None:
        def nothing(name: str) -> ImageHeader:
            raise MissingReference("the map's file is missing.", subject=name)

        with project() as opened:
            plan = make_plan(
                opened.document, profile(), lambda name: read_header(opened.map_path(name))
            )
        self.assertFalse(
            [words for words in converted(plan, profile(), nothing) if "8 bits" in words]
        )


class LeftOut(TestCase):
    def test_inputs_without_a_place_are_named_with_their_materials(self) -> None:
        height = {"map": "tile_gloss", "channels": "r"}
        names = ["a", "b", "c", "d", "e"]
        for count, words in (
            (1, "height of a"),
            (3, "height of a, b, c"),
            (5, "height of a, b and 3 more"),
        ):
            materials = {name: {"inputs": {"height": height}} for name in names[:count]}
            _, found = said(built_in_profiles()["gltf-glb"], {"materials": materials, "meshes": {}})
            self.assertEqual(found, [words])
        self.assertEqual(said(built_in_profiles()["gltf-glb"])[1], [])
