"""Property tests: whatever a material is, it comes across, for every target; whatever is spoiled,
is found."""

from __future__ import annotations

import json
from pathlib import Path
from unittest import TestCase

import cv2
import numpy as np
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from ektopos.export.profile import built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from ektopos.project import open_project
from ektopos.trial.compare import run_trial
from tests.samples import folder, noise, normals_of, quads, save, save_glb

share = st.floats(0, 1).map(lambda v: round(v, 3))
colour = st.tuples(share, share, share).map(list)
channel = st.sampled_from("rgb")
ENDURING = {"deadline": None, "suppress_health_check": [HealthCheck.too_slow]}


def data_feed() -> st.SearchStrategy:
    mapped = st.fixed_dictionaries(
        {"map": st.sampled_from(["one", "two"]), "channels": channel},
        optional={
            "invert": st.booleans(),
            "range": st.tuples(share, share).map(list),
            "gamma": st.sampled_from([0.5, 1.0, 2.2]),
        },
    )
    return st.one_of(share.map(lambda v: {"value": v}), mapped)


def colour_feed() -> st.SearchStrategy:
    mapped = st.fixed_dictionaries(
        {"map": st.just("paint"), "channels": st.just("rgb")},
        optional={"tint": colour, "invert": st.booleans()},
    )
    return st.one_of(colour.map(lambda v: {"value": v}), mapped)


materials = st.fixed_dictionaries(
    {
        "inputs": st.fixed_dictionaries(
            {},
            optional={
                "base_color": colour_feed(),
                "metallic": data_feed(),
                "roughness": data_feed(),
                "occlusion": data_feed(),
                "normal": st.just({"map": "bumps", "channels": "rgb"}),
                "opacity": data_feed(),
                "emission": st.one_of(
                    colour.map(lambda v: {"value": v}), st.just({"map": "paint", "channels": "rgb"})
                ),
            },
        ),
    },
    optional={
        "alpha_mode": st.sampled_from(["opaque", "mask", "blend"]),
        "alpha_cutoff": share,
        "double_sided": st.booleans(),
        "filter": st.sampled_from(["linear", "nearest"]),
        "surface_tag": st.sampled_from(["metal", "stone"]),
        "uv": st.fixed_dictionaries(
            {
                "tiling": st.tuples(st.just(2.0), share.map(lambda v: v + 0.5)).map(list),
                "offset": st.tuples(share, share).map(list),
                "rotation": share,
            }
        ),
    },
)


def project_with(root: Path, material: dict) -> None:
    save(root / "one.png", noise(32, 1))
    save(root / "two.png", noise(16, 2))
    save(root / "paint.png", noise(32, 3))
    save(root / "bumps.png", normals_of(noise(32, 4, 1)[..., 0] / 255.0, 6.0, -1))
    save_glb(root / "m.glb", quads({"A": 1}))
    maps = {name: {"file": f"{name}.png"} for name in ("one", "two")}
    maps |= {
        "paint": {"file": "paint.png", "encoding": "srgb"},
        "bumps": {"file": "bumps.png", "normal_y": "-"},
    }
    document = {
        "ektopos": 1,
        "name": "p",
        "maps": maps,
        "materials": {"m": material},
        "meshes": {"m": {"file": "m.glb", "slots": {"A": "m"}}},
    }
    (root / "p.ektopos.json").write_text(json.dumps(document))


BESIDE_NOISE = {
    "inputs": {
        "roughness": {"value": 0.0},
        "occlusion": {"value": 0.5},
        "metallic": {"map": "one", "channels": "r"},
    }
}
"""One value beside a map in a file of Basis Universal: its blocks round the ends of their scale, so
that all texels come back a step and a half away, and alike."""


class AnyMaterial(TestCase):
    @given(materials, st.sampled_from(sorted(built_in_profiles())))
    @example(BESIDE_NOISE, "gltf-ktx2")
    @settings(max_examples=90, **ENDURING)
    def test_it_comes_across_within_rounding(self, material: dict, target: str) -> None:
        with folder() as root:
            project_with(root, material)
            with open_project(root) as opened:
                export_package(opened, find_profile(target), root / "out")
                trial = run_trial(opened, root / "out", find_profile(target), renders=False)
        wrong = [
            (c.input, c.verdict, c.max_error, c.message)
            for c in trial.cells
            if c.verdict in ("differs", "lost")
        ]
        # Files of mixed sizes are resampled; for them a whole step each way is the rounding of two
        # sizes.
        self.assertEqual(wrong, [])

    @given(
        materials,
        st.sampled_from(["gltf-split", "orm-y-minus", "single-maps", "metal-smooth", "materialx"]),
        st.integers(0, 10**6),
    )
    @settings(max_examples=60, **ENDURING)
    def test_whatever_texels_are_spoiled_it_is_found(
        self, material: dict, target: str, seed: int
    ) -> None:
        rng = np.random.default_rng(seed)
        with folder() as root:
            project_with(root, material)
            with open_project(root) as opened:
                export = export_package(opened, find_profile(target), root / "out")
                files = [f for f in export.files if f.path.endswith(".png") and (f.width or 0) > 1]
                if not files:
                    return
                chosen = files[int(rng.integers(len(files)))]
                letters = [letter for letter, carried in chosen.channels.items() if carried]
                letter = letters[int(rng.integers(len(letters)))]
                path = root / "out" / chosen.path
                pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
                pixels = pixels if pixels.ndim == 3 else pixels[..., None]
                place = {"b": 0, "g": 1, "r": 2, "a": 3}[letter] if pixels.shape[2] > 1 else 0
                y, x = (int(rng.integers(2, side - 1)) for side in pixels.shape[:2])
                part = pixels[y - 2 : y + 3, x - 2 : x + 3, place]
                part[:] = np.where(part > 127, part - 90, part + 90)
                cv2.imwrite(str(path), pixels)
                trial = run_trial(opened, root / "out", find_profile(target), renders=False)
        self.assertFalse(trial.passed, f"{chosen.path} {letter}, carries {chosen.channels[letter]}")
