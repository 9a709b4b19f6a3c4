"""Materials that come with a mesh, in files by other writers, and a project made of them."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np
from PIL import Image as Pillow
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, UsdUtils

from ektopos.document import Document, Feed
from ektopos.export.profile import find_profile
from ektopos.export.values import input_values
from ektopos.export.write_package import export_package
from ektopos.images import linear_to_srgb
from ektopos.material_import import Carried, adopt_meshes, carried_by, says_something
from ektopos.materials.layering import surface_of
from ektopos.materials.resolve import MapLoader, resolve_feed
from ektopos.meshes.read import files_beside
from ektopos.project import open_project
from ektopos.trial.compare import run_trial
from tests.outside.test_assets import TRIANGLE, Gltf
from tests.samples import coloured, folder, noise


def stem(file: str) -> str:
    return Path(file).stem


def brought(path: Path) -> Carried:
    return carried_by(path, files_beside(path), path.name, stem)


def picture(path: Path, pixels: np.ndarray) -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    Pillow.fromarray(pixels).save(path)
    return path


def gltf_folder(root: Path, material: dict[str, Any], textures: list[str], **more: Any) -> Path:
    """A glTF with its buffer inside and its pictures beside it, as a newcomer drops it."""
    made = Gltf()
    uvs = made.accessor(np.array([[0, 0], [1, 0], [0, 1]], np.float32), "VEC2")
    position = made.accessor(TRIANGLE, "VEC3", min=[0, 0, 0], max=[1, 1, 0])
    primitive = {"attributes": {"POSITION": position, "TEXCOORD_0": uvs}, "material": 0}
    return made.save(
        root / "asset.gltf",
        meshes=[{"primitives": [primitive]}],
        nodes=[{"mesh": 0}],
        scenes=[{"nodes": [0]}],
        scene=0,
        materials=[{"name": "hull"} | material],
        images=[{"uri": f"textures/{name}"} for name in textures],
        textures=[{"source": i} | more.get("sampled", {}) for i in range(len(textures))],
        samplers=more.get("samplers", []),
    )


class FromGltf(TestCase):
    """Source: glTF 2.0, 3.9 and appendix of the schema (its table of defaults)."""

    def test_files_beside_it_feed_the_material(self) -> None:
        with folder() as root:
            picture(root / "textures/hull base.png", coloured())
            picture(root / "textures/orm.jpg", noise(seed=4))
            path = gltf_folder(
                root,
                {
                    "pbrMetallicRoughness": {
                        "baseColorTexture": {"index": 0},
                        "baseColorFactor": [0.5, 1, 1, 1],
                        "metallicRoughnessTexture": {"index": 1},
                        "roughnessFactor": 0.75,
                    },
                    "occlusionTexture": {"index": 1, "strength": 0.5},
                    "doubleSided": True,
                },
                ["hull%20base.png", "orm.jpg"],
            )
            found = brought(path)
        inputs = found.materials["hull"].inputs
        self.assertEqual(
            inputs["base_color"], Feed(map="hull base", channels="rgb", tint=(0.5, 1, 1))
        )
        self.assertEqual(inputs["roughness"], Feed(map="orm", channels="g", multiply=0.75))
        self.assertEqual(inputs["metallic"], Feed(map="orm", channels="b"))
        self.assertEqual(inputs["occlusion"], Feed(map="orm", channels="r", strength=0.5))
        self.assertTrue(found.materials["hull"].double_sided)
        maps = {one.name: one for one in found.maps}
        self.assertEqual(maps["hull base.png"].encoding, "srgb")
        self.assertEqual(maps["orm.jpg"].encoding, "linear")
        self.assertEqual(
            set(maps["orm.jpg"].roles.values()), {"occlusion", "roughness", "metallic"}
        )
        self.assertEqual(found.not_taken, [])

    def test_defaults_are_those_of_the_specification(self) -> None:
        with folder() as root:
            found = brought(gltf_folder(root, {}, []))
        inputs = found.materials["hull"].inputs
        self.assertEqual(
            {name: feed.value for name, feed in inputs.items()},
            {"base_color": (1.0, 1.0, 1.0), "metallic": 1.0, "roughness": 1.0},
        )
        # A name for a slot and nothing more is not offered as a material.
        self.assertFalse(says_something(found.materials["hull"]))
        with folder() as root:
            flat = {"pbrMetallicRoughness": {"baseColorFactor": [1, 0, 0, 1]}}
            found = brought(gltf_folder(root, flat, []))
        self.assertTrue(says_something(found.materials["hull"]))

    def test_extensions_feed_their_inputs_and_the_rest_is_listed(self) -> None:
        extensions = {
            "KHR_materials_ior": {"ior": 1.33},
            "KHR_materials_clearcoat": {
                "clearcoatFactor": 1,
                "clearcoatRoughnessFactor": 0.2,
                "clearcoatNormalTexture": {"index": 0},
            },
            "KHR_materials_sheen": {
                "sheenColorFactor": [0.1, 0.2, 0.3],
                "sheenRoughnessFactor": 0.4,
            },
            "KHR_materials_transmission": {"transmissionFactor": 0.9},
            "KHR_materials_volume": {
                "thicknessFactor": 0.01,
                "attenuationColor": [1, 0.5, 0.5],
                "attenuationDistance": 2.0,
            },
            "KHR_materials_specular": {"specularFactor": 0.3, "specularColorFactor": [1, 0, 0]},
            "KHR_materials_emissive_strength": {"emissiveStrength": 4},
            "KHR_materials_iridescence": {"iridescenceFactor": 1},
        }
        with folder() as root:
            picture(root / "textures/n.png", noise())
            material = {"extensions": extensions, "emissiveFactor": [1, 0.5, 0]}
            found = brought(gltf_folder(root, material, ["n.png"]))
        values = {name: feed.value for name, feed in found.materials["hull"].inputs.items()}
        wanted = {
            "ior": 1.33,
            "clearcoat": 1.0,
            "clearcoat_roughness": 0.2,
            "sheen": (0.1, 0.2, 0.3),
            "sheen_roughness": 0.4,
            "transmission": 0.9,
            "thickness": 0.01,
            "attenuation": (1.0, 0.5, 0.5),
            "attenuation_distance": 2.0,
            "specular": 0.3,
            "emission": (1.0, 0.5, 0.0),
        }
        self.assertEqual(wanted.items() - values.items(), set())
        self.assertEqual(found.materials["hull"].inputs["emission"].strength, 4.0)
        said = " ".join(line.message for line in found.not_taken)
        for word in ("clear coat", "specular reflection", "KHR_materials_iridescence"):
            self.assertIn(word, said)
        self.assertEqual({line.subject for line in found.not_taken}, {"material hull"})

    def test_each_texture_lies_where_its_file_says(self) -> None:
        transform = {"KHR_texture_transform": {"scale": [2, 2]}}
        material = {
            "pbrMetallicRoughness": {
                "baseColorTexture": {"index": 0, "extensions": transform},
                "metallicRoughnessTexture": {"index": 1, "texCoord": 1},
            },
            "emissiveTexture": {"index": 0, "texCoord": 7},
            "emissiveFactor": [1, 1, 1],
            "extensions": {"KHR_materials_unlit": {}},
        }
        with folder() as root:
            for name in ("a.png", "b.png"):
                picture(root / "textures" / name, noise())
            path = gltf_folder(
                root,
                material,
                ["a.png", "b.png"],
                samplers=[{"wrapS": 33071, "wrapT": 33648}],
                sampled={"sampler": 0},
            )
            found = brought(path)
        hull = found.materials["hull"]
        self.assertEqual((hull.uv.tiling, hull.uv.set, hull.shading), ((2.0, 2.0), 0, "unlit"))
        self.assertEqual(hull.wrap, ("clamp", "mirror"))
        rough = hull.inputs["roughness"]
        self.assertEqual((rough.uv.set, rough.uv.tiling, rough.wrap), (1, (1.0, 1.0), None))
        self.assertIsNone(hull.inputs["base_color"].uv)
        # A document knows four UV sets.
        said = " ".join(line.message for line in found.not_taken)
        self.assertIn("UV set 7", said)

    def test_a_picture_that_is_not_there_is_listed_and_never_looked_for_outside(self) -> None:
        with folder() as root:
            picture(root / "secret.png", noise())
            material = {"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}
            (root / "in").mkdir()
            path = gltf_folder(root / "in", material, ["../../secret.png"])
            found = brought(path)
        self.assertEqual(found.maps, [])
        self.assertIn("secret.png", found.not_taken[0].message)

    def test_the_specular_workflow_stays_and_is_converted_by_its_formula(self) -> None:
        # Source: KHR_materials_pbrSpecularGlossiness: a dielectric has F0 0.04 and keeps its
        # diffuse colour; a black diffuse with a coloured specular is metal of that colour.
        given = {
            "diffuseFactor": [0.4, 0.3, 0.2, 1],
            "specularFactor": [0.04] * 3,
            "glossinessFactor": 0.25,
        }
        name = "KHR_materials_pbrSpecularGlossiness"
        with folder() as root:
            found = brought(gltf_folder(root, {"extensions": {name: given}}, []))
        hull = found.materials["hull"]
        self.assertEqual(hull.workflow, "specular")
        self.assertNotIn("metallic", hull.inputs)
        np.testing.assert_allclose(hull.inputs["base_color"].value, (0.4, 0.3, 0.2))
        np.testing.assert_allclose(hull.inputs["f0"].value, (0.04, 0.04, 0.04))
        self.assertAlmostEqual(hull.inputs["roughness"].value, 0.75, places=6)
        surface = surface_of(Document(materials={"hull": hull}), "hull")
        np.testing.assert_allclose(
            input_values(surface.feeds["base_color"], "base_color").ravel(),
            (0.4, 0.3, 0.2),
            atol=1e-3,
        )
        metallic = input_values(surface.feeds["metallic"], "metallic")
        self.assertAlmostEqual(float(metallic[0, 0]), 0.0, places=4)

        gold = np.array([1.0, 0.77, 0.34])
        packed = np.zeros((8, 8, 4), np.uint8)
        packed[..., :3] = np.round(linear_to_srgb(gold) * 255)
        packed[..., 3] = 204
        given = {
            "diffuseTexture": {"index": 0},
            "specularGlossinessTexture": {"index": 1},
            "glossinessFactor": 0.5,
        }
        with folder() as root:
            picture(root / "textures/d.png", np.zeros((8, 8, 3), np.uint8))
            picture(root / "textures/s.png", packed)
            path = gltf_folder(root, {"extensions": {name: given}}, ["d.png", "s.png"])
            made = adopt_meshes([path], root / "out")
            with open_project(root / "out") as project:
                loader, material = MapLoader(project), surface_of(project.document, "hull")
                self.assertEqual(
                    sorted(Path(m.file).name for m in project.document.maps.values()),
                    ["d.png", "s.png"],
                )
                # Glossiness is 0.8 in the texture, halved by its factor.
                for part, wanted in (("base_color", gold), ("metallic", 1.0), ("roughness", 0.6)):
                    got = resolve_feed(loader, material.feeds[part], part)
                    np.testing.assert_allclose(got[0, 0], wanted, atol=0.01, err_msg=part)
        self.assertEqual(made.not_taken, [])


class FromObj(TestCase):
    """Source: the MTL format, appendix B1; Pr, Pm and norm are common practice."""

    def test_lines_of_both_kinds_are_read(self) -> None:
        with folder() as root:
            for name in ("wood col.png", "wood_r.png", "wood_n.png"):
                picture(root / "tex" / name, noise())
            (root / "m.mtl").write_text(
                "newmtl wood\nKd 0.5 0.6 0.7\nmap_Kd -s 2 3 1 tex/wood col.png\n"
                "map_Pr -s 2 3 1 tex/wood_r.png\nPm 0.0\nnorm -s 2 3 1 -bm 0.5 tex/wood_n.png\n"
                "map_Ks tex/none.png\n"
                "newmtl glass\nKd 0.2 0.3 0.4\nd 0.25\nNi 1.45\nNs 96\nKe 0 0 0\n"
            )
            (root / "m.obj").write_text(
                "mtllib m.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\n"
                "usemtl wood\nf 1/1 2/2 3/3\nusemtl glass\nf 3/3 2/2 1/1\n"
            )
            found = brought(root / "m.obj")
        wood, glass = found.materials["wood"], found.materials["glass"]
        self.assertEqual(
            wood.inputs["base_color"],
            Feed(map="wood col", channels="rgb", tint=(0.5, 0.6, 0.7)),
        )
        self.assertEqual(wood.inputs["roughness"].map, "wood_r")
        self.assertEqual(wood.inputs["normal"].strength, 0.5)
        self.assertEqual(wood.uv.tiling, (2.0, 3.0))
        # v points up there: a point at the bottom stays at the bottom.
        self.assertEqual(wood.uv.offset, (0.0, 1.0 - 3.0))
        self.assertEqual(glass.inputs["base_color"].value, (0.2, 0.3, 0.4))
        self.assertEqual((glass.inputs["opacity"].value, glass.alpha_mode), (0.25, "blend"))
        self.assertEqual(glass.inputs["ior"].value, 1.45)
        # Source: Walter 2007, 5.1: α² = 2 / (n + 2), with n = 96; roughness is √α.
        self.assertAlmostEqual(glass.inputs["roughness"].value, (2 / 98) ** 0.25)
        self.assertIn("specular colour", found.not_taken[0].message)


def preview_material(stage: Usd.Stage, file: str) -> UsdShade.Material:
    """A material as usd-core's tutorials build it, with one texture."""
    material = UsdShade.Material.Define(stage, "/mats/brick")
    surface = UsdShade.Shader.Define(stage, "/mats/brick/surface")
    surface.CreateIdAttr("UsdPreviewSurface")
    surface.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(0.4)
    surface.CreateInput("clearcoat", Sdf.ValueTypeNames.Float).Set(0.5)
    reader = UsdShade.Shader.Define(stage, "/mats/brick/colour")
    reader.CreateIdAttr("UsdUVTexture")
    reader.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(file)
    reader.CreateInput("scale", Sdf.ValueTypeNames.Float4).Set((0.5, 0.5, 1.0, 1.0))
    reader.CreateOutput("rgb", Sdf.ValueTypeNames.Float3)
    placed = UsdShade.Shader.Define(stage, "/mats/brick/placed")
    placed.CreateIdAttr("UsdTransform2d")
    placed.CreateInput("scale", Sdf.ValueTypeNames.Float2).Set((2.0, 2.0))
    placed.CreateOutput("result", Sdf.ValueTypeNames.Float2)
    reader.CreateInput("st", Sdf.ValueTypeNames.Float2).ConnectToSource(
        placed.ConnectableAPI(), "result"
    )
    surface.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).ConnectToSource(
        reader.ConnectableAPI(), "rgb"
    )
    surface.CreateOutput("surface", Sdf.ValueTypeNames.Token)
    material.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
    return material


