"""Small files and projects for tests. Pictures are written with Pillow and OpenCV, not with the
project's own writer."""

from __future__ import annotations

import contextlib
import json
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PIL import Image as Pillow

from ektopos.meshes import Mesh, build_gltf, pack_glb
from ektopos.project import OpenProject, open_project


@contextlib.contextmanager
def folder() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="ektopos-test-") as path:
        yield Path(path)


def noise(size: int = 64, seed: int = 1, channels: int = 3) -> np.ndarray:
    """Smooth noise, uint8 `(size, size, channels)`, that repeats and uses its range."""
    rng = np.random.default_rng(seed)
    field = rng.random((size, size, channels)).astype(np.float32)
    field = np.stack(
        [
            cv2.GaussianBlur(np.tile(field[..., i], (3, 3)), (0, 0), 3)[size:-size, size:-size]
            for i in range(channels)
        ],
        -1,
    )
    low, high = field.min(axis=(0, 1)), field.max(axis=(0, 1))
    return np.round((field - low) / (high - low) * 255).astype(np.uint8)


def coloured(size: int = 64, seed: int = 1) -> np.ndarray:
    """A coloured picture, uint8 `(size, size, 3)`: two colours mixed by smooth noise, with grain
    over all."""
    mix = noise(size, seed, 1).astype(np.float32) / 255
    grain = noise(size, seed + 100, 1).astype(np.float32) / 255
    picture = (
        (1 - mix) * np.array([0.62, 0.36, 0.2])
        + mix * np.array([0.3, 0.42, 0.45])
        + 0.12 * (grain - 0.5)
    )
    return np.round(np.clip(picture, 0, 1) * 255).astype(np.uint8)


def save(path: Path, pixels: np.ndarray) -> Path:
    """Write 8-bit pixels with Pillow, 16-bit and float ones with OpenCV."""
    path.parent.mkdir(parents=True, exist_ok=True)
    if pixels.dtype == np.uint8:
        squeezed = pixels[..., 0] if pixels.ndim == 3 and pixels.shape[2] == 1 else pixels
        Pillow.fromarray(squeezed).save(path)
        return path
    order = {1: [0], 3: [2, 1, 0], 4: [2, 1, 0, 3]}[pixels.shape[2]] if pixels.ndim == 3 else None
    assert cv2.imwrite(
        str(path), pixels if order is None else np.ascontiguousarray(pixels[..., order])
    )
    return path


def normals_of(height: np.ndarray, strength: float = 4.0, sign: int = 1) -> np.ndarray:
    """A normal map (8 bit, +Y for sign 1) of a repeating height field, worked out here apart from
    the core."""
    gx = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) * strength / 2
    gy = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) * strength / 2  # rows run down
    vectors = np.stack([-gx, gy * sign, np.ones_like(gx)], -1)
    vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
    return np.round((vectors * 0.5 + 0.5) * 255).astype(np.uint8)


def quads(slots: dict[str, int], *, uv_scale: float = 1.0) -> Mesh:
    """A mesh of square metres side by side: so many quads in each slot, UVs 0–`uv_scale` on each."""
    positions, uvs, triangles, owner, vertex_owner = [], [], [], [], []
    place = 0
    for number, count in enumerate(slots.values()):
        for _ in range(count):
            start = len(positions)
            for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)):
                positions.append((place + x, y, 0))
                uvs.append((x * uv_scale, (1 - y) * uv_scale))
                vertex_owner.append(number)
            triangles += [(start, start + 1, start + 2), (start, start + 2, start + 3)]
            owner += [number, number]
            place += 2
    count = len(positions)
    return Mesh(
        name="quads",
        positions=np.array(positions, np.float64).reshape(-1, 3),
        triangles=np.array(triangles, np.int32).reshape(-1, 3),
        triangle_slot=np.array(owner, np.int32),
        slots=tuple(slots),
        vertex_slot=np.array(vertex_owner, np.int32),
        normals=np.tile(np.array([0, 0, 1], np.float32), (count, 1)),
        uvs=np.array(uvs, np.float32).reshape(-1, 2),
        colours=np.full((count, 4), np.nan, np.float32),
        unnormalised=np.zeros(count, bool),
        loose=(0,) * len(slots),
        uv_sets=(1,) * len(slots),
    )


