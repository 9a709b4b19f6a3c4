"""Materials inside USD, built with usd-core: what UsdPreviewSurface and MaterialX's nodes say."""

from __future__ import annotations

from pathlib import Path
from typing import Any
from unittest import TestCase

import MaterialX as mx
import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade

from ektopos.document import Feed
from ektopos.material_import import Carried
from ektopos.materials.texel_coverage import transform_uvs
from tests.outside.test_assets import TRIANGLE
from tests.outside.test_material_import import brought, picture
from tests.samples import coloured, folder

TYPES = {
    "asset": Sdf.ValueTypeNames.Asset,
    "float": Sdf.ValueTypeNames.Float,
    "color": Sdf.ValueTypeNames.Color3f,
    "float2": Sdf.ValueTypeNames.Float2,
    "float3": Sdf.ValueTypeNames.Float3,
    "int": Sdf.ValueTypeNames.Int,
    "string": Sdf.ValueTypeNames.String,
}


def node(stage: Usd.Stage, name: str, kind: str, **ports: Any) -> UsdShade.Shader:
    """A shader with constants, or connections where a port is `(shader, output)`."""
    shader = UsdShade.Shader.Define(stage, f"/mats/brick/{name}")
    shader.CreateIdAttr(kind)
    for port, (typed, value) in ports.items():
        made = shader.CreateInput(port, TYPES[typed])
        if isinstance(value, tuple) and isinstance(value[0], UsdShade.Shader):
            value[0].CreateOutput(value[1], TYPES[typed])
            made.ConnectToSource(value[0].ConnectableAPI(), value[1])
        else:
            made.Set(value)
    return shader


def wall(root: Path) -> tuple[Usd.Stage, UsdShade.Material]:
    """A triangle with two UV sets and a material without a surface yet."""
    picture(root / "brick.png", coloured())
    stage = Usd.Stage.CreateNew(str(root / "wall.usda"))
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    shape = UsdGeom.Mesh.Define(stage, "/wall")
    shape.CreatePointsAttr([Gf.Vec3f(*map(float, p)) for p in TRIANGLE])
    shape.CreateFaceVertexCountsAttr([3])
    shape.CreateFaceVertexIndicesAttr([0, 1, 2])
    for name in ("st", "wide"):
        uv = UsdGeom.PrimvarsAPI(shape).CreatePrimvar(
            name, Sdf.ValueTypeNames.TexCoord2fArray, "vertex"
        )
        uv.Set([Gf.Vec2f(0, 0), Gf.Vec2f(1, 0), Gf.Vec2f(0, 1)])
    material = UsdShade.Material.Define(stage, "/mats/brick")
    UsdShade.MaterialBindingAPI.Apply(shape.GetPrim()).Bind(material)
    stage.SetDefaultPrim(shape.GetPrim())
    return stage, material


def surfaced(
    root: Path, stage: Usd.Stage, material: UsdShade.Material, surface: UsdShade.Shader
) -> Carried:
    surface.CreateOutput("out", Sdf.ValueTypeNames.Token)
    material.CreateSurfaceOutput("mtlx").ConnectToSource(surface.ConnectableAPI(), "out")
    stage.Save()
    return brought(root / "wall.usda")


def place2d(uv: np.ndarray, given: dict[str, Any]) -> np.ndarray:
    """What the library's own graph makes of UVs `(n, 2)`, v up. Source: MaterialX 1.39,
    `NG_place2d_vector2`, walked node by node; `rotate2d` as `mx_rotate_vector2.glsl` beside it
    says."""
    library = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
    graph = library.getNodeGraph("NG_place2d_vector2")

    def of(port: mx.Input) -> np.ndarray:
        if port.getInterfaceName():
            name = port.getInterfaceName()
            return uv if name == "texcoord" else np.asarray(given[name], float)
        made = graph.getNode(port.getNodeName())
        if made.getCategory() == "switch":
            return of(made.getInput(f"in{int(given['operationorder']) + 1}"))
        if made.getCategory() == "rotate2d":
            x, y = of(made.getInput("in")).T
            turn = np.radians(of(made.getInput("amount")))
            return np.stack(
                [np.cos(turn) * x + np.sin(turn) * y, -np.sin(turn) * x + np.cos(turn) * y], axis=1
            )
        first, second = of(made.getInput("in1")), of(made.getInput("in2"))
        return {"subtract": np.subtract, "divide": np.divide, "add": np.add}[made.getCategory()](
            first, second
        )

    return of(graph.getOutput("out"))


