"""USDZ packages through usd-core's own checkers, and read by its library after being tampered with."""

from __future__ import annotations

import struct
import zipfile
from collections.abc import Callable
from pathlib import Path
from unittest import TestCase

import cv2
import numpy as np
from pxr import Usd, UsdGeom, UsdShade, UsdValidation

from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.trial.compare import Trial, run_trial
from tests.samples import folder, project


def tampered(change: Callable[[dict[str, bytes]], None]) -> Trial:
    """The trial of the small project's USDZ after its archive was changed and packed again."""
    profile = find_profile("usdz")
    with project() as opened, folder() as root:
        export_package(opened, profile, root / "out")
        path = root / "out/plates.usdz"
        with zipfile.ZipFile(path) as archive:
            files = {name: archive.read(name) for name in archive.namelist()}
        change(files)
        with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
            for name, content in files.items():
                archive.writestr(name, content)
        return run_trial(opened, root / "out", profile, renders=False)


def text(before: str, after: str) -> Callable[[dict[str, bytes]], None]:
    def change(files: dict[str, bytes]) -> None:
        layer = files["plates.usda"].decode()
        assert before in layer, before
        files["plates.usda"] = layer.replace(before, after, 1).encode()

    return change


def texels(
    name: str, change: Callable[[np.ndarray], np.ndarray]
) -> Callable[[dict[str, bytes]], None]:
    def tamper(files: dict[str, bytes]) -> None:
        pixels = cv2.imdecode(np.frombuffer(files[name], np.uint8), cv2.IMREAD_UNCHANGED)
        files[name] = cv2.imencode(".png", change(pixels))[1].tobytes()

    return tamper


def complaints(stage: Usd.Stage) -> list[str]:
    """What every validator that usd-core brings says of a stage."""
    validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    return [
        f"{found.GetName()}: {found.GetMessage()}"
        for found in UsdValidation.ValidationContext(validators).Validate(stage)
    ]


class Compliance(TestCase):
    def test_the_archive_obeys_the_format_and_usds_own_checker(self) -> None:
        """Source: “Usdz File Format Specification”: stored, aligned to 64 bytes, the layer first;
        all of `UsdValidation`."""
        with project() as opened, folder() as root:
            export_package(opened, find_profile("usdz"), root / "out")
            path = root / "out/plates.usdz"
            raw = path.read_bytes()
            with zipfile.ZipFile(path) as archive:
                entries = archive.infolist()
                self.assertTrue(entries[0].filename.endswith(".usda"))
                for entry in entries:
                    self.assertEqual(entry.compress_type, zipfile.ZIP_STORED)
                    names, extra = struct.unpack_from("<HH", raw, entry.header_offset + 26)
                    self.assertEqual(
                        (entry.header_offset + 30 + names + extra) % 64, 0, entry.filename
                    )
            found = complaints(Usd.Stage.Open(str(path)))
            # A strength that is not 1 stands in the scale and bias of the normals' reader, which
            # the checker only knows as (2, 2, 2) and −1.
            bent = [one for one in found if one.startswith("NonCompliant")]
            self.assertEqual([one for one in found if one not in bent], [])
            self.assertEqual(len(bent), 2)
            self.assertTrue(all("/normal>" in one for one in bent), bent)
        self.assertTrue(
            complaints(Usd.Stage.CreateInMemory()),
            "the checker does complain of a stage that says nothing",
        )

    def test_usd_sees_the_meshes_and_materials_that_were_meant(self) -> None:
        with project() as opened, folder() as root:
            export_package(opened, find_profile("usdz"), root / "out")
            stage = Usd.Stage.Open(str(root / "out/plates.usdz"))
            meshes = [prim for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh)]
            bound = {
                m.GetName(): UsdShade.MaterialBindingAPI(m)
                .ComputeBoundMaterial()[0]
                .GetPrim()
                .GetName()
                for m in meshes
            }
            self.assertEqual(bound, {"Front": "tile", "Back": "tile_dull", "Bare": "plain"})
            self.assertEqual(UsdGeom.GetStageUpAxis(stage), "Y")
            box = (
                UsdGeom.BBoxCache(Usd.TimeCode.Default(), ["default"])
                .ComputeWorldBound(stage.GetDefaultPrim())
                .ComputeAlignedRange()
            )
            np.testing.assert_allclose(box.GetSize(), (7, 1, 0), atol=1e-5)
            plain = UsdShade.Material(
                stage.GetPrimAtPath("/Root/Materials/plain")
            ).ComputeSurfaceSource()[0]
            np.testing.assert_allclose(
                plain.GetInput("diffuseColor").Get(), (0.2, 0.3, 0.4), atol=1e-6
            )


