"""Colours that a file tells otherwise than in sRGB, against the PNG and ICC specifications and
colour-science; glTF's rule that a texture's profile is ignored."""

from __future__ import annotations

import struct
from pathlib import Path
from unittest import TestCase

import colour
import numpy as np
from PIL import Image as Pillow
from PIL.PngImagePlugin import PngInfo

from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.images import in_srgb, read_header, read_image
from ektopos.material_import import adopt_meshes
from ektopos.materials.resolve import MapLoader
from ektopos.project import open_project
from ektopos.trial.compare import run_trial
from tests.samples import folder, noise, project

WIDE = colour.RGB_COLOURSPACES["ITU-R BT.2020"]
D50 = np.array([0.9642, 1.0, 0.8249])
"""The profile connection space's white. Source: ICC.1:2022, 7.2.16."""


def _fixed(values: np.ndarray | tuple[float, ...]) -> bytes:
    return b"".join(struct.pack(">i", round(float(value) * 65536)) for value in values)


def wide_profile(gamma: float = 2.0, kind: bytes = b"RGB ") -> bytes:
    """An ICC profile of BT.2020's primaries and one gamma, or of greys. Source: ICC.1:2022, 7.2
    (header), 7.3 (tag table), 10.6 (curves), 10.31 (XYZ)."""
    curve = b"curv\0\0\0\0" + struct.pack(">IH", 1, round(gamma * 256)) + b"\0\0"
    words = b"wide test\0"
    tags = {
        b"desc": b"desc\0\0\0\0" + struct.pack(">I", len(words)) + words + b"\0" * 78,
        b"wtpt": b"XYZ \0\0\0\0" + _fixed(D50),
    }
    if kind == b"RGB ":
        adapted = colour.chromatic_adaptation(
            WIDE.matrix_RGB_to_XYZ.T, colour.xy_to_XYZ(WIDE.whitepoint), D50, method="Von Kries"
        )
        for letter, column in zip(b"rgb", adapted, strict=True):
            tags[bytes([letter]) + b"XYZ"] = b"XYZ \0\0\0\0" + _fixed(column)
            tags[bytes([letter]) + b"TRC"] = curve
    else:
        tags[b"kTRC"] = curve
    table, body, start = b"", b"", 128 + 4 + 12 * len(tags)
    for name, data in tags.items():
        table += name + struct.pack(">II", start + len(body), len(data))
        body += data + b"\0" * (-len(data) % 4)
    head = struct.pack(">I4xI4s4s4s", start + len(body), 0x02400000, b"mntr", kind, b"XYZ ")
    head += struct.pack(">6H4s", 2026, 1, 1, 0, 0, 0, b"acsp") + b"\0" * 28 + _fixed(D50)
    return head.ljust(128, b"\0") + struct.pack(">I", len(tags)) + table + body


def save_with_gamma(path: Path, pixels: np.ndarray, gamma: float) -> None:
    """A PNG with a gAMA chunk: 100,000 over the gamma. Source: PNG, third edition, 11.3.2.2."""
    info = PngInfo()
    info.add(b"gAMA", struct.pack(">I", round(100_000 / gamma)))
    Pillow.fromarray(pixels).save(path, pnginfo=info)


