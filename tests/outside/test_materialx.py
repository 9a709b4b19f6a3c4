"""Materials of loose packages through the MaterialX library's own validation, and against its
translation from glTF.

Source: MaterialX 1.39, `Document.validate` and the standard library's graphs; `materialxgltf`, a
reader of glTF into MaterialX.
"""

from __future__ import annotations

import contextlib
import io
import re
from unittest import TestCase

import MaterialX as mx
import numpy as np
from MaterialX.PyMaterialXGenGlsl import GlslShaderGenerator
from MaterialX.PyMaterialXGenShader import GenContext, findRenderableElements
from materialxgltf.core import GLTF2MtlxReader

from ektopos.export.profile import built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from tests.samples import folder, project


class Validation(TestCase):
    def test_every_loose_package_is_valid_materialx(self) -> None:
        library = mx.createDocument()
        mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
        for profile in built_in_profiles().values():
            if profile.container != "loose":
                continue
            with self.subTest(profile.id), project() as opened, folder() as root:
                export_package(opened, profile, root / "out")
                document = mx.createDocument()
                mx.readFromXmlFile(document, str(root / "out/materials.mtlx"))
                document.setDataLibrary(library)
                valid, said = document.validate()
                self.assertTrue(valid, said)
                materials = {node.getName() for node in document.getMaterialNodes()}
                self.assertEqual(materials, {"tile", "tile_dull", "plain"})
                assigned = {
                    a.getGeom(): a.getMaterial()
                    for look in document.getLooks()
                    for a in look.getMaterialAssigns()
                }
                self.assertEqual(
                    assigned,
                    {"/plates/Front": "tile", "/plates/Back": "tile_dull", "/plates/Bare": "plain"},
                )
                for image in document.getNodes("image"):
                    path = image.getInput("file").getValueString()
                    self.assertTrue((root / "out" / path).is_file(), path)

    def test_shaders_are_made_of_every_material_with_every_map_in_them(self) -> None:
        # MaterialX's own code generation takes only what a shader really reads.
        search = mx.getDefaultDataSearchPath()
        library = mx.createDocument()
        mx.loadLibraries(mx.getDefaultDataLibraryFolders(), search, library)
        fed = ["base_color", "emission", "metallic", "normal", "occlusion", "opacity", "roughness"]
        for profile in built_in_profiles().values():
            if profile.container != "loose":
                continue
            with project() as opened, folder() as root:
                export_package(opened, profile, root / "out")
                document = mx.createDocument()
                mx.readFromXmlFile(document, str(root / "out/materials.mtlx"))
                document.setDataLibrary(library)
                generator = GlslShaderGenerator.create()
                context = GenContext(generator)
                context.registerSourceCodeSearchPath(search)
                generator.registerTypeDefs(document)
                for material in findRenderableElements(document):
                    name = material.getName()
                    with self.subTest(profile.id, material=name):
                        code = generator.generate(name, material, context).getSourceCode("pixel")
                        read = re.findall(rf"uniform sampler2D {name}_([a-z_]+)_file;", code)
                        wanted = [] if name == "plain" else fed
                        if profile.id == "spec-gloss":
                            self.assertEqual(len(read), len(wanted))
                        else:
                            self.assertEqual(sorted(read), wanted)

    def test_names_that_become_alike_are_told_apart(self) -> None:
        from ektopos.document import MaterialEntry
        from ektopos.export.plan import make_plan
        from ektopos.export.writers.loose import node_names

        with project() as opened:
            opened.document.materials = {
                name: MaterialEntry() for name in ("Dome copper", "dome_copper", "dome.copper", "ä")
            }
            opened.document.meshes = {}
            names = node_names(
                make_plan(opened.document, find_profile("single-maps"), lambda name: None)
            )  # type: ignore[arg-type, return-value]
        self.assertEqual(len({name.lower() for name in names}), 4)
        for name in names:
            self.assertRegex(name, re.compile(r"^[A-Za-z_][A-Za-z0-9_]*$"))


class AgainstTheTranslationFromGltf(TestCase):
    """The same project by two ways: our MaterialX document, and our glTF as `materialxgltf`
    translates it."""

    def test_numbers_files_channels_and_placement_agree(self) -> None:
        with project() as opened, folder() as root:
            export_package(opened, find_profile("gltf-split"), root / "gltf")
            export_package(opened, find_profile("materialx"), root / "mtlx")
            with contextlib.redirect_stdout(io.StringIO()):
                theirs = GLTF2MtlxReader().convert(str(root / "gltf/plates.gltf"))
            ours = mx.createDocument()
            mx.readFromXmlFile(ours, str(root / "mtlx/materials.mtlx"))
            for material in ("tile", "tile_dull", "plain"):
                one, other = ours.getNode(f"SR_{material}"), theirs.getNode(material)
                for port in (
                    "base_color",
                    "metallic",
                    "roughness",
                    "occlusion",
                    "emissive",
                    "emissive_strength",
                    "alpha_mode",
                    "alpha_cutoff",
                ):
                    # Occlusion is 1 and sides are single where nothing is said; the translation
                    # says less than we do.
                    if other.getInput(port) is not None:
                        with self.subTest(material=material, port=port):
                            self.assertEqual(
                                source(ours, one.getInput(port)),
                                source(theirs, other.getInput(port)),
                            )
            image = theirs.getNode("image_base_color")
            self.assertEqual(placed(ours.getNode("tile_placed")), as_gltf_image_places(image))


