"""Every number, flag and mode that an engine reads of a material, changed alone: the trial fails,
and blames what the number belongs to.

The numbers are found in the files themselves, so one that a writer adds is tried by itself.
"""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np

from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.project import OpenProject, open_project
from ektopos.trial.compare import Trial, run_trial
from tests.samples import folder, noise, normals_of, quads, save, save_glb

Change = tuple[str, Callable[[], None], set[str]]
"""What is changed, in words; what changes it; the inputs that may be blamed, all if empty."""


def rich_document() -> dict[str, Any]:
    """The document of `rich_project`."""
    place = {"uv": {"tiling": [2.0, 3.0], "offset": [0.25, 0.5], "rotation": 0.3}}
    maps: dict[str, Any] = {
        "paint": {"file": "paint.png", "encoding": "srgb"},
        "glow": {"file": "glow.png", "encoding": "srgb"},
        "orm": {"file": "orm.png"},
        "coat": {"file": "coat.png"},
        "bumps": {"file": "bumps.png", "normal_y": "+"},
    }
    mapped = {
        "base_color": {"map": "paint", "channels": "rgb"},
        "metallic": {"map": "orm", "channels": "b"},
        "roughness": {"map": "orm", "channels": "g"},
        "normal": {"map": "bumps", "channels": "rgb", "strength": 0.8},
        "occlusion": {"map": "orm", "channels": "r", "strength": 0.5},
        "emission": {"map": "glow", "channels": "rgb", "strength": 2.5},
        "opacity": {"map": "paint", "channels": "a"},
        "clearcoat": {"map": "coat", "channels": "r"},
        "sheen": {"map": "glow", "channels": "rgb"},
        "ior": {"value": 1.7},
        "attenuation": {"value": [0.5, 0.6, 0.7]},
        "attenuation_distance": {"value": 2.0},
        "subsurface": {"map": "coat", "channels": "g"},
        "subsurface_radius": {"value": 0.4},
    }
    numbers = {
        "base_color": {"value": [0.7, 0.5, 0.3]},
        "metallic": {"value": 0.25},
        "roughness": {"value": 0.35},
        "emission": {"value": [0.5, 0.25, 0.75], "strength": 3.0},
        "opacity": {"value": 0.6},
        "clearcoat": {"value": 0.6},
        "clearcoat_roughness": {"value": 0.3},
        "sheen": {"value": [0.4, 0.5, 0.6]},
        "sheen_roughness": {"value": 0.4},
        "transmission": {"value": 0.6},
        "thickness": {"value": 0.3},
        "ior": {"value": 1.4},
        "specular": {"value": 0.8},
    }
    return {
        "ektopos": 1,
        "name": "p",
        "maps": maps,
        "materials": {
            "Maps": {
                "inputs": mapped,
                "alpha_mode": "mask",
                "alpha_cutoff": 0.4,
                "double_sided": True,
                **place,
                "wrap": ["mirror", "clamp"],
            },
            "Numbers": {"inputs": numbers, "alpha_mode": "blend"},
        },
        "meshes": {"m": {"file": "m.glb", "slots": {"Maps": "Maps", "Numbers": "Numbers"}}},
    }


def rich_project(root: Path) -> None:
    """Two materials that use whatever a target can say: every input fed from maps with strengths,
    and every input a number."""
    base = noise(128, 2, 4)
    base[..., 3] = np.where(noise(128, 9, 1)[..., 0] > 110, 255, 0)
    save(root / "paint.png", base)
    save(root / "orm.png", noise(128, 3))
    save(root / "coat.png", noise(128, 7))
    save(root / "glow.png", noise(128, 6))
    save(root / "bumps.png", normals_of(noise(128, 5, 1)[..., 0] / 255.0, 12.0, 1))
    save_glb(root / "m.glb", quads({"Maps": 1, "Numbers": 1}))
    (root / "p.ektopos.json").write_text(json.dumps(rich_document()))


def otherwise(number: float) -> float:
    """A number that is another to the eye."""
    return round(number + (0.25 if abs(number) <= 0.5 else -0.25 * number), 6)


# --- glTF -----------------------------------------------------------------------------------------

MODES = {"OPAQUE": "BLEND", "MASK": "BLEND", "BLEND": "MASK"}
SAMPLERS = {
    9729: 9728, 9728: 9729, 9987: 9984, 9984: 9987, 10497: 33071, 33071: 10497, 33648: 10497
}  # fmt: skip


