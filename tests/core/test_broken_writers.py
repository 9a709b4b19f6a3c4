"""The proof of the proof: each conversion of each writer is broken in turn, for maps and for
numbers, and the trial fails every time.

What is broken is what writes; the trial's own reading and its idea of what was meant stay whole.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import ExitStack
from typing import Any
from unittest import TestCase
from unittest.mock import patch

import numpy as np

from ektopos.document import UvTransform
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.project import open_project
from ektopos.trial.compare import run_trial
from tests.core.test_every_number import rich_project
from tests.core.test_specular import specular_project
from tests.samples import folder, project_folder

WRITERS = "ektopos.export.writers"
GLTF, LOOSE, USD = ("gltf-split",), ("single-maps",), ("usdz",)


def nothing(*_: Any, **__: Any) -> Any:
    return None


def first_argument(value: Any, *_: Any, **__: Any) -> Any:
    return value


def untold(quantity: str, name: str, values: Any, other: Any = None) -> Any:
    """Quantities written as the input itself."""
    return values


def base_instead(quantity: str, base: Any, metallic: Any) -> Any:
    """Diffuse and specular written as base colour."""
    return base


def same_node(written: Any, source: str, *_: Any) -> str:
    """Nodes that are left out."""
    return source


def without_arithmetic(real: Callable[..., list[str]]) -> Callable[..., list[str]]:
    """USD's texture readers without scale and bias."""

    def write(*arguments: Any) -> list[str]:
        return [line for line in real(*arguments) if "scale" not in line and "bias" not in line]

    return write


def without_lines(real: Callable[..., list[str]], word: str) -> Callable[..., list[str]]:
    """USD's lines without those that name something."""

    def write(*arguments: Any, **more: Any) -> list[str]:
        return [line for line in real(*arguments, **more) if word not in line]

    return write


def unplaced(real: Callable[..., Any]) -> Callable[..., Any]:
    """Transforms written as none."""

    def write(*arguments: Any) -> Any:
        return real(*(UvTransform() if isinstance(a, UvTransform) else a for a in arguments))

    return write


def raw_value(feed: Any, name: str) -> Any:
    """Constants as the document states them, without tint, range and the rest."""
    value = np.asarray(feed.value, np.float32)
    wide = value.ndim or name in ("base_color", "emission")
    return np.broadcast_to(value, (1, 1, 3)).copy() if wide else value.reshape(1, 1)


Mutation = tuple[str, str, Any, tuple[str, ...]]
"""What is broken, in words; the name that is replaced; by what (a function of the real one where it
is marked so); the targets that have to notice."""


def of_real(make: Callable[..., Any], *more: Any) -> tuple[Any, ...]:
    return ("of real", make, *more)