class Tampered(TestCase):
    CASES = (
        (
            "roughness turned round",
            texels(
                "textures/tile_ORM.png",
                lambda p: np.dstack([p[..., 0], 255 - p[..., 1], p[..., 2]]),
            ),
            ("roughness", "inverted"),
        ),
        (
            "green turned",
            texels(
                "textures/tile_Normal.png",
                lambda p: np.dstack([p[..., 0], 255 - p[..., 1], p[..., 2]]),
            ),
            ("normal", "green-flipped"),
        ),
        (
            "texture gone",
            lambda files: files.pop("textures/tile_ORM.png"),
            ("metallic", "missing-file"),
        ),
        (
            "texture cut off",
            lambda files: files.update(
                {"textures/tile_ORM.png": files["textures/tile_ORM.png"][:700]}
            ),
            ("occlusion", "unreadable-file"),
        ),
        (
            "colour as data",
            text('sourceColorSpace = "sRGB"', 'sourceColorSpace = "raw"'),
            ("base_color", "wrong-encoding"),
        ),
        (
            "cut-off",
            text("opacityThreshold = 0.4", "opacityThreshold = 0.7"),
            ("opacity", "cutoff-changed"),
        ),
        (
            "no cut-out",
            text("float inputs:opacityThreshold = 0.4", "float inputs:opacityThreshold = 0"),
            ("opacity", "alpha-mode-changed"),
        ),
        ("one-sided", text("doubleSided = 1", "doubleSided = 0"), ("settings", "sides-changed")),
        (
            "transform",
            text("inputs:scale = (2, 3)", "inputs:scale = (2, 2)"),
            ("settings", "uv-transform-lost"),
        ),
        (
            "turned",
            text("inputs:rotation = 17.1887339", "inputs:rotation = 20"),
            ("settings", "uv-transform-lost"),
        ),
        (
            "constant",
            text("inputs:roughness = 0.35", "inputs:roughness = 0.9"),
            ("roughness", "constant-changed"),
        ),
        (
            "another channel",
            text("roughness.outputs:g", "roughness.outputs:b"),
            ("roughness", "channels-swapped"),
        ),
        (
            "unbound",
            text("rel material:binding = </Root/Materials/plain>", ""),
            ("base_color", "slot-unassigned"),
        ),
        (
            "bound otherwise",
            text("</Root/Materials/tile_dull>\n", "</Root/Materials/plain>\n"),
            ("base_color", "slot-reassigned"),
        ),
        (
            "no layer",
            lambda files: files.update({"plates.usda": b"#usda 1.0\n(\n"}),
            ("base_color", "unreadable-file"),
        ),
    )

    def test_every_tampering_is_found_with_its_cause(self) -> None:
        for what, change, wanted in self.CASES:
            with self.subTest(what):
                trial = tampered(change)
                self.assertFalse(trial.passed)
                self.assertIn(
                    wanted,
                    {(c.input, c.cause) for c in trial.cells if c.verdict in ("differs", "lost")},
                )

    def test_packing_it_again_unchanged_is_no_fault(self) -> None:
        self.assertTrue(tampered(lambda files: None).passed)

    def test_a_package_without_its_archive_says_so(self) -> None:
        profile = find_profile("usdz")
        with project() as opened, folder() as root:
            export_package(opened, profile, root / "out")
            for spoil in (lambda path: path.write_bytes(b"PK"), lambda path: path.unlink()):
                spoil(Path(root / "out/plates.usdz"))
                trial = run_trial(opened, root / "out", profile, renders=False)
                self.assertFalse(trial.passed)
                self.assertTrue(
                    {c.cause for c in trial.cells} <= {"missing-file", "unreadable-file"}
                )
