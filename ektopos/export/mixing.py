"""Diffuse and specular of 8-bit maps, by tables of their codes: no picture of floats is made.

Specular depends on one code of base colour and one of metallic, so a table of both gives the file's
code at once. What diffuse is multiplied with depends on the strongest channel and metallic, so one
product a texel is left. Both give what `to_specular_gloss` gives, to the code.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Float, Pixels
from ektopos.materials.specular_workflow import diffuse_share, specular_of

_BAND = 32
"""Rows that are worked on together, so that the steps between stay in a core's cache."""


@dataclass(frozen=True)
class Coded:
    """One channel of an input as a map holds it."""

    plane: NDArray[np.uint8]
    """`(height, width)`."""
    table: Float
    """The canonical value of every code, `(256,)`, 0–1."""


Encode = Callable[[Float], Pixels]
"""Linear values of any shape as the file's own numbers."""


def mixed(quantity: str, base: list[Coded], metallic: Coded, encode: Encode) -> list[Pixels]:
    """The three channels of `diffuse` or `specular`, `(height, width)` each, of the three of base
    colour and of metallic, all of one size."""
    work = _diffuse if quantity == "diffuse" else _specular
    rows_of = work(base, metallic, encode)
    height, width = metallic.plane.shape
    kind = encode(np.zeros(1, np.float32)).dtype
    planes: list[Pixels] = [np.empty((height, width), kind) for _ in base]

    def fill(start: int) -> None:
        rows = slice(start, start + _BAND)
        for plane, values in zip(planes, rows_of(rows), strict=True):
            plane[rows] = values

    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        list(pool.map(fill, range(0, height, _BAND)))
    return planes


_RowsOf = Callable[[slice], list[Pixels]]


def _specular(base: list[Coded], metallic: Coded, encode: Encode) -> _RowsOf:
    metal = _exact(metallic.table)[:, None]
    return _looked_up(
        base, metallic, [encode(_single(specular_of(_exact(one.table), metal))) for one in base]
    )


def _diffuse(base: list[Coded], metallic: Coded, encode: Encode) -> _RowsOf:
    # Channels may differ in what their codes stand for: the strongest is found by ranks of values.
    values, found = np.unique(np.stack([_exact(one.table) for one in base]), return_inverse=True)
    ranks = found.reshape(len(base), -1).astype(np.uint16)
    shares = diffuse_share(values, _exact(metallic.table)[:, None])
    starts = (np.arange(256) * len(values)).astype(np.int32)
    # All of a dielectric and nothing of a metal: only between them the strongest channel counts.
    is_between = (shares != shares[:, :1]).any(axis=1)
    ends = _looked_up(
        base, metallic, [encode(_single(_exact(one.table) * shares[:, :1])) for one in base]
    )

    def rows_of(rows: slice) -> list[Pixels]:
        codes = ends(rows)
        between = np.flatnonzero(is_between[metallic.plane[rows]])
        if not between.size:
            return codes
        ranked = [of[one.plane[rows].ravel()[between]] for one, of in zip(base, ranks, strict=True)]
        strongest = np.maximum(np.maximum(ranked[0], ranked[1]), ranked[2])
        share = shares.ravel()[starts[metallic.plane[rows].ravel()[between]] + strongest]
        for plane, rank in zip(codes, ranked, strict=True):
            plane.ravel()[between] = encode(_single(values[rank] * share))
        return codes

    return rows_of


def _looked_up(base: list[Coded], metallic: Coded, tables: list[Pixels]) -> _RowsOf:
    """Rows by tables `(256, 256)` of metallic's and base colour's codes."""
    flat = [table.ravel() for table in tables]

    def rows_of(rows: slice) -> list[Pixels]:
        row = metallic.plane[rows].astype(np.uint16) << 8
        return [table.take(row | one.plane[rows]) for table, one in zip(flat, base, strict=True)]

    return rows_of


def _exact(table: Float) -> NDArray[np.float64]:
    return table.astype(np.float64)


def _single(values: NDArray[np.float64]) -> Float:
    return np.clip(values, 0.0, 1.0).astype(np.float32)
