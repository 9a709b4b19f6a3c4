"""Light inside a surface leaves as OpenPBR in MaterialX, and arrives.

Source: MaterialX 1.39's own node definitions, validation and code generation; OpenPBR 1.1 for what
its inputs mean (emission is dark unless it has a luminance, a coat refracts by 1.6, the mean free
path differs by colour).
"""

from __future__ import annotations

import contextlib
import json
import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from unittest import TestCase

import cv2
import MaterialX as mx
from MaterialX.PyMaterialXGenGlsl import GlslShaderGenerator
from MaterialX.PyMaterialXGenShader import GenContext, findRenderableElements

from ektopos.export.profile import built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from ektopos.project import OpenProject, open_project
from ektopos.trial.cells import Cell
from ektopos.trial.compare import run_trial
from tests.samples import folder, project_folder

INSIDE: dict[str, Any] = {
    "subsurface": {"map": "tile_gloss", "channels": "r", "range": [0.1, 0.7]},
    "subsurface_color": {"map": "tile_col", "channels": "rgb", "tint": [1.0, 0.5, 0.4]},
    "subsurface_radius": {"value": 0.004},
}
BESIDE: dict[str, Any] = {
    "ior": {"value": 1.4},
    "specular": {"map": "tile_orm", "channels": "g"},
    "clearcoat": {"value": 0.3},
    "clearcoat_roughness": {"value": 0.2},
    "sheen": {"map": "tile_col", "channels": "rgb"},
    "sheen_roughness": {"value": 0.4},
    "transmission": {"value": 0.1},
    "thickness": {"value": 0.25},
    "attenuation": {"value": [0.9, 0.5, 0.2]},
    "attenuation_distance": {"value": 1.75},
}
NUMBERS: dict[str, Any] = {
    "subsurface": {"value": 0.6},
    "subsurface_color": {"value": [0.8, 0.3, 0.2]},
    "subsurface_radius": {"value": 0.02},
}


def cells_after(
    target: str,
    inputs: dict[str, Any],
    tamper: Callable[[Path], None] | None = None,
    alpha_mode: str = "mask",
) -> dict[str, Cell]:
    """The cells of the slot whose material has these inputs besides its own, by input."""
    with lit(inputs, alpha_mode) as opened, folder() as root:
        export_package(opened, find_profile(target), root / "out")
        if tamper is not None:
            tamper(root / "out")
        trial = run_trial(opened, root / "out", find_profile(target), renders=False)
    return {cell.input: cell for cell in trial.cells if cell.slot == "Front"}


@contextlib.contextmanager
def lit(inputs: dict[str, Any], alpha_mode: str) -> Iterator[OpenProject]:
    """The small project, whose first material has these inputs besides its own."""
    with folder() as root:
        path = project_folder(root) / "test.ektopos.json"
        document = json.loads(path.read_text())
        document["materials"]["tile"]["inputs"] |= inputs
        document["materials"]["tile"]["alpha_mode"] = alpha_mode
        path.write_text(json.dumps(document))
        with open_project(root) as opened:
            yield opened


def wrong(cells: dict[str, Cell]) -> dict[str, str]:
    return {n: c.cause for n, c in cells.items() if c.verdict in ("differs", "lost", "unsupported")}


