"""The trial: silent where nothing was changed, and right about the cause where something was."""

from __future__ import annotations

import json
import re
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import get_args
from unittest import TestCase

import cv2
import numpy as np
import pygltflib

from ektopos.export.profile import built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from ektopos.images import linear_to_srgb
from ektopos.trial.advice import ADVICE
from ektopos.trial.compare import run_trial, tasks_of
from ektopos.trial.diagnosis import Cause
from ektopos.trial.session import Session
from ektopos.trial.tasks import ResultCache
from tests.samples import folder, project


def picture(change: Callable[[np.ndarray], np.ndarray]) -> Callable[[Path], None]:
    """A tampering that changes a picture's texels (BGR order)."""

    def tamper(path: Path) -> None:
        cv2.imwrite(str(path), change(cv2.imread(str(path), cv2.IMREAD_UNCHANGED)))

    return tamper


def gltf(change: Callable[[dict], None]) -> Callable[[Path], None]:
    """A tampering that changes the glTF's JSON."""

    def tamper(path: Path) -> None:
        content = json.loads(path.read_text())
        change(content)
        path.write_text(json.dumps(content))

    return tamper


def one_byte_curve(values: np.ndarray) -> np.ndarray:
    return np.round(linear_to_srgb(values.astype(np.float32) / 255) * 255).astype(np.uint8)


def material(name: str, **change):
    def set_(content: dict) -> None:
        next(m for m in content["materials"] if m["name"] == name).update(change)

    return gltf(set_)


def drop(name: str, key: str):
    return gltf(lambda content: next(m for m in content["materials"] if m["name"] == name).pop(key))


def of_base_color(content: dict) -> dict:
    info = content["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"]
    return content["textures"][info["index"]]


def without_transform(content: dict) -> None:
    for entry in content["materials"]:
        for info in [*entry.values(), *entry["pbrMetallicRoughness"].values()]:
            if isinstance(info, dict):
                info.get("extensions", {}).pop("KHR_texture_transform", None)


def jpeg(values: np.ndarray) -> np.ndarray:
    return cv2.imdecode(
        cv2.imencode(".jpg", values, [cv2.IMWRITE_JPEG_QUALITY, 12])[1], cv2.IMREAD_UNCHANGED
    )


