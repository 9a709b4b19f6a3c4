"""KTX2 files through the Khronos-format parser `ktx-parse` (npm), and theirs through our reader."""

from __future__ import annotations

import base64
import json
import subprocess
import zlib
from pathlib import Path
from unittest import TestCase

import numpy as np

from ektopos.images import encode_ktx2
from ektopos.trial.engine.ktx2 import read_ktx2
from tests.outside.test_gltf import WEB
from tests.samples import folder, noise

READ = """
const { read } = require('ktx-parse'), fs = require('fs');
const file = read(new Uint8Array(fs.readFileSync(process.argv[1])));
console.log(JSON.stringify({
  ...file, levels: file.levels.map((l) => [Buffer.from(l.levelData).toString('base64'), l.uncompressedByteLength]),
  keyValue: Object.fromEntries(Object.entries(file.keyValue).map(([k, v]) => [k, String(v)])), globalData: null,
}));
"""
WRITE = """
const { createDefaultContainer, write } = require('ktx-parse'), fs = require('fs');
const file = createDefaultContainer();
Object.assign(file, { vkFormat: 37, typeSize: 1, pixelWidth: 3, pixelHeight: 2 });
file.levels = [{ levelData: new Uint8Array(24).map((_, i) => i * 10), uncompressedByteLength: 24 }];
fs.writeFileSync(process.argv[1], write(file));
"""


def run(script: str, path: Path) -> str:
    return subprocess.run(
        ["node", "-e", script, str(path)], cwd=WEB, capture_output=True, text=True, check=True
    ).stdout


class AsKtxParseReadsIt(TestCase):
    """Source: Khronos KTX 2.0 and Khronos Data Format 1.3; Vulkan's format numbers 23, 29, 37, 43,
    84 and 91."""

    def test_texels_levels_and_encodings(self) -> None:
        for channels, deep, encoding, number in (
            (3, np.uint8, "linear", 23),
            (3, np.uint8, "srgb", 29),
            (4, np.uint8, "linear", 37),
            (4, np.uint8, "srgb", 43),
            (3, np.uint16, "linear", 84),
            (4, np.uint16, "linear", 91),
        ):
            whole = noise(8, 3, channels).astype(deep) * (257 if deep is np.uint16 else 1)
            levels = [whole[:5], whole[:2, :4], whole[:1, :2], whole[:1, :1]]
            with self.subTest(number), folder() as root:
                (root / "a.ktx2").write_bytes(encode_ktx2(levels, encoding))  # type: ignore[arg-type]
                found = json.loads(run(READ, root / "a.ktx2"))
            self.assertEqual(
                (found["vkFormat"], found["pixelWidth"], found["pixelHeight"]), (number, 8, 5)
            )
            self.assertEqual(
                (found["typeSize"], found["faceCount"], found["layerCount"], found["pixelDepth"]),
                (np.dtype(deep).itemsize, 1, 0, 0),
            )
            for (content, size), level in zip(found["levels"], levels, strict=True):
                plain = zlib.decompress(base64.b64decode(content))
                self.assertEqual(len(plain), size)
                np.testing.assert_array_equal(
                    np.frombuffer(plain, deep).reshape(level.shape), level
                )
            descriptor = found["dataFormatDescriptor"][0]
            self.assertEqual(descriptor["transferFunction"], 2 if encoding == "srgb" else 1)
            self.assertEqual(
                [s["channelType"] & 15 for s in descriptor["samples"]], [0, 1, 2, 15][:channels]
            )
            self.assertEqual(
                [s["bitOffset"] for s in descriptor["samples"]],
                [np.dtype(deep).itemsize * 8 * i for i in range(channels)],
            )
            if channels == 4:
                self.assertEqual(
                    bool(descriptor["samples"][3]["channelType"] & 0x10),
                    encoding == "srgb",
                    "alpha stays linear",
                )
            self.assertEqual(found["keyValue"]["KTXorientation"].rstrip("\0"), "rd")

    def test_a_file_of_theirs_is_read(self) -> None:
        with folder() as root:
            run(WRITE, root / "b.ktx2")
            levels, srgb = read_ktx2((root / "b.ktx2").read_bytes())
        np.testing.assert_array_equal(levels[0].reshape(-1), np.arange(24) * 10)
        self.assertEqual((len(levels), srgb), (1, False))

    def test_the_same_texels_are_the_same_bytes(self) -> None:
        self.assertEqual(
            encode_ktx2([noise(8, 1, 4)], "srgb"), encode_ktx2([noise(8, 1, 4)], "srgb")
        )
