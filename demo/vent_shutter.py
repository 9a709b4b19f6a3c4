"""The perforated ventilation shutter: a cut-out in the alpha of its base colour."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from demo.shapes import Part, box, flat_shaded, joined, sheet, write_glb
from demo.textures import blend, clouds, colour, save, scratches
from ektopos.base.vectors import encode_normals
from ektopos.maps.normals import height_to_normal

SIZE = 1024
HOLES = 14


def write_maps(folder: Path) -> None:
    """Paint the shutter's maps."""
    axis = (np.arange(SIZE) + 0.5) / SIZE * HOLES
    row = np.floor(axis)[:, None]
    x = (axis[None, :] + 0.5 * (row % 2)) % 1.0 - 0.5
    y = axis[:, None] % 1.0 - 0.5
    distance = np.hypot(x, y)
    solid = np.clip((distance - 0.3) * SIZE / HOLES + 0.5, 0, 1).astype(np.float32)
    fine, worn = clouds(SIZE, 91, 1.2), scratches(SIZE, 92, 200)
    paint = blend(colour(0.33, 0.37, 0.41), colour(0.29, 0.33, 0.37), fine) + 0.05 * worn[..., None]
    lip = np.exp(-(((distance - 0.34) / 0.05) ** 2)).astype(np.float32)
    save(folder / "ventShutter-RGBA.png", paint, solid)
    save(
        folder / "ventShutter-R.png",
        np.clip(0.4 + 0.2 * fine + 0.15 * worn, 0, 1).astype(np.float32),
    )
    save(
        folder / "ventShutter-N.png",
        encode_normals(height_to_normal(0.4 * lip + 0.03 * fine, 14.0)),
    )


def write_mesh(path: Path) -> None:
    """A perforated sheet seen from both sides, in a frame whose name means something."""
    x, y = np.meshgrid(np.linspace(-0.4, 0.4, 9), np.linspace(0.3, -0.3, 7))
    points = np.stack([x, y, np.zeros_like(x)], -1)
    uvs = np.stack([x / 0.8 + 0.5, 0.5 - y / 0.8], -1)
    bars = [
        box("Frame", (-0.44, 0.3, -0.02), (0.44, 0.34, 0.02), (0.02, 0.02, 0.98, 0.2)),
        box("Frame", (-0.44, -0.34, -0.02), (0.44, -0.3, 0.02), (0.02, 0.22, 0.98, 0.4)),
        box("Frame", (-0.44, -0.3, -0.02), (-0.4, 0.3, 0.02), (0.02, 0.42, 0.98, 0.6)),
        box("Frame", (0.4, -0.3, -0.02), (0.44, 0.3, 0.02), (0.02, 0.62, 0.98, 0.8)),
    ]
    parts: list[Part] = [sheet("Shutter", points, uvs), flat_shaded(joined("Frame", bars))]
    write_glb(path, parts)


def document() -> dict[str, Any]:
    """The shutter's part of the project document."""
    rgba = {
        "file": "maps/ventShutter-RGBA.png",
        "encoding": "srgb",
        "roles": {"rgb": "base_color", "a": "opacity"},
    }
    return {
        "maps": {
            "ventShutter-RGBA": rgba,
            "ventShutter-R": {
                "file": "maps/ventShutter-R.png",
                "encoding": "linear",
                "roles": {"r": "roughness"},
            },
            "ventShutter-N": {
                "file": "maps/ventShutter-N.png",
                "encoding": "linear",
                "roles": {"rgb": "normal"},
                "normal_y": "+",
            },
        },
        "materials": {
            "vent_shutter": {
                "inputs": {
                    "base_color": {"map": "ventShutter-RGBA", "channels": "rgb"},
                    "metallic": {"value": 1.0},
                    "roughness": {"map": "ventShutter-R", "channels": "r"},
                    "normal": {"map": "ventShutter-N", "channels": "rgb"},
                    "opacity": {"map": "ventShutter-RGBA", "channels": "a"},
                },
                "alpha_mode": "mask",
                "double_sided": True,
                "surface_tag": "metal",
            },
        },
        "meshes": {
            "vent_shutter": {
                "file": "meshes/vent_shutter.glb",
                "slots": {"Shutter": "vent_shutter", "Frame": "pier_iron"},
            },
        },
    }