def gltf_changes(path: Path) -> Iterator[Change]:
    """Every leaf of a glTF's materials and samplers, one at a time."""
    raw = path.read_bytes()
    gltf = _gltf(raw)
    for place in _leaves([{"m": gltf["materials"]}, {"s": gltf["samplers"]}], ()):
        root, names = (("materials", "samplers")[int(place[0])]), place[2:]
        holder = gltf[root]
        for name in names[:-1]:
            holder = holder[name]
        value, last = holder[names[-1]], names[-1]
        if last in ("name", "index", "source", "surface_tag"):
            continue
        if root == "samplers":
            changed: Any = SAMPLERS[value]
        elif isinstance(value, bool):
            changed = not value
        elif isinstance(value, str):
            changed = MODES[value]
        elif last == "texCoord":
            changed = value + 1
        else:
            changed = otherwise(value)

        def change(holder: Any = holder, last: Any = last, to: Any = changed) -> None:
            kept, holder[last] = holder[last], to
            path.write_bytes(_with_gltf(raw, gltf))
            holder[last] = kept

        yield f"{root}/{'/'.join(map(str, names))} {value} → {changed}", change, set()
    path.write_bytes(raw)


def _leaves(value: Any, place: tuple[Any, ...]) -> Iterator[tuple[Any, ...]]:
    if isinstance(value, dict):
        for key, part in value.items():
            yield from _leaves(part, (*place, key))
    elif isinstance(value, list):
        for number, part in enumerate(value):
            yield from _leaves(part, (*place, number))
    else:
        yield place


def _gltf(raw: bytes) -> dict[str, Any]:
    if raw[:4] == b"glTF":
        raw = raw[20 : 20 + int.from_bytes(raw[12:16], "little")]
    loaded: dict[str, Any] = json.loads(raw)
    return loaded


def _with_gltf(raw: bytes, gltf: dict[str, Any]) -> bytes:
    text = json.dumps(gltf).encode()
    if raw[:4] != b"glTF":
        return text
    text += b" " * (-len(text) % 4)
    rest = raw[20 + int.from_bytes(raw[12:16], "little") :]
    size = 20 + len(text) + len(rest)
    head = b"glTF" + (2).to_bytes(4, "little") + size.to_bytes(4, "little")
    return head + len(text).to_bytes(4, "little") + b"JSON" + text + rest


# --- MaterialX ------------------------------------------------------------------------------------

WORDS = {"closest": "linear", "linear": "closest", "mirror": "clamp", "clamp": "mirror"}
LARGE = 1e6
"""Numbers beyond stand for the endless: another such is no change."""


def materialx_changes(path: Path) -> Iterator[Change]:
    """Every number and mode of a MaterialX document, one at a time."""
    text = path.read_text()
    for found in re.finditer(r'type="(\w+)" value="([^"]*)"', text):
        kind, value = found.groups()
        if kind == "filename":
            continue
        for changed in _changed_value(kind, value):
            said = text[: found.start(2)] + changed + text[found.end(2) :]
            yield f"{_line_of(text, found)} → {changed}", (lambda s=said: path.write_text(s)), set()
    path.write_text(text)


def _changed_value(kind: str, value: str) -> Iterator[str]:
    if kind == "string":
        yield WORDS[value]
    elif kind == "integer":
        yield str((int(value) + 3) % 4)
    else:
        numbers = [float(part) for part in value.split(",")]
        for place, number in enumerate(numbers):
            if abs(number) < LARGE:
                changed = [*numbers[:place], otherwise(number), *numbers[place + 1 :]]
                yield ", ".join(f"{one:.9g}" for one in changed)


def _line_of(text: str, found: re.Match[str]) -> str:
    start, end = text.rfind("\n", 0, found.start()) + 1, text.find("\n", found.end())
    before = text.rfind('">\n', 0, start)
    return f"{text[text.rfind('<', 0, before) : before]} {text[start:end].strip()}"


# --- USD ------------------------------------------------------------------------------------------


