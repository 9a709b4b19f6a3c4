"""The refractor telescope on its pier: meaningless slot names, gloss, packing in another order,
nameless maps, faults."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np

from demo.shapes import Part, box, flat_shaded, joined, lathe, moved, write_glb
from demo.textures import blend, clouds, colour, patches, save, scratches, seams, step
from ektopos.base.vectors import encode_normals
from ektopos.maps.normals import flip_green, height_to_normal

SIZE = 1024
TUBE = [(0.02, 0.02, 0.98, 0.36), (0.02, 0.40, 0.47, 0.66), (0.53, 0.40, 0.98, 0.66)]
"""Where the islands of the brass parts lie: tube, dew cap, focuser (u0, v0, u1, v1)."""


def write_maps(folder: Path) -> None:
    """Paint the telescope's maps."""
    _brass(folder)
    _leather(folder)
    _pier(folder)
    _glass(folder)


def _brass(folder: Path) -> None:
    """Painted onto the layout of the tube: outside the islands there is only padding."""
    mask = patches(SIZE, TUBE)
    stains, fine = clouds(SIZE, 51, 2.0), clouds(SIZE, 52, 0.9)
    tarnish = step(stains, 0.62, 0.2)
    worn = scratches(SIZE, 53, 320)
    lines = seams(SIZE, 8, 0.03) * 0.6
    base = (
        blend(colour(0.86, 0.68, 0.36), colour(0.52, 0.36, 0.2), tarnish) + 0.04 * worn[..., None]
    )
    gloss = np.clip(0.74 - 0.34 * tarnish + 0.1 * fine - 0.1 * worn, 0, 1)
    occlusion = np.clip(1 - 0.4 * lines, 0, 1)
    height = 0.5 + 0.06 * (fine - 0.5) - 0.25 * lines - 0.05 * worn
    padding = colour(0.3, 0.24, 0.16)
    save(folder / "brass_tube_BC.png", np.where(mask[..., None], base, padding))
    save(folder / "brass_tube_gls.png", np.where(mask, gloss, 0.3).astype(np.float32))
    save(folder / "brass_tube_M.png", mask.astype(np.float32))
    save(folder / "brass_tube_AO.png", np.where(mask, occlusion, 1.0).astype(np.float32))
    save(
        folder / "brass_tube_N.png",
        np.where(mask[..., None], encode_normals(height_to_normal(height, 26.0)), (0.5, 0.5, 1.0)),
    )


def _leather(folder: Path) -> None:
    size = 512
    pores = clouds(size, 61, 0.8)
    creases = cv2.GaussianBlur(np.abs(clouds(size, 62, 1.3) - 0.5), (0, 0), 1.5)
    height = 0.5 + 0.35 * np.clip(creases * 3, 0, 1) - 0.12 * pores
    y, x = np.mgrid[0:size, 0:size] / size
    # Light from above left was left in the picture: what a base colour must not hold.
    light = (1.0 + 0.55 * np.cos(2 * np.pi * (x * 0.5 - 0.05)) * np.cos(np.pi * (y - 0.15)))[
        ..., None
    ]
    base = blend(colour(0.32, 0.19, 0.12), colour(0.22, 0.12, 0.08), pores) * light
    save(folder / "Grip Leather albedo.png", np.clip(base, 0, 1))
    save(
        folder / "Grip Leather normal.png",
        encode_normals(height_to_normal(height.astype(np.float32), 9.0)),
    )
    save(
        folder / "Grip Leather rough.png",
        np.clip(0.55 + 0.2 * pores + 0.15 * (1 - creases), 0, 1).astype(np.float32),
    )


def _pier(folder: Path) -> None:
    chips = step(clouds(SIZE, 71, 1.7, 3.0) + 0.12 * clouds(SIZE, 72, 0.9), 0.86, 0.04)
    grain = clouds(SIZE, 73, 1.1)
    rust = blend(colour(0.43, 0.26, 0.17), colour(0.3, 0.17, 0.11), grain)
    base = blend(blend(colour(0.25, 0.3, 0.29), colour(0.21, 0.26, 0.25), grain), rust, chips)
    height = 0.6 + 0.05 * grain - 0.12 * chips
    roughness = blend(0.46 + 0.1 * grain, 0.82 + 0.1 * grain, chips)
    open_ = np.clip(1 - 0.3 * cv2.GaussianBlur(chips, (0, 0), 6) - 0.1 * chips, 0, 1)
    save(folder / "T_PierIron_Diffuse_1K.png", base)
    save(folder / "T_PierIron_MRAO_1K.png", np.zeros_like(grain), roughness, open_)
    save(
        folder / "T_PierIron_Normal_DX_1K.tga",
        encode_normals(flip_green(height_to_normal(height.astype(np.float32), 40.0))),
    )


