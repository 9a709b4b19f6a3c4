"""Two instrument cases that share materials, with labels from a palette, and an eyepiece from the
older specular workflow."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from demo.shapes import Part, box, flat_shaded, joined, lathe, moved, write_glb
from demo.textures import blend, clouds, colour, save, scratches, seams, step
from ektopos.base.vectors import encode_normals
from ektopos.maps.normals import height_to_normal

SIZE = 512
SQUARES = 8
WORN = {"Wood": "case_wood", "Lining": "case_felt", "Labels": "label_palette"}


def write_maps(folder: Path) -> None:
    """Paint the cases' wood, their lining, the label palette and the eyepiece."""
    y = (np.arange(SIZE) + 0.5)[:, None] / SIZE
    grain = np.abs(np.sin(2 * np.pi * (6 * y + 0.35 * clouds(SIZE, 111, 2.2)))).astype(np.float32)
    pores = clouds(SIZE, 112, 0.8)
    worn = scratches(SIZE, 113, 90)
    wood = (
        blend(colour(0.45, 0.27, 0.15), colour(0.3, 0.16, 0.08), 0.7 * grain + 0.3 * pores)
        + 0.05 * worn[..., None]
    )
    height = 0.5 + 0.06 * grain - 0.05 * pores
    save(folder / "caseWood_Color.png", wood)
    save(folder / "caseWood_Roughness.png", np.clip(0.38 + 0.18 * grain + 0.1 * pores, 0, 1))
    save(
        folder / "caseWood_NormalGL.png",
        encode_normals(height_to_normal(height.astype(np.float32), 10.0)),
    )
    weave = 0.5 + 0.25 * np.sin(2 * np.pi * 40 * y) * np.sin(2 * np.pi * 40 * y.T)
    felt = blend(colour(0.16, 0.2, 0.3), colour(0.11, 0.14, 0.22), clouds(SIZE, 114, 0.7))
    save(folder / "case_felt_diff.png", felt)
    save(folder / "case_felt_rgh.png", np.clip(0.86 + 0.1 * weave, 0, 1).astype(np.float32))
    _palette(folder)
    _eyepiece(folder)


def _palette(folder: Path) -> None:
    """Eight by eight squares of four texels: colours, and which of them are metal, how rough they
    are and which glow."""
    rng = np.random.default_rng(115)
    colours = rng.uniform(0.1, 0.9, (SQUARES, SQUARES, 3)).astype(np.float32)
    colours[0] = np.linspace(0.05, 0.95, SQUARES, dtype=np.float32)[:, None]
    metal = np.zeros((SQUARES, SQUARES), np.float32)
    metal[1], colours[1] = 1.0, np.array([0.8, 0.66, 0.4], np.float32)
    rough = np.tile(np.linspace(0.2, 0.9, SQUARES, dtype=np.float32), (SQUARES, 1))
    glow = np.zeros((SQUARES, SQUARES, 3), np.float32)
    glow[2] = colours[2]

    def wide(squares: np.ndarray[Any, Any]) -> np.ndarray[Any, Any]:
        return np.repeat(np.repeat(squares, 4, 0), 4, 1)

    save(folder / "label_palette_col.png", wide(colours))
    save(folder / "label_palette_met.png", wide(metal))
    save(folder / "label_palette_rgh.png", wide(rough))
    save(folder / "label_palette_emi.png", wide(glow))


def _eyepiece(folder: Path) -> None:
    brass = step(
        np.abs((np.arange(SIZE) + 0.5)[:, None] / SIZE - 0.5) * np.ones((1, SIZE)), 0.28, 0.02
    ).astype(np.float32)
    fine, lines = clouds(SIZE, 121, 0.9), seams(SIZE, 10, 0.02)
    paint = blend(colour(0.07, 0.07, 0.075), colour(0.12, 0.12, 0.125), fine)
    save(folder / "eyepiece_Diffuse.png", blend(paint, colour(0.0, 0.0, 0.0), brass))
    save(
        folder / "eyepiece_Specular.png",
        blend(colour(0.22, 0.22, 0.22), colour(0.93, 0.82, 0.6), brass),
    )
    save(
        folder / "eyepiece_Glossiness.png",
        np.clip(0.45 + 0.3 * brass - 0.2 * lines + 0.1 * fine, 0, 1).astype(np.float32),
    )


def write_mesh(path: Path) -> None:
    """A long case; `write_more` adds the small one and the eyepiece."""
    write_glb(path, _case(0.9, 0.16, 0.22))


