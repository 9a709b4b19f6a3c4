"""Write PNG fast: rows are filtered with NumPy and deflated with zlib-ng on all cores.

General encoders spend most of an export's time on one core. The file is cut into blocks of rows;
each is filtered and deflated by itself and ends on a byte (a full flush), so that the blocks follow
each other as one stream. Grainy maps hardly repeat themselves: what a block may gain by looking for
repetitions is tried on a little of it first. The bytes depend on nothing but the pixels. Source:
PNG (ISO/IEC 15948), sections 9 and 10; RFC 1950 and 1951.
"""

from __future__ import annotations

import os
import struct
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray
from zlib_ng import zlib_ng

from ektopos.base.types import Pixels

_BLOCK = 4 * 2**20
"""Bytes of rows that are deflated together; larger blocks are smaller files, and wait longer for a
core."""
_LEVEL = 3
"""How hard repetitions are looked for. Higher levels gain 1 to 2 % more and take up to twice as
long."""
_WORTH = 0.9
"""Looking for repetitions takes three to ten times as long: only where so much is left of the
bytes."""
_PIECES, _PIECE = 4, 4 * 2**10
"""Pieces of a block that repetitions are tried on, and their bytes."""
_SAMPLED = 256
_BAND = 128 * 2**10
"""Bytes of rows that are filtered together."""
_COLOUR_TYPE = {1: 0, 2: 4, 3: 2, 4: 6}
_Rows = Callable[[int, int], NDArray[np.uint8]]
_Block = tuple[bytes, int, int]
_SIGNATURE = b"\x89PNG\r\n\x1a\n"


def encode_png(pixels: Pixels) -> bytes:
    """A PNG of `(height, width, 1…4)` uint8 or uint16 pixels. Cost: linear in the bytes, shared by
    the cores."""
    return b"".join(png_parts(pixels))


def png_parts(pixels: Pixels | Sequence[Pixels]) -> Iterator[bytes]:
    """The same in pieces, each as soon as it is made, so that it can be written and hashed while
    others still are. Channels may be given each for itself, `(height, width)`: they are never laid
    side by side as a whole. Memory beside the pixels: a few blocks a core."""
    planes = pixels if isinstance(pixels, Sequence) else None
    channels = len(planes) if planes is not None else np.shape(pixels)[2]
    first = planes[0] if planes is not None else np.asarray(pixels)
    height, width, kind = first.shape[0], first.shape[1], first.dtype
    step = channels * kind.itemsize

    def rows(start: int, end: int) -> NDArray[np.uint8]:
        part = (
            cv2.merge([plane[start:end] for plane in planes])
            if planes is not None
            else np.asarray(pixels)[start:end]
        )
        plain = np.ascontiguousarray(part.astype(kind.newbyteorder(">"), copy=False))
        return plain.view(np.uint8).reshape(end - start, width * step)

    count = max(1, _BLOCK // max(1, width * step))
    head = struct.pack(
        ">IIBBBBB", width, height, 8 * kind.itemsize, _COLOUR_TYPE[channels], 0, 0, 0
    )
    yield _SIGNATURE + _chunk(b"IHDR", [head])
    checksum = 1
    for chunk, own, length in _in_order(
        lambda start: _block(rows, start, min(height, start + count), height, step),
        range(0, height, count),
    ):
        checksum = _adler_of_both(checksum, own, length)
        yield chunk
    yield _chunk(b"IDAT", [struct.pack(">I", checksum)])
    yield _chunk(b"IEND", [])


def _in_order(work: Callable[[int], _Block], items: Sequence[int]) -> Iterator[_Block]:
    """What becomes of all items, worked on by all cores, no more of them ahead than keep those
    busy. One alone waits for nobody."""
    if len(items) == 1:
        yield work(items[0])
        return
    cores = os.cpu_count() or 1
    waiting: deque[Future[_Block]] = deque()
    with ThreadPoolExecutor(max_workers=cores) as pool:
        for item in items:
            waiting.append(pool.submit(work, item))
            if len(waiting) > cores + 1:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()


def _block(rows: _Rows, start: int, end: int, height: int, step: int) -> _Block:
    """Some rows filtered and deflated as a chunk, with the checksum of what was deflated and its
    length; the first ones begin the stream, the last ones end it."""
    given = rows(max(0, start - 1), end)
    above = given[:-1] if start else np.concatenate([np.zeros_like(given[:1]), given[:-1]])
    filtered = filter_rows(given[1:] if start else given, above, step)
    packed = ([] if start else [b"\x78\x5e"]) + _deflated(filtered, last=end == height)
    return _chunk(b"IDAT", packed), zlib_ng.adler32(filtered), filtered.nbytes


def _deflated(filtered: NDArray[np.uint8], last: bool) -> list[bytes]:
    """Filtered rows as a piece of a raw deflate stream that ends on a byte, by repetitions where
    they are worth it and else by how frequent each byte is."""
    flat = filtered.reshape(-1)
    tried = flat[: flat.size // _PIECES * _PIECES].reshape(_PIECES, -1)[:, :_PIECE].tobytes()
    plain, matched = (
        sum(map(len, _stream(tried, strategy, last=True)))
        for strategy in (zlib_ng.Z_HUFFMAN_ONLY, zlib_ng.Z_DEFAULT_STRATEGY)
    )
    worth = matched < _WORTH * plain
    strategy = zlib_ng.Z_DEFAULT_STRATEGY if worth else zlib_ng.Z_HUFFMAN_ONLY
    return _stream(flat, strategy, last)


def _stream(content: bytes | NDArray[np.uint8], strategy: int, last: bool) -> list[bytes]:
    deflate = zlib_ng.compressobj(_LEVEL, zlib_ng.DEFLATED, -15, 9, strategy)
    end = zlib_ng.Z_FINISH if last else zlib_ng.Z_FULL_FLUSH
    return [deflate.compress(content), deflate.flush(end)]


def _adler_of_both(first: int, second: int, length: int) -> int:
    """The Adler-32 of two texts one after the other, the second so many bytes long. Source: RFC
    1950, 8.2: sums modulo 65521 of the bytes, and of those sums."""
    base = 65521
    low, high = first & 0xFFFF, first >> 16
    joined_low = (low + (second & 0xFFFF) - 1) % base
    # Every byte of the second adds what the first summed up to, but for the 1 it began with.
    joined_high = (high + (second >> 16) + length * (low - 1)) % base
    return joined_high << 16 | joined_low


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
    checksum = zlib_ng.crc32(kind)
    for part in content:
        checksum = zlib_ng.crc32(part, checksum)
    return b"".join(
        [struct.pack(">I", sum(map(len, content))), kind, *content, struct.pack(">I", checksum)]
    )
