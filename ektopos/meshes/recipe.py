"""Recipes: what each step of `ektopos.document.mesh_steps` does to a mesh.

Every step is a pure function from a mesh to a mesh, and the number and order of triangles never
change, so that a step means the same each time it is read.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import singledispatch
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ektopos.base.errors import EktoposError
from ektopos.base.names import free_name
from ektopos.base.types import Index
from ektopos.base.vectors import flat_normals
from ektopos.document.mesh_steps import (
    ApplyScale,
    By,
    CloseCracks,
    MergeSlots,
    MeshStep,
    MoveUvs,
    PackUvs,
    PaletteUvs,
    RenameSlot,
    ScaleUvs,
    Shade,
    SplitSlot,
    TurnReversed,
)
from ektopos.meshes.cracks import without_cracks
from ektopos.meshes.faults import reversed_faces
from ektopos.meshes.islands import faces_joined_by_edges, joined_faces, uv_islands, weld
from ektopos.meshes.mesh import OTHER_WAY, Mesh
from ektopos.meshes.rows import unique_rows
from ektopos.meshes.uvs import signed_areas, tile_numbers
from ektopos.meshes.vertex_normals import corner_normals

ONE_SIDE = 30.0
"""Degrees that neighbours may bend and still be one side."""

PACKINGS = 4
"""How often islands are packed at most, to fill a map of the size that was asked for …"""
MANY = 50_000
"""… but of so many triangles only twice: that takes seconds."""


def apply_recipe(mesh: Mesh, steps: Sequence[MeshStep]) -> Mesh:
    """The mesh with every step done, in order. Raises `EktoposError` for a step that does not fit
    it."""
    for step in steps:
        mesh = apply_step(step, mesh)
    return mesh


@singledispatch
def apply_step(step: MeshStep, mesh: Mesh) -> Mesh:
    """The mesh with one step done."""
    raise NotImplementedError(type(step))


@apply_step.register
def _rename(step: RenameSlot, mesh: Mesh) -> Mesh:
    number = slot_number(mesh, step.slot)
    if step.name in mesh.slots and step.name != step.slot:
        raise EktoposError(
            f"there is a slot {step.name} already.",
            subject=step.slot,
            hint="Merge the two instead.",
        )
    return replace(
        mesh, slots=tuple(step.name if i == number else slot for i, slot in enumerate(mesh.slots))
    )


@apply_step.register
def _merge(step: MergeSlots, mesh: Mesh) -> Mesh:
    gone = [slot_number(mesh, slot) for slot in step.slots]
    if step.name in mesh.slots and step.name not in step.slots:
        raise EktoposError(
            f"there is a slot {step.name} already.",
            subject=step.slots[0],
            hint="Name it among the merged.",
        )
    first = min(gone)
    kept = [i for i in range(len(mesh.slots)) if i == first or i not in gone]
    place = np.array(
        [kept.index(first if i in gone else i) for i in range(len(mesh.slots))], np.int32
    )

    def joined(values: tuple[int, ...], how: Any) -> tuple[int, ...]:
        return tuple(
            how(values[i] for i in range(len(values)) if place[i] == number)
            for number in range(len(kept))
        )

    return replace(
        mesh,
        slots=tuple(step.name if i == first else mesh.slots[i] for i in kept),
        triangle_slot=place[mesh.triangle_slot],
        vertex_slot=place[mesh.vertex_slot],
        loose=joined(mesh.loose, sum),
        uv_sets=joined(mesh.uv_sets, max),
    )


@apply_step.register
def _split(step: SplitSlot, mesh: Mesh) -> Mesh:
    number = slot_number(mesh, step.slot)
    own = np.flatnonzero(mesh.triangle_slot == number)
    group = groups_of(mesh, own, step.by)
    if step.at is None:
        if step.by == "face":
            raise EktoposError(
                "every face a slot would be too many.",
                subject=step.slot,
                hint="Choose parts or islands.",
            )
        tiles = tile_numbers(mesh.corner_uvs()[own]) if step.by == "tile" else None
        for part in range(1, int(group.max(initial=0)) + 1):
            there = group == part
            name = step.slot if tiles is None else f"{step.slot}_{tiles[there][0]}"
            mesh = _moved(mesh, own[there], free_name(name, mesh.slots))
        return mesh
    if any(face >= len(own) for face in step.at):
        raise EktoposError(
            "a chosen face is not in the slot any more.", subject=step.slot, hint="Choose it again."
        )
    return _moved(
        mesh, own[np.isin(group, group[step.at])], step.name or free_name(step.slot, mesh.slots)
    )


@apply_step.register
def _move(step: MoveUvs, mesh: Mesh) -> Mesh:
    if 0.0 in step.scale:
        raise EktoposError(
            "scaled by 0, the UVs would vanish.", subject=step.slots[0], hint="Give another scale."
        )
    faces = faces_of(mesh, step.slots)
    if step.at is not None:
        own = np.flatnonzero(mesh.triangle_slot == slot_number(mesh, step.slots[0]))
        if any(face >= len(own) for face in step.at):
            raise EktoposError(
                "a chosen face is not in the slot any more.",
                subject=step.slots[0],
                hint="Choose it again.",
            )
        faces = own[np.array(sorted(set(step.at)), np.int64)].astype(np.int32)
    mesh = with_own_vertices(mesh, faces)
    used = np.unique(mesh.triangles[faces])
    angle = np.radians(step.rotation)
    # v runs down, so a turn that looks counter-clockwise has its signs the other way round.
    turn = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    low, high = np.nanmin(mesh.uvs[used], axis=0), np.nanmax(mesh.uvs[used], axis=0)
    about = (low + high) / 2 if step.about is None else np.array(step.about)
    moved = (mesh.uvs[used] - about) * step.scale @ turn.T + about + step.offset
    uvs = mesh.uvs.copy()
    uvs[used] = moved
    return replace(mesh, uvs=uvs)


@apply_step.register
def _scale(step: ScaleUvs, mesh: Mesh) -> Mesh:
    for slot, factor in step.factors.items():
        even = MoveUvs(kind="move-uvs", slots=[slot], scale=(factor, factor))
        mesh = _move(even, mesh)
    return mesh


@apply_step.register
def _pack(step: PackUvs, mesh: Mesh) -> Mesh:
    faces = faces_of(mesh, step.slots)
    own = mesh.triangles[faces]
    used, corners = np.unique(own, return_inverse=True)
    indices = corners.reshape(-1, 3).astype(np.uint32)
    if step.anew or not mesh.has_uv[own].all():
        # Points, not vertices: where the file has split vertices the surface still hangs together.
        place = weld(mesh.positions[used])
        _, first = np.unique(place, return_index=True)
        points = mesh.positions[used][first].astype(np.float32)
        corners = place[indices].astype(np.uint32)
        packed = _atlas(step, len(faces), lambda atlas: atlas.add_mesh(points, corners))
        return with_corner_uvs(mesh, faces, _none_mirrored(packed))
    # The library would take stacked islands for one; islands of different “materials” it keeps
    # apart.
    island = groups_of(mesh, faces, "island").astype(np.uint32)[:, None]
    uvs = mesh.uvs[used].astype(np.float32)
    return with_corner_uvs(
        mesh, faces, _atlas(step, len(faces), lambda atlas: atlas.add_uv_mesh(uvs, indices, island))
    )


def _atlas(step: PackUvs, faces: int, fill: Callable[[Any], None]) -> NDArray[np.float64]:
    """The corners' UVs `(t, 3, 2)` in an atlas that is as large as the step says, to a tenth: one
    scale for u and v, and the step's gap between islands. Packed again at another scale until it
    is, at most `PACKINGS` times."""
    import xatlas

    options = xatlas.PackOptions()
    options.resolution, options.create_image = step.texels, False
    # The library keeps its padding on both sides of an island.
    options.padding = -(-step.gap // 2)
    try:
        for _ in range(PACKINGS if faces < MANY else 2):
            atlas = xatlas.Atlas()
            fill(atlas)
            atlas.generate(pack_options=options)
            side = max(atlas.width, atlas.height, 1)
            if abs(side / step.texels - 1.0) <= 0.1:
                break
            borders = 4.0 * step.gap
            room = max(step.texels - borders, step.texels / 2) / max(side - borders, side / 2)
            options.resolution, options.texels_per_unit = 0, atlas.texels_per_unit * room
        _, packed, uvs = atlas[0]
    except RuntimeError as problem:
        raise EktoposError(
            f"the UVs cannot be packed ({problem}).", subject=step.slots[0]
        ) from None
    sides = np.array([atlas.width, atlas.height], np.float64)
    return np.asarray(uvs[packed].astype(np.float64) * (sides / side))


def _none_mirrored(corner_uvs: NDArray[np.float64]) -> NDArray[np.float64]:
    """The UVs with islands that run against their faces turned over where they lie."""
    island, count = uv_islands(corner_uvs)
    mirrored = np.bincount(island, signed_areas(corner_uvs), count) < 0
    low, high = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(low, island, corner_uvs[..., 0].min(axis=1))
    np.maximum.at(high, island, corner_uvs[..., 0].max(axis=1))
    turned = corner_uvs.copy()
    those = mirrored[island]
    turned[those, :, 0] = (low + high)[island[those], None] - corner_uvs[those, :, 0]
    return turned


@apply_step.register
def _palette(step: PaletteUvs, mesh: Mesh) -> Mesh:
    if step.square[0] >= step.grid[0] or step.square[1] >= step.grid[1]:
        raise EktoposError(
            "the palette has no such square.", subject=step.slot, hint="Choose one inside it."
        )
    number = slot_number(mesh, step.slot)
    own = np.flatnonzero(mesh.triangle_slot == number)
    faces = own
    if step.at is not None:
        group = groups_of(mesh, own, step.by)
        if any(face >= len(own) for face in step.at):
            raise EktoposError(
                "a chosen face is not in the slot any more.",
                subject=step.slot,
                hint="Choose it again.",
            )
        faces = own[np.isin(group, group[step.at])]
    side = 1.0 / np.array(step.grid)
    centre = (np.array(step.square) + 0.5) * side
    corners = mesh.corner_uvs()[faces]
    low = np.nan_to_num(np.nanmin(corners.reshape(-1, 2), axis=0)) if len(corners) else np.zeros(2)
    size = float(np.nan_to_num(np.ptp(corners.reshape(-1, 2), axis=0)).max(initial=0.0)) or 1.0
    shrunk = (np.nan_to_num(corners) - low) / size - 0.5
    return with_corner_uvs(mesh, faces, centre + shrunk * side * 0.5)


@apply_step.register
def _turn(step: TurnReversed, mesh: Mesh) -> Mesh:
    numbers = [slot_number(mesh, slot) for slot in step.slots]
    turned = reversed_faces(mesh) & np.isin(mesh.triangle_slot, numbers)
    faces = np.flatnonzero(turned)
    if not len(faces):
        raise EktoposError(
            "no face of it shows its back.",
            subject=step.slots[0],
            hint="Take the step out, if the file has been mended.",
        )
    mesh = with_own_vertices(mesh, faces)
    triangles, normals = mesh.triangles.copy(), mesh.normals.copy()
    triangles[faces] = triangles[faces][:, OTHER_WAY]
    own = np.unique(triangles[faces])
    normals[own] = -normals[own]
    return replace(mesh, triangles=triangles, normals=normals)


@apply_step.register
def _shade(step: Shade, mesh: Mesh) -> Mesh:
    faces = faces_of(mesh, step.slots)
    normals = corner_normals(mesh, faces, step.angle).reshape(-1, 3).astype(np.float32)
    mesh = with_own_vertices(mesh, faces)
    own = mesh.triangles[faces].reshape(-1)
    # Corners that agree go on sharing a vertex.
    steps = np.rint(normals * 2**20).astype(np.int64)
    first, place = unique_rows(np.concatenate([own[:, None], steps], axis=1))
    kept = np.setdiff1d(np.arange(len(mesh.positions)), own)
    triangles = mesh.triangles.copy()
    number = np.full(len(mesh.positions), -1)
    number[kept] = np.arange(len(kept))
    triangles = number[triangles]
    triangles[faces] = len(kept) + place.reshape(-1, 3)
    made = _with_vertices(mesh, np.concatenate([kept, own[first]]), triangles)
    shaded, odd = made.normals.copy(), made.unnormalised.copy()
    shaded[len(kept) :] = normals[first]
    odd[len(kept) :] = False
    return replace(made, normals=shaded, unnormalised=odd)


@apply_step.register
def _apply_scale(step: ApplyScale, mesh: Mesh) -> Mesh:
    # What is drawn has them already: only what the file says of its nodes changes.
    free = tuple(
        node if node.held else replace(node, scale=(1.0, 1.0, 1.0), mirrored=False)
        for node in mesh.nodes
    )
    if free == mesh.nodes:
        raise EktoposError(
            "no node of it has a scale that can be applied.",
            subject=mesh.name,
            hint="What animations, skeletons, morph targets or instances hang on stays scaled.",
        )
    return replace(mesh, nodes=free)


@apply_step.register
def _close(step: CloseCracks, mesh: Mesh) -> Mesh:
    if any(node.held for node in mesh.nodes):
        raise EktoposError(
            "animations, skeletons or morph targets move its points.",
            subject=mesh.name,
            hint="Close the cracks where the mesh was made.",
        )
    positions = without_cracks(mesh, step.share)
    if positions is mesh.positions:
        raise EktoposError(
            "no points of open edges lie that near to each other.",
            subject=mesh.name,
            hint="Take the step out, or let it reach further.",
        )
    return replace(mesh, positions=positions)


def carried(before: Mesh, after: Mesh) -> dict[str, str]:
    """For every slot after some steps, the slot that most of its triangles were in before; empty
    slots go by their name."""
    carried_slots = {}
    for number, slot in enumerate(after.slots):
        was = np.bincount(
            before.triangle_slot[after.triangle_slot == number], minlength=len(before.slots)
        )
        carried_slots[slot] = before.slots[int(was.argmax())] if was.any() else slot
    return carried_slots


def slot_number(mesh: Mesh, slot: str) -> int:
    """The number of a slot. Raises `EktoposError` if the mesh has none of that name."""
    if slot not in mesh.slots:
        raise EktoposError(
            "the mesh has no such slot.",
            subject=slot,
            hint=f"It has {', '.join(mesh.slots) or 'none'}.",
        )
    return mesh.slots.index(slot)


def faces_of(mesh: Mesh, slots: list[str]) -> Index:
    """Numbers of the triangles of slots. Raises `EktoposError` if there is none."""
    faces = np.flatnonzero(np.isin(mesh.triangle_slot, [slot_number(mesh, slot) for slot in slots]))
    if not len(faces):
        raise EktoposError("it has no triangles.", subject=slots[0], hint="Choose another slot.")
    return faces.astype(np.int32)


def groups_of(mesh: Mesh, faces: NDArray[Any], by: By) -> Index:
    """A number from 0 for each of some faces: equal for those that hang together, in the order in
    which they come.

    `faces` `(f,)` are triangle numbers; `(f,)`.
    """
    if by == "face":
        return np.arange(len(faces), dtype=np.int32)
    if by == "side":
        points = mesh.points[mesh.triangles[faces]]
        flat = flat_normals(mesh.corners()[faces])
        return faces_joined_by_edges(points, flat, np.cos(np.radians(ONE_SIDE)))[0]
    if by == "tile":
        return np.unique(tile_numbers(mesh.corner_uvs()[faces]), return_inverse=True)[1].astype(
            np.int32
        )
    if by == "island":
        corners = mesh.corner_uvs()[faces]
        islands, _ = uv_islands(
            np.where(np.isfinite(corners), corners, -1.0),
            mesh.points[mesh.triangles[faces]],
        )
    else:
        islands, _ = joined_faces(mesh.points[mesh.triangles[faces]])
    _, first, group = np.unique(islands, return_index=True, return_inverse=True)
    order = np.argsort(np.argsort(first))
    return order[group.reshape(-1)].astype(np.int32)


def with_own_vertices(mesh: Mesh, faces: NDArray[Any]) -> Mesh:
    """The mesh with copies of those vertices that some faces share with others.

    `faces` `(f,)` are triangle numbers.
    """
    inside = np.zeros(len(mesh.triangles), bool)
    inside[faces] = True
    shared = np.intersect1d(mesh.triangles[inside], mesh.triangles[~inside])
    if not len(shared):
        return mesh
    goal = np.arange(len(mesh.positions))
    goal[shared] = len(mesh.positions) + np.arange(len(shared))
    triangles = mesh.triangles.copy()
    triangles[inside] = goal[mesh.triangles[inside]]
    return _with_vertices(mesh, np.concatenate([np.arange(len(mesh.positions)), shared]), triangles)


def with_corner_uvs(mesh: Mesh, faces: NDArray[Any], corner_uvs: NDArray[np.float64]) -> Mesh:
    """The mesh with other UVs `(f, 3, 2)` at the corners of some faces; vertices are split where
    their corners differ.

    `faces` `(f,)` are triangle numbers; UV units.
    """
    mesh = with_own_vertices(mesh, faces)
    own = mesh.triangles[faces].reshape(-1)
    steps = np.rint(
        (corner_uvs.reshape(-1, 2) - corner_uvs.reshape(-1, 2).min(axis=0)) * 2**24
    ).astype(np.int64)
    first, place = unique_rows(np.concatenate([own[:, None], steps], axis=1))
    kept = np.setdiff1d(np.arange(len(mesh.positions)), own)
    triangles = mesh.triangles.copy()
    goal = np.zeros(len(mesh.positions), np.int64)
    goal[kept] = np.arange(len(kept))
    others = np.ones(len(triangles), bool)
    others[faces] = False
    triangles[others] = goal[triangles[others]]
    triangles[faces] = (len(kept) + place).reshape(-1, 3)
    changed = _with_vertices(mesh, np.concatenate([kept, own[first]]), triangles)
    uvs = changed.uvs.copy()
    uvs[len(kept) :] = corner_uvs.reshape(-1, 2)[first]
    uv_sets = tuple(
        max(1, n) if i in mesh.triangle_slot[faces] else n for i, n in enumerate(mesh.uv_sets)
    )
    return replace(changed, uvs=uvs, uv_sets=uv_sets)


def _with_vertices(mesh: Mesh, source: NDArray[Any], triangles: NDArray[Any]) -> Mesh:
    """The mesh with the vertices `source` of the old one."""
    return replace(
        mesh,
        positions=mesh.positions[source],
        normals=mesh.normals[source],
        uvs=mesh.uvs[source],
        colours=mesh.colours[source],
        unnormalised=mesh.unnormalised[source],
        more_uvs=tuple(uvs[source] for uvs in mesh.more_uvs),
        vertex_slot=mesh.vertex_slot[source],
        triangles=triangles.astype(np.int32),
    )


def _moved(mesh: Mesh, faces: NDArray[Any], goal: str) -> Mesh:
    if goal not in mesh.slots:
        source = int(mesh.triangle_slot[faces[0]]) if len(faces) else 0
        mesh = replace(
            mesh,
            slots=(*mesh.slots, goal),
            loose=(*mesh.loose, 0),
            uv_sets=(*mesh.uv_sets, mesh.uv_sets[source]),
        )
    number = mesh.slots.index(goal)
    mesh = with_own_vertices(mesh, faces)
    triangle_slot, vertex_slot = mesh.triangle_slot.copy(), mesh.vertex_slot.copy()
    triangle_slot[faces] = number
    vertex_slot[mesh.triangles[faces]] = number
    return replace(mesh, triangle_slot=triangle_slot, vertex_slot=vertex_slot)


def without_names(steps: Sequence[MeshStep]) -> tuple[list[MeshStep], dict[str, str]]:
    """A recipe with the same geometry that renames nothing, and what its slots are called in the
    end where that differs.

    Meshes are measured by what is done to them, and a name is nothing that is done. Where a split
    names its slots by itself after a slot was renamed, the names cannot be told from the recipe
    alone, and it is given back as it is.
    """
    names = _Names()
    unnamed: list[MeshStep] = []
    for step in steps:
        if isinstance(step, RenameSlot):
            names.current[names.origin(step.slot)] = step.name
        elif isinstance(step, SplitSlot) and step.name is None and names.current:
            return list(steps), {}
        else:
            unnamed.append(_unnamed(step, names))
    return unnamed, {was: now for was, now in names.current.items() if was != now}


class _Names:
    """What slots are called now, by what they are called where nothing is renamed."""

    def __init__(self) -> None:
        self.current: dict[str, str] = {}

    def origin(self, name: str) -> str:
        """What the slot of that name is called where nothing is renamed."""
        return next((was for was, now in self.current.items() if now == name), name)

    def fresh(self, name: str) -> str:
        """A name that no slot has had."""
        while name in self.current:
            name += "′"
        return name


def _unnamed(step: MeshStep, names: _Names) -> MeshStep:
    """A step on slots by the names that they have where nothing is renamed; `names` learns what
    they are called after it."""
    origin = names.origin
    if isinstance(step, MergeSlots):
        gone = [origin(slot) for slot in step.slots]
        stays = {was: now for was, now in names.current.items() if was not in gone}
        names.current = stays | {gone[0]: step.name}
        return step.model_copy(update={"slots": gone, "name": gone[0]})
    if isinstance(step, SplitSlot):
        whole, goal = origin(step.slot), step.name
        if step.name is not None:
            is_known = step.name in names.current.values()
            goal = origin(step.name) if is_known else names.fresh(step.name)
            if goal != step.name:
                names.current[goal] = step.name
        return step.model_copy(update={"slot": whole, "name": goal})
    if isinstance(step, ScaleUvs):
        factors = {origin(slot): factor for slot, factor in step.factors.items()}
        return step.model_copy(update={"factors": factors})
    if isinstance(step, RenameSlot | PaletteUvs):
        return step.model_copy(update={"slot": origin(step.slot)})
    if isinstance(step, ApplyScale | CloseCracks):
        return step
    return step.model_copy(update={"slots": [origin(slot) for slot in step.slots]})


def with_names(mesh: Mesh, names: Mapping[str, str]) -> Mesh:
    """A mesh whose slots are called otherwise."""
    return (
        replace(mesh, slots=tuple(names.get(slot, slot) for slot in mesh.slots)) if names else mesh
    )