def _glass(folder: Path) -> None:
    size = 256
    y, x = np.mgrid[0:size, 0:size] / size - 0.5
    rings = (0.5 + 0.5 * np.cos(np.hypot(x, y) * 60)).astype(np.float32)
    dust = clouds(size, 81, 0.9)
    save(
        folder / "7fa1c204.png",
        blend(colour(0.72, 0.86, 0.84), colour(0.8, 0.9, 0.88), rings) + 0.03 * dust[..., None],
    )
    save(
        folder / "7fa1c205.png", encode_normals(height_to_normal(0.02 * rings + 0.01 * dust, 20.0))
    )
    open_ = np.clip(1 - 0.5 * step(np.hypot(x, y).astype(np.float32), 0.48, 0.1), 0, 1)
    save(folder / "7fa1c206.png", open_, 0.06 + 0.12 * dust, np.zeros_like(dust))


def write_mesh(path: Path) -> None:
    """A tube with dew cap and focuser on a pier, tilted to the sky; 24 faces of the pier reversed,
    8 of the cap twice."""
    tube = lathe("9e_01", [(0.07, 0.42), (0.07, 0.2), (0.07, -0.05), (0.07, -0.3)], 48, TUBE[0])
    cap = lathe("9e_02", [(0.078, 0.62), (0.09, 0.6), (0.09, 0.43), (0.07, 0.42)], 48, TUBE[1])
    focuser = lathe(
        "9e_02",
        [(0.07, -0.36), (0.04, -0.38), (0.03, -0.42), (0.03, -0.56), (0.022, -0.57)],
        48,
        TUBE[2],
    )
    grip = lathe(
        "9e_03",
        [(0.074, -0.1), (0.078, -0.12), (0.078, -0.28), (0.074, -0.3)],
        48,
        (0.0, 0.0, 4.0, 1.2),
    )
    lens = lathe("9e_07", [(0.0, 0.5), (0.04, 0.495), (0.07, 0.48)], 32, (0.05, 0.05, 0.95, 0.95))
    lens = Part("9e_07", lens.positions, 0.5 + lens.positions[:, [0, 2]] / 0.15, lens.triangles)
    doubled = Part(cap.slot, cap.positions, cap.uvs, cap.triangles[:8])
    tilt = np.radians(38)
    turn = np.array([[1, 0, 0], [0, np.cos(tilt), np.sin(tilt)], [0, -np.sin(tilt), np.cos(tilt)]])
    upper = [
        Part(p.slot, p.positions @ turn + np.array([0, 1.15, 0.1]), p.uvs, p.triangles)
        for p in (tube, cap, doubled, focuser, grip, lens)
    ]
    pier = lathe(
        "9e_04",
        [(0.0, 1.1), (0.06, 1.08), (0.08, 1.0), (0.06, 0.96), (0.06, 0.1), (0.2, 0.06), (0.2, 0.0)],
        36,
        (0.1, 0.1, 0.35, 0.35),
    )
    order = pier.triangles.copy()
    order[60:84] = order[60:84, ::-1]
    pier = Part(pier.slot, pier.positions, pier.uvs, order)
    foot = flat_shaded(
        joined(
            "9e_0b",
            [
                box("9e_0b", (-0.03, 0.02, 0.18), (0.03, 0.06, 0.42), (1.1, 0.2, 1.7, 0.5)),
                box("9e_0b", (-0.34, 0.02, -0.22), (-0.12, 0.06, -0.16), (1.1, 0.6, 1.7, 0.9)),
                box("9e_0b", (0.12, 0.02, -0.22), (0.34, 0.06, -0.16), (1.1, 0.6, 1.7, 0.9)),
            ],
        )
    )
    write_glb(path, [moved(part) for part in (*upper, pier, foot)])