class WhatTheDocumentMeans(TestCase):
    """Source: the nodes of MaterialX 1.39's own libraries: `gltf_pbr` has a dielectric reflectance of
    specular_color · ((ior − 1) / (ior + 1))², and `normalmap` reads green upwards."""

    def test_the_specular_workflow_is_no_metal_and_reflects_its_colour(self) -> None:
        with project() as opened, folder() as root:
            export_package(opened, find_profile("spec-gloss"), root / "out")
            found = mx.createDocument()
            mx.readFromXmlFile(found, str(root / "out/materials.mtlx"))
        shader = found.getNode("SR_tile")
        ior = shader.getInput("ior").getValue()
        self.assertEqual(shader.getInput("metallic").getValue(), 0.0)
        self.assertAlmostEqual(((ior - 1) / (ior + 1)) ** 2, 1.0, places=5)
        self.assertIn("Specular", str(source(found, shader.getInput("specular_color"))))

    def test_green_is_turned_and_strengths_are_in_the_nodes(self) -> None:
        with project() as opened, folder() as root:
            export_package(opened, find_profile("orm-y-minus"), root / "out")
            found = mx.createDocument()
            mx.readFromXmlFile(found, str(root / "out/materials.mtlx"))
        shader = found.getNode("SR_tile")
        bump = found.getNode(shader.getInput("normal").getNodeName())
        self.assertEqual(bump.getCategory(), "normalmap")
        self.assertAlmostEqual(bump.getInput("scale").getValue(), 0.8, places=6)
        more = found.getNode(bump.getInput("in").getNodeName())
        times = found.getNode(more.getInput("in1").getNodeName())
        stored = np.array([0.2, 0.3, 0.9])
        turned = stored * list(times.getInput("in2").getValue()) + list(
            more.getInput("in2").getValue()
        )
        np.testing.assert_allclose(turned, [0.2, 0.7, 0.9], atol=1e-6)
        # Occlusion strength 0.5. Source: glTF 2.0, 3.9.2: 1 + strength · (value − 1).
        more = found.getNode(shader.getInput("occlusion").getNodeName())
        times = found.getNode(more.getInput("in1").getNodeName())
        value = 0.4 * times.getInput("in2").getValue() + more.getInput("in2").getValue()
        self.assertAlmostEqual(value, 1 + 0.5 * (0.4 - 1), places=6)


def source(document: mx.Document, port: mx.Input) -> object:
    """A shader's input as numbers, or as the file and the channel that feed it."""
    channel = None
    while port.getNodeName():
        node = document.getNode(port.getNodeName())
        if node.getCategory() == "extract":
            channel = node.getInput("index").getValue()
        if node.getInput("file") is not None:
            return node.getInput("file").getValueString(), channel
        port = node.getInput("in") or node.getInput("in1")
    return [round(float(part), 4) for part in port.getValueString().split(",")]


def placed(node: mx.Node) -> dict[str, list[float]]:
    """What a `place2d` node is given."""
    return {
        key: [round(float(v), 3) for v in node.getInput(key).getValueString().split(",")]
        for key in ("pivot", "scale", "rotate", "offset")
    }


def as_gltf_image_places(image: mx.Node) -> dict[str, list[float]]:
    """What the library's own graph of `gltf_image` gives its `place2d` for the numbers of glTF."""
    library = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
    graph = library.getNodeGraph("NG_gltf_image_color4_color4_1_0")
    pivot = library.getNodeDef("ND_gltf_image_color4_color4_1_0").getInput("pivot").getValueString()
    said = {
        key: [float(v) for v in image.getInput(key).getValueString().split(",")]
        for key in ("scale", "rotate", "offset")
    }
    said["pivot"] = [float(v) for v in pivot.split(",")]

    def of(port: mx.Input) -> list[float]:
        if port.getInterfaceName():
            return said[port.getInterfaceName()]
        if not port.getNodeName():
            return [float(v) for v in port.getValueString().split(",")]
        node = graph.getNode(port.getNodeName())
        first, second = of(node.getInput("in1")), of(node.getInput("in2"))
        return [
            a * b if node.getCategory() == "multiply" else a / b
            for a, b in zip(first, second, strict=True)
        ]

    place = graph.getNode("place2d")
    return {
        key: [round(v, 3) for v in of(place.getInput(key))]
        for key in ("pivot", "scale", "rotate", "offset")
    }
