"""A glTF scene that uses much of what the format has, written down by hand: no writer of the
project's is involved."""

from __future__ import annotations

import json
import struct
from pathlib import Path
from typing import Any

import numpy as np

FLOAT, SHORT, BYTE = 5126, 5123, 5121
_TYPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 16: "MAT4"}


class Scene:
    """A glTF document while it is written."""

    def __init__(self) -> None:
        self.blob = b""
        self.gltf: dict[str, Any] = {
            "asset": {"version": "2.0", "generator": "by hand"},
            "accessors": [],
            "bufferViews": [],
        }

    def add(self, values: Any, component: int = FLOAT, **more: Any) -> int:
        """An accessor of values, with a buffer view of its own."""
        kind = {FLOAT: "<f4", SHORT: "<u2", BYTE: "u1"}[component]
        stored = np.asarray(values, kind)
        stored = stored.reshape(len(stored), -1)
        self.blob += b"\0" * (-len(self.blob) % 4)
        view = {"buffer": 0, "byteOffset": len(self.blob), "byteLength": stored.nbytes}
        self.gltf["bufferViews"].append(view)
        self.blob += stored.tobytes()
        self.gltf["accessors"].append(
            {
                "bufferView": len(self.gltf["bufferViews"]) - 1,
                "componentType": component,
                "count": len(stored),
                "type": _TYPES[stored.shape[1]],
                **more,
            }
        )
        return len(self.gltf["accessors"]) - 1

    def positions(self, values: Any) -> int:
        """An accessor of positions, with their bounds."""
        found = np.asarray(values, np.float32)
        return self.add(found, min=found.min(axis=0).tolist(), max=found.max(axis=0).tolist())

    def save(self, path: Path) -> Path:
        """Write it as GLB. Source: glTF 2.0, 4.4."""
        blob = self.blob + b"\0" * (-len(self.blob) % 4)
        text = json.dumps(self.gltf | {"buffers": [{"byteLength": len(self.blob)}]}).encode()
        text += b" " * (-len(text) % 4)
        chunks = struct.pack("<I4s", len(text), b"JSON") + text
        chunks += struct.pack("<I4s", len(blob), b"BIN\0") + blob
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks)
        return path


def grid(width: int, height: int, turn: float = 0.0) -> dict[str, np.ndarray]:
    """A bent sheet: positions, normals, tangents, two UV sets, colours and triangles."""
    u, v = np.meshgrid(np.linspace(0, 1, width + 1), np.linspace(0, 1, height + 1))
    u, v = u.ravel(), v.ravel()
    positions = np.stack([u + turn, 2.0 * v, 0.3 * np.sin(3 * u + turn)], axis=1)
    normals = np.stack([-0.9 * np.cos(3 * u + turn), np.zeros_like(u), np.ones_like(u)], axis=1)
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    along = np.stack([normals[:, 2], np.zeros_like(u), -normals[:, 0], np.ones_like(u)], axis=1)
    corners = []
    for row in range(height):
        for column in range(width):
            a = row * (width + 1) + column
            b, c, d = a + 1, a + width + 2, a + width + 1
            corners += [a, b, c, a, c, d]
    return {
        "positions": positions,
        "normals": normals,
        "tangents": along,
        "uvs": np.stack([u, 1 - v], axis=1),
        "second": np.stack([0.5 * v, 0.25 + 0.5 * u], axis=1),
        "colours": np.stack([u, v, 1 - u, np.ones_like(u)], axis=1),
        "corners": np.array(corners),
    }


def turned(axis: tuple[float, float, float], degrees: float) -> list[float]:
    """A quaternion."""
    half = np.radians(degrees) / 2
    return [*(np.sin(half) * np.asarray(axis)).tolist(), float(np.cos(half))]


def _primitive(
    scene: Scene, part: dict[str, np.ndarray], material: int, *, colours: bool
) -> dict[str, Any]:
    attributes = {
        "POSITION": scene.positions(part["positions"]),
        "NORMAL": scene.add(part["normals"]),
        "TANGENT": scene.add(part["tangents"]),
        "TEXCOORD_0": scene.add(part["uvs"]),
        "TEXCOORD_1": scene.add(part["second"]),
    }
    if colours:
        attributes["COLOR_0"] = scene.add(part["colours"])
    return {
        "attributes": attributes,
        "indices": scene.add(part["corners"], SHORT),
        "material": material,
    }


