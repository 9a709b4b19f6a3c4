"""What KTX2 with Basis Universal costs and loses, by role and quality, against PNG of the same
texels."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np

from ektopos.base.types import Basis, Encoding, Quality
from ektopos.base.vectors import decode_normals
from ektopos.images import as_float, encode_png, read_image
from ektopos.images.basis import encode_basis
from ektopos.trial.engine.basis import read_basis
from ektopos.trial.measure import errors_of

MAPS: list[tuple[str, Encoding, Basis]] = [
    ("T_PierIron_Diffuse_1K.png", "srgb", "etc1s"),
    ("T_PierIron_Diffuse_1K.png", "srgb", "uastc"),
    ("dome_copper_ORM.png", "linear", "etc1s"),
    ("dome_copper_ORM.png", "linear", "uastc"),
    ("brass_tube_N.png", "linear", "etc1s"),
    ("brass_tube_N.png", "linear", "uastc"),
]
QUALITIES: tuple[Quality, ...] = ("low", "medium", "high")


def run() -> None:
    """Print seconds, size and loss of each."""
    from demo.make import make_sample

    with tempfile.TemporaryDirectory(prefix="ektopos-bench-") as folder:
        make_sample(Path(folder))
        for name, encoding, basis in MAPS:
            pixels = read_image(Path(folder, "maps", name)).pixels[..., :3]
            png = len(encode_png(pixels))
            for quality in QUALITIES:
                started = time.perf_counter()
                made = encode_basis([pixels], encoding, basis, quality)
                spent = time.perf_counter() - started
                texels = read_basis(made)[0][0]
                off = texels.astype(np.float64) - pixels
                ratio = 10 * np.log10(255**2 / np.mean(off**2))
                bent = ""
                if name.endswith("_N.png"):
                    meant, made_of = (decode_normals(as_float(v)) for v in (pixels, texels))
                    bent = f", {errors_of(meant, made_of, 'normal', 1.0)[0].mean():.2f}°"
                print(
                    f"{name:26} {pixels.shape[1]:4}² {basis} {quality:6} {spent:6.2f} s  "
                    f"{len(made) / png:.2f} of PNG  {ratio:.1f} dB{bent}"
                )
