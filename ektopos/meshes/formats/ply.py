"""Read PLY: text and binary of either byte order, polygons, normals, colours, UVs on vertices or on
corners.

Read here rather than through a scene library, because vertex counts and faults must be those of the
file. Source: Turk, “The PLY Polygon File Format”, 1994. PLY says nothing of slots, so there is one;
names of UV properties and a v that points up are common practice.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ektopos.base.errors import UnreadableFile
from ektopos.meshes.mesh import Mesh
from ektopos.meshes.mesh_builder import (
    Part,
    join_parts,
    not_unit,
    seen_colours,
    triangulated,
    unit_normals,
    with_alpha,
)

_KIND = {
    "char": "i1",
    "int8": "i1",
    "uchar": "u1",
    "uint8": "u1",
    "short": "i2",
    "int16": "i2",
    "ushort": "u2",
    "uint16": "u2",
    "int": "i4",
    "int32": "i4",
    "uint": "u4",
    "uint32": "u4",
    "float": "f4",
    "float32": "f4",
    "double": "f8",
    "float64": "f8",
}
_UV_NAMES = (("u", "v"), ("s", "t"), ("texture_u", "texture_v"), ("texture_s", "texture_t"))
_CORNERS = ("vertex_indices", "vertex_index")


@dataclass
class _Element:
    """One element of the header and, once read, its columns."""

    name: str
    count: int
    properties: list[tuple[str, str, str | None]] = field(default_factory=list)
    """Name, kind, and the kind of the count where it is a list."""
    columns: dict[str, NDArray[Any]] = field(default_factory=dict)
    """One value a row, or all values of a list one after the other."""
    counts: dict[str, NDArray[np.int64]] = field(default_factory=dict)
    """How many values a list has in each row."""


def read_ply(path: Path, name: str) -> Mesh:
    """A mesh from a `.ply` file. Raises `UnreadableFile`, or `ValueError` and its kin for
    damage.
    """
    raw = path.read_bytes()
    elements, order, start = _header(raw, name)
    if order is None:
        words = iter(raw[start:].split())
        for element in elements:
            _read_text(element, words)
    else:
        for element in elements:
            start = _read_binary(element, raw, start, order)
    by_name = {element.name: element for element in elements}
    vertex, face = by_name.get("vertex"), by_name.get("face")
    strips = by_name.get("tristrips")
    if strips is not None and (face is None or not face.count):
        face = _of_strips(strips)
    if vertex is None or not vertex.count or any(axis not in vertex.columns for axis in "xyz"):
        raise UnreadableFile("there are no vertices in it.", subject=name, hint="Export it again.")
    return join_parts(Path(name).stem, [_part(vertex, face)], ("slot_0",), (), ())


def _header(raw: bytes, name: str) -> tuple[list[_Element], str | None, int]:
    """The elements, the byte order (`None` for text), and where the rest begins."""
    end = raw.find(b"end_header")
    if not raw.startswith(b"ply") or end < 0:
        raise UnreadableFile("this is not a PLY file.", subject=name, hint="Export it again.")
    start = raw.index(b"\n", end) + 1
    order: str | None = None
    elements: list[_Element] = []
    rest = len(raw) - start
    for line in raw[:end].decode("latin-1").splitlines():
        words = line.split()
        if words[:1] == ["format"]:
            orders = {"ascii": None, "binary_little_endian": "<", "binary_big_endian": ">"}
            if words[1] not in orders:
                raise UnreadableFile(
                    f"PLY {words[1]} is not known.",
                    subject=name,
                    hint="Save it as text or binary PLY.",
                )
            order = orders[words[1]]
        elif words[:1] == ["element"]:
            count = int(words[2])
            # Every row takes at least one byte.
            if not 0 <= count <= rest:
                raise ValueError(f"it claims {count:,} of {words[1]}, and {rest:,} bytes are there")
            elements.append(_Element(words[1], count))
        elif words[:2] == ["property", "list"]:
            elements[-1].properties.append((words[4], _KIND[words[3]], _KIND[words[2]]))
        elif words[:1] == ["property"]:
            elements[-1].properties.append((words[2], _KIND[words[1]], None))
    return elements, order, start


def _read_text(element: _Element, words: Any) -> None:
    if not element.properties:
        return
    kept: dict[str, list[float]] = {name: [] for name, _, _ in element.properties}
    counts: dict[str, list[int]] = {name: [] for name, _, listed in element.properties if listed}
    try:
        for _ in range(element.count):
            for name, _, listed in element.properties:
                if listed:
                    counts[name].append(int(next(words)))
                    kept[name] += [float(next(words)) for _ in range(counts[name][-1])]
                else:
                    kept[name].append(float(next(words)))
    except StopIteration:
        raise ValueError("the file breaks off") from None
    element.columns = {name: np.array(values) for name, values in kept.items()}
    element.counts = {name: np.array(values, np.int64) for name, values in counts.items()}


def _read_binary(element: _Element, raw: bytes, start: int, order: str) -> int:
    """Read an element's rows from `start`; gives where they end."""
    if not element.properties:
        return start
    if not any(listed for _, _, listed in element.properties):
        row = np.dtype([(name, order + kind) for name, kind, _ in element.properties])
        rows = np.frombuffer(raw, row, element.count, start)
        element.columns = {name: rows[name] for name, _, _ in element.properties}
        return start + row.itemsize * element.count
    even = _read_even(element, raw, start, order)
    return even if even is not None else _read_uneven(element, raw, start, order)


