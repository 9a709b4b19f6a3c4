"""Where textures lie: UV set, transform and wrapping of each input by itself, as the standards'
own libraries read them from packages, and through the trial."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import cv2
import numpy as np
import pygltflib
from pxr import Usd, UsdShade

from ektopos.base.errors import EktoposError
from ektopos.document import Feed, UvTransform
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.images import wrapped
from ektopos.material_import import carried_by
from ektopos.materials.inheritance import Placement
from ektopos.meshes import read_mesh
from ektopos.meshes.read import files_beside
from ektopos.project import OpenProject, open_project
from ektopos.rendering.sample import sample
from ektopos.trial.compare import run_trial
from tests.core.test_rules import wrong
from tests.samples import folder, project_folder, quads, save_glb

OWN = {"set": 1, "tiling": [4.0, 4.0], "offset": [0.5, 0.25], "rotation": -0.7}


@contextmanager
def placed(root: Path) -> Iterator[OpenProject]:
    """The sample with occlusion on a second UV set, emission mirrored, and the rest clamped."""
    project_folder(root)
    mesh = quads({"Front": 2, "Back": 1, "Bare": 1})
    save_glb(root / "meshes/plates.glb", replace(mesh, more_uvs=(mesh.uvs * 0.5 + 0.25,)))
    path = root / "test.ektopos.json"
    document = json.loads(path.read_text())
    tile = document["materials"]["tile"]
    tile["wrap"] = ["clamp", "repeat"]
    tile["inputs"]["occlusion"]["uv"] = OWN
    tile["inputs"]["emission"]["wrap"] = ["mirror", "mirror"]
    document["materials"]["plain"]["shading"] = "unlit"
    path.write_text(json.dumps(document))
    with open_project(root) as opened:
        yield opened


class Written(TestCase):
    def test_gltf_says_set_transform_and_sampler_of_each_texture(self) -> None:
        # Source: glTF 2.0, 5.26 (10497 repeat, 33071 clamp, 33648 mirror); KHR_texture_transform.
        with folder() as root, placed(root / "in") as opened:
            export_package(opened, find_profile("gltf-glb"), root / "out")
            gltf = pygltflib.GLTF2().load(str(next((root / "out").glob("*.glb"))))
            found = read_mesh(next((root / "out").glob("*.glb")))
        material = next(m for m in gltf.materials if m.name == "tile")
        wraps = lambda i: gltf.samplers[gltf.textures[i.index].sampler]  # noqa: E731
        base, shade, glow = (
            material.pbrMetallicRoughness.baseColorTexture,
            material.occlusionTexture,
            material.emissiveTexture,
        )
        self.assertEqual((wraps(base).wrapS, wraps(base).wrapT), (33071, 10497))
        self.assertEqual((wraps(glow).wrapS, wraps(glow).wrapT), (33648, 33648))
        self.assertEqual(shade.texCoord, 1)
        self.assertEqual(
            shade.extensions["KHR_texture_transform"],
            {"scale": [4.0, 4.0], "offset": [0.5, 0.25], "rotation": -0.7},
        )
        self.assertIn(base.texCoord, (None, 0))
        plain = next(m for m in gltf.materials if m.name == "plain")
        self.assertIn("KHR_materials_unlit", plain.extensions)
        self.assertEqual(len(found.more_uvs), 1)

    def test_usd_and_materialx_say_the_same(self) -> None:
        # Source: UsdPreviewSurface 2.6 (wrapS, wrapT, varname); MaterialX 1.39 (uaddressmode,
        # texcoord index).
        with folder() as root, placed(root / "in") as opened:
            export_package(opened, find_profile("usdz"), root / "usd")
            export_package(opened, find_profile("orm-y-minus"), root / "loose")
            stage = Usd.Stage.Open(str(next((root / "usd").glob("*.usdz"))))
            tree = ET.parse(root / "loose/materials.mtlx")
            top = "/Root/Materials/tile"
            shade = UsdShade.Shader(stage.GetPrimAtPath(f"{top}/occlusion"))
            moved = UsdShade.Shader(shade.GetInput("st").GetConnectedSource()[0].GetPrim())
            read = UsdShade.Shader(moved.GetInput("in").GetConnectedSource()[0].GetPrim())
            glow = UsdShade.Shader(stage.GetPrimAtPath(f"{top}/emission"))
            self.assertEqual(read.GetInput("varname").Get(), "st1")
            self.assertEqual(tuple(moved.GetInput("scale").Get()), (4.0, 4.0))
            self.assertEqual(glow.GetInput("wrapS").Get(), "mirror")
        nodes = {node.get("name"): node for node in tree.getroot()}
        said = lambda node: {i.get("name"): i.get("value") or i.get("nodename") for i in node}  # noqa: E731
        shade = said(nodes["tile_occlusion"])
        place = said(nodes[shade["texcoord"]])
        self.assertEqual(said(nodes[place["texcoord"]])["index"], "1")
        self.assertEqual(shade["uaddressmode"], "clamp")
        self.assertEqual(said(nodes["tile_emission"])["vaddressmode"], "mirror")


class ThroughTheTrial(TestCase):
    def test_all_that_is_placed_arrives_and_comes_back_the_same(self) -> None:
        for target in ("gltf-glb", "gltf-split", "usdz", "orm-y-minus", "metal-smooth"):
            with self.subTest(target), folder() as root, placed(root / "in") as opened:
                profile = find_profile(target)
                export_package(opened, profile, root / "out")
                self.assertEqual(wrong(run_trial(opened, root / "out", profile)), [])
                if target != "gltf-glb":
                    continue
                path = next((root / "out").glob("*.glb"))
                back = carried_by(path, files_beside(path), path.name, lambda name: name)
                tile = back.materials["tile"]
                self.assertEqual(tile.wrap, ("clamp", "repeat"))
                self.assertEqual(tile.inputs["occlusion"].uv, UvTransform(**OWN))
                self.assertEqual(tile.inputs["emission"].wrap, ("mirror", "mirror"))
                self.assertEqual(back.materials["plain"].shading, "unlit")

    def test_what_was_lost_is_named(self) -> None:
        def reset(gltf: pygltflib.GLTF2) -> None:
            for sampler in gltf.samplers:
                sampler.wrapS = sampler.wrapT = 10497

        def first_set(gltf: pygltflib.GLTF2) -> None:
            for material in gltf.materials:
                if material.occlusionTexture:
                    material.occlusionTexture.texCoord = 0

        def lit(gltf: pygltflib.GLTF2) -> None:
            for material in gltf.materials:
                material.extensions.pop("KHR_materials_unlit", None)

        for spoil, cause in (
            (reset, "wrap-changed"),
            (first_set, "uv-set-changed"),
            (lit, "shading-changed"),
        ):
            with self.subTest(cause), folder() as root, placed(root / "in") as opened:
                profile = find_profile("gltf-glb")
                export_package(opened, profile, root / "out")
                path = next((root / "out").glob("*.glb"))
                gltf = pygltflib.GLTF2().load(str(path))
                spoil(gltf)
                gltf.save(str(path))
                found = run_trial(opened, root / "out", profile, renders=False)
                self.assertIn(cause, {cell.cause for cell in found.cells})

    def test_what_one_texture_cannot_hold_is_refused_by_name(self) -> None:
        # Source: glTF 2.0, 3.9.2: metallic and roughness are channels of one texture.
        with folder() as root, placed(root / "in") as opened:
            tile = opened.document.materials["tile"]
            tile.inputs["roughness"] = Feed(
                map="tile_orm", channels="g", uv=UvTransform(tiling=(3.0, 3.0))
            )
            with self.assertRaisesRegex(EktoposError, "metallic and roughness lie at different"):
                export_package(opened, find_profile("gltf-glb"), root / "out")
            export_package(opened, find_profile("single-maps"), root / "loose")
            profile = find_profile("single-maps")
            self.assertEqual(wrong(run_trial(opened, root / "loose", profile, renders=False)), [])


class Wrapping(TestCase):
    def test_borders_are_those_of_an_image_library(self) -> None:
        # OpenCV's BORDER_WRAP, BORDER_REPLICATE and BORDER_REFLECT (“fedcba|abcdef|fedcba”).
        row = np.arange(5, dtype=np.uint8)[None]
        for wrap, border in (
            ("repeat", cv2.BORDER_WRAP),
            ("clamp", cv2.BORDER_REPLICATE),
            ("mirror", cv2.BORDER_REFLECT),
        ):
            wanted = cv2.copyMakeBorder(row, 0, 0, 4, 4, border)[0]
            np.testing.assert_array_equal(wrapped(np.arange(-4, 9), 5, wrap), wanted)

    def test_a_clamped_picture_ends_in_its_last_texel(self) -> None:
        values = np.float32([[0.0, 1.0]])
        uvs = np.array([[3.0, 0.5], [-3.0, 0.5], [0.5, 0.5]])
        np.testing.assert_allclose(sample(values, uvs, wrap=("clamp", "clamp")), [1, 0, 0.5])
        mirrored = sample(
            values, uvs + np.array([0.25, 0.0]), nearest=True, wrap=("mirror", "repeat")
        )
        np.testing.assert_array_equal(mirrored, [1, 1, 1])
        self.assertEqual(Placement().wrap, ("repeat", "repeat"))
