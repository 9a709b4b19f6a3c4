"""The trial of a 4096² material against the bare decoding of its package's textures, one after the
other."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

import cv2
import numpy as np

from bench.timing import median_ms
from tests.samples import quads, save_glb

SIDE = 4096


def material_folder(folder: Path) -> None:
    """A project of one mesh in one material: colour, packed occlusion, roughness and metallic, and
    a normal map."""
    rng = np.random.default_rng(8)

    def clouds(channels: int) -> np.ndarray:
        field = np.zeros((SIDE, SIDE, channels), np.float32)
        for octave in range(2, 9):
            small = rng.random((2**octave, 2**octave, channels)).astype(np.float32)
            field += (
                cv2.resize(small, (SIDE, SIDE), interpolation=cv2.INTER_CUBIC).reshape(field.shape)
                / 2**octave
            )
        return (field - field.min()) / np.ptp(field)

    height = clouds(1)[..., 0] * 300
    normals = np.dstack(
        [-np.gradient(height, axis=1), np.gradient(height, axis=0), np.ones_like(height)]
    )
    normals /= np.linalg.norm(normals, axis=2, keepdims=True)
    for name, values in (("col", clouds(3)), ("orm", clouds(3)), ("nrm", normals * 0.5 + 0.5)):
        codes = np.clip(values * 255 + rng.normal(0, 1, values.shape), 0, 255).astype(np.uint8)
        cv2.imwrite(str(folder / f"{name}.png"), codes[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 1])
    save_glb(folder / "plate.glb", quads({"All": 1}))
    packed = {
        name: {"map": "orm", "channels": letter}
        for name, letter in zip(("occlusion", "roughness", "metallic"), "rgb", strict=True)
    }
    document = {
        "ektopos": 1,
        "name": "bench",
        "target": "gltf-split",
        "maps": {
            "col": {"file": "col.png", "encoding": "srgb"},
            "orm": {"file": "orm.png"},
            "nrm": {"file": "nrm.png", "normal_y": "+"},
        },
        "materials": {
            "all": {"inputs": packed | {"base_color": {"map": "col"}, "normal": {"map": "nrm"}}}
        },
        "meshes": {"plate": {"file": "plate.glb", "slots": {"All": "all"}}},
    }
    (folder / "bench.ektopos.json").write_text(json.dumps(document))


def run() -> None:
    """Print the medians of 5 runs, and their ratios to the decoding."""
    from ektopos.export.profile import find_profile
    from ektopos.export.write_package import export_package
    from ektopos.project import open_project
    from ektopos.trial.compare import run_trial

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        material_folder(folder)
        profile = find_profile("gltf-split")
        with open_project(folder) as project:
            export_package(project, profile, folder / "out")
            textures = sorted((folder / "out/textures").iterdir())
            bare = median_ms(
                lambda _: [cv2.imread(str(path), cv2.IMREAD_UNCHANGED) for path in textures], 5
            )
            assert run_trial(project, folder / "out", profile).passed
            texels = median_ms(
                lambda _: run_trial(project, folder / "out", profile, renders=False), 5
            )
            whole = median_ms(lambda _: run_trial(project, folder / "out", profile), 5)
    print(
        f"trial of a {SIDE}² material: decoding its package {bare:.0f} ms; comparing {texels:.0f} ms ({texels / bare:.1f} ×), "
        f"with renders {whole:.0f} ms ({whole / bare:.1f} ×)"
    )
