"""Procedural modelling: patches, cylinders, domes and boxes, each with UVs and a slot."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ektopos.meshes import Mesh, build_gltf, pack_glb
from ektopos.meshes.mesh import face_normals

Points = NDArray[np.float64]


@dataclass(frozen=True)
class Part:
    """A piece of a mesh in one slot."""

    slot: str
    positions: Points
    uvs: Points
    triangles: NDArray[np.int64]


def sheet(slot: str, points: Points, uvs: Points) -> Part:
    """A grid of points `(rows, columns, 3)` with UVs `(rows, columns, 2)` as triangles.

    Columns running right and rows running down as seen from the front give a front-facing sheet.
    """
    rows, columns = points.shape[:2]
    number = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = number[:-1, :-1], number[:-1, 1:], number[1:, :-1], number[1:, 1:]
    triangles = np.stack([np.stack([a, c, b], -1), np.stack([b, c, d], -1)], axis=2).reshape(-1, 3)
    kept = np.array(
        [len({tuple(np.round(points.reshape(-1, 3)[i], 9)) for i in t}) == 3 for t in triangles]
    )
    return Part(slot, points.reshape(-1, 3), uvs.reshape(-1, 2), triangles[kept])


def lathe(
    slot: str,
    profile: Sequence[tuple[float, float]],
    around: int,
    uv: tuple[float, float, float, float],
) -> Part:
    """A profile of (radius, height), top to bottom, turned about y; its UVs fill the rectangle (u0,
    v0, u1, v1)."""
    angle = np.linspace(0, 2 * np.pi, around + 1)
    angle[-1] = 0.0
    radius, height = np.array(profile, np.float64).T
    points = np.stack(
        [
            radius[:, None] * np.sin(angle),
            np.broadcast_to(height[:, None], (len(profile), around + 1)),
            radius[:, None] * np.cos(angle),
        ],
        axis=-1,
    )
    way = np.concatenate([[0], np.cumsum(np.hypot(np.diff(radius), np.diff(height)))])
    u0, v0, u1, v1 = uv
    u = np.broadcast_to(np.linspace(u0, u1, around + 1), points.shape[:2])
    v = np.broadcast_to((v0 + (v1 - v0) * way / way[-1])[:, None], points.shape[:2])
    return sheet(slot, points, np.stack([u, v], axis=-1))


def box(
    slot: str, low: Sequence[float], high: Sequence[float], uv: tuple[float, float, float, float]
) -> Part:
    """A box whose six sides lie in a 3 × 2 grid of the UV rectangle."""
    l, h = np.array(low, float), np.array(high, float)
    centre, half = (l + h) / 2, (h - l) / 2
    sides = []
    for number, (axis, sign) in enumerate((a, s) for a in range(3) for s in (1, -1)):
        normal = np.eye(3)[axis] * sign
        down = np.array([0, 0, 1.0]) if axis == 1 else np.array([0, -1.0, 0])
        right = np.cross(normal, down)
        corners = [
            [centre + half * (normal + x * right + y * down) for x in (-1, 1)] for y in (-1, 1)
        ]
        column, row = number % 3, number // 3
        u0, v0 = uv[0] + (uv[2] - uv[0]) * column / 3, uv[1] + (uv[3] - uv[1]) * row / 2
        u1, v1 = u0 + (uv[2] - uv[0]) / 3 * 0.94, v0 + (uv[3] - uv[1]) / 2 * 0.94
        side = [[[u, v] for u in (u0, u1)] for v in (v0, v1)]
        sides.append(sheet(slot, np.array(corners), np.array(side)))
    return joined(slot, sides)


def joined(slot: str, parts: Sequence[Part]) -> Part:
    """Several parts as one."""
    starts = np.cumsum([0, *(len(part.positions) for part in parts)])
    return Part(
        slot,
        np.concatenate([part.positions for part in parts]),
        np.concatenate([part.uvs for part in parts]),
        np.concatenate(
            [part.triangles + start for part, start in zip(parts, starts, strict=False)]
        ),
    )


def moved(part: Part, offset: Sequence[float] = (0, 0, 0), scale: float = 1.0) -> Part:
    """A part scaled, then moved."""
    return Part(
        part.slot, part.positions * scale + np.array(offset, float), part.uvs, part.triangles
    )


def flat_shaded(part: Part) -> Part:
    """A part whose triangles share no vertices, so that its edges are hard."""
    corners = part.triangles.reshape(-1)
    return Part(
        part.slot,
        part.positions[corners],
        part.uvs[corners],
        np.arange(len(corners)).reshape(-1, 3),
    )


def write_glb(path: Path, parts: Sequence[Part]) -> None:
    """Write parts as one GLB; a slot is the material of that name."""
    slots = tuple(dict.fromkeys(part.slot for part in parts))
    whole = joined("", parts)
    owner = np.concatenate([np.full(len(part.triangles), slots.index(part.slot)) for part in parts])
    vertex_owner = np.concatenate(
        [np.full(len(part.positions), slots.index(part.slot)) for part in parts]
    )
    triangles = whole.triangles.astype(np.int32)
    count = len(whole.positions)
    mesh = Mesh(
        name=path.stem,
        positions=whole.positions,
        triangles=triangles,
        triangle_slot=owner.astype(np.int32),
        slots=slots,
        vertex_slot=vertex_owner.astype(np.int32),
        normals=_smooth_normals(whole.positions, triangles),
        uvs=whole.uvs.astype(np.float32),
        colours=np.full((count, 4), np.nan, np.float32),
        unnormalised=np.zeros(count, bool),
        loose=(0,) * len(slots),
        uv_sets=(1,) * len(slots),
    )
    numbers: dict[str, int | None] = {slot: i for i, slot in enumerate(slots)}
    gltf, binary = build_gltf({path.stem: mesh}, {path.stem: numbers})
    gltf["materials"] = [{"name": slot} for slot in slots]
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(pack_glb(gltf, binary))


def _smooth_normals(positions: Points, triangles: NDArray[np.int32]) -> NDArray[np.float32]:
    """Normals shared by vertices at one place whose faces differ by less than about 50°."""
    own = face_normals(positions, triangles)
    _, place = np.unique(np.round(positions, 7), axis=0, return_inverse=True)
    place = place.reshape(-1)
    result = own.copy()
    order = np.argsort(place, kind="stable")
    for group in np.split(order, np.flatnonzero(np.diff(place[order])) + 1):
        if len(group) > 1:
            near = own[group] @ own[group].T > 0.64
            summed = near @ own[group]
            result[group] = summed / np.maximum(np.linalg.norm(summed, axis=1, keepdims=True), 1e-9)
    return result.astype(np.float32)