class LightInside(TestCase):
    def test_the_document_is_valid_and_shaders_read_every_map(self) -> None:
        search = mx.getDefaultDataSearchPath()
        library = mx.createDocument()
        mx.loadLibraries(mx.getDefaultDataLibraryFolders(), search, library)
        with lit(INSIDE | BESIDE, "mask") as opened, folder() as root:
            export_package(opened, find_profile("materialx"), root / "out")
            document = mx.createDocument()
            mx.readFromXmlFile(document, str(root / "out/materials.mtlx"))
        document.setDataLibrary(library)
        valid, said = document.validate()
        self.assertTrue(valid, said)
        shader = document.getNode("SR_tile")
        self.assertEqual(shader.getCategory(), "open_pbr_surface")
        self.assertEqual(document.getNode("SR_plain").getCategory(), "gltf_pbr")
        definition = shader.getNodeDef()
        for port in shader.getInputs():
            self.assertEqual(definition.getInput(port.getName()).getType(), port.getType())
        self.assertGreater(shader.getInput("emission_luminance").getValue(), 0.0)
        self.assertEqual(shader.getInput("coat_ior").getValue(), 1.5)
        self.assertEqual(list(shader.getInput("subsurface_radius_scale").getValue()), [1, 1, 1])
        cut = document.getNode(shader.getInput("geometry_opacity").getNodeName())
        self.assertAlmostEqual(cut.getInput("value2").getValue(), 0.4, places=6)
        self.assertIn("occlusion", shader.getDocString())
        generator = GlslShaderGenerator.create()
        context = GenContext(generator)
        context.registerSourceCodeSearchPath(search)
        generator.registerTypeDefs(document)
        material = next(e for e in findRenderableElements(document) if e.getName() == "tile")
        code = generator.generate("tile", material, context).getSourceCode("pixel")
        read = set(re.findall(r"uniform sampler2D tile_([a-z_]+)_file;", code))
        self.assertLessEqual(
            {"subsurface", "subsurface_color", "base_color", "opacity", "specular", "sheen"}, read
        )

    def test_it_arrives_from_maps_and_numbers_under_every_alpha_mode(self) -> None:
        for inputs in (INSIDE, NUMBERS, INSIDE | BESIDE, INSIDE | {"opacity": {"value": 0.5}}):
            for alpha_mode in ("opaque", "mask", "blend"):
                with self.subTest(inputs=list(inputs), alpha_mode=alpha_mode):
                    cells = cells_after("materialx", inputs, alpha_mode=alpha_mode)
                    self.assertEqual(wrong(cells), {})
                    self.assertLessEqual(set(inputs), set(cells))

    def test_loose_targets_bring_its_numbers_and_the_others_say_that_it_stays(self) -> None:
        for target, profile in built_in_profiles().items():
            with self.subTest(target):
                cells = cells_after(target, NUMBERS, alpha_mode="opaque")
                carried = profile.container == "loose"
                self.assertEqual(
                    wrong(cells), {} if carried else dict.fromkeys(NUMBERS, "not-carried-by-target")
                )

    def test_what_is_changed_in_the_document_alone_is_found(self) -> None:
        def changed(old: str, new: str) -> Callable[[Path], None]:
            def tamper(out: Path) -> None:
                path = out / "materials.mtlx"
                text = path.read_text()
                self.assertIn(old, text)
                path.write_text(text.replace(old, new))

            return tamper

        for name, inputs, old, new, cause in (
            ("subsurface", NUMBERS, 'value="0.6"', 'value="0.9"', "constant-changed"),
            ("subsurface_color", NUMBERS, "0.8, 0.3, 0.2", "0.8, 0.3, 0.9", "constant-changed"),
            ("subsurface_radius", NUMBERS, 'value="0.02"', 'value="2"', "constant-changed"),
            ("emission", NUMBERS, "emission_luminance", "emission_bright", "strength-lost"),
            (
                "opacity",
                NUMBERS,
                'value2" type="float" value="0.4"',
                'value2" type="float" value="0.7"',
                "cutoff-changed",
            ),
        ):
            with self.subTest(name):
                self.assertEqual(
                    wrong(cells_after("materialx", inputs, changed(old, new))), {name: cause}
                )

    def test_an_inverted_weight_is_found_in_its_texels(self) -> None:
        def invert(out: Path) -> None:
            path = out / "textures/tile_Inside.png"
            pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
            pixels[..., 3] = 255 - pixels[..., 3]
            cv2.imwrite(str(path), pixels)

        cell = cells_after("materialx", INSIDE, invert)["subsurface"]
        self.assertEqual((cell.verdict, cell.cause), ("differs", "inverted"))
