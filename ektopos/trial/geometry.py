"""The cell `mesh`: a slot's triangles as they were meant against those that the engine draws."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import permutations, product

import numpy as np
from numpy.typing import NDArray

from ektopos.meshes.tangents import vertex_tangents
from ektopos.trial.cells import Cell, because
from ektopos.trial.diagnosis import MESSAGES, Cause
from ektopos.trial.engine.package import ImportedTriangles
from ektopos.trial.matching import Corners, Match, match_triangles
from ektopos.trial.tolerances import (
    ANGLE,
    MADE_TANGENT_ANGLE,
    MADE_TANGENT_SHARE,
    PLACES,
    SHADES,
    WEIGHTS,
)


def judge_mesh(
    cell: Cell, expected: ImportedTriangles, actual: ImportedTriangles | None, diagonal: float
) -> Cell:
    """The verdict on a slot's triangles. `diagonal` is that of the mesh, in metres."""
    if actual is None or not len(actual.positions):
        return _differs(cell, "mesh-missing", "Its triangles did not arrive.", lost=True)
    tolerance = PLACES * (diagonal or 1.0)
    ties = (
        (expected.uvs[0].astype(np.float64), actual.uvs[0].astype(np.float64))
        if 0 in expected.uvs and 0 in actual.uvs
        else None
    )
    match = match_triangles(expected.positions, actual.positions, tolerance, ties)
    if match is None:
        cause, sentence = _why(expected.positions, actual.positions, tolerance)
        return _differs(cell, cause, sentence)
    for cause, sentence in _attributes(expected, actual, match):
        return _differs(cell, cause, sentence)
    arrived = match.of(actual.positions)
    error = float(np.abs(arrived - expected.positions).max(initial=0.0)) / (diagonal or 1.0)
    return replace(
        cell, verdict="same", max_error=round(error, 9), mean_error=0.0, unit="of the diagonal"
    )


def _differs(cell: Cell, cause: Cause, said: str, *, lost: bool = False) -> Cell:
    return because(replace(cell, verdict="lost" if lost else "differs"), cause, said)


def _why(expected: Corners, actual: Corners, tolerance: float) -> tuple[Cause, str]:
    """Why triangles are not where they were meant to be: the first explanation that fits."""
    if len(actual) != len(expected):
        cause: Cause = "mesh-added" if len(actual) > len(expected) else "mesh-missing"
        return cause, f"{len(expected):,} triangles were meant, {len(actual):,} arrived."
    if match_triangles(expected[:, ::-1], actual, tolerance) is not None:
        return "winding-reversed", MESSAGES["winding-reversed"]
    for cause, sentence, moved in _moves(expected, actual):
        reach = tolerance * max(1.0, _size(actual) / max(_size(expected), 1e-30))
        for corners in (moved, moved[:, ::-1]):
            if match_triangles(corners, actual, reach) is not None:
                return cause, sentence
    apart = np.abs(expected - actual).max(axis=(1, 2)) > tolerance
    return "moved", (
        f"{int(apart.sum()):,} of {len(expected):,} triangles are not where they were meant to be."
    )


def _moves(expected: Corners, actual: Corners) -> Iterator[tuple[Cause, str, Corners]]:
    """What whole meshes suffer: another unit, other axes, another place, a turn."""
    ratio = _size(actual) / max(_size(expected), 1e-30)
    scaled = expected * ratio
    if abs(ratio - 1.0) > 1e-5:
        yield "scaled", f"It arrived {ratio:.6g} times as large.", scaled
    low, high = (f(actual.reshape(-1, 3), axis=0) for f in (np.min, np.max))
    slack = 1e-4 * max(_size(actual), 1e-30)
    for matrix, words in _AXES:
        turned = scaled @ matrix.T
        bounds = [f(turned.reshape(-1, 3), axis=0) for f in (np.min, np.max)]
        if np.abs(bounds[0] - low).max() < slack and np.abs(bounds[1] - high).max() < slack:
            yield "axes-changed", f"Its axes were exchanged: {words}.", turned
    moved = actual.mean(axis=(0, 1)) - expected.mean(axis=(0, 1))
    sentence = f"It arrived {np.linalg.norm(moved):.4g} m from its place."
    yield "moved", sentence, expected + moved
    first, second = (
        (values - values.mean(axis=(0, 1))).reshape(-1, 3) for values in (expected, actual)
    )
    # Kabsch, for triangles that are still in their order.
    u, _, v = np.linalg.svd(first.T @ second)
    turn = u @ np.diag([1.0, 1.0, np.sign(np.linalg.det(u @ v))]) @ v
    yield "moved", "It arrived turned.", (first @ turn).reshape(-1, 3, 3) + actual.mean(axis=(0, 1))


