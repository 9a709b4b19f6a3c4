"""KTX2 with Basis Universal through what others read it with: three.js' own transcoder, `ktx-parse`
(both npm), and `texture2ddecoder`, which decodes the blocks of graphics memory by code of its own."""

from __future__ import annotations

import json
from pathlib import Path
from unittest import TestCase

import numpy as np
import opengl_basisu
import texture2ddecoder

from ektopos.base.types import Basis, Encoding
from ektopos.images.basis import encode_basis
from ektopos.trial.engine.basis import read_basis
from tests.outside.test_ktx2 import READ, run
from tests.samples import folder, noise, normals_of

TRANSCODE = """
const fs = require('fs'), at = 'node_modules/three/examples/jsm/libs/basis/basis_transcoder'
const make = new Function('require', '__dirname', fs.readFileSync(at + '.js', 'utf8') + '; return BASIS')
make(require, '.')({ wasmBinary: fs.readFileSync(at + '.wasm') }).then((basis) => {
  basis.initializeBasis()
  const file = new basis.KTX2File(new Uint8Array(fs.readFileSync(process.argv[1])))
  if (!file.isValid() || !file.startTranscoding()) throw new Error('not valid')
  const levels = []
  for (let level = 0; level < file.getLevels(); level++) {
    const texels = new Uint8Array(file.getImageTranscodedSizeInBytes(level, 0, 0, 13))
    if (!file.transcodeImage(texels, level, 0, 0, 13, 0, -1, -1)) throw new Error('level ' + level)
    levels.push(Buffer.from(texels).toString('hex'))
  }
  console.log(JSON.stringify([file.getWidth(), file.getHeight(), file.isUASTC(), file.getHasAlpha(), levels]))
})
"""
KINDS: list[tuple[Basis, Encoding, int]] = [
    ("etc1s", "srgb", 3),
    ("etc1s", "srgb", 4),
    ("etc1s", "linear", 3),
    ("uastc", "srgb", 4),
    ("uastc", "linear", 3),
    ("uastc", "linear", 4),
]


def chain(pixels: np.ndarray) -> list[np.ndarray]:
    """A picture and its smaller levels, each every other texel of the last."""
    levels = [pixels]
    while max(levels[-1].shape[:2]) > 1:
        levels.append(np.ascontiguousarray(levels[-1][::2, ::2]))
    return levels


class AsOthersReadIt(TestCase):
    def written(self, basis: Basis, encoding: Encoding, channels: int, root: Path) -> Path:
        path = root / "a.ktx2"
        path.write_bytes(
            encode_basis(chain(noise(64, 2, channels)[:32]), encoding, basis, "medium")
        )
        return path

    def test_every_level_is_to_the_texel_what_the_web_transcoder_gives(self) -> None:
        for kind in KINDS:
            with self.subTest(kind), folder() as root:
                path = self.written(*kind, root)
                width, height, is_uastc, has_alpha, told = json.loads(run(TRANSCODE, path))
                levels, is_srgb, codec = read_basis(path.read_bytes())
                self.assertEqual((width, height, len(told)), (64, 32, 7))
                self.assertEqual((is_uastc, has_alpha), (kind[0] == "uastc", kind[2] == 4))
                self.assertEqual((is_srgb, codec), (kind[1] == "srgb", kind[0].upper()))
                for level, texels in zip(levels, told, strict=True):
                    theirs = np.frombuffer(bytes.fromhex(texels), np.uint8)
                    theirs = theirs.reshape(*level.shape[:2], 4)
                    np.testing.assert_array_equal(level, theirs[..., : kind[2]])

    def test_it_says_of_itself_what_gltf_asks_for(self) -> None:
        """Source: KTX 2.0, 3; Khronos Data Format 1.3, 5.6 (models 163 and 166); the primaries of
        KHR_texture_basisu from memory."""
        for kind in KINDS:
            basis, encoding, channels = kind
            with self.subTest(kind), folder() as root:
                found = json.loads(run(READ, self.written(*kind, root)))
                head = ("vkFormat", "pixelDepth", "layerCount", "faceCount", "levelCount")
                self.assertEqual([found[key] for key in head], [0, 0, 0, 1, 7])
                self.assertEqual(found["supercompressionScheme"], 1 if basis == "etc1s" else 2)
                (told,) = found["dataFormatDescriptor"]
                self.assertEqual(told["colorModel"], 163 if basis == "etc1s" else 166)
                self.assertEqual(told["transferFunction"], 2 if encoding == "srgb" else 1)
                self.assertEqual(told["colorPrimaries"], 1 if encoding == "srgb" else 0)
                self.assertEqual(len(told["samples"]), channels - 2 if basis == "etc1s" else 1)

    def test_blocks_of_graphics_memory_hold_the_same(self) -> None:
        """BC7, which most engines make of UASTC on a desktop, decoded by another library's code."""
        with folder() as root:
            raw = self.written("uastc", "linear", 4, root).read_bytes()
        blocks = opengl_basisu.open(raw).transcode("bc7").data
        plain = np.frombuffer(texture2ddecoder.decode_bc7(blocks.tobytes(), 64, 32), np.uint8)
        theirs = plain.reshape(32, 64, 4)[..., [2, 1, 0, 3]].astype(int)
        off = np.abs(theirs - read_basis(raw)[0][0])
        self.assertLess(off.mean(), 1.5)

    def test_the_same_texels_are_the_same_bytes(self) -> None:
        for basis in ("etc1s", "uastc"):
            levels = chain(noise(64, 4, 3))
            made = {encode_basis(levels, "linear", basis, "medium") for _ in range(2)}
            self.assertEqual(len(made), 1)


class WhatItLoses(TestCase):
    """Common practice: normals keep their direction in UASTC, and lose it in ETC1S."""

    def bent(self, basis: Basis) -> float:
        height = noise(128, 5, 1)[..., 0].astype(np.float32) / 255
        pixels = normals_of(height, 6.0)[..., :3]
        levels = read_basis(encode_basis([pixels], "linear", basis, "high"))[0]
        one, other = (v[..., :3].astype(float) / 127.5 - 1 for v in (pixels, levels[0]))
        one, other = (v / np.linalg.norm(v, axis=2, keepdims=True) for v in (one, other))
        return float(np.degrees(np.arccos(np.clip((one * other).sum(2), -1, 1))).mean())

    def test_normals_keep_their_direction_in_uastc_alone(self) -> None:
        self.assertLess(self.bent("uastc"), 2.5)
        self.assertGreater(self.bent("etc1s"), 2 * self.bent("uastc"))
