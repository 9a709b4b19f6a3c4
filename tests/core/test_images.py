"""Images: every format at full depth, and what is refused."""

from __future__ import annotations

import struct
import subprocess
import sys
import zlib
from pathlib import Path
from unittest import TestCase

import cv2
import numpy as np
import OpenImageIO as oiio
from PIL import Image as Pillow

from ektopos.base.errors import EktoposError, TooLarge, UnreadableFile
from ektopos.images import quantise, read_header, read_image, resize, write_image
from tests.samples import folder, noise, save


def chunk(kind: bytes, content: bytes) -> bytes:
    return (
        struct.pack(">I", len(content))
        + kind
        + content
        + struct.pack(">I", zlib.crc32(kind + content))
    )


def planes_tiff(pixels: np.ndarray) -> bytes:
    """A TIFF of `(h, w, 3)` uint8 whose channels lie one after the other, each deflated as one
    strip. Source: TIFF 6.0, sections 2 and 8; the tag numbers from memory."""
    height, width, count = pixels.shape
    strips = [zlib.compress(pixels[..., channel].tobytes()) for channel in range(count)]
    start, lists = 8 + 2 + 12 * 10 + 4, b""

    def entry(tag: int, kind: str, *values: int) -> bytes:
        nonlocal lists
        packed = struct.pack(f"<{len(values)}{kind}", *values)
        if len(packed) > 4:
            place = start + len(lists)
            lists, packed = lists + packed, struct.pack("<I", place)
        code = {"H": 3, "I": 4}[kind]
        return struct.pack("<HHI", tag, code, len(values)) + packed.ljust(4, b"\0")

    # Bits, strip places and strip sizes do not fit into their entries.
    first = start + 2 * count + 4 * count + 4 * count
    places = [first + sum(map(len, strips[:number])) for number in range(count)]
    entries = [
        entry(256, "I", width),
        entry(257, "I", height),
        entry(258, "H", *[8] * count),
        entry(259, "H", 8),
        entry(262, "H", 2),
        entry(273, "I", *places),
        entry(277, "H", count),
        entry(278, "I", height),
        entry(279, "I", *map(len, strips)),
        entry(284, "H", 2),
    ]
    head = b"II*\0" + struct.pack("<IH", 8, len(entries))
    return b"".join([head, *entries, b"\0" * 4, lists, *strips])


