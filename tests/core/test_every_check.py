"""Every code of the table fires on a project that has just that fault, and on no sound one; what it
proposes mends it and spoils nothing; and checks agree with whoever reads the maps."""

from __future__ import annotations

import itertools
import json
from collections.abc import Callable
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any
from unittest import TestCase

import cv2
import numpy as np
from pydantic import TypeAdapter

from ektopos.base.errors import EktoposError
from ektopos.checks import CODES, Finding, Known, MeshLook, run_checks
from ektopos.document import ROLES, Document, load_document
from ektopos.document.mesh_steps import MeshStep
from ektopos.edits import apply_edits
from ektopos.export.profile import find_profile
from ektopos.maps import Facts, encoding_of_roles, facts_of
from ektopos.materials.resolve import MapLoader, resolve_feed
from ektopos.meshes import Mesh, apply_recipe, find_faults, read_mesh, slot_facts
from ektopos.meshes.recipe import OTHER_WAY
from ektopos.project import OpenProject, open_project
from tests.samples import folder, noise, normals_of, quads, save, save_glb

Raw = dict[str, Any]
Spoil = Callable[[Path, Raw], object]


def sound(root: Path) -> Raw:
    """The sound project's files, and its document."""
    files, raw = sound_files()
    for name, content in files.items():
        path = root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content)
    return json.loads(raw)  # type: ignore[no-any-return]


@cache
def sound_files() -> tuple[dict[str, bytes], str]:
    with folder() as root:
        raw = written(root)
        files = [path for path in root.rglob("*") if path.is_file()]
        return {str(p.relative_to(root)): p.read_bytes() for p in files}, json.dumps(raw)


def written(root: Path) -> Raw:
    """A project without a single finding: a cube with unique UVs in one material, its set complete."""
    rng = np.random.default_rng(3)
    height = cv2.resize(
        rng.random((32, 32)).astype(np.float32), (512, 512), None, 0, 0, cv2.INTER_CUBIC
    )
    base = 90 + (noise(512, 2) / 8).astype(np.uint8)
    packed = noise(512, 3)
    packed[..., 1] = 60 + packed[..., 1] // 2
    packed[..., 2] = 0
    save(root / "maps/crate_col.png", base)
    save(root / "maps/crate_orm.png", packed)
    save(root / "maps/crate_nrm.png", normals_of(height, 40.0, 1))
    save_glb(root / "meshes/crate.glb", cube())
    return {
        "ektopos": 1,
        "name": "Crate",
        "maps": {
            "crate_col": {
                "file": "maps/crate_col.png",
                "encoding": "srgb",
                "roles": {"rgb": "base_color"},
            },
            "crate_orm": {
                "file": "maps/crate_orm.png",
                "roles": {"r": "occlusion", "g": "roughness", "b": "metallic"},
            },
            "crate_nrm": {
                "file": "maps/crate_nrm.png",
                "roles": {"rgb": "normal"},
                "normal_y": "+",
            },
        },
        "materials": {
            "crate": {
                "inputs": {
                    "base_color": {"map": "crate_col", "channels": "rgb"},
                    "metallic": {"map": "crate_orm", "channels": "b"},
                    "roughness": {"map": "crate_orm", "channels": "g"},
                    "occlusion": {"map": "crate_orm", "channels": "r"},
                    "normal": {"map": "crate_nrm", "channels": "rgb"},
                }
            }
        },
        "meshes": {"crate": {"file": "meshes/crate.glb", "slots": {"Wood": "crate"}}},
    }


def cube() -> Mesh:
    """A closed cube of a metre, each side on a third by a half of the UV square, apart."""
    corners = np.array(list(itertools.product((0.0, 1.0), repeat=3)))
    sides = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    plain = quads({"Wood": 6})
    positions = corners[np.array(sides).reshape(-1)]
    square = np.array([(0, 1), (1, 1), (1, 0), (0, 0)]) * 0.3 + 0.01
    places = np.array([(x / 3, y / 2) for y in range(2) for x in range(3)])
    uvs = (square[None] + places[:, None]).reshape(-1, 2).astype(np.float32)
    normals = np.zeros((24, 3), np.float32)
    for number, side in enumerate(sides):
        a, b, c = (corners[i] for i in side[:3])
        normal = np.cross(b - a, c - b)
        normals[number * 4 : number * 4 + 4] = normal / np.linalg.norm(normal)
    return replace(plain, positions=positions, uvs=uvs, normals=normals)