def _size(corners: Corners) -> float:
    return float(np.linalg.norm(np.ptp(corners.reshape(-1, 3), axis=0)))


def _axis_changes() -> Iterator[tuple[NDArray[np.float64], str]]:
    for order in permutations(range(3)):
        for signs in product((1.0, -1.0), repeat=3):
            matrix = np.zeros((3, 3))
            for row, (column, sign) in enumerate(zip(order, signs, strict=True)):
                matrix[row, column] = sign
            if not np.array_equal(matrix, np.eye(3)):
                words = ", ".join(
                    f"{'xyz'[row]} is {'−' if sign < 0 else ''}{'xyz'[column]}"
                    for row, (column, sign) in enumerate(zip(order, signs, strict=True))
                    if row != column or sign < 0
                )
                yield matrix, words


_AXES = tuple(_axis_changes())


def _attributes(
    expected: ImportedTriangles, actual: ImportedTriangles, match: Match
) -> Iterator[tuple[Cause, str]]:
    """What of the corners differs besides their places."""
    yield from _normals(expected, actual, match)
    yield from _tangents(expected, actual, match)
    yield from _uvs(expected, actual, match)
    yield from _colours(expected, actual, match)
    if (expected.influences is None) != (actual.influences is None):
        lost = actual.influences is None
        yield "skin-changed", "Its skin did not arrive." if lost else "It arrived with a skin."
    elif expected.influences is not None and actual.influences is not None:
        error = np.abs(expected.influences - match.of(actual.influences)).max(initial=0.0)
        if error > WEIGHTS * 4:
            yield "skin-changed", "Its corners hang on other joints, or with other weights."


def flat_normals_of(corners: Corners) -> NDArray[np.float64]:
    """Normals of triangles that bring none, `(t, 3, 3)`: flat. Source: glTF 2.0, 3.7.2.1."""
    sides = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    unit = sides / np.maximum(np.linalg.norm(sides, axis=1, keepdims=True), 1e-30)
    return np.repeat(unit[:, None], 3, axis=1)


def _normals(
    expected: ImportedTriangles, actual: ImportedTriangles, match: Match
) -> Iterator[tuple[Cause, str]]:
    wanted = expected.normals
    if wanted is None:
        wanted = flat_normals_of(expected.positions)
    normals = _as_drawn(actual)
    largest, share = _turned(wanted, match.of(normals))
    if largest <= ANGLE:
        return
    if actual.normals is None:
        yield "normals-missing", "Its normals did not arrive: it is drawn flat."
    elif _turned(-wanted, match.of(normals))[0] <= ANGLE:
        yield "normals-changed", "Its normals point the other way."
    else:
        yield "normals-changed", f"{share:.1%} of its normals are turned, by up to {largest:.0f}°."


def _as_drawn(actual: ImportedTriangles) -> NDArray[np.float64]:
    """Normals of corners as they are drawn, `(t, 3, 3)`: a triangle is flat where one of its
    corners has none, or one without a length."""
    flat = flat_normals_of(actual.positions)
    if actual.normals is None:
        return flat
    has_all = (np.linalg.norm(actual.normals, axis=2) > 0.5).all(axis=1)
    return np.where(has_all[:, None, None], actual.normals, flat)


def _turned(one: NDArray[np.float64], other: NDArray[np.float64]) -> tuple[float, float]:
    """The largest angle between unit vectors, in degrees, and the share that is beyond `ANGLE`.
    Those without length count as they are."""
    sound = (np.linalg.norm(one, axis=-1) > 0.5) & (np.linalg.norm(other, axis=-1) > 0.5)
    bare = (np.linalg.norm(one, axis=-1) > 0.5) & ~sound
    cosine = np.clip(np.einsum("tci,tci->tc", one, other), -1.0, 1.0)
    angle = np.where(sound, np.degrees(np.arccos(cosine)), np.where(bare, 180.0, 0.0))
    return float(angle.max(initial=0.0)), float((angle > ANGLE).mean()) if angle.size else 0.0


