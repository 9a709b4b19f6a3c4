"""The specular workflow: its maps pass through the specular target as they are, are converted for
every other one, and count when they are lost."""

from __future__ import annotations

import json
import re
import xml.etree.ElementTree as ET
from pathlib import Path
from typing import ClassVar
from unittest import TestCase

import cv2
import numpy as np
import trimesh.visual.gloss
from PIL import Image as Pillow

from ektopos.base.errors import EktoposError
from ektopos.document import Document, MapEntry
from ektopos.export.profile import built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from ektopos.materials import MapLoader, resolve_inheritance, surface_of
from ektopos.materials.from_map_set import material_from_set, unused_of_set
from ektopos.materials.resolve import resolve_feed
from ektopos.project import open_project
from ektopos.trial.compare import run_trial
from tests.samples import coloured, folder, noise, quads, save, save_glb

SPEC_GLOSS = find_profile("spec-gloss")
GOLD = [1.0, 0.77, 0.34]


def specular_project(root: Path) -> Path:
    """A material fed with diffuse, specular and gloss; a metal by numbers; one whose metallic is 0;
    and one of the specular workflow by numbers."""
    save(root / "diffuse.png", coloured(64, 3))
    save(root / "specular.png", np.dstack([noise(64, 5, 3), noise(64, 6, 1)]))
    save_glb(root / "m.glb", quads({"A": 1, "B": 1, "C": 1, "D": 1}))
    document = {
        "ektopos": 1,
        "name": "p",
        "maps": {
            "hull_d": {"file": "diffuse.png", "encoding": "srgb", "roles": {"rgb": "base_color"}},
            "hull_s": {
                "file": "specular.png",
                "encoding": "srgb",
                "roles": {"rgb": "specular", "a": "gloss"},
            },
        },
        "materials": {
            "A": {
                "workflow": "specular",
                "inputs": {
                    "base_color": {"map": "hull_d", "channels": "rgb"},
                    "f0": {"map": "hull_s", "channels": "rgb"},
                    "roughness": {"map": "hull_s", "channels": "a", "invert": True},
                },
            },
            "B": {
                "inputs": {
                    "base_color": {"value": GOLD},
                    "metallic": {"value": 1.0},
                    "roughness": {"value": 0.3},
                }
            },
            "C": {"inputs": {"base_color": {"map": "hull_d", "channels": "rgb"}}},
            "D": {
                "workflow": "specular",
                "inputs": {
                    "base_color": {"value": [0.2, 0.1, 0.05]},
                    "f0": {"value": [0.3, 0.2, 0.1]},
                },
            },
        },
        "meshes": {"m": {"file": "m.glb", "slots": {name: name for name in "ABCD"}}},
    }
    (root / "p.ektopos.json").write_text(json.dumps(document))
    return root


def pixels(path: Path) -> np.ndarray:
    return cv2.imread(str(path), cv2.IMREAD_UNCHANGED).astype(int)


