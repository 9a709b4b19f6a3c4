"""Write PNG fast: rows are filtered with NumPy and deflated with ISA-L on all cores.

General encoders spend most of an export's time on one core. The file is cut into blocks of rows;
each is filtered and deflated by itself and ends on a byte (a full flush), so that the blocks follow
each other as one stream. The bytes depend on nothing but the pixels. Source: PNG (ISO/IEC 15948),
sections 9 and 10; RFC 1950 and 1951.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise

import numpy as np
from isal import isal_zlib
from numpy.typing import NDArray

from ektopos.types import Pixels

_BLOCK = 4 * 2**20
"""Bytes of rows that are deflated together; larger blocks are smaller files, and wait longer for a
core."""
_LEVEL = 1
"""Of ISA-L's levels the one that makes the smallest files of filtered rows."""
_SAMPLED = 256
_BAND = 128 * 2**10
"""Bytes of rows that are filtered together."""
_COLOUR_TYPE = {1: 0, 2: 4, 3: 2, 4: 6}
_SIGNATURE = b"\x89PNG\r\n\x1a\n"


def encode_png(pixels: Pixels) -> bytes:
    """A PNG of `(height, width, 1…4)` uint8 or uint16 pixels. Cost: linear in the bytes, shared by
    the cores."""
    return b"".join(png_parts(pixels))


def png_parts(pixels: Pixels) -> Iterator[bytes]:
    """The same in pieces, each as soon as it is made, so that it can be written and hashed while
    others still are."""
    height, width, channels = pixels.shape
    step = channels * pixels.dtype.itemsize
    plain = np.ascontiguousarray(pixels.astype(pixels.dtype.newbyteorder(">"), copy=False))
    rows = plain.view(np.uint8).reshape(height, width * step)
    count = max(1, _BLOCK // max(1, rows.shape[1]))
    starts = range(0, height, count)
    head = struct.pack(
        ">IIBBBBB", width, height, 8 * pixels.dtype.itemsize, _COLOUR_TYPE[channels], 0, 0, 0
    )
    yield _SIGNATURE + _chunk(b"IHDR", [head])
    checksum, first = 1, [b"\x78\x5e"]
    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        for filtered, packed in pool.map(
            lambda start: _block(rows, start, min(height, start + count), step), starts
        ):
            checksum = isal_zlib.adler32(filtered, checksum)
            yield _chunk(b"IDAT", [*first, *packed])
            first = []
    yield _chunk(b"IDAT", [struct.pack(">I", checksum)])
    yield _chunk(b"IEND", [])


def _block(
    rows: NDArray[np.uint8], start: int, end: int, step: int
) -> tuple[NDArray[np.uint8], list[bytes]]:
    """Some rows filtered, and deflated; the last ones end the stream."""
    above = (
        rows[start - 1 : end - 1]
        if start
        else np.concatenate([np.zeros_like(rows[:1]), rows[: end - 1]])
    )
    filtered = filter_rows(rows[start:end], above, step)
    deflate = isal_zlib.compressobj(_LEVEL, isal_zlib.DEFLATED, -15)
    packed = deflate.compress(filtered)
    return filtered, [
        packed,
        deflate.flush(isal_zlib.Z_FINISH if end == len(rows) else isal_zlib.Z_FULL_FLUSH),
    ]


def filter_rows(rows: NDArray[np.uint8], above: NDArray[np.uint8], step: int) -> NDArray[np.uint8]:
    """Rows `(n, bytes)` with the filter before each that leaves the smallest sum of differences,
    `(n, 1 + bytes)`.

    The sums are taken on every so many bytes only, which hardly ever chooses otherwise. Source:
    PNG, 9.2 (filter types) and 12.7 (the choice). Paeth is left out: it costs more than all others
    and hardly helps.
    """
    every = max(1, rows.shape[1] // _SAMPLED)
    here, up, left = (
        rows[:, step::every],
        above[:, step::every],
        rows[:, : rows.shape[1] - step : every],
    )
    residuals = (here - _predicted(kind, up, left) for kind in range(4))
    costs = [
        np.minimum(residual, 0 - residual).sum(axis=1, dtype=np.int64) for residual in residuals
    ]
    chosen = np.argmin(costs, axis=0).astype(np.uint8)
    filtered = np.empty((len(rows), rows.shape[1] + 1), np.uint8)
    filtered[:, 0] = chosen
    # Rows of one filter together, but no more of them than stay in a core's cache: ten times as
    # fast as all at once.
    bands = range(0, len(rows), max(1, _BAND // rows.shape[1]))
    edges = sorted({*bands, *(np.flatnonzero(np.diff(chosen)) + 1).tolist(), len(rows)})
    for start, end in pairwise(edges):
        here, up, kind = rows[start:end], above[start:end], int(chosen[start])
        leftmost = _predicted(kind, up[:, :step], np.zeros_like(up[:, :step]))
        np.subtract(here[:, :step], leftmost, out=filtered[start:end, 1 : 1 + step])
        np.subtract(
            here[:, step:],
            _predicted(kind, up[:, step:], here[:, :-step]),
            out=filtered[start:end, 1 + step :],
        )
    return filtered


def _predicted(kind: int, up: NDArray[np.uint8], left: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """What a filter expects of bytes: nothing (0), the one to the left (1), the upper (2) or the
    mean of both (3)."""
    if kind == 0:
        return np.zeros_like(left)
    # (a + b) // 2 without leaving 8 bits.
    return left if kind == 1 else up if kind == 2 else (left & up) + ((left ^ up) >> 1)


def _chunk(kind: bytes, content: list[bytes]) -> bytes:
    checksum = isal_zlib.crc32(kind)
    for part in content:
        checksum = isal_zlib.crc32(part, checksum)
    return b"".join(
        [struct.pack(">I", sum(map(len, content))), kind, *content, struct.pack(">I", checksum)]
    )
