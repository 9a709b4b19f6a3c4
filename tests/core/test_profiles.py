"""Targets of a project's own: checked as they are written, exported by, tried, and kept in the
document."""

from __future__ import annotations

import json
from unittest import TestCase

import cv2
import numpy as np
from PIL import Image as Pillow
from pydantic import TypeAdapter

from ektopos.base.errors import EktoposError, InvalidDocument
from ektopos.cli.main import main
from ektopos.document import Document, dump_document, load_document
from ektopos.edits import Edit, apply_edits
from ektopos.export.plan import target_size
from ektopos.export.profile import Profile, built_in_profiles, find_profile, profiles_of
from ektopos.export.write_package import export_package
from ektopos.trial.compare import run_trial
from ektopos.trial.compression import block_compressed
from tests.samples import coloured, folder, noise, normals_of, project

EDIT = TypeAdapter(Edit)
OWN = {
    "id": "our-engine",
    "title": "Our engine",
    "container": "loose",
    "normal_y": "-",
    "name_rule": "{target}_{suffix}_{material}",
    "files": [
        {
            "suffix": "Col",
            "channels": {"rgb": "base_color", "a": "opacity"},
            "encoding": "srgb",
            "format": "tga",
        },
        {
            "suffix": "MSO",
            "channels": {"r": "metallic", "g": "smoothness", "b": "occlusion"},
            "encoding": "linear",
            "format": "webp",
        },
        {"suffix": "Nrm", "channels": {"rgb": "normal"}, "encoding": "linear", "bits": 16},
        {"suffix": "Glow", "channels": {"rgb": "emission"}, "encoding": "srgb"},
    ],
}


def edited(document: Document, *edits: dict) -> Document:
    return apply_edits(document, [EDIT.validate_python(edit) for edit in edits])


def changed(**change) -> dict:
    return {**json.loads(json.dumps(OWN)), **change}


class Rules(TestCase):
    def test_what_cannot_be_written_is_explained(self) -> None:
        file = {"suffix": "X", "channels": {"r": "metallic"}, "encoding": "linear"}
        for words, raw in {
            "only PNG, KTX2 and EXR have 16 bits": changed(
                files=[file | {"bits": 16, "format": "tga"}]
            ),
            "JPEG has no alpha": changed(
                files=[file | {"channels": {"rgb": "base_color", "a": "opacity"}, "format": "jpg"}]
            ),
            "named twice": changed(
                files=[file | {"channels": {"r": "metallic", "rgb": "base_color"}}]
            ),
            "same suffix": changed(files=[file, file]),
            "needs {material}": changed(name_rule="{suffix}"),
            "knows {target}": changed(name_rule="{material}_{suffix}_{date}"),
            "no place for metallic in R": changed(container="glb", files=[file]),
            "glTF takes PNG": changed(
                container="gltf", files=[file | {"channels": {"b": "metallic"}, "format": "webp"}]
            ),
            "no place for base_color": changed(
                container="gltf", files=[file | {"channels": {"rgb": "base_color"}}]
            ),
            "id": changed(id="Our Engine!"),
        }.items():
            with self.subTest(words), self.assertRaises(InvalidDocument) as caught:
                edited(Document(), {"kind": "set-profile", "profile": raw})
            self.assertIn(words, str(caught.exception))

    def test_every_built_in_target_obeys_the_same_rules(self) -> None:
        for profile in built_in_profiles().values():
            self.assertEqual(
                Profile.model_validate(profile.model_dump(mode="json", by_alias=True)), profile
            )

    def test_sizes_are_halved_limited_and_brought_to_powers_of_two(self) -> None:
        profile = Profile.model_validate(changed(files=OWN["files"]))
        for change, wanted in (
            ({}, (1500, 700)),
            ({"halve": 1}, (750, 350)),
            ({"size_limit": 1000}, (1000, 467)),
            ({"resize": "down"}, (1024, 512)),
            ({"resize": "up"}, (2048, 1024)),
            ({"resize": "up", "size_limit": 1024}, (1024, 512)),
            ({"resize": "down", "size_limit": 1000}, (512, 256)),
        ):
            self.assertEqual(
                target_size(1500, 700, profile.model_copy(update=change)), wanted, change
            )
        self.assertEqual(
            target_size(1, 1, profile.model_copy(update={"halve": 3, "resize": "down"})), (1, 1)
        )


class InDocument(TestCase):
    def test_a_target_is_added_renamed_and_removed(self) -> None:
        document = edited(
            Document(),
            {"kind": "set-profile", "profile": OWN},
            {"kind": "set-target", "target": "our-engine"},
        )
        self.assertIn("our-engine", profiles_of(document))
        self.assertEqual(load_document(dump_document(document)), document)
        renamed = edited(
            document,
            {"kind": "set-profile", "profile": changed(id="next"), "replaces": "our-engine"},
        )
        self.assertEqual((list(renamed.targets), renamed.target), (["next"], "next"))
        removed = edited(renamed, {"kind": "remove-profile", "target": "next"})
        self.assertEqual((removed.targets, removed.target), ({}, "gltf-glb"))
        for bad in (changed(id="gltf-glb"), OWN):
            with self.assertRaises(EktoposError):
                edited(document, {"kind": "set-profile", "profile": bad})

    def test_a_wrong_profile_in_a_document_is_said_and_hides_no_other(self) -> None:
        document = Document(targets={"broken": {"id": "broken"}})
        self.assertNotIn("broken", profiles_of(document))
        with self.assertRaises(InvalidDocument):
            find_profile("broken", document)