class ThroughTheTargets(TestCase):
    def test_every_target_brings_it_across(self) -> None:
        with folder() as root, open_project(specular_project(root)) as project:
            for target in built_in_profiles():
                with self.subTest(target):
                    export_package(project, find_profile(target), root / target)
                    trial = run_trial(project, root / target, find_profile(target))
                    wrong = [c for c in trial.cells if c.verdict in ("differs", "lost")]
                    self.assertEqual(wrong, [])
                    most = 0.12 if find_profile(target).has_basis else 0.03
                    self.assertLess(max(one.flip for one in trial.renders), most)

    def test_its_maps_pass_through_the_specular_target_unchanged(self) -> None:
        with folder() as root, open_project(specular_project(root)) as project:
            export_package(project, SPEC_GLOSS, root / "out")
            textures = root / "out/textures"
            for written, source in (("A_Diffuse", "diffuse"), ("A_SpecularGloss", "specular")):
                wanted = pixels(root / f"{source}.png")
                np.testing.assert_array_equal(pixels(textures / f"{written}.png"), wanted)
            names = {path.name for path in textures.iterdir()}
        # What reflects the same everywhere is a number, no picture of one colour.
        self.assertEqual(names, {"A_Diffuse.png", "A_SpecularGloss.png", "C_Diffuse.png"})

    def test_other_targets_get_the_published_conversion_texel_by_texel(self) -> None:
        """Source: the conversion published with KHR_materials_pbrSpecularGlossiness, as trimesh
        has it (`trimesh.visual.gloss`)."""
        with folder() as root, open_project(specular_project(root)) as project:
            export_package(project, find_profile("single-maps"), root / "out")
            textures = root / "out/textures"
            base, metallic, rough = (
                pixels(textures / f"A_{suffix}.png")
                for suffix in ("BaseColor", "Metallic", "Roughness")
            )
            diffuse, specular = pixels(root / "diffuse.png"), pixels(root / "specular.png")
        wanted = trimesh.visual.gloss.specular_to_pbr(
            diffuseTexture=Pillow.fromarray(diffuse[..., ::-1].astype(np.uint8)),
            specularGlossinessTexture=Pillow.fromarray(
                specular[..., [2, 1, 0, 3]].astype(np.uint8)
            ),
        )
        packed = np.asarray(wanted["metallicRoughnessTexture"]).astype(int)
        self.assertLessEqual(np.abs(packed[..., 2] - metallic.reshape(64, 64, -1)[..., 0]).max(), 1)
        self.assertLessEqual(np.abs(packed[..., 1] - rough.reshape(64, 64, -1)[..., 0]).max(), 1)
        theirs = np.asarray(wanted["baseColorTexture"]).astype(int)[..., :3]
        self.assertLessEqual(np.abs(theirs - base[..., ::-1]).max(), 1)

    def test_a_lost_or_dimmed_specular_map_fails_the_trial(self) -> None:
        with folder() as root, open_project(specular_project(root)) as project:
            export_package(project, SPEC_GLOSS, root / "out")
            path = root / "out/textures/A_SpecularGloss.png"
            sound = path.read_bytes()
            for what, change in (
                ("dimmed", lambda p: np.dstack([p[..., :3] // 2, p[..., 3]])),
                ("one colour", lambda p: np.dstack([np.full_like(p[..., :3], 56), p[..., 3]])),
            ):
                with self.subTest(what):
                    cv2.imwrite(str(path), change(pixels(path).astype(np.uint8)))
                    self.assertIn("metallic", self._wrong(project, root))
                    path.write_bytes(sound)
            document = root / "out/materials.mtlx"
            text = document.read_text()
            image = re.search(r'\n *<input name="specular_color" [^>]*nodename[^>]*>', text)
            assert image is not None
            document.write_text(text.replace(image.group(0), "", 1))
            self.assertIn("metallic", self._wrong(project, root))

    def _wrong(self, project, root: Path) -> set[str]:
        trial = run_trial(project, root / "out", SPEC_GLOSS, renders=False)
        return {c.input for c in trial.cells if c.verdict in ("differs", "lost")}


class Numbers(TestCase):
    def test_numbers_take_the_conversion_that_texels_take(self) -> None:
        """Source: KHR_materials_pbrSpecularGlossiness: a metal has no diffuse and reflects its own
        colour; what is no metal reflects 0.04."""
        with folder() as root, open_project(specular_project(root)) as project:
            export_package(project, SPEC_GLOSS, root / "out")
            listed = json.loads((root / "out/package.json").read_text())["materials"]
            shaders = {
                node.get("name"): {i.get("name"): i.get("value") for i in node.iter("input")}
                for node in ET.parse(root / "out/materials.mtlx").getroot().iter("gltf_pbr")
            }
        self.assertEqual(listed["B"]["inputs"]["diffuse"], {"value": [0.0, 0.0, 0.0]})
        np.testing.assert_allclose(listed["B"]["inputs"]["specular"]["value"], GOLD, atol=1e-6)
        self.assertAlmostEqual(listed["B"]["inputs"]["gloss"]["value"], 0.7, places=6)
        self.assertNotIn("base_color", listed["B"]["inputs"])
        self.assertEqual(shaders["SR_B"]["base_color"], "0, 0, 0")
        self.assertEqual(shaders["SR_B"]["specular_color"], "1, 0.77, 0.34")
        self.assertEqual(shaders["SR_C"]["specular_color"], "0.04, 0.04, 0.04")
        self.assertEqual(shaders["SR_D"]["base_color"], "0.2, 0.1, 0.05")
        self.assertEqual(shaders["SR_D"]["specular_color"], "0.3, 0.2, 0.1")

    def test_numbers_written_without_the_conversion_fail_the_trial(self) -> None:
        with folder() as root, open_project(specular_project(root)) as project:
            export_package(project, SPEC_GLOSS, root / "out")
            document = root / "out/materials.mtlx"
            text = document.read_text()
            shader = text.index('name="SR_B"')
            wrong = text[shader:].replace('value="0, 0, 0"', 'value="1, 0.77, 0.34"', 1)
            document.write_text(text[:shader] + wrong)
            trial = run_trial(project, root / "out", SPEC_GLOSS, renders=False)
        found = {(c.slot, c.input, c.cause) for c in trial.cells if c.verdict == "differs"}
        self.assertEqual(found, {("B", "base_color", "constant-changed")})


class FromASet(TestCase):
    MAPS: ClassVar[dict[str, MapEntry]] = {
        "hull_d": MapEntry(file="hull_d.png", encoding="srgb", roles={"rgb": "base_color"}),
        "hull_s": MapEntry(
            file="hull_s.png", encoding="srgb", roles={"rgb": "specular", "a": "gloss"}
        ),
    }

    def test_a_set_with_diffuse_and_specular_makes_a_specular_material(self) -> None:
        document = Document(maps=self.MAPS)
        made = material_from_set(document, "hull")
        self.assertEqual(made.workflow, "specular")
        self.assertEqual((made.inputs["f0"].map, made.inputs["f0"].channels), ("hull_s", "rgb"))
        roughness = made.inputs["roughness"]
        self.assertEqual(
            (roughness.map, roughness.channels, roughness.invert), ("hull_s", "a", True)
        )
        material = resolve_inheritance(
            document.model_copy(update={"materials": {"hull": made}}), "hull"
        )
        sets = {"hull": ["hull_d", "hull_s"]}
        set_of = dict.fromkeys(self.MAPS, "hull")
        self.assertEqual(unused_of_set(document, material, sets, set_of), [])

    def test_a_set_with_metallic_stays_metallic(self) -> None:
        metal = MapEntry(file="hull_m.png", roles={"r": "metallic"})
        made = material_from_set(Document(maps=self.MAPS | {"hull_m": metal}), "hull")
        self.assertIsNone(made.workflow)
        self.assertNotIn("f0", made.inputs)


class Surface(TestCase):
    def test_diffuse_and_specular_at_different_uvs_are_refused_in_words(self) -> None:
        with folder() as root, open_project(specular_project(root)) as project:
            raw = project.document.model_dump(by_alias=True, exclude_none=True)
            raw["materials"]["A"]["inputs"]["f0"]["uv"] = {"tiling": (2.0, 2.0)}
            again = Document.model_validate(raw)
            with self.assertRaisesRegex(EktoposError, "different UVs"):
                surface_of(again, "A")

    def test_what_derives_from_it_inherits_the_workflow(self) -> None:
        with folder() as root, open_project(specular_project(root)) as project:
            raw = project.document.model_dump(by_alias=True, exclude_none=True)
            raw["materials"]["dull"] = {"from": "A", "inputs": {"f0": {"value": [0.02] * 3}}}
            document = Document.model_validate(raw)
            surface = surface_of(document, "dull")
            self.assertEqual(surface.workflow, "specular")
            metallic = resolve_feed(MapLoader(project), surface.feeds["metallic"], "metallic")
        self.assertEqual(float(metallic.max()), 0.0)
