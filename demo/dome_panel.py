"""The riveted copper dome panel: packed occlusion-roughness-metallic, a −Y normal map, a 16-bit
height."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from demo.shapes import Part, joined, lathe, moved, sheet, write_glb
from demo.textures import blend, clouds, colour, rivets, save, scratches, seams, step
from ektopos.base.vectors import encode_normals
from ektopos.maps.normals import flip_green, height_to_normal

SIZE = 2048


def write_maps(folder: Path) -> None:
    """Paint the panel's maps."""
    heads, grooves = rivets(SIZE, 2, 0.09, 0.016), seams(SIZE, 2, 0.03)
    dents, fine = clouds(SIZE, 11, 2.4), clouds(SIZE, 12, 1.2)
    height = 0.45 + 0.14 * (dents - 0.5) + 0.22 * heads - 0.3 * grooves + 0.02 * fine
    weather = clouds(SIZE, 13, 2.0, 2.0) + 0.35 * grooves + 0.1 * fine - 0.12 * heads
    patina = step(weather, 0.66, 0.05)
    worn = scratches(SIZE, 14, 260) * (1 - patina)
    copper = blend(colour(0.78, 0.47, 0.34), colour(0.62, 0.34, 0.25), clouds(SIZE, 15, 1.6))
    green = blend(colour(0.36, 0.66, 0.6), colour(0.24, 0.52, 0.48), clouds(SIZE, 16, 1.6))
    base = blend(copper, green, patina) + 0.06 * worn[..., None]
    occlusion = np.clip(1 - 0.55 * grooves - 0.25 * step(grooves, 0.1, 0.3), 0, 1)
    roughness = blend(0.28 + 0.2 * fine + 0.12 * worn, 0.68 + 0.18 * clouds(SIZE, 17, 1.4), patina)
    save(folder / "dome_copper_col.png", base)
    save(folder / "dome_copper_ORM.png", occlusion, roughness, 1 - patina)
    normals = height_to_normal(height, 60.0)
    save(folder / "dome_copper_nrm.tga", encode_normals(flip_green(normals)))
    save(folder / "dome_copper_hgt16.png", height, bits=16)


def write_mesh(path: Path) -> None:
    """A curved panel two metres wide with a folded rim, and separate rivet heads."""
    across, down = np.linspace(-0.5, 0.5, 49), np.linspace(0.5, -0.5, 49)
    x, y = np.meshgrid(across, down)
    radius = 2.6
    longitude, latitude = x * 0.75, y * 0.75
    panel = np.stack(
        [
            radius * np.sin(longitude) * np.cos(latitude),
            radius * np.sin(latitude),
            radius * np.cos(longitude) * np.cos(latitude) - radius,
        ],
        axis=-1,
    )
    uvs = np.stack([(x + 0.5) * 0.98 + 0.01, (0.5 - y) * 0.98 + 0.01], axis=-1)
    parts: list[Part] = [sheet("Panel", panel, uvs), *_rim(panel)]
    heads = [_head(panel[row, 3 + 7 * i], radius, i, row) for i in range(7) for row in (2, 46)]
    write_glb(path, [*parts, joined("Rivets", heads)])


def _rim(panel: np.ndarray[Any, Any]) -> list[Part]:
    edges = (panel[0, ::-1], panel[:, 0], panel[-1], panel[::-1, -1])
    found = []
    for number, edge in enumerate(edges):
        inward = edge * 0.985 + np.array([0, 0, -0.09])
        u = np.linspace(0.02, 0.98, len(edge))
        v0, v1 = 0.02 + number * 0.24, 0.22 + number * 0.24
        rows = np.stack([np.stack([u, np.full_like(u, v)], -1) for v in (v0, v1)])
        found.append(sheet("Rim", np.stack([edge, inward]), rows))
    return found


def _head(at: np.ndarray[Any, Any], radius: float, column: int, row: int) -> Part:
    outward = (at + np.array([0, 0, radius])) / radius
    profile = [(0.028 * np.sin(a), 0.02 * np.cos(a)) for a in np.linspace(0.0, np.pi / 2, 7)]
    u, v = 0.03 + 0.135 * column, 0.1 if row < 20 else 0.6
    head = lathe("Rivets", profile, 14, (u, v, u + 0.12, v + 0.3))
    side = np.cross([0.0, 0.0, 1.0], outward)
    side = side / np.linalg.norm(side) if np.linalg.norm(side) > 1e-6 else np.array([1.0, 0, 0])
    axes = np.stack([side, outward, np.cross(side, outward)])
    return moved(Part("Rivets", head.positions @ axes, head.uvs, head.triangles), at)


MATERIALS: dict[str, Any] = {
    "dome_copper": {
        "inputs": {
            "base_color": {
                "map": "dome_copper_col",
                "channels": "rgb",
                "tint": [1.0, 0.94, 0.88],
            },
            "metallic": {"map": "dome_copper_ORM", "channels": "b"},
            "roughness": {"map": "dome_copper_ORM", "channels": "g", "range": [0.12, 0.86]},
            "normal": {"map": "dome_copper_nrm", "channels": "rgb", "strength": 0.8},
            "occlusion": {"map": "dome_copper_ORM", "channels": "r", "strength": 0.9},
            "height": {"map": "dome_copper_hgt16", "channels": "r"},
        },
        "uv": {"tiling": [2.0, 2.0]},
        "surface_tag": "metal",
    },
    "dome_copper_polished": {
        "from": "dome_copper",
        "inputs": {
            "roughness": {"value": 0.22},
            "base_color": {"value": [0.87, 0.48, 0.32]},
        },
    },
}


def document() -> dict[str, Any]:
    """The panel's part of the project document."""
    return {
        "maps": {
            "dome_copper_col": {
                "file": "maps/dome_copper_col.png",
                "encoding": "srgb",
                "roles": {"rgb": "base_color"},
            },
            "dome_copper_ORM": {
                "file": "maps/dome_copper_ORM.png",
                "encoding": "linear",
                "roles": {"r": "occlusion", "g": "roughness", "b": "metallic"},
            },
            "dome_copper_nrm": {
                "file": "maps/dome_copper_nrm.tga",
                "encoding": "linear",
                "roles": {"rgb": "normal"},
                "normal_y": "-",
            },
            "dome_copper_hgt16": {
                "file": "maps/dome_copper_hgt16.png",
                "encoding": "linear",
                "roles": {"r": "height"},
            },
        },
        "materials": MATERIALS,
        "meshes": {
            "dome_panel": {
                "file": "meshes/dome_panel.glb",
                "slots": {
                    "Panel": "dome_copper",
                    "Rim": "dome_copper",
                    "Rivets": "dome_copper_polished",
                },
                "done": ["Panel"],
            },
        },
    }