def remesh(change: Callable[[Mesh], Mesh]) -> Spoil:
    return lambda root, _: save_glb(root / "meshes/crate.glb", change(cube()))


def moved_uvs(scale: float, shift: float = 0.0) -> Spoil:
    return remesh(lambda mesh: replace(mesh, uvs=mesh.uvs * np.float32(scale) + np.float32(shift)))


def crate(raw: Raw) -> Raw:
    return raw["materials"]["crate"]


def repaint(name: str, change: Callable[[np.ndarray], np.ndarray]) -> Spoil:
    def spoil(root: Path, raw: Raw) -> None:
        path = root / "maps" / f"{name}.png"
        save(path, change(cv2.imread(str(path), cv2.IMREAD_UNCHANGED)[..., ::-1].copy()))

    return spoil


def fill(channel: int | None, value: int) -> Callable[[np.ndarray], np.ndarray]:
    def change(pixels: np.ndarray) -> np.ndarray:
        pixels[..., slice(None) if channel is None else channel] = value
        return pixels

    return change


def shaded(pixels: np.ndarray) -> np.ndarray:
    ramp = np.linspace(0.25, 1.0, pixels.shape[1])[None, :, None]
    return (pixels * ramp).astype(np.uint8)


def patched(pixels: np.ndarray) -> np.ndarray:
    """Lighter and darker in sixteen fields, no two neighbours alike, and no shade over all."""
    rows, columns = np.indices(pixels.shape[:2])
    size = pixels.shape[0] // 4
    field = (rows // size + columns // size) % 2
    return (pixels * np.where(field == 0, 1.0, 0.6)[..., None]).astype(np.uint8)


def repeated(root: Path, raw: Raw) -> None:
    repaint("crate_col", patched)(root, raw)
    crate(raw)["uv"] = {"tiling": [9.0, 9.0]}


def broken(root: Path, raw: Raw, file: str) -> None:
    (root / file).write_bytes(b"no picture")


def tinted(root: Path, raw: Raw) -> None:
    grey = noise(64, 4, 1)[..., 0].astype(np.float32)
    save(root / "maps/crate_rough.png", (grey[..., None] * [1.0, 0.9, 0.8]).astype(np.uint8))
    raw["maps"]["crate_rough"] = {"file": "maps/crate_rough.png", "roles": {"rgb": "roughness"}}
    crate(raw)["inputs"]["roughness"] = {"map": "crate_rough", "channels": "r"}


def as_jpeg(root: Path, raw: Raw) -> None:
    pixels = cv2.imread(str(root / "maps/crate_orm.png"))
    cv2.imwrite(str(root / "maps/crate_orm.jpg"), pixels, [cv2.IMWRITE_JPEG_QUALITY, 30])
    raw["maps"]["crate_orm"]["file"] = "maps/crate_orm.jpg"


def with_nan(root: Path, raw: Raw) -> None:
    import OpenEXR

    pixels = np.ones((8, 8, 3), np.float32)
    pixels[2, 3] = np.nan
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    OpenEXR.File(header, {"RGB": pixels}).write(str(root / "maps/glow.exr"))
    raw["maps"]["crate_glow"] = {"file": "maps/glow.exr", "roles": {"rgb": "emission"}}
    crate(raw)["inputs"]["emission"] = {"map": "crate_glow", "channels": "rgb"}


def palette(root: Path, raw: Raw) -> None:
    squares = np.zeros((2, 2, 3), np.uint8)
    squares[:] = [[(90, 90, 90), (140, 90, 90)], [(90, 140, 90), (90, 90, 140)]]
    save(root / "maps/crate_col.png", squares)


def second_slot(root: Path, raw: Raw, *, far: float = 1.0) -> None:
    """Two slots in two materials of one size, one with UVs so many times as large."""
    mesh = cube()
    slot = np.repeat([0, 1], 6).astype(np.int32)
    uvs = mesh.uvs.copy()
    uvs[12:] = (uvs[12:] - 0.5) * np.float32(far) + 0.5
    vertex = np.repeat([0, 1], 12).astype(np.int32)
    save_glb(
        root / "meshes/crate.glb",
        replace(
            mesh,
            slots=("Wood", "Lid"),
            triangle_slot=slot,
            vertex_slot=vertex,
            uvs=uvs,
            loose=(0, 0),
            uv_sets=(1, 1),
        ),
    )
    raw["materials"]["lid"] = json.loads(json.dumps(crate(raw)))
    raw["meshes"]["crate"]["slots"]["Lid"] = "lid"


def turned(mesh: Mesh) -> Mesh:
    triangles = mesh.triangles.copy()
    triangles[0] = triangles[0][OTHER_WAY]
    return replace(mesh, triangles=triangles)


def scaled_node(scale: list[float]) -> Spoil:
    def spoil(root: Path, raw: Raw) -> None:
        import pygltflib

        path = str(root / "meshes/crate.glb")
        gltf = pygltflib.GLTF2().load(path)
        assert gltf is not None
        gltf.nodes[0].scale = scale
        gltf.save(path)

    return spoil


CASES: dict[str, Spoil] = {
    "missing-map-file": lambda root, _: (root / "maps/crate_col.png").unlink(),
    "unreadable-map": lambda root, raw: broken(root, raw, "maps/crate_col.png"),
    "missing-mesh-file": lambda root, _: (root / "meshes/crate.glb").unlink(),
    "unreadable-mesh": lambda root, raw: broken(root, raw, "meshes/crate.glb"),
    "not-a-number": with_nan,
    "lossy-data": as_jpeg,
    "missing-map": lambda _, raw: crate(raw)["inputs"]["normal"].update(map="gone"),
    "missing-material": lambda _, raw: raw["meshes"]["crate"]["slots"].update(Wood="gone"),
    "missing-slot": lambda _, raw: raw["meshes"]["crate"]["slots"].update(Gone="crate"),
    "missing-in-scene": lambda _, raw: raw.update(scene={"items": {"crate": {"mesh": "gone"}}}),
    "broken-base": lambda _, raw: crate(raw).update({"from": "crate"}),
    "unknown-field": lambda _, raw: crate(raw).update(shine=1),
    "encoding-against-role": lambda _, raw: raw["maps"]["crate_orm"].update(encoding="srgb"),
    "wasted-channels": lambda _, raw: raw["maps"]["crate_orm"].update(roles={"rgb": "roughness"}),
    "base-colour-too-dark": repaint("crate_col", fill(None, 3)),
    "base-colour-too-bright": repaint("crate_col", fill(None, 253)),
    "metal-too-dark": repaint("crate_orm", fill(2, 255)),
    "light-painted-in": repaint("crate_col", shaded),
    "coloured-quantity": tinted,
    "metallic-grey": repaint("crate_orm", fill(2, 128)),
    "mask-grey": lambda _, raw: (
        crate(raw).update(alpha_mode="mask"),
        crate(raw)["inputs"].update(opacity={"map": "crate_orm", "channels": "r"}),
    ),
    "roughness-flat": repaint("crate_orm", fill(1, 255)),
    "green-against-pixels": lambda _, raw: raw["maps"]["crate_nrm"].update(normal_y="-"),
    "normal-not-unit": repaint(
        "crate_nrm", lambda p: (127.5 + (p.astype(float) - 127.5) * 0.86).astype(np.uint8)
    ),
    "impossible-feed": lambda _, raw: crate(raw)["inputs"]["roughness"].update(channels="rgb"),
    "no-effect": lambda _, raw: crate(raw)["inputs"]["roughness"].update(strength=0.5),
    "gloss-as-roughness": lambda _, raw: crate(raw)["inputs"]["roughness"].update(invert=True),
    "feed-contradicts-map": lambda _, raw: raw["maps"]["crate_orm"].update(
        roles={"r": "occlusion", "g": "height", "b": "metallic"}, by_hand=True
    ),
    "set-map-unused": lambda _, raw: crate(raw)["inputs"].pop("normal"),
    "unused-map": lambda _, raw: crate(raw)["inputs"].pop("normal"),
    "alpha-mode-forgotten": lambda _, raw: crate(raw)["inputs"].update(opacity={"value": 0.4}),
    "unused-material": lambda _, raw: raw["materials"].update(other={}),
    "palette-filtered": palette,
    "palette-square-crossed": palette,
    "slot-without-material": lambda _, raw: raw["meshes"]["crate"]["slots"].update(Wood=None),
    "maps-without-uvs": remesh(
        lambda mesh: replace(mesh, uvs=np.full_like(mesh.uvs, np.nan), uv_sets=(0,))
    ),
    "missing-uvs": remesh(
        lambda mesh: replace(mesh, uvs=np.full_like(mesh.uvs, np.nan), uv_sets=(0,))
    ),
    "other-tile": lambda root, raw: (
        (root / "maps/crate_col.png").rename(root / "maps/crate_col.1002.png"),
        raw["maps"]["crate_col"].update(file="maps/crate_col.1002.png"),
    ),
    "uvs-outside-clamped": lambda root, raw: (
        moved_uvs(1.2)(root, raw),
        crate(raw).update(wrap=["clamp", "clamp"]),
    ),
    "uvs-outside": moved_uvs(1.2),
    "uvs-far-away": moved_uvs(40.0, 0.37),
    "uvs-overlap": remesh(
        lambda mesh: replace(
            mesh, uvs=mesh.uvs - np.repeat([0, 1, 0, 0, 0, 0], 4)[:, None] * np.float32([0.2, 0])
        )
    ),
    "uvs-too-near": remesh(
        lambda mesh: replace(
            mesh, uvs=mesh.uvs - np.repeat([0, 1, 0, 0, 0, 0], 4)[:, None] * np.float32([0.0323, 0])
        )
    ),
    "uvs-stretched": remesh(lambda mesh: replace(mesh, uvs=mesh.uvs * np.float32([1.0, 0.1]))),
    "density-uneven": lambda root, raw: second_slot(root, raw, far=0.1),
    "repeats-often": repeated,
    "density-off-rule": lambda _, raw: raw.update(rules={"density": {"": 20.0}}),
    "not-power-of-two": repaint("crate_col", lambda pixels: pixels[:500]),
    "larger-than-rule": lambda _, raw: raw.update(rules={"largest_size": 256}),
    "memory-over-budget": lambda _, raw: raw.update(rules={"memory_mb": 0.5}),
    "name-off-rule": lambda _, raw: raw.update(rules={"material_names": "M_*"}),
    "names-alike": lambda _, raw: raw["materials"].update(Crate={}),
    "reversed-faces": remesh(turned),
    "coincident-faces": remesh(
        lambda mesh: replace(
            mesh,
            triangles=np.concatenate([mesh.triangles, mesh.triangles[:1]]),
            triangle_slot=np.zeros(13, np.int32),
        )
    ),
    "degenerate-faces": remesh(
        lambda mesh: replace(
            mesh,
            triangles=np.concatenate([mesh.triangles, np.array([[0, 0, 1]], np.int32)]),
            triangle_slot=np.zeros(13, np.int32),
        )
    ),
    "open-edges": remesh(
        lambda mesh: replace(
            mesh, triangles=mesh.triangles[:-1], triangle_slot=mesh.triangle_slot[:-1]
        )
    ),
    "unnormalised-normals": remesh(lambda mesh: replace(mesh, normals=mesh.normals * 2)),
    "missing-normals": remesh(lambda mesh: replace(mesh, normals=mesh.normals * 0)),
    "vertex-colours": remesh(lambda mesh: replace(mesh, colours=np.full((24, 4), 0.5, np.float32))),
    "loose-vertices": remesh(
        lambda mesh: replace(
            mesh, triangles=mesh.triangles[:-2], triangle_slot=mesh.triangle_slot[:-2]
        )
    ),
    "extra-uv-sets": remesh(lambda mesh: replace(mesh, more_uvs=(mesh.uvs,), uv_sets=(2,))),
    "uneven-scale": scaled_node([1.0, 2.0, 1.0]),
    "negative-scale": scaled_node([-1.0, 1.0, 1.0]),
    "extreme-scale": scaled_node([200.0, 200.0, 200.0]),
    "places-differ": lambda _, raw: crate(raw)["inputs"]["roughness"].update(
        uv={"tiling": [3.0, 3.0]}
    ),
}
ELSEWHERE = {
    "not-carried": "tests/outside/test_scenes.py, with scenes of their own",
    "reader-note": "test_what_a_reader_noted_is_a_finding, below",
    "empty-slot": "tests/core/test_meshes.py; no writer of glTF makes one",
}
SEEN_BY_ANOTHER = {"unnormalised-normals", "missing-normals", "loose-vertices", "vertex-colours"}
"""Faults that the project's own writer mends; other writers' files have them."""


def findings(spoil: Spoil | None = None) -> list[Finding]:
    with folder() as root, opened(root, spoil) as project:
        return check(project)


def opened(root: Path, spoil: Spoil | None = None) -> Any:
    raw = sound(root)
    if spoil is not None:
        spoil(root, raw)
    (root / "crate.ektopos.json").write_text(json.dumps(raw))
    return open_project(root)


def check(project: OpenProject) -> list[Finding]:
    def known(name: str) -> Facts | None:
        try:
            return measured(project.map_path(name).read_bytes(), project.map_path(name).suffix)
        except EktoposError:
            return None

    def mesh(name: str) -> MeshLook | None:
        entry = project.document.meshes[name]
        try:
            content = project.path(entry.file, name).read_bytes()
            return looked_at(content, tuple(step.model_dump_json() for step in entry.recipe))
        except EktoposError:
            return None

    profile = find_profile(project.document.target, project.document)
    return run_checks(project, profile, Known(known, mesh))


STEPS: TypeAdapter[MeshStep] = TypeAdapter(MeshStep)


@cache
def looked_at(content: bytes, recipe: tuple[str, ...]) -> MeshLook:
    with folder() as root:
        (root / "crate.glb").write_bytes(content)
        mesh = read_mesh(root / "crate.glb", lambda _: None, name="crate.glb")
    steps = [STEPS.validate_json(step) for step in recipe]
    mesh = apply_recipe(mesh, steps)
    return MeshLook(tuple(slot_facts(mesh)), tuple(find_faults(mesh)), mesh.notes)


@cache
def measured(content: bytes, suffix: str) -> Facts:
    with folder() as root:
        path = root / f"map{suffix}"
        path.write_bytes(content)
        return facts_of(path)


NAMED = {
    # Section 1 of the design, step 6: “UVs, densities, sizes, encodings, ranges, faults, memory” …
    "UVs": {"maps-without-uvs", "uvs-outside", "uvs-overlap", "uvs-stretched", "uvs-too-near"},
    "densities": {"density-uneven", "density-off-rule"},
    "sizes": {"not-power-of-two", "larger-than-rule"},
    "encodings": {"encoding-against-role", "wasted-channels", "lossy-data"},
    "ranges": {"base-colour-too-dark", "base-colour-too-bright", "metal-too-dark"},
    "faults": {"reversed-faces", "coincident-faces", "degenerate-faces", "open-edges"},
    "memory": {"memory-over-budget"},
    # … and what section 6 calls common practice.
    "metallic is one or the other": {"metallic-grey"},
    "albedo holds no light or shadow": {"light-painted-in"},
    "too shiny has usually been fed gloss": {"gloss-as-roughness"},
    "a cut-out needs an alpha mode": {"alpha-mode-forgotten"},
    "opacity masks are 0 or 1": {"mask-grey"},
    "tiled UVs may leave 0–1, unique ones stay": {"uvs-outside", "uvs-outside-clamped"},
    "stray vertex colours tint": {"vertex-colours"},
    "a palette needs nearest filtering": {"palette-filtered", "palette-square-crossed"},
    "a flipped green channel": {"green-against-pixels"},
}


class EveryCheck(TestCase):
    def test_all_that_the_design_names_has_a_code(self) -> None:
        for words, codes in NAMED.items():
            with self.subTest(words):
                self.assertLessEqual(codes, set(CODES))

    def test_a_sound_project_has_no_finding(self) -> None:
        self.assertEqual([(f.code, f.subject, f.message) for f in findings()], [])

    def test_every_code_is_found_where_its_fault_is(self) -> None:
        self.assertEqual(set(CODES), set(CASES) | set(ELSEWHERE))
        for code, spoil in CASES.items():
            if code in SEEN_BY_ANOTHER:
                continue
            with self.subTest(code):
                found = findings(spoil)
                self.assertIn(code, {f.code for f in found})
                one = next(f for f in found if f.code == code)
                self.assertTrue(one.why and one.fix and one.title and one.message)

    def test_what_is_proposed_mends_and_spoils_nothing(self) -> None:
        mended = set()
        for code, spoil in CASES.items():
            with folder() as root, opened(root, spoil) as project:
                before = check(project)
                loud = {(f.code, f.subject) for f in before if f.severity != "note"}
                for finding in before:
                    if finding.remedy is None:
                        continue
                    with self.subTest(code, mends=finding.code):
                        after = check(OpenProject(changed(project, finding), project.find))
                        self.assertNotIn(
                            (finding.code, finding.subject), {(f.code, f.subject) for f in after}
                        )
                        worse = {(f.code, f.subject) for f in after if f.severity != "note"} - loud
                        self.assertEqual(worse, set())
                        mended.add(finding.code)
        self.assertLessEqual(
            {
                "encoding-against-role",
                "green-against-pixels",
                "gloss-as-roughness",
                "set-map-unused",
                "no-effect",
                "palette-filtered",
                "larger-than-rule",
                "density-off-rule",
                "reversed-faces",
                "base-colour-too-dark",
                "base-colour-too-bright",
            },
            mended,
        )

    def test_what_a_reader_noted_is_a_finding(self) -> None:
        def deep(root: Path, raw: Raw) -> None:
            from PIL import Image

            two = [Image.fromarray(noise(512, seed)) for seed in (2, 4)]
            two[0].save(root / "maps/crate_col.tif", save_all=True, append_images=two[1:])
            raw["maps"]["crate_col"]["file"] = "maps/crate_col.tif"

        self.assertIn("reader-note", {f.code for f in findings(deep)})


def changed(project: OpenProject, finding: Finding) -> Document:
    remedy = finding.remedy
    assert remedy is not None
    document = apply_edits(project.document, list(remedy.edits))
    if remedy.mesh is not None and remedy.step is not None:
        document.meshes[remedy.mesh].recipe = [remedy.step]
    return document


class IntoRange(TestCase):
    """What is brought into range is there for every texel, and a metal is left alone."""

    def mended(self, spoil: Spoil, code: str) -> np.ndarray:
        with folder() as root:
            raw = sound(root)
            spoil(root, raw)
            document = load_document(json.dumps(raw))
            opened = OpenProject(document, lambda file: p if (p := root / file).is_file() else None)
            (finding,) = [f for f in check(opened) if f.code == code]
            document = changed(opened, finding)
            feed = document.materials["crate"].inputs["base_color"]
            assert feed is not None
            loader = MapLoader(replace(opened, document=document))
            return np.asarray(resolve_feed(loader, feed, "base_color"))

    def test_maps_and_numbers_end_within_what_surfaces_have(self) -> None:
        def number(value: list[float]) -> Spoil:
            def spoil(_: Path, raw: Raw) -> None:
                crate(raw)["inputs"]["base_color"] = {"value": value}

            return spoil

        dark, bright = "base-colour-too-dark", "base-colour-too-bright"
        # Source of the borders: those of the ColorChecker, as in `ektopos/checks/ranges.py`.
        for spoil, code in (
            (repaint("crate_col", fill(None, 3)), dark),
            (repaint("crate_col", fill(None, 253)), bright),
            (number([0.0, 0.001, 0.002]), dark),
            (number([1.0, 0.99, 0.2]), bright),
        ):
            with self.subTest(code):
                values = self.mended(spoil, code)
                lit = values @ np.asarray([0.2126, 0.7152, 0.0722])
                self.assertTrue(((lit > 0.02 - 1e-6) & (lit < 0.92 + 1e-6)).all())

    def test_a_metal_that_is_too_dark_is_left_to_a_person(self) -> None:
        def spoil(_: Path, raw: Raw) -> None:
            crate(raw)["inputs"]["base_color"] = {"value": [0.1, 0.1, 0.1]}
            crate(raw)["inputs"]["metallic"] = {"value": 1.0}

        (finding,) = [f for f in findings(spoil) if f.code == "metal-too-dark"]
        self.assertIsNone(finding.remedy)


class Abstains(TestCase):
    """Where the evidence is weak, nothing is said."""

    def test_an_atlas_on_black_and_a_lamp_are_not_too_dark(self) -> None:
        def atlas(pixels: np.ndarray) -> np.ndarray:
            pixels[:, : 3 * pixels.shape[1] // 4] = 0
            return pixels

        def lamp(root: Path, raw: Raw) -> None:
            repaint("crate_col", fill(None, 0))(root, raw)
            crate(raw)["inputs"]["emission"] = {"value": [1.0, 0.9, 0.7]}

        for spoil in (repaint("crate_col", atlas), lamp):
            self.assertNotIn("base-colour-too-dark", {f.code for f in findings(spoil)})

    def test_adjusted_feeds_have_been_looked_at(self) -> None:
        def tinted(root: Path, raw: Raw) -> None:
            repaint("crate_col", fill(None, 3))(root, raw)
            crate(raw)["inputs"]["base_color"]["multiply"] = 30.0

        self.assertNotIn("base-colour-too-dark", {f.code for f in findings(tinted)})


class AgreesWithTheReader(TestCase):
    """Every kind of map against every check of what it is: a packed map with subsurface is no
    colour, a normal map saved as colour stays one."""

    def test_no_way_of_packing_is_told_to_change_its_encoding(self) -> None:
        kinds: list[dict[str, str]] = [{"rgb": role} for role in ROLES if role != "unknown"]
        kinds += [{"r": role} for role in ROLES if role != "unknown"]
        kinds += [
            dict(zip("rgb", three, strict=True))
            for three in itertools.combinations([r for r in ROLES if r != "unknown"], 3)
        ]
        kinds += [{"rgb": "base_color", "a": role} for role in ("opacity", "gloss", "roughness")]
        for roles in kinds:
            with self.subTest(roles=roles):

                def spoil(_: Path, raw: Raw, roles: dict[str, str] = roles) -> None:
                    raw["maps"] = {
                        "crate_orm": {
                            "file": "maps/crate_orm.png",
                            "roles": roles,
                            "encoding": encoding_of_roles(roles),  # type: ignore[arg-type]
                        }
                    }
                    raw["materials"], raw["meshes"] = {}, {}

                told = [f for f in findings_of_document(spoil) if f.family == "encodings"]
                self.assertEqual([f.code for f in told if f.code != "wasted-channels"], [])

    def test_a_normal_map_saved_as_colour_is_left_alone(self) -> None:
        def spoil(root: Path, raw: Raw) -> None:
            path = root / "maps/crate_nrm.png"
            linear = cv2.imread(str(path))[..., ::-1].astype(np.float64) / 255
            stored = np.where(
                linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055
            )
            save(path, np.round(stored * 255).astype(np.uint8))
            raw["maps"]["crate_nrm"]["encoding"] = "srgb"

        self.assertNotIn("encoding-against-role", {f.code for f in findings(spoil)})


_shared: list[Any] = []


def findings_of_document(spoil: Spoil) -> list[Finding]:
    """Of a project whose files are written once for all."""
    if not _shared:
        context = folder()
        root = context.__enter__()
        _shared.extend((context, root, json.dumps(sound(root))))
    root, raw = _shared[1], json.loads(_shared[2])
    spoil(root, raw)
    document = load_document(json.dumps(raw))
    return check(OpenProject(document, lambda file: p if (p := root / file).is_file() else None))


def tearDownModule() -> None:
    if _shared:
        _shared[0].__exit__(None, None, None)


class WaivedAndRules(TestCase):
    def test_a_waived_finding_says_so_and_counts_as_none(self) -> None:
        def spoil(_: Path, raw: Raw) -> None:
            raw["maps"]["crate_nrm"]["normal_y"] = "-"
            raw["waived"] = [
                {"code": "green-against-pixels", "subject": "map crate_nrm", "reason": "a relief"}
            ]

        (finding,) = [f for f in findings(spoil) if f.code == "green-against-pixels"]
        self.assertEqual(finding.waived, "a relief")

    def test_a_project_gives_codes_another_severity_or_none(self) -> None:
        def spoil(_: Path, raw: Raw) -> None:
            raw["materials"]["other"] = {}
            raw["materials"]["Crate"] = {}
            raw["rules"] = {"severities": {"unused-material": "error", "names-alike": "off"}}

        found = {f.code: f.severity for f in findings(spoil)}
        self.assertEqual(found, {"unused-material": "error"})

    def test_the_budget_is_counted_in_blocks_with_mips(self) -> None:
        # Source: Khronos Data Format: 16 bytes a block of 4 × 4. Three files of 512², each 16,384
        # blocks and a third for mips.
        spoil = CASES["memory-over-budget"]
        (finding,) = [f for f in findings(spoil) if f.code == "memory-over-budget"]
        expected = 3 * sum(max(1, (512 >> i) // 4) ** 2 * 16 for i in range(10)) / 1e6
        self.assertIn(f"{expected:,.1f} MB", finding.message)

    def test_density_is_that_of_the_base_colour_as_it_is_exported(self) -> None:
        """Decision 72, and the target's own rules for sizes; the fix ends the finding there too."""

        def small_colour(root: Path, raw: Raw) -> None:
            raw["rules"] = {"density": {"": 1.0}}
            path = root / "maps/crate_col.png"
            save(path, cv2.resize(cv2.imread(str(path)), (128, 128))[..., ::-1].copy())

        (finding,) = [f for f in findings(small_colour) if f.code == "density-off-rule"]
        self.assertIn(f"{0.3 * 128:,.0f} texels", finding.message)

        def halved(_: Path, raw: Raw) -> None:
            plain = find_profile("gltf-glb").model_dump(mode="json", by_alias=True)
            raw["targets"] = {"half": plain | {"id": "half", "halve": 1, "resize": "down"}}
            raw["target"] = "half"
            raw["rules"] = {"density": {"": 0.3 * 64}}

        with folder() as root, opened(root, halved) as project:
            (finding,) = [f for f in check(project) if f.code == "density-off-rule"]
            self.assertIn(f"{0.3 * 256:,.0f} texels", finding.message)
            after = check(OpenProject(changed(project, finding), project.find))
        self.assertNotIn("density-off-rule", {f.code for f in after})

    def test_density_counts_map_and_tiling(self) -> None:
        # By hand: a side of a metre is 0.3 of the map, which is 512 texels, twice over.
        def spoil(_: Path, raw: Raw) -> None:
            raw["rules"] = {"density": {"": 1.0}}
            crate(raw)["uv"] = {"tiling": [2.0, 2.0]}

        (finding,) = [f for f in findings(spoil) if f.code == "density-off-rule"]
        self.assertIn(f"{0.3 * 512 * 2:,.0f} texels", finding.message)