class FromUsd(TestCase):
    """Source: UsdPreviewSurface 2.6, its tables of inputs and defaults; written by usd-core."""

    def scene(self, root: Path) -> Path:
        picture(root / "tex/brick.png", coloured())
        stage = Usd.Stage.CreateNew(str(root / "wall.usda"))
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
        shape = UsdGeom.Mesh.Define(stage, "/wall")
        shape.CreatePointsAttr([Gf.Vec3f(*map(float, p)) for p in TRIANGLE])
        shape.CreateFaceVertexCountsAttr([3])
        shape.CreateFaceVertexIndicesAttr([0, 1, 2])
        uv = UsdGeom.PrimvarsAPI(shape).CreatePrimvar(
            "st", Sdf.ValueTypeNames.TexCoord2fArray, "vertex"
        )
        uv.Set([Gf.Vec2f(0, 0), Gf.Vec2f(1, 0), Gf.Vec2f(0, 1)])
        material = preview_material(stage, "./tex/brick.png")
        UsdShade.MaterialBindingAPI.Apply(shape.GetPrim()).Bind(material)
        stage.SetDefaultPrim(shape.GetPrim())
        stage.Save()
        return root / "wall.usda"

    def check(self, found: Carried) -> None:
        brick = found.materials["brick"]
        self.assertEqual(
            brick.inputs["base_color"], Feed(map="brick", channels="rgb", tint=(0.5, 0.5, 1.0))
        )
        self.assertAlmostEqual(brick.inputs["roughness"].value, 0.4)
        self.assertEqual(brick.inputs["metallic"].value, 0.0)
        self.assertEqual(brick.inputs["clearcoat"].value, 0.5)
        self.assertEqual((brick.uv.tiling, brick.uv.offset), ((2.0, 2.0), (0.0, -1.0)))
        self.assertEqual([one.encoding for one in found.maps], ["srgb"])

    def test_textures_beside_it_and_inside_an_archive(self) -> None:
        with folder() as root:
            path = self.scene(root)
            self.check(brought(path))
            UsdUtils.CreateNewUsdzPackage(Sdf.AssetPath(str(path)), str(root / "wall.usdz"))
            self.check(brought(root / "wall.usdz"))


