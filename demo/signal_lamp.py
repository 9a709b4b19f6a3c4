"""The signal lamp: float emission in EXR, a size that is no power of two, roughness in 32-bit
RGBA.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from demo.shapes import box, flat_shaded, joined, lathe, moved, write_glb
from demo.textures import blend, clouds, colour, save, scratches, seams, step
from ektopos.base.vectors import encode_normals
from ektopos.images import write_image
from ektopos.maps.normals import height_to_normal

SIZE = 1024
WIDE, HIGH = 512, 600


def write_maps(folder: Path) -> None:
    """Paint the lamp's maps."""
    worn = step(scratches(SIZE, 31, 420) + 0.3 * clouds(SIZE, 32, 1.5), 0.42, 0.3)
    paint = blend(colour(0.55, 0.16, 0.12), colour(0.47, 0.12, 0.1), clouds(SIZE, 33, 1.5))
    base = blend(paint, colour(0.56, 0.55, 0.53), worn)
    roughness = blend(0.42 + 0.14 * clouds(SIZE, 34, 1.3), np.full_like(worn, 0.3), worn)
    height = 0.5 - 0.08 * worn + 0.05 * clouds(SIZE, 35, 1.6) - 0.2 * seams(SIZE, 3, 0.02)
    save(folder / "signalLamp_BaseColor.png", base)
    save(folder / "signalLamp_Rough.png", *[roughness] * 3, np.ones_like(roughness))
    save(folder / "signalLamp_Metal.png", worn)
    save(folder / "signalLamp_Normal_GL.png", encode_normals(height_to_normal(height, 50.0)))
    y, x = (np.mgrid[0:HIGH, 0:WIDE] + 0.5) / np.array([HIGH, WIDE])[:, None, None]
    rings = 0.5 + 0.5 * np.cos(np.hypot(x - 0.5, y - 0.5) * 70)
    glow = np.exp(-((np.hypot(x - 0.5, y - 0.5) / 0.3) ** 2))
    lens = blend(colour(0.86, 0.72, 0.42), colour(0.95, 0.86, 0.62), rings.astype(np.float32))
    save(folder / "lampLens_col.png", lens)
    save(folder / "lampLens_rgh.png", (0.08 + 0.1 * rings).astype(np.float32))
    light = (glow * (0.6 + 0.4 * rings))[..., None] * np.array([4.0, 2.4, 0.7])
    write_image(folder / "lampLens_emissive.exr", light.astype(np.float16))


def write_mesh(path: Path) -> None:
    """A housing on a foot, with a bulging lens in front."""
    housing = lathe(
        "Housing",
        [
            (0.0, 0.2),
            (0.05, 0.2),
            (0.14, 0.18),
            (0.16, 0.14),
            (0.16, -0.12),
            (0.18, -0.14),
            (0.18, -0.17),
            (0.15, -0.17),
        ],
        40,
        (0.02, 0.02, 0.98, 0.6),
    )
    lens_profile = [
        (0.15 * np.sin(a), -0.17 - 0.07 * np.cos(a) + 0.0) for a in np.linspace(np.pi / 2, 0.0, 12)
    ]
    lens = lathe("Lens", lens_profile, 40, (0.0, 0.0, 1.0, 1.0))
    angle = np.arctan2(lens.positions[:, 0], lens.positions[:, 2])
    reach = np.hypot(lens.positions[:, 0], lens.positions[:, 2]) / 0.15 * 0.46
    lens = type(lens)(
        "Lens",
        lens.positions,
        np.stack([0.5 + reach * np.sin(angle), 0.5 + reach * np.cos(angle)], -1),
        lens.triangles,
    )
    turn = np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]], float)  # the lens looks along +z
    front = [
        type(p)(p.slot, p.positions @ turn.T @ np.diag([1, 1, -1]), p.uvs, p.triangles[:, ::-1])
        for p in (housing, lens)
    ]
    foot = flat_shaded(
        joined(
            "Foot",
            [
                box("Foot", (-0.05, -0.34, -0.04), (0.05, -0.14, 0.04), (0.02, 0.62, 0.6, 0.8)),
                box("Foot", (-0.16, -0.38, -0.12), (0.16, -0.34, 0.12), (0.02, 0.8, 0.98, 0.99)),
            ],
        )
    )
    write_glb(path, [moved(part) for part in (*front, foot)])


def document() -> dict[str, Any]:
    """The lamp's part of the project document."""
    maps = {
        "signalLamp_BaseColor": ("png", "srgb", {"rgb": "base_color"}),
        "signalLamp_Rough": ("png", "linear", {"rgb": "roughness"}),
        "signalLamp_Metal": ("png", "linear", {"r": "metallic"}),
        "signalLamp_Normal_GL": ("png", "linear", {"rgb": "normal"}),
        "lampLens_col": ("png", "srgb", {"rgb": "base_color"}),
        "lampLens_rgh": ("png", "linear", {"r": "roughness"}),
        "lampLens_emissive": ("exr", "linear", {"rgb": "emission"}),
    }
    return {
        "maps": {
            name: {"file": f"maps/{name}.{suffix}", "encoding": encoding, "roles": roles}
            | ({"normal_y": "+"} if "normal" in roles.values() else {})
            for name, (suffix, encoding, roles) in maps.items()
        },
        "materials": {
            "lamp_paint": {
                "inputs": {
                    "base_color": {"map": "signalLamp_BaseColor", "channels": "rgb"},
                    "metallic": {"map": "signalLamp_Metal", "channels": "r"},
                    "roughness": {"map": "signalLamp_Rough", "channels": "r"},
                    "normal": {"map": "signalLamp_Normal_GL", "channels": "rgb"},
                },
                "surface_tag": "metal",
            },
            "lamp_lens": {
                "inputs": {
                    "base_color": {"map": "lampLens_col", "channels": "rgb"},
                    "roughness": {"map": "lampLens_rgh", "channels": "r"},
                    "emission": {"map": "lampLens_emissive", "channels": "rgb", "strength": 1.5},
                },
                "surface_tag": "glass",
            },
        },
        "meshes": {
            "signal_lamp": {
                "file": "meshes/signal_lamp.glb",
                "slots": {"Housing": "lamp_paint", "Lens": "lamp_lens", "Foot": None},
            },
        },
    }