def _animations(scene: Scene) -> list[dict[str, Any]]:
    """One of each interpolation: turning and moving joints, and weights of morph targets."""
    times = [0.0, 0.5, 2.0]
    spins = [turned((0, 0, 1), angle) for angle in (0, 40, -20)]
    cubic = np.stack([np.zeros((3, 3)), [[0, 0, 0], [0, 0.2, 0], [0.1, 0, 0]], np.zeros((3, 3))], 1)
    return [
        {
            "name": "wave",
            "samplers": [
                {"input": scene.add(times, min=[0.0], max=[2.0]), "output": scene.add(spins)},
                {
                    "input": scene.add(times, min=[0.0], max=[2.0]),
                    "output": scene.add(cubic.reshape(9, 3)),
                    "interpolation": "CUBICSPLINE",
                },
            ],
            "channels": [
                {"sampler": 0, "target": {"node": 3, "path": "rotation"}},
                {"sampler": 1, "target": {"node": 2, "path": "translation"}},
            ],
        },
        {
            "name": "swell",
            "samplers": [
                {
                    "input": scene.add([0.0, 1.0], min=[0.0], max=[1.0]),
                    "output": scene.add([0.0, 0.0, 1.0, 0.5]),
                    "interpolation": "STEP",
                }
            ],
            "channels": [{"sampler": 0, "target": {"node": 1, "path": "weights"}}],
        },
    ]


def figure(*, colours: bool = True) -> Scene:
    """A skinned sheet on two joints with morph targets, a lid on a hinge, a socket, a lamp and a
    camera; three animations, one of each interpolation."""
    scene = Scene()
    sheet, lid = grid(6, 8), grid(3, 2, 0.7)

    body = _primitive(scene, sheet, 0, colours=colours)
    cover = _primitive(scene, lid, 1, colours=colours)
    share = np.clip(sheet["positions"][:, 1] / 2, 0, 1)
    weights = np.stack([1 - share, share, 0 * share, 0 * share], axis=1)
    body["attributes"]["JOINTS_0"] = scene.add(np.tile([0, 1, 0, 0], (len(share), 1)), BYTE)
    body["attributes"]["WEIGHTS_0"] = scene.add(weights)
    swell = sheet["normals"] * 0.2
    body["targets"] = [{"POSITION": scene.positions(swell)}, {"POSITION": scene.positions(-swell)}]
    bind = np.stack([np.eye(4), np.eye(4)])
    bind[1, 1, 3] = -1.0
    scene.gltf |= {
        "scene": 0,
        "scenes": [{"name": "main", "nodes": [0], "extras": {"made": "by hand"}}],
        "nodes": [
            {"name": "figure", "children": [1, 2, 4, 7], "translation": [0, 0, 0.5]},
            {"name": "skin", "mesh": 0, "skin": 0},
            {"name": "hip", "children": [3], "rotation": turned((0, 1, 0), 10)},
            {"name": "chest", "translation": [0, 1, 0], "children": [6]},
            {"name": "hinge", "translation": [0, 2, 0], "children": [5], "extras": {"limit": 70}},
            {"name": "lid", "mesh": 1, "scale": [-1, 1, 0.5]},
            {"name": "grip_socket", "translation": [0.2, 0, 0]},
            {
                "name": "view",
                "camera": 0,
                "extensions": {"KHR_lights_punctual": {"light": 0}},
            },
        ],
        "meshes": [
            {
                "name": "sheet",
                "primitives": [body],
                "weights": [0.25, 0.0],
                "extras": {"targetNames": ["full", "thin"]},
            },
            {"name": "cover", "primitives": [cover]},
        ],
        "materials": [{"name": "Cloth"}, {"name": "Metal"}],
        "skins": [
            {
                "joints": [2, 3],
                "inverseBindMatrices": scene.add(bind.transpose(0, 2, 1).reshape(2, 16)),
                "skeleton": 2,
            }
        ],
        "cameras": [{"type": "perspective", "perspective": {"yfov": 0.7, "znear": 0.1}}],
        "extensions": {"KHR_lights_punctual": {"lights": [{"type": "point", "intensity": 3}]}},
        "extensionsUsed": ["KHR_lights_punctual", "EXT_not_known_here"],
        "animations": _animations(scene),
    }
    return scene
