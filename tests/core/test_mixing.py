"""Diffuse and specular by tables of codes are those of the conversion's arithmetic, to the code,
and no picture of floats is made for them."""

from __future__ import annotations

import json
from pathlib import Path
from unittest import TestCase
from unittest.mock import patch

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ektopos.export.packing import pack_file
from ektopos.export.plan import make_plan
from ektopos.export.profile import find_profile
from ektopos.images import read_header
from ektopos.materials.resolve import MapLoader
from ektopos.project import open_project
from tests.samples import folder, quads, save, save_glb

share = st.floats(0, 1, allow_nan=False, width=32)
adjusted = st.fixed_dictionaries(
    {},
    optional={
        "invert": st.booleans(),
        "range": st.tuples(share, share),
        "gamma": st.floats(0.3, 3),
        "multiply": st.floats(0, 2),
    },
)
colours = st.fixed_dictionaries({}, optional={"tint": st.tuples(share, share, share)})


def packed(root: Path, feeds: dict) -> dict[str, np.ndarray]:
    """Diffuse and specular as `spec-gloss` packs them, `(h, w, c)` by suffix."""
    document = {
        "ektopos": 1,
        "name": "Mixed",
        "target": "spec-gloss",
        "maps": {
            name: {"file": f"{name}.png", "encoding": "srgb" if "base" in name else "linear"}
            for name in ("base", "metal", "base_deep", "metal_deep")
        },
        "materials": {"tin": {"inputs": {**feeds, "roughness": {"value": 0.5}}}},
        "meshes": {"plate": {"file": "plate.glb", "slots": {"All": "tin"}}},
    }
    path = root / "mixed.ektopos.json"
    path.write_text(json.dumps(document))
    with open_project(path) as opened:
        profile = find_profile("spec-gloss")
        plan = make_plan(opened.document, profile, lambda name: read_header(opened.map_path(name)))
        loader = MapLoader(opened)
        return {
            Path(file.path).stem.split("_")[-1]: np.dstack(
                pack_file(loader, file, profile.normal_y).levels[0]
            )
            for file in plan.files
        }


def maps(root: Path, base: np.ndarray, metal: np.ndarray) -> None:
    """Both maps with 8 bits, and the same values with 16, which no table of both can hold."""
    save_glb(root / "plate.glb", quads({"All": 1}))
    for name, pixels in (("base", base), ("metal", metal)):
        save(root / f"{name}.png", pixels)
        save(root / f"{name}_deep.png", pixels.astype(np.uint16) * 257)


def every_pair() -> tuple[np.ndarray, np.ndarray]:
    """Every metallic beside every strongest channel, the two others anywhere below it."""
    strongest, metal = np.meshgrid(np.arange(256), np.arange(256))
    rng = np.random.default_rng(4)
    others = (strongest[..., None] * rng.random((256, 256, 2))).astype(np.uint8)
    base = np.dstack([strongest.astype(np.uint8), others])
    return rng.permuted(base, axis=2), metal.astype(np.uint8)


class Mixed(TestCase):
    def test_every_pair_of_codes(self) -> None:
        with folder() as root:
            maps(root, *every_pair())
            quick = packed(root, {"base_color": {"map": "base"}, "metallic": {"map": "metal"}})
            exact = packed(
                root, {"base_color": {"map": "base_deep"}, "metallic": {"map": "metal_deep"}}
            )
            self.assertEqual(sorted(quick), ["Diffuse", "SpecularGloss"])
            for suffix, codes in exact.items():
                np.testing.assert_array_equal(quick[suffix], codes, suffix)

    @settings(max_examples=40, deadline=None)
    @given(colour=colours, changed=adjusted, data=adjusted, fixed=st.sampled_from(["", "b", "m"]))
    def test_whatever_the_feeds_do(
        self, colour: dict, changed: dict, data: dict, fixed: str
    ) -> None:
        with folder() as root:
            rng = np.random.default_rng(1)
            maps(
                root,
                rng.integers(0, 256, (37, 53, 3), dtype=np.uint8),
                rng.integers(0, 256, (37, 53), dtype=np.uint8),
            )

            def feeds(ending: str) -> dict:
                base = {"value": [0.9, 0.4, 0.1]} if fixed == "b" else {"map": f"base{ending}"}
                metal = {"value": 0.7} if fixed == "m" else {"map": f"metal{ending}"}
                return {
                    "base_color": {**base, **colour, **changed},
                    "metallic": {**metal, **data},
                }

            quick, exact = packed(root, feeds("")), packed(root, feeds("_deep"))
            self.assertTrue(exact)
            for suffix, codes in exact.items():
                np.testing.assert_array_equal(quick[suffix], codes, suffix)

    def test_no_picture_of_floats_is_made(self) -> None:
        with folder() as root:
            maps(root, *every_pair())
            feeds = {"base_color": {"map": "base"}, "metallic": {"map": "metal"}}
            with patch("ektopos.export.packing.resolve_feed") as resolved:
                self.assertEqual(len(packed(root, feeds)), 2)
            resolved.assert_not_called()