ORM, NORMAL, COLOUR, GLTF = (
    "textures/tile_ORM.png",
    "textures/tile_Normal.png",
    "textures/tile_BaseColor.png",
    "plates.gltf",
)
TAMPERINGS: list[tuple[str, str, Callable[[Path], None], set[tuple[str, str]]]] = [
    (
        "four levels left, cut off",
        ORM,
        picture(lambda p: p & 0xC0),
        {("roughness", "quantised"), ("occlusion", "quantised")},
    ),
    (
        "no light",
        GLTF,
        gltf(
            lambda g: [
                m["extensions"]["KHR_materials_emissive_strength"].update(emissiveStrength=0)
                for m in g["materials"]
                if "KHR_materials_emissive_strength" in m.get("extensions", {})
            ]
        ),
        {("emission", "strength-lost")},
    ),
    (
        "roughness inverted",
        ORM,
        picture(lambda p: np.dstack([p[..., 0], 255 - p[..., 1], p[..., 2]])),
        {("roughness", "inverted")},
    ),
    (
        "two channels swapped",
        ORM,
        picture(lambda p: p[..., [0, 2, 1]]),
        {("roughness", "channels-swapped"), ("occlusion", "channels-swapped")},
    ),
    (
        "green turned",
        NORMAL,
        picture(lambda p: np.dstack([p[..., 0], 255 - p[..., 1], p[..., 2]])),
        {("normal", "green-flipped")},
    ),
    (
        "encoded once more",
        ORM,
        picture(one_byte_curve),
        {("roughness", "wrong-encoding"), ("metallic", "wrong-encoding")},
    ),
    ("shifted", ORM, picture(lambda p: np.roll(p, (7, 3), (0, 1))), {("roughness", "shifted")}),
    (
        "few steps",
        ORM,
        picture(lambda p: (np.round(p / 255 * 5) * 51).astype(np.uint8)),
        {("roughness", "quantised")},
    ),
    ("compressed", ORM, picture(jpeg), {("roughness", "compressed")}),
    (
        "smaller",
        ORM,
        picture(lambda p: cv2.resize(p, (16, 16), interpolation=cv2.INTER_AREA)),
        {("roughness", "resized")},
    ),
    (
        "cut off",
        ORM,
        lambda path: path.write_bytes(path.read_bytes()[:900]),
        {("roughness", "unreadable-file")},
    ),
    (
        "gone",
        ORM,
        lambda path: path.unlink(),
        {("roughness", "missing-file"), ("occlusion", "missing-file")},
    ),
    ("no alpha mode", GLTF, drop("tile", "alphaMode"), {("opacity", "alpha-mode-changed")}),
    ("other cut-off", GLTF, material("tile", alphaCutoff=0.6), {("opacity", "cutoff-changed")}),
    ("one-sided", GLTF, drop("tile", "doubleSided"), {("settings", "sides-changed")}),
    ("no transform", GLTF, gltf(without_transform), {("settings", "uv-transform-lost")}),
    (
        "linear filter",
        GLTF,
        gltf(lambda c: c.update(samplers=[{} for _ in c["samplers"]])),
        {("settings", "filter-changed")},
    ),
    (
        "no sampler on the base colour",
        GLTF,
        gltf(lambda c: of_base_color(c).pop("sampler")),
        {("settings", "filter-changed")},
    ),
    ("no light factor", GLTF, drop("tile", "emissiveFactor"), {("emission", "constant-changed")}),
    (
        "metal factor 0",
        GLTF,
        gltf(lambda c: c["materials"][0]["pbrMetallicRoughness"].update(metallicFactor=0)),
        {("metallic", "constant-changed")},
    ),
    (
        "alpha factor 0",
        GLTF,
        gltf(
            lambda c: c["materials"][0]["pbrMetallicRoughness"].update(baseColorFactor=[1, 1, 1, 0])
        ),
        {("opacity", "constant-changed")},
    ),
    ("alpha dropped", COLOUR, picture(lambda p: p[..., :3]), {("opacity", "channel-missing")}),
    (
        "light wired to the base colour",
        GLTF,
        gltf(
            lambda c: c["materials"][0]["emissiveTexture"].update(
                index=c["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"]["index"]
            )
        ),
        {("emission", "other-texture")},
    ),
    (
        "other constant",
        GLTF,
        gltf(lambda c: c["materials"][2]["pbrMetallicRoughness"].update(roughnessFactor=0.9)),
        {("roughness", "constant-changed")},
    ),
    (
        "strength lost",
        GLTF,
        gltf(lambda c: c["materials"][0]["normalTexture"].pop("scale")),
        {("normal", "strength-lost")},
    ),
    (
        "slot without material",
        GLTF,
        gltf(lambda c: c["meshes"][0]["primitives"][0].pop("material")),
        {("base_color", "slot-unassigned")},
    ),
    (
        "slot reassigned",
        GLTF,
        gltf(lambda c: c["meshes"][0]["primitives"][0].update(material=2)),
        {("base_color", "slot-reassigned")},
    ),
    (
        "slot gone",
        GLTF,
        gltf(lambda c: c["meshes"][0]["primitives"].pop()),
        {("base_color", "slot-missing")},
    ),
    (
        "broken container",
        GLTF,
        lambda path: path.write_text("{"),
        {("base_color", "unreadable-file")},
    ),
]


def listed(change: Callable[[dict], None]) -> Callable[[Path], None]:
    """A tampering that changes a material's facts in the package list."""

    def tamper(path: Path) -> None:
        content = json.loads(path.read_text())
        change(content["materials"])
        path.write_text(json.dumps(content))

    return tamper


def replaced(before: str, after: str) -> Callable[[Path], None]:
    """A tampering that changes a text file."""

    def tamper(path: Path) -> None:
        text = path.read_text()
        assert before in text, before
        path.write_text(text.replace(before, after, 1))

    return tamper


LIST, MTLX = "package.json", "materials.mtlx"
UNREAD: list[tuple[str, Callable[[Path], None]]] = [
    ("constant", listed(lambda m: m["plain"]["inputs"]["roughness"].update(value=0.9))),
    ("alpha mode", listed(lambda m: m["tile"].pop("alpha_mode"))),
    ("cut-off", listed(lambda m: m["tile"].update(alpha_cutoff=0.7))),
    ("sides", listed(lambda m: m["tile"].pop("double_sided"))),
    ("transform", listed(lambda m: m["tile"].pop("uv"))),
    ("filter", listed(lambda m: m["tile"].pop("filter"))),
    ("strength", listed(lambda m: m["tile"]["inputs"].pop("normal"))),
]
"""Values in the package list, which is for people: no engine reads it."""

