"""Read Wavefront OBJ with its MTL names: n-gons, negative indices, missing UVs or normals.

Read here rather than through a scene library, because slots and vertex counts must be those of the
file. Lines are only sorted by what they begin with; numbers are parsed all at once.
"""

from __future__ import annotations

import warnings
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ektopos.base.errors import UnreadableFile
from ektopos.base.names import shortened
from ektopos.base.vectors import normalise
from ektopos.meshes.mesh import Mesh
from ektopos.meshes.mesh_builder import (
    check_slots,
    not_unit,
    seen_colours,
    triangulated,
    unit_normals,
    with_alpha,
)
from ektopos.meshes.rows import unique_rows
from ektopos.meshes.uvs import spread

Find = Callable[[str], Path | None]


@dataclass
class _Lines:
    """The lines of a file by what they say, and runs of faces with the same slot and the same
    vertices before them."""

    positions: list[str] = field(default_factory=list)
    uvs: list[str] = field(default_factory=list)
    normals: list[str] = field(default_factory=list)
    faces: list[str] = field(default_factory=list)
    runs: list[tuple[int, int, int, int, int, int, int]] = field(default_factory=list)
    """First face, slot, how many positions, UVs and normals stand before, the smoothing group, 0
    for none, and the object."""
    objects: dict[str, int] = field(default_factory=dict)
    """Numbers of objects by their names, in the order of the file."""
    slots: dict[str, int] = field(default_factory=dict)
    """Numbers of slots by their names, in the order of the file."""
    libraries: list[str] = field(default_factory=list)

    def slot(self, name: str = "") -> int:
        """The number of a slot, new if it is; without a name it gets one by its number."""
        return self.slots.setdefault(name or f"slot_{len(self.slots)}", len(self.slots))


def read_obj(path: Path, find: Find, name: str) -> Mesh:
    """A mesh from an `.obj` file; polygons become triangles. Raises `UnreadableFile`, or
    `ValueError` and its kin for damage."""
    lines = _sorted_lines(
        path.read_text("utf-8-sig", errors="replace").replace("\\\n", " ").replace("\t", " ")
    )
    if not lines.positions:
        raise UnreadableFile("there are no vertices in it.", subject=name, hint="Export it again.")
    for library in lines.libraries:
        library_path = find(library)
        for material in _materials(library_path) if library_path else []:
            lines.slot(shortened(material))
    check_slots(len(lines.slots))
    numbers, widths = _numbers(lines.positions, 6, 3)
    positions = numbers[:, :3]
    if not np.isfinite(positions).all():
        raise ValueError("a position is not a number")
    # Three more numbers of a vertex are its colour; a fourth alone is a weight.
    colours = np.where(widths[:, None] >= 6, with_alpha(seen_colours(numbers[:, 3:])), np.nan)
    uvs, _ = _numbers(lines.uvs, 2, 1)
    normals, _ = _numbers(lines.normals, 3, 3)
    _refuse_words(UV=uvs, normal=normals)
    counts = np.array([len(face.split()) for face in lines.faces], np.int64)
    if (counts < 3).any():
        raise ValueError("a face has fewer than three corners")
    corners = _corners(lines, counts)
    normals = _smoothed(corners, counts, _by_run(lines, 5), positions, normals)
    slot_of_face = _by_run(lines, 1)
    corner_slot = np.repeat(slot_of_face, counts)
    first, place = unique_rows(np.concatenate([corners + 1, corner_slot[:, None]], axis=1))
    picked = corners[first]
    triangles = triangulated(counts, positions[corners[:, 0]])

    uv_pool = _upside_down(uvs)
    stored = np.concatenate([normals, [[0.0, 0.0, 0.0]]])
    normal_pool, unnormalised = unit_normals(stored), not_unit(stored)
    # Vertices that no face uses belong to no slot; they are said of the first.
    unused = len(positions) - len(np.unique(picked[:, 0]))
    has_uv = picked[:, 1] >= 0
    vertex_slot = corner_slot[first].astype(np.int32)
    of_triangles = np.maximum(counts - 2, 0)
    divided = len(lines.objects) > 1
    return Mesh(
        name=Path(name).stem,
        positions=positions[picked[:, 0]],
        triangles=place[triangles].astype(np.int32).reshape(-1, 3),
        triangle_slot=np.repeat(slot_of_face, of_triangles).astype(np.int32),
        slots=tuple(lines.slots),
        vertex_slot=vertex_slot,
        normals=normal_pool[picked[:, 2]].astype(np.float32),
        uvs=uv_pool[picked[:, 1]].astype(np.float32),
        colours=colours[picked[:, 0]].astype(np.float32),
        unnormalised=unnormalised[picked[:, 2]],
        loose=tuple(unused if i == 0 else 0 for i in range(len(lines.slots))),
        uv_sets=tuple(int(has_uv[vertex_slot == i].any()) for i in range(len(lines.slots))),
        objects=tuple(lines.objects) if divided else (),
        triangle_object=np.repeat(_by_run(lines, 6), of_triangles).astype(np.int32)
        if divided
        else None,
    )