def usd_changes(path: Path) -> Iterator[Change]:
    """Every number and mode of a USDZ's materials, one at a time. Of a reader's four scales and
    biases only those of channels that its input reads."""
    with zipfile.ZipFile(path) as archive:
        held = {name: archive.read(name) for name in archive.namelist()}
    raw, layer = path.read_bytes(), next(name for name in held if name.endswith(".usda"))
    text = held[layer].decode()
    end = text.index("def Xform", text.index('def Scope "Materials"'))
    pattern = r'(?m)^ *(?:uniform )?(\w+) inputs:(\w+) = ("?)([^"\n]*)\3$'
    for found in re.finditer(pattern, text[:end]):
        kind, port, value = found.group(1), found.group(2), found.group(4)
        shader = re.findall(r'def Shader "(\w+)"', text[: found.start()])[-1]
        if kind in ("asset", "string") or (shader, port) in NO_CHANGE:
            continue
        read = _components_read(shader, port)
        for changed in _usd_values(kind, port, value, read):
            said = text[: found.start(4)] + changed + text[found.end(4) :]

            def change(said: str = said) -> None:
                path.write_bytes(_zipped(held | {layer: said.encode()}))

            yield f"{shader} {port} {value} → {changed}", change, set()
    path.write_bytes(raw)


NO_CHANGE = {("opacity", "sourceColorSpace"), ("Surface", "normal")}
"""Alpha is never decoded; and a constant normal that is longer or shorter points the same way."""


def _components_read(shader: str, port: str) -> int:
    if port in ("scale", "bias") and shader != "Placed":
        return {"normal": 3, "emission": 3, "base_color": 3}.get(shader, 1)
    return 4


def _usd_values(kind: str, port: str, value: str, read: int) -> Iterator[str]:
    if kind == "token":
        yield {"sRGB": "raw", "raw": "sRGB", "repeat": "clamp", "clamp": "mirror"}.get(
            value, "repeat"
        )
    elif kind == "int":
        yield str(1 - int(value))
    else:
        numbers = [float(part) for part in value.strip("()").split(",")]
        for place, number in enumerate(numbers[:read]):
            by = 15.0 if port == "rotation" else otherwise(number) - number
            changed = [*numbers[:place], number + by, *numbers[place + 1 :]]
            joined = ", ".join(f"{one:.7g}" for one in changed)
            yield f"({joined})" if value.startswith("(") else joined


def _zipped(files: dict[str, bytes]) -> bytes:
    """An archive as USDZ wants it: stored, each file at a multiple of 64 bytes."""
    content = io.BytesIO()
    with zipfile.ZipFile(content, "w", zipfile.ZIP_STORED) as archive:
        for name, stored in files.items():
            entry = zipfile.ZipInfo(name)
            room = -(content.tell() + 30 + len(name.encode()) + 4) % 64
            entry.extra = b"\x86\x19" + room.to_bytes(2, "little") + b"\0" * room
            archive.writestr(entry, stored)
    return content.getvalue()


TARGETS: dict[str, tuple[str, Callable[[Path], Iterator[Change]], int]] = {
    "gltf-glb": ("*.glb", gltf_changes, 50),
    "gltf-split": ("*.gltf", gltf_changes, 50),
    "gltf-embedded": ("*.gltf", gltf_changes, 50),
    "gltf-ktx2": ("*.glb", gltf_changes, 50),
    "orm-y-minus": ("*.mtlx", materialx_changes, 50),
    "metal-smooth": ("*.mtlx", materialx_changes, 50),
    "single-maps": ("*.mtlx", materialx_changes, 50),
    "spec-gloss": ("*.mtlx", materialx_changes, 30),
    "materialx": ("*.mtlx", materialx_changes, 50),
    "usdz": ("*.usdz", usd_changes, 50),
}
"""By target: the files with numbers, what changes them, and how many there are at least."""


class EveryNumber(TestCase):
    maxDiff = None

    def test_a_number_changed_alone_fails_the_trial(self) -> None:
        for target, (pattern, changes, least) in TARGETS.items():
            with folder() as root:
                rich_project(root)
                with open_project(root) as opened:
                    export_package(opened, find_profile(target), root / "out")
                    self.assertEqual(wrong(self.trial(opened, root, target)), [], target)
                    unnoticed, tried = [], 0
                    for path in sorted((root / "out").glob(pattern)):
                        for words, change, _ in changes(path):
                            change()
                            tried += 1
                            if self.trial(opened, root, target).passed:
                                unnoticed.append(words)
                    with self.subTest(target):
                        self.assertEqual(unnoticed, [])
                        self.assertGreaterEqual(tried, least)

    def trial(self, opened: OpenProject, root: Path, target: str) -> Trial:
        return run_trial(opened, root / "out", find_profile(target), renders=False)


def wrong(trial: Trial) -> list[str]:
    return [f"{c.input}: {c.message}" for c in trial.cells if c.verdict in ("differs", "lost")]