def save_glb(path: Path, mesh: Mesh) -> Path:
    """Write a mesh with a material of its slot's name on each slot."""
    gltf, binary = build_gltf(
        {path.stem: mesh}, {path.stem: {slot: i for i, slot in enumerate(mesh.slots)}}
    )
    gltf["materials"] = [{"name": slot} for slot in mesh.slots]
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(pack_glb(gltf, binary))
    return path


PLATES: dict[str, Any] = {
    "ektopos": 1,
    "name": "Test plates",
    "target": "gltf-glb",
    "maps": {
        "tile_col": {
            "file": "maps/tile_col.png",
            "encoding": "srgb",
            "roles": {"rgb": "base_color", "a": "opacity"},
        },
        "tile_orm": {
            "file": "maps/tile_orm.png",
            "roles": {"r": "occlusion", "g": "roughness", "b": "metallic"},
        },
        "tile_nrm": {"file": "maps/tile_nrm.png", "roles": {"rgb": "normal"}, "normal_y": "-"},
        "tile_gloss": {"file": "maps/tile_gloss.png", "roles": {"r": "gloss"}},
        "glow": {"file": "maps/glow.hdr", "roles": {"rgb": "emission"}},
    },
    "materials": {
        "tile": {
            "inputs": {
                "base_color": {"map": "tile_col", "channels": "rgb", "tint": [0.9, 0.8, 0.7]},
                "metallic": {"map": "tile_orm", "channels": "b"},
                "roughness": {"map": "tile_orm", "channels": "g", "range": [0.1, 0.8]},
                "normal": {"map": "tile_nrm", "channels": "rgb", "strength": 0.8},
                "occlusion": {"map": "tile_orm", "channels": "r", "strength": 0.5},
                "emission": {"map": "glow", "channels": "rgb", "strength": 1.5},
                "opacity": {"map": "tile_col", "channels": "a"},
            },
            "alpha_mode": "mask",
            "alpha_cutoff": 0.4,
            "double_sided": True,
            "uv": {"tiling": [2.0, 3.0], "offset": [0.25, 0.5], "rotation": 0.3},
            "filter": "nearest",
            "surface_tag": "stone",
        },
        "tile_dull": {
            "from": "tile",
            "inputs": {"roughness": {"map": "tile_gloss", "channels": "r", "invert": True}},
        },
        "plain": {
            "inputs": {"base_color": {"value": [0.2, 0.3, 0.4]}, "roughness": {"value": 0.35}}
        },
    },
    "meshes": {
        "plates": {
            "file": "meshes/plates.glb",
            "slots": {"Front": "tile", "Back": "tile_dull", "Bare": "plain"},
        }
    },
}
"""The document of the small project."""


def project_folder(root: Path) -> Path:
    """A whole small project: packed ORM, −Y normal, cut-out, emission above 1, 16-bit, derived
    material, UV transform."""
    height = noise(64, 5, 1)[..., 0].astype(np.float32) / 255
    base = noise(64, 2, 4)
    base[..., 3] = np.where(noise(64, 9, 1)[..., 0] > 110, 255, 0)
    save(root / "maps/tile_col.png", base)
    save(root / "maps/tile_orm.png", noise(64, 3))
    save(root / "maps/tile_nrm.png", normals_of(height, 12.0, -1))
    save(root / "maps/tile_gloss.png", (noise(64, 4, 1)[..., 0].astype(np.uint16) * 257))
    save(root / "maps/glow.hdr", noise(32, 6).astype(np.float32) / 255 * 3)
    save_glb(root / "meshes/plates.glb", quads({"Front": 2, "Back": 1, "Bare": 1}))
    (root / "test.ektopos.json").write_text(json.dumps(PLATES))
    return root


@contextlib.contextmanager
def project(change: dict[str, Any] | None = None) -> Iterator[OpenProject]:
    """The small project, opened; `change` is merged into its document's top level."""
    with folder() as root:
        project_folder(root)
        if change:
            path = root / "test.ektopos.json"
            path.write_text(json.dumps(json.loads(path.read_text()) | change))
        with open_project(root) as opened:
            yield opened
