"""Inputs of glTF's extensions: they leave by the extensions' own names, and the trial compares them
like every other."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from unittest import TestCase

import cv2

from ektopos.export.profile import built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from ektopos.trial.cells import Cell
from ektopos.trial.compare import run_trial
from tests.samples import folder, project

EXTRAS = {
    "ior": {"value": 1.33},
    "specular": {"map": "tile_orm", "channels": "g"},
    "clearcoat": {"map": "tile_orm", "channels": "r"},
    "clearcoat_roughness": {"value": 0.2},
    "sheen": {"map": "tile_col", "channels": "rgb"},
    "sheen_roughness": {"value": 0.4},
    "transmission": {"map": "tile_orm", "channels": "b"},
    "thickness": {"value": 0.25},
    "attenuation": {"value": [0.9, 0.5, 0.2]},
    "attenuation_distance": {"value": 1.75},
}
NUMBERS = {name for name, feed in EXTRAS.items() if "value" in feed}
COATED = {
    "materials": {
        "tile": {"inputs": {"base_color": {"map": "tile_col", "channels": "rgb"}, **EXTRAS}},
        "tile_dull": {},
        "plain": {},
    }
}


def cells_after(target: str, tamper: Callable[[Path], None] | None = None) -> dict[str, Cell]:
    """The cells of the slot that wears the coated material, by input."""
    with project(COATED) as opened, folder() as root:
        export_package(opened, find_profile(target), root / "out")
        if tamper is not None:
            tamper(root / "out")
        return {
            cell.input: cell
            for cell in run_trial(opened, root / "out", find_profile(target), renders=False).cells
            if cell.slot == "Front"
        }


def in_extension(extension: str, change: Callable[[dict], object]) -> Callable[[Path], None]:
    """A tampering that changes an extension of the coated material."""

    def tamper(out: Path) -> None:
        path = out / "plates.gltf"
        content = json.loads(path.read_text())
        change(content["materials"][0]["extensions"][extension])
        path.write_text(json.dumps(content))

    return tamper


class Extras(TestCase):
    def test_gltf_and_materialx_bring_every_one_across(self) -> None:
        for target in ("gltf-glb", "gltf-split", "materialx"):
            with self.subTest(target):
                cells = cells_after(target)
                self.assertEqual(
                    {
                        name: cells[name].verdict
                        for name in EXTRAS
                        if cells[name].verdict not in ("same", "close")
                    },
                    {},
                )
                self.assertEqual(cells["thickness"].unit, "units")

    def test_they_stand_in_the_file_where_the_extensions_want_them(self) -> None:
        """Source: KHR_materials_ior, _specular, _clearcoat, _sheen, _transmission and _volume
        (Khronos)."""
        with project(COATED) as opened, folder() as root:
            export_package(opened, find_profile("gltf-split"), root / "out")
            material = json.loads((root / "out/plates.gltf").read_text())["materials"][0][
                "extensions"
            ]
        self.assertEqual(material["KHR_materials_ior"], {"ior": 1.33})
        self.assertEqual(material["KHR_materials_specular"]["specularFactor"], 1.0)
        self.assertIn("specularTexture", material["KHR_materials_specular"])
        self.assertIn("clearcoatTexture", material["KHR_materials_clearcoat"])
        self.assertIn("sheenColorTexture", material["KHR_materials_sheen"])
        self.assertIn("transmissionTexture", material["KHR_materials_transmission"])
        volume = material["KHR_materials_volume"]
        self.assertEqual((volume["thicknessFactor"], volume["attenuationDistance"]), (0.25, 1.75))
        self.assertEqual(volume["attenuationColor"], [0.9, 0.5, 0.2])

    def test_a_loose_package_brings_numbers_and_says_what_it_drops(self) -> None:
        for target, profile in built_in_profiles().items():
            if profile.container != "loose" or target == "materialx":
                continue
            with self.subTest(target):
                cells = cells_after(target)
                # How much is reflected, a specular colour says alone.
                numbers = NUMBERS - ({"ior"} if profile.workflow == "specular" else set())
                self.assertEqual(
                    {n for n in EXTRAS if cells[n].verdict == "unsupported"}, set(EXTRAS) - numbers
                )
                self.assertEqual(
                    {n for n in numbers if cells[n].verdict not in ("same", "close")}, set()
                )

    def test_what_is_changed_on_the_way_is_blamed(self) -> None:
        changes: list[tuple[str, str, Callable[[dict], object], str]] = [
            ("ior", "KHR_materials_ior", lambda e: e.update(ior=1.5), "constant-changed"),
            (
                "specular",
                "KHR_materials_specular",
                lambda e: e.pop("specularTexture"),
                "missing-file",
            ),
            (
                "clearcoat",
                "KHR_materials_clearcoat",
                lambda e: e.update(clearcoatFactor=0.5),
                "constant-changed",
            ),
            (
                "clearcoat_roughness",
                "KHR_materials_clearcoat",
                lambda e: e.update(clearcoatRoughnessFactor=0.9),
                "constant-changed",
            ),
            (
                "sheen_roughness",
                "KHR_materials_sheen",
                lambda e: e.pop("sheenRoughnessFactor"),
                "constant-changed",
            ),
            (
                "thickness",
                "KHR_materials_volume",
                lambda e: e.update(thicknessFactor=2.5),
                "constant-changed",
            ),
            (
                "attenuation",
                "KHR_materials_volume",
                lambda e: e.update(attenuationColor=[0.9, 0.5, 0.9]),
                "constant-changed",
            ),
            (
                "attenuation_distance",
                "KHR_materials_volume",
                lambda e: e.pop("attenuationDistance"),
                "constant-changed",
            ),
        ]
        for name, extension, change, cause in changes:
            with self.subTest(name):
                cells = cells_after("gltf-split", in_extension(extension, change))
                wrong = {n: c.cause for n, c in cells.items() if c.verdict in ("differs", "lost")}
                self.assertEqual(wrong, {name: cause})

    def test_an_inverted_coat_is_found_in_its_texels(self) -> None:
        def invert(out: Path) -> None:
            path = out / "textures/tile_Coat.png"
            pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
            pixels[..., 2] = 255 - pixels[..., 2]
            cv2.imwrite(str(path), pixels)

        cell = cells_after("gltf-split", invert)["clearcoat"]
        self.assertEqual((cell.verdict, cell.cause), ("differs", "inverted"))

    def test_a_number_changed_in_a_loose_package_is_found(self) -> None:
        def beside(out: Path) -> None:
            path = out / "materials.mtlx"
            path.write_text(path.read_text().replace('value="1.33"', 'value="1.6"'))

        cell = cells_after("single-maps", beside)["ior"]
        self.assertEqual((cell.verdict, cell.cause), ("differs", "constant-changed"))
