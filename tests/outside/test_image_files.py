"""Pictures as cameras, scanners and renderers write them, against Pillow and OpenEXR."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
import OpenEXR
from PIL import Image as Pillow
from PIL import ImageOps

from ektopos.base.errors import UnreadableFile
from ektopos.images import read_header, read_image
from tests.samples import folder, noise

ORIENTATION = 0x0112


class Orientation(TestCase):
    def test_every_flag_as_pillow_turns_it(self) -> None:
        # Source: Exif 3.0, 4.6.5 and TIFF 6.0, Orientation; reference: Pillow's exif_transpose.
        picture = Pillow.fromarray(noise(32, 2)[:, :20])
        for flag in range(1, 9):
            for suffix in ("jpg", "tif"):
                with folder() as root, self.subTest(flag=flag, suffix=suffix):
                    path = root / f"turned.{suffix}"
                    exif = Pillow.Exif()
                    exif[ORIENTATION] = flag
                    if suffix == "jpg":
                        picture.save(path, exif=exif, quality=100, subsampling=0)
                    else:
                        picture.save(path, tiffinfo={274: flag})
                    with Pillow.open(path) as opened:
                        wanted = np.asarray(ImageOps.exif_transpose(opened))
                    image, header = read_image(path), read_header(path)
                    self.assertEqual((header.height, header.width), wanted.shape[:2])
                    self.assertLess(np.abs(image.pixels.astype(int) - wanted).max(), 3)
                    self.assertEqual(any("orientation" in note for note in image.notes), flag != 1)


class Windows(TestCase):
    def test_a_data_window_lies_where_it_belongs(self) -> None:
        # Source: the OpenEXR file layout: pixels are stored for the data window, and shown within
        # the display window.
        values = np.arange(12, dtype=np.float32).reshape(3, 4)
        header = {
            "compression": OpenEXR.ZIP_COMPRESSION,
            "type": OpenEXR.scanlineimage,
            "dataWindow": (np.array([2, 1], np.int32), np.array([5, 3], np.int32)),
            "displayWindow": (np.array([0, 0], np.int32), np.array([7, 5], np.int32)),
        }
        with folder() as root:
            path = root / "part.exr"
            OpenEXR.File(header, {"Y": values}).write(str(path))
            image = read_image(path)
        wanted = np.zeros((6, 8), np.float32)
        wanted[1:4, 2:6] = values
        np.testing.assert_array_equal(image.pixels[..., 0], wanted)
        self.assertIn("4 × 3 texels of 8 × 6", " ".join(image.notes))

    def test_premultiplied_colour_is_divided_out(self) -> None:
        # Source: the OpenEXR technical introduction: colours are premultiplied by alpha.
        alpha = np.array([[1.0, 0.5], [0.25, 0.0]], np.float32)
        colour = np.full((2, 2), 0.8, np.float32)
        channels = dict.fromkeys("RGB", colour * alpha) | {"A": alpha}
        header = {"compression": OpenEXR.NO_COMPRESSION, "type": OpenEXR.scanlineimage}
        with folder() as root:
            path = root / "leaf.exr"
            OpenEXR.File(header, channels).write(str(path))
            pixels = read_image(path).pixels
        np.testing.assert_allclose(pixels[alpha > 0, :3], 0.8, atol=1e-6)
        np.testing.assert_array_equal(pixels[alpha == 0, :3], 0.0)


class Others(TestCase):
    def test_inks_are_refused_and_further_pages_named(self) -> None:
        with folder() as root:
            for name in ("print.jpg", "print.tif"):
                Pillow.new("CMYK", (8, 8), (10, 20, 30, 40)).save(root / name)
                with self.subTest(name), self.assertRaisesRegex(UnreadableFile, "CMYK"):
                    read_image(root / name)
            pages = [Pillow.fromarray(noise(16, seed)) for seed in (1, 2, 3)]
            pages[0].save(root / "scan.tif", save_all=True, append_images=pages[1:])
            image = read_image(root / "scan.tif")
        np.testing.assert_array_equal(image.pixels, noise(16, 1))
        self.assertIn("2 further pages", " ".join(image.notes))