def _read_even(element: _Element, raw: bytes, start: int, order: str) -> int | None:
    """Rows whose lists are all as long as those of the first row, read at once; `None` if they are
    not."""
    fields: list[Any] = []
    at = start
    for name, kind, listed in element.properties:
        if listed and element.count:
            length = int(np.frombuffer(raw, order + listed, 1, at)[0])
            if not 0 <= length <= len(raw) - at:
                raise ValueError("the file breaks off")
            fields += [(f"{name}#", order + listed), (name, order + kind, (length,))]
            at += np.dtype(listed).itemsize + np.dtype(kind).itemsize * length
        else:
            fields.append((name, order + kind))
            at += np.dtype(kind).itemsize
    row = np.dtype(fields)
    if start + row.itemsize * element.count > len(raw):
        return None
    rows = np.frombuffer(raw, row, element.count, start)
    for name, _, listed in element.properties:
        if listed and element.count:
            if (rows[f"{name}#"] != rows[f"{name}#"][0]).any():
                return None
            element.counts[name] = rows[f"{name}#"].astype(np.int64)
        element.columns[name] = rows[name].reshape(-1)
    return start + row.itemsize * element.count


def _read_uneven(element: _Element, raw: bytes, start: int, order: str) -> int:
    """Rows with lists of different lengths, one by one."""
    kept: dict[str, list[NDArray[Any]]] = {name: [] for name, _, _ in element.properties}
    counts: dict[str, list[int]] = {name: [] for name, _, listed in element.properties if listed}
    for _ in range(element.count):
        for name, kind, listed in element.properties:
            length = 1
            if listed:
                length = int(np.frombuffer(raw, order + listed, 1, start)[0])
                counts[name].append(length)
                start += np.dtype(listed).itemsize
            kept[name].append(np.frombuffer(raw, order + kind, length, start))
            start += np.dtype(kind).itemsize * length
    element.columns = {
        name: np.concatenate(parts) if parts else np.zeros(0) for name, parts in kept.items()
    }
    element.counts = {name: np.array(values, np.int64) for name, values in counts.items()}
    return start