def _tangents(
    expected: ImportedTriangles, actual: ImportedTriangles, match: Match
) -> Iterator[tuple[Cause, str]]:
    if expected.tangents is None:
        if actual.tangents is not None:
            yield from _made_tangents(expected, match.of(actual.tangents))
        return
    if actual.tangents is None:
        yield "tangents-changed", "Its tangents did not arrive; the engine makes others."
        return
    tangents = match.of(actual.tangents)
    largest, share = _turned(expected.tangents[..., :3], tangents[..., :3])
    if largest > ANGLE or (expected.tangents[..., 3] * tangents[..., 3] < 0).any():
        yield "tangents-changed", f"{share:.1%} of its tangents are turned."


def _made_tangents(
    expected: ImportedTriangles, tangents: NDArray[np.float64]
) -> Iterator[tuple[Cause, str]]:
    """Tangents that somebody made where the file had none: they have to be those that an engine
    makes of normals and UVs. `tangents` `(t, 3, 4)` in the order of what is expected. Source: glTF
    2.0, 3.7.2.1, which names MikkTSpace."""
    if 0 not in expected.uvs or not np.isfinite(expected.uvs[0]).all():
        return
    normals = expected.normals
    if normals is None:
        normals = flat_normals_of(expected.positions)
    count = len(expected.positions)
    wanted = vertex_tangents(
        expected.positions.reshape(-1, 3),
        normals.reshape(-1, 3).astype(np.float32),
        expected.uvs[0].reshape(-1, 2),
        np.arange(3 * count, dtype=np.int32).reshape(-1, 3),
    )
    sides = expected.uvs[0][:, 1:].astype(np.float64) - expected.uvs[0][:, :1]
    has_area = np.abs(sides[:, 0, 0] * sides[:, 1, 1] - sides[:, 0, 1] * sides[:, 1, 0]) > 1e-12
    cosine = np.einsum("tci,tci->tc", wanted[..., :3], tangents[..., :3])
    off = (cosine < np.cos(np.radians(MADE_TANGENT_ANGLE))) | (
        wanted[..., 3] * tangents[..., 3] < 0
    )
    off &= has_area[:, None]
    if off.mean() > MADE_TANGENT_SHARE:
        yield (
            "tangents-changed",
            f"It arrived with tangents, and {off.mean():.1%} of them are not those that an engine "
            "would make of its normals and UVs.",
        )


def _uvs(
    expected: ImportedTriangles, actual: ImportedTriangles, match: Match
) -> Iterator[tuple[Cause, str]]:
    for number, wanted in expected.uvs.items():
        if not np.isfinite(wanted).all():
            continue
        name = "Its UVs" if len(expected.uvs) == 1 else f"UV set {number}"
        if number not in actual.uvs:
            yield "uvs-changed", f"{name} did not arrive."
            continue
        uvs = match.of(actual.uvs[number].astype(np.float64))
        reach = PLACES * max(1.0, float(np.abs(wanted).max(initial=0.0)))
        if np.abs(uvs - wanted).max(initial=0.0) <= reach:
            continue
        flipped = wanted * [1.0, -1.0] + [0.0, 1.0]
        if np.abs(uvs - flipped).max(initial=0.0) <= reach:
            yield "uvs-flipped", f"{name} arrived upside down: v is 1 − v."
        else:
            share = float((np.abs(uvs - wanted).max(axis=2) > reach).mean())
            yield "uvs-changed", f"{name} lie elsewhere at {share:.1%} of the corners."


def _colours(
    expected: ImportedTriangles, actual: ImportedTriangles, match: Match
) -> Iterator[tuple[Cause, str]]:
    white = np.ones((len(expected.positions), 3, 4), np.float32)
    wanted = white if expected.colours is None else expected.colours
    colours = white if actual.colours is None else match.of(actual.colours)
    if np.abs(wanted - colours).max(initial=0.0) <= SHADES:
        return
    if expected.colours is None:
        yield "vertex-colours-changed", "It arrived with vertex colours, which tint it."
    elif actual.colours is None:
        yield "vertex-colours-changed", "Its vertex colours did not arrive."
    else:
        yield "vertex-colours-changed", "Its vertex colours are others."