def _upside_down(uvs: NDArray[np.float64]) -> NDArray[np.float64]:
    """UVs `(n, 2)` with v down, for OBJ's points up, and a last row for corners without any."""
    pool = np.concatenate([uvs, [[np.nan, np.nan]]])
    pool[:, 1] = 1.0 - pool[:, 1]
    return pool


def _refuse_words(**values: NDArray[np.float64]) -> None:
    """Raises `ValueError` for numbers that are none."""
    for kind, numbers in values.items():
        if not np.isfinite(numbers).all():
            raise ValueError(f"a {kind} is written as a word (nan or inf), not as a number")


def obj_companions(path: Path) -> list[str]:
    """Relative paths of the material libraries that an `.obj` names."""
    with path.open(encoding="utf-8-sig", errors="replace") as file:
        return [
            line.split(None, 1)[1].strip()
            for line in file
            if line.startswith("mtllib ") and len(line.split()) > 1
        ]


def _sorted_lines(text: str) -> _Lines:
    lines = _Lines()
    current: int | None = None
    changed = True
    group, part = 0, ""
    for line in text.splitlines():
        key, _, rest = line.lstrip().partition(" ")
        if key == "v":
            lines.positions.append(rest)
            changed = True
        elif key == "vt":
            lines.uvs.append(rest)
            changed = True
        elif key == "vn":
            lines.normals.append(rest)
            changed = True
        elif key == "f":
            if changed:
                if current is None:
                    current = lines.slot()
                before = (len(lines.positions), len(lines.uvs), len(lines.normals))
                inside = lines.objects.setdefault(part, len(lines.objects))
                lines.runs.append((len(lines.faces), current, *before, group, inside))
                changed = False
            lines.faces.append(rest)
        elif key == "usemtl":
            current = lines.slot(shortened(rest.strip()))
            changed = True
        elif key == "o":
            part = shortened(rest.strip())
            changed = True
        elif key == "s":
            word = rest.strip()
            group = int(word) if word.isdigit() else int(word == "on")
            changed = True
        elif key == "mtllib":
            lines.libraries.append(rest.strip())
    return lines