def _materials() -> dict[str, Any]:

    def fed(name: str, channels: str, **more: Any) -> dict[str, Any]:
        return {"map": name, "channels": channels, **more}

    return {
        "brass": {
            "inputs": {
                "base_color": fed("brass_tube_BC", "rgb"),
                "metallic": fed("brass_tube_M", "r"),
                "roughness": fed("brass_tube_gls", "r", invert=True),
                "normal": fed("brass_tube_N", "rgb"),
                "occlusion": fed("brass_tube_AO", "r"),
            },
            "surface_tag": "metal",
        },
        "brass_polished": {
            "from": "brass",
            "inputs": {"roughness": fed("brass_tube_gls", "r", invert=True, range=[0.0, 0.4])},
        },
        "brass_tarnished": {
            "from": "brass",
            "inputs": {
                "base_color": fed("brass_tube_BC", "rgb", tint=[0.62, 0.54, 0.42]),
                "roughness": fed("brass_tube_gls", "r", invert=True, range=[0.35, 0.9]),
            },
        },
        "grip_leather": {
            "inputs": {
                "base_color": fed("Grip Leather albedo", "rgb"),
                "roughness": fed("Grip Leather rough", "r"),
                "normal": fed("Grip Leather normal", "rgb"),
            },
            "surface_tag": "leather",
        },
        "pier_iron": {
            "inputs": {
                "base_color": fed("T_PierIron_Diffuse_1K", "rgb"),
                "metallic": fed("T_PierIron_MRAO_1K", "r"),
                "roughness": fed("T_PierIron_MRAO_1K", "g"),
                "occlusion": fed("T_PierIron_MRAO_1K", "b"),
                "normal": fed("T_PierIron_Normal_DX_1K", "rgb"),
            },
            "surface_tag": "metal",
        },
    }


def document() -> dict[str, Any]:
    """The telescope's part of the project document: the foot is still bare, the glass is not made
    yet."""
    maps: dict[str, tuple[str, str, dict[str, str]]] = {
        "brass_tube_BC": ("brass_tube_BC.png", "srgb", {"rgb": "base_color"}),
        "brass_tube_gls": ("brass_tube_gls.png", "linear", {"r": "gloss"}),
        "brass_tube_M": ("brass_tube_M.png", "linear", {"r": "metallic"}),
        "brass_tube_AO": ("brass_tube_AO.png", "linear", {"r": "occlusion"}),
        "brass_tube_N": ("brass_tube_N.png", "linear", {"rgb": "normal"}),
        "Grip Leather albedo": ("Grip Leather albedo.png", "srgb", {"rgb": "base_color"}),
        "Grip Leather normal": ("Grip Leather normal.png", "linear", {"rgb": "normal"}),
        "Grip Leather rough": ("Grip Leather rough.png", "linear", {"r": "roughness"}),
        "T_PierIron_Diffuse_1K": ("T_PierIron_Diffuse_1K.png", "srgb", {"rgb": "base_color"}),
        "T_PierIron_MRAO_1K": (
            "T_PierIron_MRAO_1K.png",
            "linear",
            {"r": "metallic", "g": "roughness", "b": "occlusion"},
        ),
        "T_PierIron_Normal_DX_1K": ("T_PierIron_Normal_DX_1K.tga", "linear", {"rgb": "normal"}),
        "7fa1c204": ("7fa1c204.png", "srgb", {"rgb": "base_color"}),
        "7fa1c205": ("7fa1c205.png", "linear", {"rgb": "normal"}),
        "7fa1c206": (
            "7fa1c206.png",
            "linear",
            {"r": "occlusion", "g": "roughness", "b": "metallic"},
        ),
    }
    entries: dict[str, Any] = {}
    for name, (file, encoding, roles) in maps.items():
        entries[name] = {"file": f"maps/{file}", "encoding": encoding, "roles": roles}
        if "normal" in roles.values():
            # What its name says (−Y) was overlooked: a check finds it.
            entries[name]["normal_y"] = "+"
        if name.startswith("7fa1"):
            entries[name]["set"] = "7fa1c2"
    return {
        "maps": entries,
        "materials": _materials(),
        "meshes": {
            "refractor": {
                "file": "meshes/refractor.glb",
                "slots": {
                    "9e_01": "brass",
                    "9e_02": "brass_tarnished",
                    "9e_03": "grip_leather",
                    "9e_04": "pier_iron",
                    "9e_07": None,
                    "9e_0b": None,
                },
                "done": ["9e_01", "9e_03"],
            },
        },
    }
