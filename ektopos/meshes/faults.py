"""Faults of a mesh, counted as the format of the command line fixes them, each with its faces."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ektopos.base.types import Index
from ektopos.base.vectors import cross_columns, lengths_of_columns
from ektopos.meshes.cracks import without_cracks
from ektopos.meshes.islands import connected, edges_of
from ektopos.meshes.mesh import Mesh, corners_of
from ektopos.meshes.rows import has_equal_rows, sorted_corners, unique_rows
from ektopos.meshes.seen import MOST, seen_shares

EXTREME = 100.0
UNEVEN = 1e-3
HIDDEN = 0.02
"""Share of free directions up to which a side of a face counts as hidden."""
BETTER = 0.05
"""By how much more the front has to be free than the back before the face looks the right way."""

MESSAGES = {
    "reversed-faces": (
        "Faces that look the other way than their neighbours: {n}. From outside they vanish."
    ),
    "coincident-faces": "Coincident faces: {n}. They will flicker.",
    "degenerate-faces": "Triangles without area: {n}.",
    "open-edges": "Edges that belong to one face only: {n}. Through them the inside can be seen.",
    "missing-uvs": "Triangles without UVs: {n}. Maps cannot be applied to them.",
    "unnormalised-normals": (
        "Normals that do not have length 1: {n}. Light on them is too bright or too dark."
    ),
    "missing-normals": "Vertices without normals: {n}. The engine will make its own.",
    "vertex-colours": (
        "Vertices that carry colours: {n}. They tint the mesh in engines that use them."
    ),
    "loose-vertices": "Vertices that belong to no triangle: {n}.",
    "uneven-scale": "Nodes scaled unevenly, not applied: {n}. Normals and physics suffer.",
    "negative-scale": "Nodes mirrored by a negative scale: {n}.",
    "extreme-scale": (
        "Nodes scaled by 100 or more, or to a hundredth or less: {n}. Check the units."
    ),
    "extra-uv-sets": "More than one UV set; maps use the first unless another is chosen.",
    "empty-slot": "The slot has no triangles.",
}


@dataclass(frozen=True)
class Fault:
    """One kind of fault on one slot (or, for nodes, on the mesh)."""

    code: str
    slot: str | None
    count: int
    faces: tuple[int, ...] = ()
    """Numbers of the triangles concerned, where there are any."""
    mends: bool = False
    """Whether a step can: of nodes, apply their scales; of open edges, close some of them."""

    @property
    def message(self) -> str:
        """What it is and why it matters, as a sentence."""
        return MESSAGES[self.code].format(n=f"{self.count:,}".replace(",", " "))


def reversed_faces(mesh: Mesh) -> NDArray[np.bool_]:
    """Which triangles show their backs, `(t,)`: those that the fault `reversed-faces` counts."""
    return _surface_faults(mesh)[2]


def _surface_faults(
    mesh: Mesh,
) -> tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.bool_], Index]:
    """Which triangles are degenerate, coincident and reversed, `(t,)` each, and the triangle of
    every open edge."""
    welded = mesh.points[mesh.triangles] if len(mesh.triangles) else np.zeros((0, 3), np.int64)
    degenerate = degenerate_faces(mesh, welded)
    coincident = coincident_faces(welded) & ~degenerate
    against, open_edge_faces = shell_faults(mesh, welded, ~(degenerate | coincident))
    reversed_ = _shows_its_back(mesh, against & ~_two_sided(mesh))
    return degenerate, coincident, reversed_, open_edge_faces


def find_faults(mesh: Mesh) -> list[Fault]:
    """Every fault of a mesh. Cost: n log n in its triangles."""
    degenerate, coincident, reversed_, open_edge_faces = _surface_faults(mesh)
    has_uv = mesh.has_uv
    no_uvs = ~np.logical_and.reduce([has_uv[mesh.triangles[:, i]] for i in range(3)])
    faults: list[Fault] = []
    for code, mask in (
        ("reversed-faces", reversed_),
        ("coincident-faces", coincident),
        ("degenerate-faces", degenerate),
        ("missing-uvs", no_uvs),
    ):
        faults += _by_slot(code, mesh, mesh.triangle_slot, mask, faces=True)
    held = any(node.held for node in mesh.nodes)
    closes = len(open_edge_faces) > 0 and not held and without_cracks(mesh) is not mesh.positions
    for slot, count in _counted(mesh, mesh.triangle_slot[open_edge_faces]):
        faces = tuple(int(f) for f in np.unique(open_edge_faces))
        faults.append(Fault("open-edges", slot, count, faces, mends=closes))
    for code, mask in (
        ("unnormalised-normals", mesh.unnormalised),
        ("missing-normals", ~mesh.has_normal),
        ("vertex-colours", mesh.coloured),
    ):
        faults += _by_slot(code, mesh, mesh.vertex_slot, mask)
    for number, slot in enumerate(mesh.slots):
        if mesh.loose[number]:
            faults.append(Fault("loose-vertices", slot, mesh.loose[number]))
        if mesh.uv_sets[number] > 1:
            faults.append(Fault("extra-uv-sets", slot, 1))
        if not (mesh.triangle_slot == number).any():
            faults.append(Fault("empty-slot", slot, 1))
    uneven = sum(max(node.scale) > min(node.scale) * (1 + UNEVEN) for node in mesh.nodes)
    mirrored = sum(node.mirrored for node in mesh.nodes)
    extreme = sum(
        max(n.scale) >= EXTREME * 0.999 or min(n.scale) <= 1.001 / EXTREME for n in mesh.nodes
    )
    free = any(not node.held for node in mesh.nodes)
    for code, count in (
        ("uneven-scale", uneven),
        ("negative-scale", mirrored),
        ("extreme-scale", extreme),
    ):
        if count:
            faults.append(Fault(code, None, count, mends=free))
    return faults


def degenerate_faces(mesh: Mesh, welded: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Which triangles have two corners at one point, or all three on a line.

    `welded` `(t, 3)` numbers the points of the corners; `(t,)`.
    """
    if not len(welded):
        return np.zeros(0, bool)
    same = (
        (welded[:, 0] == welded[:, 1])
        | (welded[:, 1] == welded[:, 2])
        | (welded[:, 2] == welded[:, 0])
    )
    a, b, c = np.moveaxis(mesh.corners(), 0, 2)
    edges = (a - b, b - c, c - a)
    longest_squared = np.maximum.reduce([(edge * edge).sum(axis=0) for edge in edges])
    area = lengths_of_columns(cross_columns(edges[0], edges[1])) / 2.0
    return np.asarray(same | (area <= longest_squared * 1e-9))