class Reading(TestCase):
    def test_every_format_keeps_its_depth(self) -> None:
        grey, colour, alpha = noise(33, 1, 1)[..., 0], noise(33, 2), noise(33, 3, 4)
        with folder() as root:
            cases = {
                "a.png": (colour, 8),
                "b.tga": (alpha, 8),
                "c.tif": (colour.astype(np.uint16) * 257, 16),
                "d.png": (grey.astype(np.uint16) * 257, 16),
                "e.webp": (colour, 8),
                "f.jpg": (colour, 8),
                "g.exr": (colour.astype(np.float32) / 255, 32),
                "h.hdr": (colour.astype(np.float32) / 255, 32),
            }
            for name, (pixels, bits) in cases.items():
                if name.endswith(".exr"):
                    out = oiio.ImageBuf(pixels)
                    self.assertTrue(out.write(str(root / name)))
                elif name.endswith(".webp"):
                    Pillow.fromarray(pixels).save(root / name, lossless=True)
                else:
                    save(root / name, pixels)
                image = read_image(root / name)
                with self.subTest(name):
                    self.assertEqual((image.width, image.height, image.bits), (33, 33, bits))
                    wanted = pixels if pixels.ndim == 3 else pixels[..., None]
                    if name in ("f.jpg", "h.hdr"):
                        scale = 255 if name == "f.jpg" else 1
                        self.assertLess(
                            np.abs(
                                image.pixels / scale - wanted / (255 if name == "f.jpg" else 1)
                            ).mean(),
                            0.04,
                        )
                    else:
                        np.testing.assert_array_equal(image.pixels, wanted)

    def test_palette_grey_alpha_one_bit_and_interlaced_png(self) -> None:
        with folder() as root:
            Pillow.fromarray(noise(16)).convert("P", palette=Pillow.Palette.ADAPTIVE).save(
                root / "palette.png"
            )
            Pillow.fromarray(noise(16, 1, 2), "LA").save(root / "la.png")
            Pillow.fromarray(noise(16, 1, 1)[..., 0] > 128).save(root / "bit.png")
            palette, la, bit = (
                read_image(root / f"{name}.png") for name in ("palette", "la", "bit")
            )
        self.assertEqual(palette.channels, 3)
        self.assertIn("palette", " ".join(palette.notes))
        self.assertEqual(la.channels, 2)
        np.testing.assert_array_equal(la.pixels, noise(16, 1, 2))
        self.assertEqual(set(np.unique(bit.pixels)), {0, 255})
        self.assertIn("1 bit", " ".join(bit.notes))

    def test_colours_under_zero_alpha_survive(self) -> None:
        pixels = noise(16, 4, 4)
        pixels[..., 3] = 0
        with folder() as root:
            np.testing.assert_array_equal(
                read_image(save(root / "clear.png", pixels)).pixels, pixels
            )
            np.testing.assert_array_equal(
                read_image(save(root / "clear.tga", pixels)).pixels, pixels
            )

    def test_not_a_number_becomes_zero_and_is_counted(self) -> None:
        values = np.full((4, 4, 3), 0.5, np.float32)
        values[1, 1, 0], values[2, 2] = np.nan, np.inf
        with folder() as root:
            oiio.ImageBuf(values).write(str(root / "bad.exr"))
            image = read_image(root / "bad.exr")
        self.assertTrue(np.isfinite(image.pixels).all())
        self.assertEqual(image.pixels[1, 1, 0], 0)
        self.assertIn("2 texels", " ".join(image.notes))

    def test_first_colour_layer_of_an_exr_is_read_and_others_are_named(self) -> None:
        with folder() as root:
            spec = oiio.ImageSpec(4, 4, 6, "float")
            spec.channelnames = (
                "diffuse.R",
                "diffuse.G",
                "diffuse.B",
                "normal.X",
                "normal.Y",
                "normal.Z",
            )
            out = oiio.ImageOutput.create(str(root / "layers.exr"))
            out.open(str(root / "layers.exr"), spec)
            out.write_image(np.arange(96, dtype=np.float32).reshape(4, 4, 6))
            out.close()
            image = read_image(root / "layers.exr")
        self.assertEqual(image.channels, 3)
        self.assertIn("normal", " ".join(image.notes))

    def test_one_texel_is_an_image(self) -> None:
        with folder() as root:
            image = read_image(save(root / "one.png", np.array([[[7, 8, 9]]], np.uint8)))
        self.assertEqual(image.pixels.tolist(), [[[7, 8, 9]]])

    def test_a_tiny_file_that_claims_an_enormous_picture_is_refused_unread(self) -> None:
        with folder() as root:
            head = chunk(b"IHDR", struct.pack(">IIBBBBB", 60000, 60000, 8, 6, 0, 0, 0))
            (root / "bomb.png").write_bytes(
                b"\x89PNG\r\n\x1a\n"
                + head
                + chunk(b"IDAT", zlib.compress(b"\0"))
                + chunk(b"IEND", b"")
            )
            with self.assertRaises(EktoposError) as caught:
                read_header(root / "bomb.png")
            self.assertIn("claims", str(caught.exception))
            wide = oiio.ImageSpec(40000, 1, 1, "uint8")
            out = oiio.ImageOutput.create(str(root / "wide.tif"))
            out.open(str(root / "wide.tif"), wide)
            out.write_image(np.zeros((1, 40000, 1), np.uint8))
            out.close()
            with self.assertRaises(TooLarge) as caught:
                read_header(root / "wide.tif")
        self.assertIn("40000 × 1", str(caught.exception))

    def test_damage_is_said_with_the_file_and_what_to_do(self) -> None:
        with folder() as root:
            good = save(root / "good.png", noise(64)).read_bytes()
            broken = {
                "cut.png": good[: len(good) // 2],
                "empty.png": b"",
                "text.png": b"hello",
                "kind.psd": b"8BPS",
            }
            for name, content in broken.items():
                (root / name).write_bytes(content)
                with self.subTest(name), self.assertRaises(UnreadableFile) as caught:
                    read_image(root / name)
                self.assertEqual(caught.exception.subject, name)
                self.assertTrue(caught.exception.hint)
                self.assertNotIn(str(root), str(caught.exception))


class Writing(TestCase):
    def test_png_and_tga_give_back_every_texel_and_the_same_bytes(self) -> None:
        for name, pixels in (
            ("a.png", noise(31, 1, 4)),
            ("b.png", noise(31, 2).astype(np.uint16) * 257),
            ("c.tga", noise(31, 3)),
        ):
            with self.subTest(name), folder() as root:
                write_image(root / name, pixels)
                write_image(root / f"again-{name}", pixels)
                self.assertEqual((root / name).read_bytes(), (root / f"again-{name}").read_bytes())
                if pixels.dtype == np.uint8:
                    seen = np.asarray(Pillow.open(root / name))
                else:
                    seen = cv2.imread(str(root / name), cv2.IMREAD_UNCHANGED)[..., ::-1]
                np.testing.assert_array_equal(seen, pixels)

    def test_values_round_to_the_nearest_code(self) -> None:
        values = np.array([-1.0, 0.0, 0.49 / 255, 0.51 / 255, 1.0, 2.0], np.float32)
        self.assertEqual(quantise(values, 8).tolist(), [0, 0, 0, 1, 255, 255])
        self.assertEqual(quantise(np.array([0.5 / 65535 * 1.02], np.float32), 16).tolist(), [1])


class Resizing(TestCase):
    def test_halving_averages_four_texels(self) -> None:
        values = np.arange(16, dtype=np.float32).reshape(4, 4)
        np.testing.assert_allclose(resize(values, 2, 2), [[2.5, 4.5], [10.5, 12.5]])

    def test_a_constant_stays_constant_at_any_size(self) -> None:
        for size in ((1, 1), (3, 7), (64, 16)):
            np.testing.assert_allclose(
                resize(np.full((5, 9, 3), 0.25, np.float32), *size), 0.25, atol=1e-6
            )


class Large(TestCase):
    def test_one_channel_after_the_other_is_read_whole(self) -> None:
        pixels = noise(1200, 7)
        with folder() as root:
            (root / "planes.tif").write_bytes(planes_tiff(pixels))
            np.testing.assert_array_equal(read_image(root / "planes.tif").pixels, pixels)

    def test_8192_at_16_bits_is_read_whole(self) -> None:
        ramp = np.tile(np.linspace(0, 65535, 8192).astype(np.uint16), (8192, 1))
        with folder() as root:
            path = Path(root / "large.png")
            cv2.imwrite(str(path), ramp, [cv2.IMWRITE_PNG_COMPRESSION, 1])
            image = read_image(path)
            # In a process of its own, whose memory is nobody else's.
            held = subprocess.run(
                [sys.executable, "-c", HELD, str(path)], capture_output=True, text=True, check=True
            )
        self.assertEqual((image.width, image.height, image.bits), (8192, 8192, 16))
        self.assertTrue((image.pixels[-1, :, 0] == ramp[0]).all())
        self.assertLess(int(held.stdout) / image.pixels.nbytes, 1.3, "more than one copy of it")


HELD = """
import sys
from pathlib import Path
from ektopos.images import read_image

def most():
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) * 1024 for line in lines if line.startswith("VmHWM"))

before = most()
read_image(Path(sys.argv[1]))
print(most() - before)
"""
