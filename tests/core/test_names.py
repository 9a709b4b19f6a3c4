"""File names: the trade's styles, role words in set names, sets, and what is not guessed. Common
practice; no source."""

from __future__ import annotations

from unittest import TestCase

from ektopos.document import NamingRule
from ektopos.maps import read_names, set_name
from ektopos.maps.names import role_ending
from ektopos.maps.sets import place


def read(*names: str) -> list[tuple[str, str]]:
    """Each name's roles (or `?`) and set."""
    files = [f"{name}.png" for name in names]
    return [
        ("·".join(r.roles.values()) or "?", set_name(n, r))
        for n, r in zip(files, read_names(files), strict=True)
    ]


ROLES = ["base_color", "normal", "roughness", "metallic", "occlusion", "height"]
STYLES = {
    "snake": "copper_dome_{}",
    "pascal with prefix": "T_CopperDome_{}",
    "kebab": "copper-dome-{}",
    "dots": "copper.dome.{}",
    "spaces": "Copper Dome {}",
    "parentheses": "CopperDome ({})",
    "resolution": "copper_dome_{}_2k",
    "version": "copper_dome_v03_{}_4K",
    "tile": "CopperDome_1001_{}",
    "capitals": "COPPER_DOME_{}",
    "suffix map": "copper_dome_{}_map",
    "format": "CopperDome_2K-PNG_{}",
    "role first": "{}_copper_dome",
    "in folders": "{}/copper_dome",
}
SPELLINGS = {
    "long": ["BaseColor", "Normal", "Roughness", "Metallic", "AmbientOcclusion", "Displacement"],
    "short": ["col", "nrm", "rgh", "met", "ao", "hgt"],
    "other": ["albedo", "nor", "rough", "metalness", "occ", "bump"],
}


SPELLED = {
    "pascal with prefix": "CopperDome",
    "kebab": "copper-dome",
    "dots": "copper.dome",
    "spaces": "Copper Dome",
    "parentheses": "CopperDome",
    "tile": "CopperDome",
    "capitals": "COPPER_DOME",
    "format": "CopperDome",
}
"""Sets are called as the files spell them."""


class Styles(TestCase):
    def test_every_style_and_spelling(self) -> None:
        for style, form in STYLES.items():
            for kind, words in SPELLINGS.items():
                with self.subTest(style, kind=kind):
                    found = read(*(form.format(word) for word in words))
                    self.assertEqual([role for role, _ in found], ROLES)
                    spelled = SPELLED.get(style, "copper_dome")
                    self.assertEqual({set_ for _, set_ in found}, {spelled})

    def test_single_letters_and_glued_words(self) -> None:
        self.assertEqual(
            [role for role, _ in read("DOME_D", "DOME_N", "DOME_R", "DOME_M", "DOME_AO")],
            ["base_color", "normal", "roughness", "metallic", "occlusion"],
        )
        self.assertEqual(
            read("domecolor", "domenormal", "domeao", "domeorm")[1:],
            [("normal", "dome"), ("occlusion", "dome"), ("occlusion·roughness·metallic", "dome")],
        )

    def test_packing_orders(self) -> None:
        cases = {
            "dome_ORM": "occlusion·roughness·metallic",
            "dome_MRA": "metallic·roughness·occlusion",
            "dome_arm": "occlusion·roughness·metallic",
            "DomeRMA": "roughness·metallic·occlusion",
            "dome_MetallicSmoothness": "metallic·gloss",
            "dome_OcclusionRoughnessMetallic": "occlusion·roughness·metallic",
        }
        for name, roles in cases.items():
            self.assertEqual(read(name)[0][0], roles, name)


class SetsOwnWords(TestCase):
    def test_role_words_in_a_sets_name_do_not_decide(self) -> None:
        for words in (
            "metal_hatch",
            "rough_stone",
            "mask_shop",
            "normal_wall",
            "glow_worm",
            "height_marker",
            "color_wheel",
        ):
            found = read(*(f"{words}_{suffix}" for suffix in ("albedo", "n", "rgh", "ao")))
            self.assertEqual(
                [role for role, _ in found],
                ["base_color", "normal", "roughness", "occlusion"],
                words,
            )
            self.assertEqual({set_ for _, set_ in found}, {words})

    def test_two_sets_stay_two(self) -> None:
        found = read("oak_door_col", "oak_door_nrm", "oak_floor_col", "oak_floor_nrm")
        self.assertEqual(
            [set_ for _, set_ in found], ["oak_door", "oak_door", "oak_floor", "oak_floor"]
        )

    def test_unknown_stays_unknown(self) -> None:
        for name in ("IMG_2041", "7fa1c204", "untitled", "final_final2", "scan 3"):
            self.assertEqual(read(name)[0][0], "?", name)


class Folders(TestCase):
    def sets(self, *paths: str) -> list[str]:
        return place(paths, read_names(list(paths)))

    def test_meaningless_names_take_their_folders(self) -> None:
        self.assertEqual(
            self.sets("lamp/0.png", "lamp/Image_3.png", "buoy/0.png", "buoy/tex 1.png"),
            ["lamp", "lamp", "buoy", "buoy"],
        )
        self.assertEqual(self.sets("lamp/glass_col.png", "lamp/0.png"), ["glass", "glass"])

    def test_equal_names_in_different_folders_are_told_apart(self) -> None:
        paths = [f"{folder}/body_{role}.png" for folder in ("a", "b") for role in ("col", "nrm")]
        self.assertEqual(self.sets(*paths), ["a_body", "a_body", "b_body", "b_body"])

    def test_folders_whose_names_say_roles_are_one_set(self) -> None:
        self.assertEqual(self.sets("albedo/dome.png", "normal/dome.png"), ["dome", "dome"])
        self.assertEqual(self.sets("a/dome_col.png", "b/dome_nrm.png"), ["dome", "dome"])

    def test_a_letter_behind_a_number_is_no_role(self) -> None:
        for name in ("trim7e", "ceil1a", "wall03g"):
            self.assertEqual(read(name)[0][0], "?", name)

    def test_endings_that_say_nothing_do_not_split_a_set(self) -> None:
        found = read("lamp_BaseColor_inverted", "lamp_normals", "lamp_Rough 2k")
        self.assertEqual({set_ for _, set_ in found}, {"lamp"})


class Green(TestCase):
    def test_direction_tokens(self) -> None:
        cases = {
            "dome_normal_dx": "-",
            "dome_normal_gl": "+",
            "dome_Normal_DirectX": "-",
            "Dome_NormalOpenGL": "+",
            "dome_nrm_-Y": "-",
            "dome_nrm_yplus": "+",
            "dome_normal": None,
        }
        for name, wanted in cases.items():
            self.assertEqual(read_names([name])[0].normal_y, wanted, name)


class Rules(TestCase):
    def test_what_a_person_said_of_an_ending_counts_first(self) -> None:
        rule = NamingRule(ending="_gx", roles={"rgb": "normal"}, normal_y="-")
        reading = read_names(["Dome_GX"], [rule])[0]
        self.assertEqual(
            (reading.roles, reading.normal_y, reading.by_rule), ({"rgb": "normal"}, "-", True)
        )
        self.assertEqual(set_name("Dome_GX", reading), "Dome")

    def test_the_ending_behind_a_sets_name(self) -> None:
        self.assertEqual(role_ending("DomeCopper_Gx", "dome_copper"), "_Gx")
        self.assertEqual(role_ending("gx_dome", "dome"), "")