class AProject(TestCase):
    def test_what_was_adopted_leaves_and_arrives(self) -> None:
        with folder() as root:
            picture(root / "textures/a.png", coloured())
            picture(root / "textures/orm.png", noise())
            material = {
                "pbrMetallicRoughness": {
                    "baseColorTexture": {"index": 0},
                    "metallicRoughnessTexture": {"index": 1},
                }
            }
            paths = [
                gltf_folder(root, material, ["a.png", "orm.png"]),
                FromUsd().scene(root),
            ]
            command = [
                sys.executable,
                "-m",
                "ektopos",
                "adopt",
                *map(str, paths),
                "--out",
                str(root / "made"),
                "--json",
            ]
            ran = subprocess.run(command, capture_output=True, text=True, check=False)
            self.assertEqual(ran.returncode, 0, ran.stderr)
            said = json.loads(ran.stdout)
            self.assertEqual((said["maps"], said["materials"], said["meshes"]), (3, 2, 2))
            with open_project(root / "made") as project:
                self.assertEqual(project.document.meshes["asset"].slots, {"hull": "hull"})
                self.assertEqual(project.document.meshes["wall"].slots, {"brick": "brick"})
                profile = find_profile("gltf-glb")
                export_package(project, profile, root / "out")
                trial = run_trial(project, root / "out", profile, renders=False)
            self.assertTrue(trial.passed, trial.cells)
            again = subprocess.run(command, capture_output=True, text=True, check=False)
            self.assertEqual(again.returncode, 2)
            self.assertIn("message", json.loads(again.stdout)["error"])