def coincident_faces(welded: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Which triangles lie on the same three points as an earlier one.

    `welded` `(t, 3)` numbers the points of the corners; `(t,)`.
    """
    if not len(welded):
        return np.zeros(0, bool)
    corners = sorted_corners(welded)
    repeated = np.zeros(len(welded), bool)
    if has_equal_rows(corners):
        repeated[:] = True
        repeated[unique_rows(corners)[0]] = False
    return repeated


def shell_faults(
    mesh: Mesh, welded: NDArray[np.int64], sound: NDArray[np.bool_]
) -> tuple[NDArray[np.bool_], Index]:
    """Which triangles are reversed against their shell, and the triangle of every open edge.

    `welded` `(t, 3)` numbers the points of the corners, `sound` `(t,)` marks the triangles that
    count; `(t,)` and `(edges,)`.

    Triangles that share an edge must run along it in opposite directions. Following edges with
    exactly two triangles, each shell splits into two sides; of a closed shell the side that
    encloses a negative volume is reversed, of an open one the smaller side.
    """
    numbers = np.flatnonzero(sound)
    faces = welded[numbers]
    count = len(faces)
    result = np.zeros(len(welded), bool)
    if not count:
        return result, np.zeros(0, np.int32)
    edges = edges_of(faces)
    owner, forward = edges.faces, edges.forward
    open_owners = owner[edges.begins[edges.times == 1]]
    pair = edges.begins[edges.times == 2]
    one, two, turned = owner[pair], owner[pair + 1], forward[pair] == forward[pair + 1]
    if turned.any():
        # Two copies of every triangle, one for each side: the components then say which side each
        # is on.
        side = connected(
            np.concatenate([one, one + count]),
            np.concatenate(
                [np.where(turned, two + count, two), np.where(turned, two, two + count)]
            ),
            2 * count,
        )
        # A shell's two copies have different labels; the lower one names the shell, and whoever is
        # in it is on side A.
        shell = np.minimum(side[:count], side[count:])
        on_a, twisted = side[:count] == shell, side[:count] == side[count:]
        shell = np.unique(shell, return_inverse=True)[1].reshape(-1)
    else:
        shell = connected(one, two, count)
        on_a, twisted = np.ones(count, bool), np.zeros(count, bool)
    total = np.bincount(shell)
    with_a = np.bincount(shell, weights=on_a)
    edges_open = np.zeros(len(total), bool)
    edges_open[shell[open_owners]] = True
    edges_open[shell[owner[edges.begins[edges.times > 2]]]] = True
    a, b, c = np.moveaxis(corners_of(mesh.positions, mesh.triangles[numbers]), 0, 2)
    centre = np.stack([np.bincount(shell, weights=axis) / total for axis in a])[:, shell]
    volume = ((a - centre) * cross_columns(b - centre, c - centre)).sum(axis=0) / 6.0
    volume_a = np.bincount(shell, weights=np.where(on_a, volume, -volume))
    size = np.bincount(shell, weights=np.abs(volume))
    closed = ~edges_open & (np.abs(volume_a) > size * 1e-6)
    a_is_right = np.where(closed, volume_a > 0, with_a * 2 >= total)
    wrong = (on_a != a_is_right[shell]) & ~twisted
    result[numbers] = wrong
    return result, numbers[open_owners].astype(np.int32)


def _two_sided(mesh: Mesh) -> NDArray[np.bool_]:
    """Which triangles the file draws from both sides, `(t,)`."""
    numbers = [i for i, slot in enumerate(mesh.slots) if slot in mesh.two_sided]
    return np.isin(mesh.triangle_slot, numbers)


def _shows_its_back(mesh: Mesh, suspected: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which of the suspected triangles can be seen from behind, and no better from the front: only
    of those it can be seen that they are turned. Of very many, a sample speaks for its slot."""
    faces = np.flatnonzero(suspected)
    if not len(faces):
        return suspected
    asked = faces[:: -(-len(faces) // MOST)]
    front, back = seen_shares(mesh, asked)
    turned = (back > HIDDEN) & (front - back <= BETTER)
    result = np.zeros(len(suspected), bool)
    if len(asked) == len(faces):
        result[faces] = turned
        return result
    slots = mesh.triangle_slot
    for slot in np.unique(slots[faces]):
        own = turned[slots[asked] == slot]
        if len(own) and own.mean() > 0.5:
            result |= suspected & (slots == slot)
    return result


def _by_slot(
    code: str, mesh: Mesh, slot_of: Index, mask: NDArray[np.bool_], *, faces: bool = False
) -> list[Fault]:
    faults = []
    for slot, count in _counted(mesh, slot_of[mask]):
        own = mask & (slot_of == mesh.slots.index(slot))
        faults.append(
            Fault(code, slot, count, tuple(int(f) for f in np.flatnonzero(own)) if faces else ())
        )
    return faults


def _counted(mesh: Mesh, slots: Index) -> list[tuple[str, int]]:
    counts = (
        np.bincount(slots, minlength=len(mesh.slots))
        if len(slots)
        else np.zeros(len(mesh.slots), int)
    )
    return [(name, int(count)) for name, count in zip(mesh.slots, counts, strict=True) if count]