class Exporting(TestCase):
    def test_the_package_follows_the_profile_and_passes_its_trial(self) -> None:
        with (
            project({"targets": {"our-engine": OWN}, "target": "our-engine"}) as opened,
            folder() as root,
        ):
            profile = find_profile("our-engine", opened.document)
            export = export_package(opened, profile, root / "out")
            names = {file.path for file in export.files}
            self.assertIn("textures/our-engine_Col_tile.tga", names)
            self.assertIn("textures/our-engine_MSO_tile.webp", names)
            normal = cv2.imread(
                str(root / "out/textures/our-engine_Nrm_tile.png"), cv2.IMREAD_UNCHANGED
            )
            self.assertEqual(normal.dtype, np.uint16)
            with Pillow.open(root / "out/textures/our-engine_Col_tile.tga") as picture:
                self.assertEqual((picture.mode, picture.size), ("RGBA", (64, 64)))
            trial = run_trial(opened, root / "out", profile, renders=False)
            self.assertTrue(
                trial.passed, [c for c in trial.cells if c.verdict in ("differs", "lost")]
            )
            self.assertEqual(
                main(
                    [
                        "trial",
                        str(root / "out"),
                        "--against",
                        str(opened.path("test.ektopos.json").parent),
                        "--no-renders",
                    ]
                ),
                0,
            )
            texture = root / "out/textures/our-engine_Col_tile.tga"
            texture.write_bytes(texture.read_bytes()[:3000])
            self.assertFalse(run_trial(opened, root / "out", profile, renders=False).passed)

    def test_jpeg_loss_is_told_from_mistakes(self) -> None:
        files = [
            {
                "suffix": "Col",
                "channels": {"rgb": "base_color"},
                "encoding": "srgb",
                "format": "jpg",
            },
            *[
                {"suffix": s, "channels": c, "encoding": "linear"}
                for s, c in (
                    ("R", {"r": "roughness"}),
                    ("M", {"r": "metallic"}),
                    ("N", {"rgb": "normal"}),
                )
            ],
        ]
        with project({"targets": {"our-engine": changed(files=files)}}) as opened, folder() as root:
            profile = find_profile("our-engine", opened.document)
            export_package(opened, profile, root / "out")
            cells = {
                (c.slot, c.input): c
                for c in run_trial(opened, root / "out", profile, renders=False).cells
            }
            colour = cells["Front", "base_color"]
            self.assertEqual((colour.verdict, colour.cause), ("close", "compressed"))
            self.assertIn("JPEG", colour.message)
            path = root / "out/textures/our-engine_Col_tile.jpg"
            pixels = cv2.imread(str(path))
            cv2.imwrite(str(path), 255 - pixels, [cv2.IMWRITE_JPEG_QUALITY, 100])
            cell = next(
                c
                for c in run_trial(opened, root / "out", profile, renders=False).cells
                if c.input == "base_color"
            )
            self.assertEqual(cell.verdict, "differs")

    def test_compression_on_import_is_measured_and_fails_nothing(self) -> None:
        raw = changed(**{"import": {"compression": "blocks", "settings_from": "package"}})
        with project({"targets": {"our-engine": raw}}) as opened, folder() as root:
            profile = find_profile("our-engine", opened.document)
            export_package(opened, profile, root / "out")
            trial = run_trial(opened, root / "out", profile, renders=False)
            self.assertTrue(trial.passed)
            said = {c.input: c for c in trial.cells if c.slot == "Front"}
            self.assertIn("Compressed on import", said["base_color"].message)
            self.assertEqual(said["metallic"].cause, "compressed")
            self.assertEqual(said["settings"].cause, None)


class Blocks(TestCase):
    def test_block_compression_keeps_pictures_and_normals_near(self) -> None:
        """BC7 keeps photographs above 40 dB, BC5 normals within a few degrees: common practice, no
        source."""
        picture = coloured(64)
        after = block_compressed(picture, normal=False).astype(float)
        error = ((after - picture) ** 2).mean()
        self.assertGreater(10 * np.log10(255**2 / error), 38)
        normals = normals_of(noise(64, 3, 1)[..., 0] / 255.0, 10.0)
        one, two = (
            p.astype(float) / 127.5 - 1 for p in (normals, block_compressed(normals, normal=True))
        )
        one, two = (v / np.linalg.norm(v, axis=2, keepdims=True) for v in (one, two))
        degrees = np.degrees(np.arccos(np.clip((one * two).sum(axis=2), -1, 1)))
        self.assertLess(np.percentile(degrees, 95), 5)

    def test_sizes_that_are_no_multiple_of_four_keep_their_size(self) -> None:
        picture = coloured(64)[:37, :1]
        self.assertEqual(block_compressed(picture, normal=False).shape, (37, 1, 3))