class MaterialXInside(TestCase):
    def test_a_standard_surface(self) -> None:
        """Source: MaterialX 1.39, `ND_standard_surface_surfaceshader`: base weighs base_color
        (1 unless said), specular_roughness is 0.2, coat_roughness 0.1 and emission 0 by default."""
        with folder() as root:
            stage, material = wall(root)
            image = node(stage, "image", "ND_image_color3", file=("asset", "./brick.png"))
            tinted = node(
                stage,
                "tint",
                "ND_multiply_color3FA",
                in1=("color", (image, "out")),
                in2=("float", 0.5),
            )
            picked = node(
                stage, "parts", "ND_separate3_color3", **{"in": ("color", (image, "out"))}
            )
            bumps = node(stage, "vectors", "ND_image_vector3", file=("asset", "./brick.png"))
            normal = node(
                stage,
                "normal",
                "ND_normalmap",
                **{"in": ("float3", (bumps, "out"))},
                scale=("float", 0.7),
            )
            found = surfaced(
                root,
                stage,
                material,
                node(
                    stage,
                    "surface",
                    "ND_standard_surface_surfaceshader",
                    base=("float", 0.8),
                    base_color=("color", (tinted, "out")),
                    metalness=("float", (picked, "outb")),
                    coat=("float", 0.3),
                    emission=("float", 4.0),
                    emission_color=("color", (0.5, 0.25, 0.0)),
                    normal=("float3", (normal, "out")),
                    subsurface=("float", 0.2),
                ),
            )
        brick = found.materials["brick"].inputs
        self.assertEqual(brick["base_color"].map, "brick")
        np.testing.assert_allclose(brick["base_color"].tint, [0.4] * 3)
        self.assertEqual((brick["metallic"].map, brick["metallic"].channels), ("brick", "b"))
        self.assertAlmostEqual(brick["roughness"].value, 0.2)
        self.assertAlmostEqual(brick["clearcoat"].value, 0.3)
        self.assertAlmostEqual(brick["clearcoat_roughness"].value, 0.1)
        self.assertAlmostEqual(brick["emission"].strength, 2.0)
        np.testing.assert_allclose(brick["emission"].value, [1.0, 0.5, 0.0])
        self.assertAlmostEqual(brick["normal"].strength, 0.7)
        self.assertEqual([one.message for one in found.not_taken], ["its subsurface is left out."])

    def test_light_inside_comes_with_its_map_its_colour_and_its_length_in_metres(self) -> None:
        """Source: OpenPBR 1.1: weight, colour, and the mean free path in units of the scene."""
        with folder() as root:
            stage, material = wall(root)
            UsdGeom.SetStageMetersPerUnit(stage, 0.01)
            image = node(stage, "image", "ND_image_color3", file=("asset", "./brick.png"))
            found = surfaced(
                root,
                stage,
                material,
                node(
                    stage,
                    "surface",
                    "ND_open_pbr_surface_surfaceshader",
                    subsurface_weight=("float", 0.4),
                    subsurface_color=("color", (image, "out")),
                    subsurface_radius=("float", 0.5),
                ),
            )
        with folder() as root:
            stage, material = wall(root)
            surface = node(stage, "surface", "ND_open_pbr_surface_surfaceshader")
            plain = surfaced(root, stage, material, surface)
        brick = found.materials["brick"].inputs
        self.assertAlmostEqual(brick["subsurface"].value, 0.4)
        self.assertEqual(
            (brick["subsurface_color"].map, brick["subsurface_color"].channels), ("brick", "rgb")
        )
        self.assertAlmostEqual(brick["subsurface_radius"].value, 0.005)
        self.assertEqual(found.not_taken, [])
        self.assertFalse([n for n in plain.materials["brick"].inputs if n.startswith("subsurf")])

    def test_uvs_lie_where_the_librarys_own_graph_puts_them(self) -> None:
        uv = np.random.default_rng(1).random((6, 2))
        for order in (0, 1):
            given = {
                "pivot": (0.25, 0.5),
                "scale": (0.5, 0.5),
                "rotate": 30.0,
                "offset": (0.1, -0.2),
                "operationorder": order,
            }
            with self.subTest(order=order), folder() as root:
                stage, material = wall(root)
                chosen = node(
                    stage, "which", "ND_geompropvalue_vector2", geomprop=("string", "wide")
                )
                placed = node(
                    stage,
                    "placed",
                    "ND_place2d_vector2",
                    texcoord=("float2", (chosen, "out")),
                    pivot=("float2", given["pivot"]),
                    scale=("float2", given["scale"]),
                    rotate=("float", given["rotate"]),
                    offset=("float2", given["offset"]),
                    operationorder=("int", order),
                )
                image = node(
                    stage,
                    "image",
                    "ND_image_color3",
                    file=("asset", "./brick.png"),
                    texcoord=("float2", (placed, "out")),
                    uaddressmode=("string", "clamp"),
                )
                found = surfaced(
                    root,
                    stage,
                    material,
                    node(
                        stage,
                        "surface",
                        "ND_open_pbr_surface_surfaceshader",
                        base_color=("color", (image, "out")),
                    ),
                )
            brick = found.materials["brick"]
            self.assertEqual((brick.uv.set, brick.wrap), (1, ("clamp", "repeat")))
            up = np.array([1.0, -1.0])
            ours = transform_uvs(uv * up + [0, 1], brick.uv) * up + [0, 1]
            np.testing.assert_allclose(ours, place2d(uv, given), atol=1e-6)
            # Source: MaterialX 1.39, `ND_open_pbr_surface_surfaceshader`, default.
            self.assertAlmostEqual(brick.inputs["roughness"].value, 0.3)

    def test_gltfs_surface_says_its_alpha_and_its_image_lies_as_in_gltf(self) -> None:
        with folder() as root:
            stage, material = wall(root)
            image = node(
                stage,
                "image",
                "ND_gltf_colorimage",
                file=("asset", "./brick.png"),
                scale=("float2", (2.0, 3.0)),
                offset=("float2", (0.1, 0.2)),
                rotate=("float", 30.0),
            )
            found = surfaced(
                root,
                stage,
                material,
                node(
                    stage,
                    "surface",
                    "ND_gltf_pbr_surfaceshader",
                    base_color=("color", (image, "outcolor")),
                    alpha=("float", (image, "outa")),
                    alpha_mode=("int", 1),
                    alpha_cutoff=("float", 0.3),
                ),
            )
        brick = found.materials["brick"]
        self.assertEqual((brick.alpha_mode, round(brick.alpha_cutoff, 6)), ("mask", 0.3))
        self.assertEqual(brick.inputs["opacity"].channels, "a")
        self.assertEqual(brick.inputs["metallic"], Feed(value=1.0))
        np.testing.assert_allclose(brick.uv.tiling, [2.0, 3.0], atol=1e-6)
        np.testing.assert_allclose(brick.uv.offset, [0.1, 0.2], atol=1e-6)
        self.assertAlmostEqual(brick.uv.rotation, np.radians(30.0), places=6)

    def test_what_cannot_be_followed_is_named(self) -> None:
        with folder() as root:
            stage, material = wall(root)
            noise = node(stage, "noise", "ND_fractal3d_color3")
            found = surfaced(
                root,
                stage,
                material,
                node(
                    stage,
                    "surface",
                    "ND_standard_surface_surfaceshader",
                    base_color=("color", (noise, "out")),
                ),
            )
        self.assertIn("fractal3d_color3, which is not followed", found.not_taken[0].message)
        self.assertEqual(found.materials["brick"].inputs["base_color"].value, (0.8, 0.8, 0.8))


class PreviewInside(TestCase):
    def test_the_primvar_by_way_of_the_materials_interface_chooses_the_uv_set(self) -> None:
        """As exporters write it: the reader's `varname` connected to an input of the material.
        Source: UsdPreviewSurface 2.6, “Primvar Reader”."""
        with folder() as root:
            stage, material = wall(root)
            named = material.CreateInput("uvName", Sdf.ValueTypeNames.String)
            named.Set("wide")
            chosen = node(stage, "which", "UsdPrimvarReader_float2")
            chosen.CreateInput("varname", Sdf.ValueTypeNames.String).ConnectToSource(named)
            reader = node(
                stage,
                "colour",
                "UsdUVTexture",
                file=("asset", "./brick.png"),
                st=("float2", (chosen, "result")),
            )
            surface = node(
                stage, "surface", "UsdPreviewSurface", diffuseColor=("color", (reader, "rgb"))
            )
            surface.CreateOutput("surface", Sdf.ValueTypeNames.Token)
            material.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
            stage.Save()
            found = brought(root / "wall.usda")
        self.assertEqual(found.materials["brick"].uv.set, 1)
        self.assertEqual(found.not_taken, [])