def _numbers(
    lines: list[str], width: int, least: int
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """The first `width` numbers of every line, `(n, width)`, missing ones 0, and how many each line
    has."""
    widths = np.array([len(line.split()) for line in lines], np.int64)
    values = _parsed(" ".join(lines), int(widths.sum()), np.float64)
    starts = np.cumsum(widths) - widths
    numbers = np.zeros((len(lines), width))
    for column in range(width):
        there = widths > column
        numbers[there, column] = values[starts[there] + column]
    if (widths < least).any():
        raise ValueError("a line breaks off")
    return numbers, widths


def _parsed(text: str, count: int, kind: type[np.float64] | type[np.int64]) -> NDArray[Any]:
    """So many numbers of a text. Raises `ValueError` if it does not hold just that many."""
    with warnings.catch_warnings():
        warnings.simplefilter(
            "ignore", DeprecationWarning
        )  # what NumPy says of a text that is not all numbers
        try:
            values = np.fromstring(text, kind, sep=" ")
        except ValueError:  # NumPy's own words say nothing of the file
            values = np.zeros(0, kind)
    if len(values) != count:
        raise ValueError("a line does not hold numbers")
    return values


def _by_run(lines: _Lines, column: int) -> NDArray[np.int64]:
    """A fact of the runs, for every face."""
    starts = [run[0] for run in lines.runs]
    lengths = np.diff([*starts, len(lines.faces)])
    return np.repeat(np.array([run[column] for run in lines.runs], np.int64), lengths)


def _corners(lines: _Lines, counts: NDArray[np.int64]) -> NDArray[np.int64]:
    """Numbers of position, UV and normal of every face corner, `(c, 3)`, from 0; −1 where there is
    none."""
    text = " ".join(lines.faces)
    count, empty = int(counts.sum()), text.count("//")
    # What is left of each corner without its digits says how it is written; files hardly ever mix
    # ways.
    ways = text.encode().translate(None, b"0123456789-").split()
    way = ways[0] if len(ways) == count and len(set(ways)) == 1 else None
    corners = np.zeros((count, 3), np.int64)
    if not ways:
        corners[:, 0] = _parsed(text, count, np.int64)
    elif way == b"/":
        corners[:, :2] = _parsed(text.replace("/", " "), 2 * count, np.int64).reshape(-1, 2)
    elif way == b"//" and not empty:
        corners[:] = _parsed(text.replace("/", " "), 3 * count, np.int64).reshape(-1, 3)
    elif way == b"//" and empty == count:
        corners[:, ::2] = _parsed(text.replace("//", " "), 2 * count, np.int64).reshape(-1, 2)
    else:
        parts = ([*word.split("/"), "", ""][:3] for word in text.split())
        corners[:] = [[int(part) if part else 0 for part in three] for three in parts]
    for column, what in enumerate(("positions", "UVs", "normals")):
        before = np.repeat(_by_run(lines, 2 + column), counts)
        number = corners[:, column]
        number = np.where(number > 0, number - 1, np.where(number < 0, number + before, -1))
        if (number >= before).any() or ((corners[:, column] < 0) & (number < 0)).any():
            raise ValueError(f"a face points beyond the {what}")
        corners[:, column] = number
    if (corners[:, 0] < 0).any():
        raise ValueError("a face corner has no position")
    return corners


def _smoothed(
    corners: NDArray[np.int64],
    counts: NDArray[np.int64],
    groups: NDArray[np.int64],
    positions: NDArray[np.float64],
    normals: NDArray[np.float64],
) -> NDArray[np.float64]:
    """The normals with those that smoothing groups mean for corners that have none; `corners` is
    told which. Source: the OBJ format's specification, “s group_number”: faces of a group share
    normals, those of 0 are flat."""
    of_corner = np.repeat(groups, counts)
    smooth = np.flatnonzero((corners[:, 2] < 0) & (of_corner > 0))
    if not len(smooth):
        return normals
    starts = np.cumsum(counts) - counts
    places = positions[corners[:, 0]]
    owner, step = spread(counts)
    following = starts[owner] + (step + 1) % counts[owner]
    # Newell's sum is twice the area times the normal, so faces weigh by their area.
    faces = np.zeros((len(counts), 3))
    np.add.at(faces, owner, np.cross(places, places[following]))
    first, shared = unique_rows(np.stack([corners[smooth, 0], of_corner[smooth]], axis=1))
    summed = np.zeros((len(first), 3))
    np.add.at(summed, shared, faces[owner[smooth]])
    corners[smooth, 2] = len(normals) + shared
    return np.concatenate([normals, normalise(summed)])


def _materials(library: Path) -> list[str]:
    with library.open(encoding="utf-8-sig", errors="replace") as file:
        return [
            line.split(None, 1)[1].strip() for line in file if line.strip().startswith("newmtl ")
        ]