class Stated(TestCase):
    def test_what_a_gltf_says_of_the_maps_beside_it_is_the_truth(self) -> None:
        # glTF 2.0, 3.9.2: roughness in G and metallic in B of one texture; colour is sRGB.
        material = {
            "pbrMetallicRoughness": {
                "baseColorTexture": {"index": 0},
                "metallicRoughnessTexture": {"index": 1},
            }
        }
        with folder() as root:
            gltf_folder(root, material, ["odd_normal.png", "odd_albedo.png"])
            picture(root / "textures/odd_normal.png", coloured(32))
            picture(root / "textures/odd_albedo.png", noise(32, 3, 3))
            picture(root / "textures/odd_rough.png", noise(32, 4, 1)[..., 0])
            answer = subprocess.run(
                [sys.executable, "-m", "ektopos", "identify", str(root), "--json"],
                capture_output=True,
                check=True,
            )
        found = {Path(entry["path"]).name: entry for entry in json.loads(answer.stdout)}
        base, packed = found["odd_normal.png"], found["odd_albedo.png"]
        self.assertEqual(
            (base["role"], base["encoding"], base["confidence"]), ("base_color", "srgb", 1.0)
        )
        self.assertEqual(packed["encoding"], "linear")
        self.assertEqual(packed["channel_roles"]["g"], "roughness")
        self.assertEqual(packed["channel_roles"]["b"], "metallic")
        self.assertEqual(base["set"], packed["set"])
        self.assertIn("asset.gltf says so", base["evidence"])
        self.assertNotIn("says so", " ".join(found["odd_rough.png"]["evidence"]))