ALL = (
    "gltf-split",
    "gltf-glb",
    "orm-y-minus",
    "metal-smooth",
    "single-maps",
    "spec-gloss",
    "materialx",
    "usdz",
)
MUTATIONS: list[Mutation] = [
    (
        "smoothness of maps not turned",
        "ektopos.export.packing.to_quantity",
        untold,
        ("metal-smooth",),
    ),
    ("gloss of maps not turned", "ektopos.export.packing.to_quantity", untold, ("spec-gloss",)),
    (
        "gloss not turned in MaterialX",
        f"{WRITERS}.loose.is_inverted",
        lambda _: False,
        ("metal-smooth", "spec-gloss"),
    ),
    (
        "diffuse and specular of maps by tables",
        "ektopos.export.mixing._specular",
        of_real(lambda real: lambda base, metallic, encode: real(base, base[0], encode)),
        ("spec-gloss",),
    ),
    (
        "diffuse of maps by tables",
        "ektopos.export.mixing.diffuse_share",
        lambda strongest, metal: np.ones(np.broadcast(strongest, metal).shape),
        ("spec-gloss",),
    ),
    (
        "diffuse and specular of numbers",
        "ektopos.export.values.diffuse_or_specular",
        base_instead,
        ("spec-gloss",),
    ),
    (
        "the conversion itself",
        "ektopos.export.values.to_specular_gloss",
        lambda base, metallic, rough: (base, base, rough),
        ("spec-gloss",),
    ),
    ("constants as they are stated, glTF", f"{WRITERS}.gltf.input_values", raw_value, GLTF),
    ("constants as they are stated, USD", f"{WRITERS}.usdz.input_values", raw_value, USD),
    (
        "constants as they are stated, MaterialX",
        "ektopos.export.values.input_values",
        raw_value,
        LOOSE,
    ),
    ("ranges and tints of maps", "ektopos.export.packing.adjust", first_argument, ALL),
    ("sRGB of maps", "ektopos.export.packing._encoded", first_argument, ALL),
    (
        "green of maps",
        "ektopos.export.write_package.pack_file",
        of_real(
            lambda real: (
                lambda maps, file, y, near=None: real(maps, file, "-" if y == "+" else "+", near)
            )
        ),
        ALL,
    ),
    ("green of −Y in MaterialX", f"{WRITERS}.loose._counted", same_node, ("orm-y-minus",)),
    ("occlusion strength in MaterialX", f"{WRITERS}.loose._counted", same_node, LOOSE),
    (
        "normal strength in MaterialX",
        f"{WRITERS}.loose._normal",
        of_real(lambda real: lambda w, s, _: real(w, s, 1.0)),
        LOOSE,
    ),
    ("no normal map node in MaterialX", f"{WRITERS}.loose._normal", same_node, LOOSE),
    ("transforms in MaterialX", f"{WRITERS}.loose._placed", lambda *_: "", LOOSE),
    ("turns in MaterialX", f"{WRITERS}.loose.math.degrees", lambda _: 0.0, LOOSE),
    (
        "alpha modes in MaterialX",
        f"{WRITERS}.loose._ALPHA_MODE",
        {"opaque": 0, "mask": 0, "blend": 0},
        LOOSE,
    ),
    ("the cut of OpenPBR", f"{WRITERS}.loose._cut", same_node, ("materialx",)),
    ("OpenPBR's light", f"{WRITERS}.loose._say_the_rest", nothing, ("materialx",)),
    ("what OpenPBR is told besides", f"{WRITERS}.loose._AS_GLTF", {}, ("materialx",)),
    ("sides and modes of loose meshes", f"{WRITERS}.loose.drawing_settings", lambda _: {}, LOOSE),
    ("sides and modes in glTF", f"{WRITERS}.gltf.drawing_settings", lambda _: {}, GLTF),
    ("strengths in glTF", f"{WRITERS}.gltf._strength", lambda *_: {}, GLTF),
    ("transforms in glTF", f"{WRITERS}.gltf._transform", lambda _: {}, GLTF),
    (
        "wrapping in glTF",
        f"{WRITERS}.gltf.WRAPS",
        dict.fromkeys(("repeat", "clamp", "mirror"), 10497),
        GLTF,
    ),
    ("filters in glTF", f"{WRITERS}.gltf.NEAREST", 9729, GLTF),
    ("opacity's factor in glTF", f"{WRITERS}.gltf._opacity", lambda _: 1.0, GLTF),
    ("factors of extensions in glTF", f"{WRITERS}.gltf._extensions", lambda *_: {}, GLTF),
    ("emission above 1 in glTF", f"{WRITERS}.gltf._STRENGTH", "KHR_materials_emissive_weak", GLTF),
    ("strengths in USD", f"{WRITERS}.usdz._texture", of_real(without_arithmetic), USD),
    ("strengths of numbers in USD", f"{WRITERS}.usdz.apply_strength", first_argument, USD),
    ("transforms in USD", f"{WRITERS}.usdz._placed", of_real(unplaced), USD),
    ("wrapping in USD", f"{WRITERS}.usdz._texture", of_real(without_lines, "wrap"), USD),
    (
        "encodings in USD",
        f"{WRITERS}.usdz._texture",
        of_real(without_lines, "sourceColorSpace"),
        USD,
    ),
    (
        "cut-offs in USD",
        f"{WRITERS}.usdz._material",
        of_real(without_lines, "opacityThreshold"),
        USD,
    ),
    ("sides in USD", f"{WRITERS}.usdz._mesh", of_real(without_lines, "doubleSided"), USD),
    ("emission above 1 cut off", "ektopos.export.packing.emission_factor", lambda *_: 1.0, ALL),
]


class BrokenWriters(TestCase):
    def test_whatever_is_broken_is_noticed(self) -> None:
        with folder() as root:
            projects = {
                "plates": project_folder(root / "plates"),
                "rich": root / "rich",
                "specular": root / "specular",
            }
            for name, make in (("rich", rich_project), ("specular", specular_project)):
                projects[name].mkdir()
                make(projects[name])
            for words, name, replacement, targets in MUTATIONS:
                for target in targets:
                    with self.subTest(words, target=target):
                        self.assertTrue(
                            any(
                                self._noticed(path, target, name, replacement, root / "out")
                                for path in projects.values()
                            )
                        )

    def _noticed(self, path: Any, target: str, name: str, replacement: Any, out: Any) -> bool:
        """Whether a package that is written with something replaced fails its trial, or cannot be
        written."""
        profile = find_profile(target)
        with open_project(path) as opened, folder() as root, ExitStack() as broken:
            if isinstance(replacement, tuple):
                _, make, *more = replacement
                replacement = make(patch(name).get_original()[0], *more)
            with patch(name, replacement):
                export_package(opened, profile, root / "out")
            broken.close()
            return not run_trial(opened, root / "out", profile, renders=False).passed