LOOSE_TAMPERINGS: list[tuple[str, str, str, Callable[[Path], None], tuple[str, str]]] = [
    (
        "metal-smooth",
        "smoothness inverted",
        "textures/tile_MetalSmooth.png",
        picture(lambda p: np.dstack([p[..., :3], 255 - p[..., 3]])),
        ("roughness", "inverted"),
    ),
    (
        "orm-y-minus",
        "green turned",
        NORMAL,
        picture(lambda p: np.dstack([p[..., 0], 255 - p[..., 1], p[..., 2]])),
        ("normal", "green-flipped"),
    ),
    (
        "single-maps",
        "encoded once more",
        "textures/tile_Roughness.png",
        picture(one_byte_curve),
        ("roughness", "wrong-encoding"),
    ),
    (
        "single-maps",
        "gone",
        "textures/tile_Metallic.png",
        lambda path: path.unlink(),
        ("metallic", "missing-file"),
    ),
    (
        "spec-gloss",
        "specular dimmed",
        "textures/tile_SpecularGloss.png",
        picture(lambda p: np.dstack([p[..., :3] // 2, p[..., 3]])),
        ("metallic", "unknown"),
    ),
    (
        "spec-gloss",
        "gloss inverted",
        "textures/tile_SpecularGloss.png",
        picture(lambda p: np.dstack([p[..., :3], 255 - p[..., 3]])),
        ("roughness", "inverted"),
    ),
    (
        "single-maps",
        "constant beside",
        MTLX,
        replaced('value="0.35"', 'value="0.6"'),
        ("roughness", "constant-changed"),
    ),
    (
        "single-maps",
        "cut-off beside",
        MTLX,
        replaced('value="0.4"', 'value="0.6"'),
        ("opacity", "cutoff-changed"),
    ),
    (
        "single-maps",
        "other file beside",
        MTLX,
        replaced("tile_Roughness.png", "tile_Metallic.png"),
        ("roughness", "other-texture"),
    ),
    (
        "single-maps",
        "normals as colour beside",
        MTLX,
        lambda path: path.write_text(
            re.sub(
                r'value="textures/tile_Normal.png"[^/]*/>',
                'value="textures/tile_Normal.png" colorspace="srgb_texture"/>',
                path.read_text(),
            )
        ),
        ("normal", "wrong-encoding"),
    ),
    (
        "single-maps",
        "slot beside",
        MTLX,
        replaced(
            'material="tile_dull" geom="/plates/Back"', 'material="plain" geom="/plates/Back"'
        ),
        ("base_color", "slot-reassigned"),
    ),
    (
        "single-maps",
        "broken document",
        MTLX,
        lambda path: path.write_text("<materialx"),
        ("base_color", "unreadable-file"),
    ),
]


class TamperedLoose(TestCase):
    def test_every_tampering_of_a_loose_package_is_found(self) -> None:
        for target, what, file, tamper, (input_name, cause) in LOOSE_TAMPERINGS:
            with self.subTest(target, what=what), project() as opened, folder() as root:
                profile = find_profile(target)
                export_package(opened, profile, root / "out")
                tamper(root / "out" / file)
                trial = run_trial(opened, root / "out", profile, renders=False)
                self.assertFalse(trial.passed)
                found = {
                    (c.input, c.cause) for c in trial.cells if c.verdict in ("differs", "lost")
                }
                self.assertIn((input_name, cause), found)

    def test_what_only_the_packing_list_says_is_never_compared(self) -> None:
        for what, tamper in UNREAD:
            with self.subTest(what), project() as opened, folder() as root:
                profile = find_profile("single-maps")
                export_package(opened, profile, root / "out")
                tamper(root / "out" / LIST)
                trial = run_trial(opened, root / "out", profile, renders=False)
                self.assertTrue(trial.passed, trial.cells)

    def test_what_no_file_says_is_on_the_list_for_a_person(self) -> None:
        with project() as opened, folder() as root:
            profile = find_profile("single-maps")
            export_package(opened, profile, root / "out")
            trial = run_trial(opened, root / "out", profile, renders=False)
            text = (root / "out/hand-over.md").read_text()
            listed_files = json.loads((root / "out" / LIST).read_text())["files"]
        self.assertEqual([c.slot for c in trial.cells if c.verdict == "by-hand"], ["Front", "Back"])
        self.assertEqual(
            {(line.material, line.slot) for line in trial.by_hand},
            {("tile", "plates · Front"), ("tile_dull", "plates · Back")},
        )
        for words in (
            "- [ ] **tile** (on plates · Front)\n",
            "  - Tag its surface as “stone”.",
            "Alpha mode Mask, cut-off 0.4 (only materials.mtlx says so)",
            "Tiling 2 × 3, offset 0.25, 0.5, rotation 17.19° (only",
            "Normal strength 0.8 (only",
            "by the nearest texel (only",
        ):
            self.assertIn(words, text)
        self.assertNotIn("both sides", text, "the GLB says it")
        self.assertIn("hand-over.md", [file["path"] for file in listed_files])
        with project() as opened, folder() as root:
            export_package(opened, find_profile("gltf-glb"), root / "out")
            self.assertFalse((root / "out/hand-over.md").exists())

    def test_the_glb_of_loose_maps_says_how_materials_are_drawn(self) -> None:
        """Source: glTF 2.0, 5.19, read with pygltflib."""
        profile = find_profile("single-maps")
        with project() as opened, folder() as root:
            export_package(opened, profile, root / "out")
            path = root / "out/plates.glb"
            loaded = pygltflib.GLTF2().load(str(path))
            tile, _, plain = loaded.materials
            self.assertEqual(
                (tile.alphaMode, tile.alphaCutoff, tile.doubleSided), ("MASK", 0.4, True)
            )
            self.assertEqual((plain.alphaMode, plain.doubleSided), ("OPAQUE", False))
            for change, cause in (
                ({"doubleSided": None}, "sides-changed"),
                ({"alphaMode": "OPAQUE"}, "alpha-mode-changed"),
                ({"alphaCutoff": 0.6}, "cutoff-changed"),
                ({"extensions": {"KHR_materials_unlit": {}}}, "shading-changed"),
            ):
                with self.subTest(cause):
                    changed = pygltflib.GLTF2().load(str(path))
                    for key, value in change.items():
                        setattr(changed.materials[0], key, value)
                    sound = path.read_bytes()
                    changed.save_binary(str(path))
                    trial = run_trial(opened, root / "out", profile, renders=False)
                    path.write_bytes(sound)
                    self.assertIn(cause, {c.cause for c in trial.cells if c.verdict == "differs"})


class Untampered(TestCase):
    def test_every_target_brings_every_input_across(self) -> None:
        for target in built_in_profiles():
            with self.subTest(target), project() as opened, folder() as root:
                export_package(opened, find_profile(target), root / "out")
                trial = run_trial(opened, root / "out", find_profile(target))
                # Codecs lose what these noisy maps are made of.
                most = 0.12 if find_profile(target).has_basis else 0.06
                self.assertLess(max(one.flip for one in trial.renders), most, target)
                self.assertTrue(
                    trial.passed, [c for c in trial.cells if c.verdict in ("differs", "lost")]
                )
                self.assertEqual(len(trial.cells), 3 * 9 + 1)
                for cell in trial.cells:
                    if cell.cause == "compressed":
                        self.assertRegex(cell.message, "^UASTC|^ETC1S")
                        continue
                    limit = 1.0 if cell.unit == "degrees" else 1.001
                    self.assertLessEqual(cell.max_error or 0.0, limit, cell)


class Tampered(TestCase):
    def test_every_tampering_is_found_with_its_cause(self) -> None:
        for what, file, tamper, wanted in TAMPERINGS:
            with self.subTest(what), project() as opened, folder() as root:
                profile = find_profile("gltf-split")
                export_package(opened, profile, root / "out")
                tamper(root / "out" / file)
                trial = run_trial(opened, root / "out", profile, renders=False)
                self.assertFalse(trial.passed)
                found = {
                    (c.input, c.cause) for c in trial.cells if c.verdict in ("differs", "lost")
                }
                self.assertLessEqual(wanted, found)

    def test_a_poor_jpeg_is_named_as_what_it_is(self) -> None:
        with project() as opened, folder() as root:
            profile = find_profile("gltf-split")
            export_package(opened, profile, root / "out")
            path = root / "out" / ORM
            pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
            quality = [cv2.IMWRITE_JPEG_QUALITY, 8]
            path.write_bytes(cv2.imencode(".jpg", pixels, quality)[1].tobytes())
            trial = run_trial(opened, root / "out", profile, renders=False)
            found = {c.cause for c in trial.cells if c.input in ("roughness", "occlusion")}
        self.assertIn("compressed", found)
        self.assertLessEqual(found, {"compressed", None, "resized"})

    def test_one_wrong_byte_of_one_texel_is_seen(self) -> None:
        with project() as opened, folder() as root:
            profile = find_profile("gltf-split")
            export_package(opened, profile, root / "out")

            def touch(pixels: np.ndarray) -> np.ndarray:
                pixels[10, 20, 1] ^= 0x20
                return pixels

            picture(touch)(root / "out" / ORM)
            cells = {
                c.input: c
                for c in run_trial(opened, root / "out", profile, renders=False).cells
                if c.slot == "Front"
            }
        self.assertEqual(cells["roughness"].verdict, "differs")
        self.assertAlmostEqual(cells["roughness"].differing or 0, 1 / 64**2, places=6)
        self.assertEqual(cells["metallic"].verdict, "same")
        self.assertIn("edited after export", cells["roughness"].message)


class Guide(TestCase):
    def test_every_cause_stands_in_the_guide_with_what_to_do(self) -> None:
        guide = Path(__file__).resolve().parents[2] / "docs/guide.md"
        rows = re.findall(r"^\| `([a-z-]+)` \| (.+?) \| (.+?) \|$", guide.read_text(), re.MULTILINE)
        self.assertEqual({cause for cause, _, _ in rows}, set(get_args(Cause)))
        told = {cause: f"{todo[0].upper()}{todo[1:]}." for cause, _, todo in rows}
        self.assertEqual(told, ADVICE)


class Memory:
    """What trials have found, in memory, and what was asked of it."""

    def __init__(self) -> None:
        self.held: dict[str, bytes] = {}
        self.made = 0
        self.kept = ResultCache(self.find, self.keep)

    def find(self, key: str) -> bytes | None:
        return self.held.get(key)

    def keep(self, key: str, found: bytes) -> None:
        self.made += bool(found)
        self.held[key] = found


class WhatIsKept(TestCase):
    """What is kept of earlier trials changes nothing of what a trial says."""

    def again(self, opened, package: Path, memory: Memory, target: str = "gltf-split"):
        """A trial with what is kept, which has to be what a trial without it says, and how many
        pieces had to be looked at."""
        profile, before = find_profile(target), memory.made
        pictures: dict[tuple[str, str], dict[str, bytes]] = {}

        def keep(*shown) -> None:
            pictures[shown[:2]] = shown[2]

        kept = run_trial(opened, package, profile, keep=keep, kept=memory.kept)
        seen, pictures = pictures, {}
        plain = run_trial(opened, package, profile, keep=keep)
        self.assertEqual(kept, plain)
        self.assertTrue(seen == pictures)
        return kept, memory.made - before

    def test_trying_again_looks_only_at_what_has_changed(self) -> None:
        memory = Memory()
        with folder() as root, project() as opened:
            export_package(opened, find_profile("gltf-split"), root / "out")
            session = Session(opened, root / "out", find_profile("gltf-split"))
            every = len(tasks_of(session))
            self.assertGreater(every, 2)
            self.assertEqual(self.again(opened, root / "out", memory)[1], every)
            trial, looked = self.again(opened, root / "out", memory)
            self.assertEqual((trial.passed, looked), (True, 0))
            # One material is meant otherwise: it and the mesh that wears it.
            changed = opened.document.materials["plain"].model_copy(update={"double_sided": True})
            document = opened.document.model_copy(
                update={"materials": opened.document.materials | {"plain": changed}}
            )
            trial, looked = self.again(replace(opened, document=document), root / "out", memory)
            self.assertEqual((trial.passed, looked), (False, 2))

    def test_what_is_wrong_is_found_whatever_is_kept(self) -> None:
        """Every tampering, in a package that had passed: nothing is believed without its bytes."""
        memory = Memory()
        with folder() as root, project() as opened:
            profile = find_profile("gltf-split")
            export_package(opened, profile, root / "out")

            def tried(package: Path, **kept: object):
                return run_trial(opened, package, profile, renders=False, **kept)

            self.assertTrue(tried(root / "out", kept=memory.kept).passed)
            for label, file, tamper, _ in TAMPERINGS:
                with self.subTest(label):
                    broken = root / label.replace("/", "-")
                    shutil.copytree(root / "out", broken)
                    tamper(broken / file)
                    plain = tried(broken)
                    self.assertFalse(plain.passed)
                    for _ in range(2):
                        self.assertEqual(tried(broken, kept=memory.kept), plain)
            self.assertTrue(tried(root / "out", kept=memory.kept).passed)

    def test_what_is_kept_may_be_damaged_or_gone(self) -> None:
        memory = Memory()
        with folder() as root, project() as opened:
            profile = find_profile("gltf-split")
            export_package(opened, profile, root / "out")
            first = run_trial(opened, root / "out", profile, kept=memory.kept)
            memory.held = {
                key: [b"{", b"", b"[]", found[: len(found) // 2]][i % 4]
                for i, (key, found) in enumerate(memory.held.items())
            }
            self.assertEqual(run_trial(opened, root / "out", profile, kept=memory.kept), first)