class Profiles(TestCase):
    def test_gamma_as_the_png_specification_says(self) -> None:
        codes = np.arange(256, dtype=np.uint8).reshape(16, 16)
        for gamma in (1.0, 1.8, 2.6):
            for kind in ("grey", "grey16", "rgba"):
                with folder() as root, self.subTest(gamma=gamma, kind=kind):
                    pixels = {
                        "grey": codes,
                        "grey16": codes.astype(np.uint16) * 257,
                        "rgba": np.dstack([codes, codes[::-1], codes.T, codes]),
                    }[kind]
                    save_with_gamma(root / "a.png", pixels, gamma)
                    image = read_image(root / "a.png")
                    largest = np.iinfo(image.pixels.dtype).max
                    seen = in_srgb(image).pixels
                    light = (image.pixels / largest) ** gamma
                    wanted = colour.models.eotf_inverse_sRGB(light) * largest
                    if kind == "rgba":
                        np.testing.assert_array_equal(seen[..., 3], codes)
                        seen, wanted = seen[..., :3], wanted[..., :3]
                    self.assertLess(np.abs(seen - wanted).max(), 0.51 * largest / 255)
                    self.assertIn("gamma", " ".join(read_header(root / "a.png").notes))

    def test_icc_profiles_as_colour_science_converts_them(self) -> None:
        # Muted colours, which sRGB can hold.
        pixels = (noise(32, 3).astype(int) // 4 + 96).astype(np.uint8)
        light = (pixels / 255) ** 2.0
        matrix = colour.matrix_RGB_to_RGB(WIDE, colour.RGB_COLOURSPACES["sRGB"])
        inside = np.clip(colour.algebra.vecmul(matrix, light), 0, 1)
        wanted = colour.models.eotf_inverse_sRGB(inside) * 255
        for suffix in ("png", "tif", "webp"):
            with folder() as root, self.subTest(suffix):
                path = root / f"a.{suffix}"
                more = {"lossless": True} if suffix == "webp" else {}
                Pillow.fromarray(pixels).save(path, icc_profile=wide_profile(), **more)
                image = read_image(path)
                np.testing.assert_array_equal(image.pixels, pixels)
                difference = np.abs(in_srgb(image).pixels - wanted)
                self.assertLess(difference.max(), 1.6)
                self.assertLess(difference.mean(), 0.5)
                self.assertEqual(read_header(path).profile, "wide test")
        with folder() as root:
            grey = pixels[..., 0]
            Pillow.fromarray(grey).save(root / "g.png", icc_profile=wide_profile(1.5, b"GRAY"))
            seen = in_srgb(read_image(root / "g.png")).pixels[..., 0]
            wanted_grey = colour.models.eotf_inverse_sRGB((grey / 255) ** 1.5) * 255
            self.assertLess(np.abs(seen - wanted_grey).max(), 1.6)

    def test_what_is_not_safe_is_said_and_left(self) -> None:
        pixels = noise(16, 3)
        with folder() as root:
            cases = {
                "does not fit its channels": wide_profile(kind=b"GRAY"),
                "cannot be read": b"no profile at all" * 20,
            }
            for words, profile in cases.items():
                Pillow.fromarray(pixels).save(root / "a.tif", icc_profile=profile)
                image = read_image(root / "a.tif")
                self.assertIn(words, " ".join(image.notes))
                self.assertIs(in_srgb(image), image)
            deep = Pillow.fromarray(pixels[..., 0].astype(np.uint16) * 257)
            deep.save(root / "deep.tif", icc_profile=wide_profile(kind=b"GRAY"))
            image = read_image(root / "deep.tif")
            self.assertIn("8 bits", " ".join(image.notes))
            self.assertIs(in_srgb(image), image)


class InProjects(TestCase):
    def test_only_colour_is_converted_and_arrives_so(self) -> None:
        target = find_profile("gltf-glb")
        with project() as opened:
            tile = opened.document.maps["tile_col"]
            roughness = opened.document.maps["tile_orm"]
            files = {}
            for entry in (tile, roughness):
                path = files[entry.file] = opened.path(entry.file)
                with Pillow.open(path) as picture:
                    pixels = np.array(picture)
                save_with_gamma(path, pixels, 1.0)
            loader = MapLoader(opened)
            stored = read_image(files[tile.file]).pixels
            wanted = colour.models.eotf_inverse_sRGB(stored[..., :3] / 255) * 255
            seen = loader.image("tile_col").pixels
            self.assertLess(np.abs(seen[..., :3] - wanted).max(), 0.51)
            np.testing.assert_array_equal(
                loader.image("tile_orm").pixels, read_image(files[roughness.file]).pixels
            )
            opened.document.maps["tile_col"] = tile.model_copy(update={"profile": "ignore"})
            np.testing.assert_array_equal(MapLoader(opened).image("tile_col").pixels, stored)
            opened.document.maps["tile_col"] = tile
            with folder() as out:
                export_package(opened, target, out / "p")
                trial = run_trial(opened, out / "p", target, renders=False)
                self.assertTrue(trial.passed, [c for c in trial.cells if c.verdict == "differs"])

    def test_gltf_ignores_what_its_textures_say(self) -> None:
        # Source: glTF 2.0, 3.8.2: colour space information in images must be ignored.
        with project() as opened, folder() as root:
            export_package(opened, find_profile("gltf-split"), root / "p")
            for path in (root / "p/textures").glob("*BaseColor*.png"):
                with Pillow.open(path) as picture:
                    save_with_gamma(path, np.array(picture), 1.0)
            (mesh,) = (root / "p").glob("*.gltf")
            adopt_meshes([mesh], root / "made")
            with open_project(root / "made") as made:
                loader = MapLoader(made)
                colours = [n for n, e in made.document.maps.items() if e.encoding == "srgb"]
                self.assertTrue(colours)
                for name in colours:
                    np.testing.assert_array_equal(
                        loader.image(name).pixels, read_image(made.map_path(name)).pixels
                    )
