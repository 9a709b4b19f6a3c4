"""The PNG encoder against two decoders and against the standard's own formulas."""

from __future__ import annotations

import io
import os
import struct
import zlib
from unittest import TestCase
from unittest.mock import patch

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image as Pillow

from ektopos.images import png
from ektopos.images.png import encode_png, filter_rows, png_parts
from tests.samples import coloured, noise

BGRA = {1: [0], 3: [2, 1, 0], 4: [2, 1, 0, 3]}


def chunks(raw: bytes) -> list[tuple[bytes, bytes]]:
    """Every chunk, its checksum checked. Source: PNG (ISO/IEC 15948), 5.3."""
    found, at = [], 8
    while at < len(raw):
        (length,) = struct.unpack_from(">I", raw, at)
        kind, content = raw[at + 4 : at + 8], raw[at + 8 : at + 8 + length]
        assert struct.unpack_from(">I", raw, at + 8 + length)[0] == zlib.crc32(kind + content)
        found.append((kind, content))
        at += 12 + length
    return found


def inflated(raw: bytes) -> bytes:
    """The filtered rows."""
    return zlib.decompress(b"".join(content for kind, content in chunks(raw) if kind == b"IDAT"))


def paint(height: int, width: int, channels: int, bits: int, kind: str, seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    largest = 2**bits - 1
    if kind == "noise":
        values = rng.integers(0, largest + 1, (height, width, channels))
    elif kind == "flat":
        values = np.full((height, width, channels), rng.integers(0, largest + 1))
    else:
        ramp = (
            np.add.outer(np.arange(height) * 3, np.arange(width) * 2)[..., None]
            + np.arange(channels) * 40
        )
        values = ramp % (largest + 1)
    return values.astype(np.uint8 if bits == 8 else np.uint16)


class Decoders(TestCase):
    @given(
        st.integers(1, 70),
        st.integers(1, 70),
        st.sampled_from([1, 3, 4]),
        st.sampled_from([8, 16]),
        st.sampled_from(["noise", "flat", "ramp"]),
        st.integers(0, 99),
    )
    @settings(max_examples=150, deadline=None)
    def test_opencv_reads_back_every_texel(
        self, height: int, width: int, channels: int, bits: int, kind: str, seed: int
    ) -> None:
        pixels = paint(height, width, channels, bits, kind, seed)
        read = cv2.imdecode(np.frombuffer(encode_png(pixels), np.uint8), cv2.IMREAD_UNCHANGED)
        read = read.reshape(height, width, -1)
        np.testing.assert_array_equal(read[..., BGRA[channels]], pixels)

    def test_pillow_reads_back_grey_with_alpha(self) -> None:
        pixels = np.dstack([noise(33, 1, 1)[..., 0], noise(33, 2, 1)[..., 0]])
        with Pillow.open(io.BytesIO(encode_png(pixels))) as opened:
            self.assertEqual(opened.mode, "LA")
            np.testing.assert_array_equal(np.asarray(opened), pixels)

    def test_pictures_of_many_blocks_are_one_stream(self) -> None:
        pixels = np.tile(coloured(64), (40, 16, 1))
        raw = encode_png(pixels)
        self.assertGreater(pixels.nbytes, 4 * 2**20, "more than one block")
        np.testing.assert_array_equal(
            cv2.imdecode(np.frombuffer(raw, np.uint8), -1)[..., ::-1], pixels
        )
        kinds = [kind for kind, _ in chunks(raw)]
        self.assertEqual(kinds, [b"IHDR", *[b"IDAT"] * (len(kinds) - 2), b"IEND"])
        stream = inflated(raw)
        self.assertEqual(len(stream), pixels.shape[0] * (1 + pixels.shape[1] * 3))

    def test_filters_that_change_from_row_to_row_fit_their_rows(self) -> None:
        """Taller than what is filtered together, with the best filter another every few rows."""
        pieces = [
            paint(37, 500, 3, 8, ("noise", "ramp", "flat")[number % 3], number)
            for number in range(40)
        ]
        pixels = np.concatenate([*pieces, np.repeat(noise(500, 5)[:1, :, :3], 300, axis=0)])
        raw = encode_png(pixels)
        stream = inflated(raw)
        kinds = np.frombuffer(stream, np.uint8).reshape(len(pixels), -1)[:, 0]
        self.assertEqual(set(kinds), {0, 1, 2, 3})
        self.assertGreater(np.count_nonzero(np.diff(kinds)), 60)
        np.testing.assert_array_equal(
            cv2.imdecode(np.frombuffer(raw, np.uint8), -1)[..., ::-1], pixels
        )

    def test_the_same_texels_are_the_same_bytes_whatever_their_memory_looks_like(self) -> None:
        pixels = coloured(48)
        turned = np.asfortranarray(pixels)
        part = np.zeros((96, 96, 3), np.uint8)
        part[::2, ::2] = pixels
        self.assertEqual(encode_png(pixels), encode_png(turned))
        self.assertEqual(encode_png(pixels), encode_png(part[::2, ::2]))

    def test_the_same_rows_are_the_same_bytes_wherever_they_and_the_compressor_lie(self) -> None:
        """Encoders that take places in memory for places in the text write other bytes at a few of
        them."""
        alive: list[object] = []

        def kept(*options: int) -> object:
            alive.append(made(*options))
            return alive[-1]

        made = png.zlib_ng.compressobj
        for kind, places, repeats in (("ramp", 240, True), ("noise", 30, False)):
            rows = paint(1330, 2100, 3, 8, kind, 1).reshape(1330, -1)[-666:]
            filtered = filter_rows(rows[1:], rows[:-1], 3)
            room = np.empty(2**16 + filtered.nbytes, np.uint8)
            written: set[bytes] = set()
            with patch.object(png.zlib_ng, "compressobj", side_effect=kept):
                for place in range(0, 2**16, 2**16 // places):
                    moved = room[place : place + filtered.nbytes].reshape(filtered.shape)
                    moved[:] = filtered
                    written.add(b"".join(png._deflated(moved, last=True)))
            self.assertEqual(len(written), 1, kind)
            self.assertEqual(len(min(written)) < 0.5 * filtered.nbytes, repeats, kind)

    def test_channels_each_for_itself_are_the_same_bytes_and_few_blocks_are_ahead(self) -> None:
        for channels, bits in ((1, 8), (3, 8), (4, 16)):
            pixels = paint(1500, 2100, channels, bits, "ramp", 1)
            planes = [np.ascontiguousarray(pixels[..., i]) for i in range(channels)]
            self.assertEqual(b"".join(png_parts(planes)), encode_png(pixels))
        # Of 24 blocks no more are begun than keep the cores busy while nobody takes what is done.
        pixels = np.zeros((24 * 2**10, 1365, 3), np.uint8)
        with patch.object(png, "_block", wraps=png._block) as made:
            parts = png_parts(pixels)
            for _ in range(2):
                next(parts)
            self.assertLessEqual(made.call_count, 1 + (os.cpu_count() or 1) + 1)
            self.assertEqual(len(list(parts)), 24 - 1 + 2)


class Filters(TestCase):
    def test_each_filter_is_the_standards_formula(self) -> None:
        """Source: PNG (ISO/IEC 15948), 9.2: none, sub, up and average, on bytes, modulo 256."""
        rng = np.random.default_rng(3)
        step = 3
        for seed in range(6):
            rows = paint(9, 12, 3, 8, ("noise", "ramp", "flat")[seed % 3], seed).reshape(9, -1)
            above = np.concatenate(
                [rng.integers(0, 256, (1, rows.shape[1])).astype(np.uint8), rows[:-1]]
            )
            filtered = filter_rows(rows, above, step)
            for y, row in enumerate(filtered):
                kind, left = (
                    int(row[0]),
                    np.concatenate([np.zeros(step, int), rows[y, :-step].astype(int)]),
                )
                up = above[y].astype(int)
                predicted = (0 * up, left, up, (left + up) // 2)[kind]
                np.testing.assert_array_equal(row[1:], (rows[y] - predicted) % 256)

    def test_the_filter_that_fits_is_chosen(self) -> None:
        across = np.tile(np.arange(0, 192, 3, dtype=np.uint8), (8, 1))
        self.assertEqual(
            set(filter_rows(across, across, 1)[:, 0]), {2}, "each row is the one above"
        )
        lone = filter_rows(across[:1], np.full_like(across[:1], 200), 1)
        self.assertEqual(lone[0, 0], 1, "each byte is a little more than the one to its left")
        self.assertEqual(
            set(filter_rows(np.zeros((4, 32), np.uint8), np.full((4, 32), 90, np.uint8), 1)[:, 0]),
            {0},
        )

    def test_files_are_about_as_small_as_those_of_a_general_encoder(self) -> None:
        """Against OpenCV's PNG at its level 6, on a photograph-like picture and on a drawn one."""
        drawn = np.zeros((256, 256, 3), np.uint8)
        cv2.putText(drawn, "drawn", (10, 140), cv2.FONT_HERSHEY_SIMPLEX, 3, (200, 90, 40), 9)
        for name, pixels, ratio in (("smooth", coloured(256), 1.25), ("drawn", drawn, 3.0)):
            theirs = len(cv2.imencode(".png", pixels, [cv2.IMWRITE_PNG_COMPRESSION, 6])[1])
            self.assertLess(len(encode_png(pixels)), theirs * ratio + 400, name)
