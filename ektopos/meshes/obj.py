"""Read Wavefront OBJ with its MTL names: n-gons, negative indices, missing UVs or normals.

Read here rather than through a scene library, because slots and vertex counts must be those of the file.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from ektopos.errors import UnreadableFile
from ektopos.meshes.gltf import UNNORMALISED_BY
from ektopos.meshes.mesh import Mesh

Find = Callable[[str], Path | None]


def read_obj(path: Path, find: Find, name: str) -> Mesh:
    """A mesh from an `.obj` file; polygons become fans. Raises `UnreadableFile`, or `ValueError` and its kin for damage."""
    text = path.read_text("utf-8", errors="replace").replace("\\\n", " ")
    positions: list[list[float]] = []
    coloured: list[bool] = []
    uvs: list[list[float]] = []
    normals: list[list[float]] = []
    slots: list[str] = []
    corners: list[tuple[int, int, int]] = []
    corner_number: dict[tuple[int, int, int, int], int] = {}
    corner_slot: list[int] = []
    triangles: list[tuple[int, int, int]] = []
    triangle_slot: list[int] = []
    libraries: list[str] = []
    current: int | None = None
    for line in text.splitlines():
        words = line.split()
        if not words:
            continue
        key = words[0]
        if key == "v":
            positions.append([float(word) for word in words[1:4]])
            coloured.append(len(words) >= 7)
        elif key == "vt":
            uvs.append([float(words[1]), float(words[2]) if len(words) > 2 else 0.0])
        elif key == "vn":
            normals.append([float(word) for word in words[1:4]])
        elif key == "usemtl":
            material = line.split(None, 1)[1].strip() if len(words) > 1 else f"slot_{len(slots)}"
            if material not in slots:
                slots.append(material)
            current = slots.index(material)
        elif key == "mtllib":
            libraries.append(line.split(None, 1)[1].strip())
        elif key == "f":
            if current is None:
                slots.append(f"slot_{len(slots)}")
                current = len(slots) - 1
            face = []
            for word in words[1:]:
                triple = _corner(word, len(positions), len(uvs), len(normals))
                number = corner_number.setdefault((*triple, current), len(corners))
                if number == len(corners):
                    corners.append(triple)
                    corner_slot.append(current)
                face.append(number)
            for i in range(1, len(face) - 1):
                triangles.append((face[0], face[i], face[i + 1]))
                triangle_slot.append(current)
    if not positions:
        raise UnreadableFile("there are no vertices in it.", subject=name, hint="Export it again.")
    for library in libraries:
        found = find(library)
        for material in _materials(found) if found else []:
            if material not in slots:
                slots.append(material)
    return _assemble(name, positions, coloured, uvs, normals, corners, corner_slot, triangles, triangle_slot, slots)


def obj_companions(path: Path) -> list[str]:
    """Relative paths of the material libraries that an `.obj` names."""
    with path.open(encoding="utf-8", errors="replace") as file:
        return [line.split(None, 1)[1].strip() for line in file if line.startswith("mtllib ") and len(line.split()) > 1]


def _corner(word: str, positions: int, uvs: int, normals: int) -> tuple[int, int, int]:
    """Zero-based numbers of a face corner's position, UV and normal; −1 where there is none."""
    parts = [*word.split("/"), "", ""][:3]
    found = []
    for part, count in zip(parts, (positions, uvs, normals), strict=True):
        number = int(part) if part else 0
        number = number - 1 if number > 0 else number + count if number < 0 else -1
        if number >= count or (number < 0 and part):
            raise ValueError(f"the face corner {word} points beyond the file")
        found.append(number)
    if found[0] < 0:
        raise ValueError(f"the face corner {word} has no position")
    return found[0], found[1], found[2]


def _materials(library: Path) -> list[str]:
    with library.open(encoding="utf-8", errors="replace") as file:
        return [line.split(None, 1)[1].strip() for line in file if line.strip().startswith("newmtl ")]


def _assemble(
    name: str, positions: list[list[float]], coloured: list[bool], uvs: list[list[float]], normals: list[list[float]],
    corners: list[tuple[int, int, int]], corner_slot: list[int], triangles: list[tuple[int, int, int]],
    triangle_slot: list[int], slots: list[str],
) -> Mesh:  # fmt: skip
    place = np.array(positions, np.float64).reshape(-1, 3)
    if not np.isfinite(place).all():
        raise ValueError("a position is not a number")
    picked = np.array(corners, np.int64).reshape(-1, 3)
    uv_pool = np.array([*uvs, [np.nan, np.nan]], np.float64)
    uv_pool[:, 1] = 1.0 - uv_pool[:, 1]  # OBJ's v points up
    normal_pool = np.array([*normals, [0.0, 0.0, 0.0]], np.float64)
    length = np.linalg.norm(normal_pool, axis=1, keepdims=True)
    unnormalised = (np.abs(length[:, 0] - 1.0) > UNNORMALISED_BY) & (length[:, 0] > 0)
    unit = np.where(length > 0, normal_pool / np.maximum(length, 1e-30), 0.0)
    used = np.zeros(len(place), bool)
    used[picked[:, 0]] = True
    loose = [0] * len(slots)
    if slots:
        loose[0] = int((~used).sum())
    has_uv = picked[:, 1] >= 0
    slot_of = np.array(corner_slot, np.int32)
    return Mesh(
        name=Path(name).stem,
        positions=place[picked[:, 0]],
        triangles=np.array(triangles, np.int32).reshape(-1, 3),
        triangle_slot=np.array(triangle_slot, np.int32),
        slots=tuple(slots),
        vertex_slot=slot_of,
        normals=unit[picked[:, 2]].astype(np.float32),
        uvs=uv_pool[picked[:, 1]].astype(np.float32),
        coloured=np.array(coloured, bool)[picked[:, 0]] if len(picked) else np.zeros(0, bool),
        unnormalised=unnormalised[picked[:, 2]],
        loose=tuple(loose),
        uv_sets=tuple(int(has_uv[slot_of == i].any()) for i in range(len(slots))),
    )