def _of_strips(strips: _Element) -> _Element:
    """Faces of triangle strips, which a −1 parts; every second triangle of a strip is wound the
    other way. Triangles of fewer than three vertices only join the strip."""
    key = next((key for key in _CORNERS if key in strips.columns), None)
    face = _Element("face", 0)
    if key is None:
        return face
    run = strips.columns[key].astype(np.int64)
    # Rows are strips of their own as well.
    row = np.repeat(np.arange(strips.count), strips.counts[key])
    breaks = (run < 0).cumsum()
    first, second, third = run[:-2], run[1:-1], run[2:]
    whole = (row[:-2] == row[2:]) & (breaks[:-2] == breaks[2:]) & (first >= 0)
    starts = np.flatnonzero(np.r_[True, (run[:-1] < 0) | (row[:-1] != row[1:])])
    place = np.arange(len(run)) - starts[np.searchsorted(starts, np.arange(len(run)), "right") - 1]
    odd = (place[:-2] % 2 == 1)[:, None]
    corners = np.stack([first, second, third], axis=1)
    corners = np.where(odd, corners[:, [1, 0, 2]], corners)[whole]
    apart = (corners[:, 0] != corners[:, 1]) & (corners[:, 1] != corners[:, 2])
    corners = corners[apart & (corners[:, 0] != corners[:, 2])]
    face.count = len(corners)
    face.columns = {"vertex_indices": corners.reshape(-1)}
    face.counts = {"vertex_indices": np.full(len(corners), 3, np.int64)}
    return face


def _part(vertex: _Element, face: _Element | None) -> Part:
    positions = np.stack([vertex.columns[axis] for axis in "xyz"], axis=1).astype(np.float64)
    if not np.isfinite(positions).all():
        raise ValueError("a position is not a number")
    key = next((key for key in _CORNERS if face is not None and key in face.counts), None)
    corners, counts = np.zeros(0, np.int64), np.zeros(0, np.int64)
    if face is not None and key is not None:
        corners, counts = face.columns[key].astype(np.int64), face.counts[key]
    if corners.size and (corners.min() < 0 or corners.max() >= len(positions)):
        raise ValueError("a face points beyond the vertices")
    triangles = triangulated(counts, positions[corners])
    columns = vertex.columns
    normals = np.zeros_like(positions)
    if all(axis in columns for axis in ("nx", "ny", "nz")):
        normals = np.stack([columns[axis] for axis in ("nx", "ny", "nz")], axis=1).astype(
            np.float64
        )
    normals, unnormalised = unit_normals(normals), not_unit(normals)
    pair = next((pair for pair in _UV_NAMES if pair[0] in columns and pair[1] in columns), None)
    uvs = np.full((len(positions), 2), np.nan)
    if pair is not None:
        uvs = np.stack(
            [columns[pair[0]], 1.0 - columns[pair[1]].astype(np.float64)], axis=1
        ).astype(np.float64)
    colours = _colours(columns)
    if (
        face is not None
        and "texcoord" in face.counts
        and (face.counts["texcoord"] == 2 * counts).all()
    ):
        # UVs of corners: every corner becomes a vertex of its own where its UVs are its own.
        by_corner = face.columns["texcoord"].reshape(-1, 2).astype(np.float64)
        pairs = np.concatenate([corners[:, None], by_corner], axis=1)
        kept, place = np.unique(pairs, axis=0, return_inverse=True)
        used = kept[:, 0].astype(np.int64)
        uvs = np.stack([kept[:, 1], 1.0 - kept[:, 2]], axis=1)
        positions, normals, unnormalised = positions[used], normals[used], unnormalised[used]
        colours = None if colours is None else colours[used]
        corners = place.reshape(-1)
        pair = ("u", "v")
    return Part(
        0, positions, corners[triangles], normals, uvs, colours, unnormalised, int(pair is not None)
    )


def _colours(columns: dict[str, NDArray[Any]]) -> NDArray[np.float64] | None:
    """The vertices' colours, 0–1, by the names that are in common use."""
    for prefix in ("", "diffuse_"):
        names = [f"{prefix}{channel}" for channel in ("red", "green", "blue", "alpha")]
        if names[0] in columns:
            whole = [columns[name] for name in names if name in columns]
            colours = np.stack(
                [c / 255.0 if np.issubdtype(c.dtype, np.integer) else c for c in whole], axis=1
            )
            return (
                with_alpha(seen_colours(colours.astype(np.float64)))
                if colours.shape[1] >= 3
                else np.ones((len(colours), 4))
            )
    return None