def write_more(folder: Path) -> None:
    """The small case, with the same slots, and the eyepiece, whose only slot has a number for a
    name."""
    write_glb(folder / "case_small.glb", _case(0.32, 0.14, 0.2))
    barrel = lathe(
        "3f_00",
        [(0.0, 0.05), (0.022, 0.05), (0.026, 0.045), (0.026, 0.01), (0.016, 0.005), (0.016, -0.04)],
        32,
        (0.02, 0.02, 0.98, 0.98),
    )
    write_glb(folder / "eyepiece.glb", [barrel])


def _case(length: float, height: float, depth: float) -> list[Part]:
    l, h, d = length / 2, height / 2, depth / 2
    body = flat_shaded(box("Wood", (-l, -h, -d), (l, h, d), (0.0, 0.0, 2.0, 2.0)))
    lining = flat_shaded(
        box(
            "Lining",
            (-l + 0.02, h, -d + 0.02),
            (l - 0.02, h + 0.012, d - 0.02),
            (0.0, 0.0, 1.5, 1.5),
        )
    )
    square = 1.0 / SQUARES
    labels = [
        moved(
            box("Labels", (-0.02, -0.015, 0), (0.02, 0.015, 0.004), _inside(i, 1 + i, square)),
            (-l * 0.5 + 0.1 * i, 0, d),
        )
        for i in range(3)
    ]
    return [body, lining, flat_shaded(joined("Labels", labels))]


def _inside(column: int, row: int, square: float) -> tuple[float, float, float, float]:
    """A UV rectangle well inside one square of the palette."""
    u, v = (column + 0.3) * square, (row + 0.3) * square
    return u, v, u + 0.4 * square, v + 0.4 * square


def _materials() -> dict[str, Any]:
    palette = {
        key: {
            "map": f"label_palette_{suffix}",
            "channels": "rgb" if key in ("base_color", "emission") else "r",
        }
        for key, suffix in (
            ("base_color", "col"),
            ("metallic", "met"),
            ("roughness", "rgh"),
            ("emission", "emi"),
        )
    }
    return {
        "case_wood": {
            "inputs": {
                "base_color": {"map": "caseWood_Color", "channels": "rgb"},
                "roughness": {"map": "caseWood_Roughness", "channels": "r"},
                "normal": {"map": "caseWood_NormalGL", "channels": "rgb"},
                "clearcoat": {"value": 0.6},
                "clearcoat_roughness": {"value": 0.12},
            },
            "surface_tag": "wood",
            "folder": "Cases",
        },
        "case_felt": {
            "inputs": {
                "base_color": {"map": "case_felt_diff", "channels": "rgb"},
                "roughness": {"map": "case_felt_rgh", "channels": "r"},
                "sheen": {"value": [0.05, 0.06, 0.1]},
                "sheen_roughness": {"value": 0.6},
            },
            "uv": {"tiling": [3.0, 3.0]},
            "surface_tag": "cloth",
            "folder": "Cases",
        },
        "label_palette": {"inputs": palette, "filter": "nearest", "folder": "Cases"},
    }


def document() -> dict[str, Any]:
    """The cases' part of the project document; the eyepiece is still to be converted."""
    listed: dict[str, tuple[str, dict[str, str]]] = {
        "caseWood_Color": ("srgb", {"rgb": "base_color"}),
        "caseWood_Roughness": ("linear", {"r": "roughness"}),
        "caseWood_NormalGL": ("linear", {"rgb": "normal"}),
        "case_felt_diff": ("srgb", {"rgb": "base_color"}),
        "case_felt_rgh": ("linear", {"r": "roughness"}),
        "label_palette_col": ("srgb", {"rgb": "base_color"}),
        "label_palette_met": ("linear", {"r": "metallic"}),
        "label_palette_rgh": ("linear", {"r": "roughness"}),
        "label_palette_emi": ("srgb", {"rgb": "emission"}),
        "eyepiece_Diffuse": ("srgb", {"rgb": "base_color"}),
        "eyepiece_Specular": ("srgb", {"rgb": "specular"}),
        "eyepiece_Glossiness": ("linear", {"r": "gloss"}),
    }
    maps: dict[str, Any] = {
        name: {"file": f"maps/{name}.png", "encoding": encoding, "roles": roles}
        for name, (encoding, roles) in listed.items()
    }
    maps["caseWood_NormalGL"]["normal_y"] = "+"
    return {
        "maps": maps,
        "materials": _materials(),
        "meshes": {
            "case_long": {
                "file": "meshes/case_long.glb",
                "slots": dict(WORN),
                "done": ["Wood", "Lining"],
            },
            "case_small": {
                "file": "meshes/case_small.glb",
                "slots": dict(WORN),
            },
            "eyepiece": {"file": "meshes/eyepiece.glb", "slots": {"3f_00": None}},
        },
    }
