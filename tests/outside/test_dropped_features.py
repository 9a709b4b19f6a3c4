"""What leaves and what stays: light in the factor, pictures of one value, materials that no slot
wears. Read by pygltflib and Pillow."""

from __future__ import annotations

import json
from pathlib import Path
from unittest import TestCase

import numpy as np
import pygltflib
from PIL import Image as Pillow

from ektopos.export.profile import find_profile
from ektopos.export.write_package import Export, export_package
from ektopos.project import open_project
from ektopos.trial.compare import run_trial
from tests.samples import folder, noise, project_folder, save

STRENGTH = "KHR_materials_emissive_strength"


def exported(
    root: Path, change: dict, target: str = "gltf-glb"
) -> tuple[Export, bool, dict[str, pygltflib.Material]]:
    """A package with a changed document, whether its trial passed, and the materials of its glTF
    files by name."""
    project_folder(root)
    save(root / "maps/lamp.png", np.where(noise(64, 8) > 127, 255, 0).astype(np.uint8))
    save(root / "maps/even.png", np.full((64, 64), 90, np.uint8))
    path = root / "test.ektopos.json"
    document = json.loads(path.read_text())
    document["maps"] |= {
        "lamp": {"file": "maps/lamp.png", "encoding": "srgb", "roles": {"rgb": "emission"}},
        "even": {"file": "maps/even.png", "roles": {"r": "roughness"}},
    }
    document["materials"]["plain"]["inputs"] |= change.pop("inputs", {})
    path.write_text(json.dumps(document | change))
    with open_project(root) as opened:
        profile = find_profile(target)
        export = export_package(opened, profile, root / "out")
        passed = run_trial(opened, root / "out", profile, renders=False).passed
    materials: dict[str, pygltflib.Material] = {}
    for file in (root / "out").glob("*.gl[bt]*"):
        materials |= {m.name: m for m in pygltflib.GLTF2().load(str(file)).materials}
    return export, passed, materials


class Light(TestCase):
    def test_up_to_one_it_is_the_factor_and_above_the_extension(self) -> None:
        # Source: glTF 2.0, 3.9.4, emissiveFactor is 0 to 1; KHR_materials_emissive_strength.
        for feed in ({"value": [1.0, 1.0, 1.0]}, {"map": "lamp", "channels": "rgb"}):
            for strength in (0.4, 1.0, 3.0):
                with folder() as root, self.subTest(feed=feed, strength=strength):
                    emission = {"emission": feed | {"strength": strength}}
                    _, passed, materials = exported(root, {"inputs": emission})
                    self.assertTrue(passed)
                    plain = materials["plain"]
                    extra = (plain.extensions or {}).get(STRENGTH, {}).get("emissiveStrength", 1.0)
                    np.testing.assert_allclose(
                        np.array(plain.emissiveFactor) * extra, strength, atol=1e-3
                    )
                    self.assertEqual(STRENGTH in (plain.extensions or {}), strength > 1)


class Pictures(TestCase):
    def test_one_value_needs_no_more_than_a_few_texels(self) -> None:
        with folder() as root:
            export, passed, materials = exported(
                root, {"inputs": {"roughness": {"map": "even", "channels": "r"}}}, "gltf-split"
            )
            self.assertTrue(passed)
            self.assertIsNotNone(materials["plain"].pbrMetallicRoughness.metallicRoughnessTexture)
            (small,) = [f for f in export.files if "plain" in f.path and f.path.endswith(".png")]
            self.assertEqual((small.width, small.height), (4, 4))
            self.assertTrue(any("plain" in note for note in export.notes), export.notes)


class Unassigned(TestCase):
    def test_a_material_that_no_slot_wears_stays_unless_it_is_asked_for(self) -> None:
        bare = {
            "plates": {"file": "meshes/plates.glb", "slots": {"Front": "tile", "Back": "tile_dull"}}
        }
        for asked in (False, True):
            with folder() as root, self.subTest(asked=asked):
                change: dict = {"meshes": bare} | ({"also_exported": ["plain"]} if asked else {})
                _, passed, materials = exported(root, change)
                self.assertTrue(passed)
                self.assertEqual("plain" in materials, asked)
                self.assertIn("tile", materials)


class Sizes(TestCase):
    def test_pictures_that_vary_keep_their_size(self) -> None:
        with folder() as root:
            project_folder(root)
            with open_project(root) as opened:
                export_package(opened, find_profile("single-maps"), root / "out")
            sizes = [Pillow.open(p).size for p in (root / "out").rglob("tile_*Rough*.png")]
            self.assertTrue(sizes)
            self.assertEqual(set(sizes), {(64, 64)})
