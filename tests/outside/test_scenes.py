"""What came in leaves: the scene of a file through export and trial, spoiled in the ways that anyone
would see in an engine, and rewritten in ways that nobody would.

Read back with pygltflib and trimesh, checked by the Khronos validator; the scene is written by hand
(`tests/scenes.py`), and real ones are those of the npm package `@webxr-input-profiles/assets`."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np
import pygltflib

from ektopos.checks import run_checks
from ektopos.document import MeshEntry
from ektopos.document.mesh_steps import MoveUvs, SplitSlot
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.meshes import read_mesh
from ektopos.project import OpenProject, open_project
from ektopos.trial.compare import Trial, run_trial
from ektopos.trial.engine.scene import _sampled as engine_sampled
from ektopos.trial.expected import sampled
from tests.outside.test_gltf import issues_of
from tests.samples import folder, project_folder
from tests.scenes import figure


@contextmanager
def figured() -> Iterator[tuple[OpenProject, Path]]:
    """The sample with the figure as its only mesh, and a folder to export into."""
    with folder() as root:
        project_folder(root / "in")
        figure().save(root / "in/meshes/figure.glb")
        path = root / "in/test.ektopos.json"
        document = json.loads(path.read_text())
        slots = {"Cloth": "tile", "Metal": "plain"}
        document["meshes"] = {"figure": {"file": "meshes/figure.glb", "slots": slots}}
        path.write_text(json.dumps(document))
        with open_project(root / "in") as opened:
            yield opened, root / "out"


def parts_of(path: Path) -> tuple[dict[str, Any], bytearray]:
    """A GLB's JSON and its binary chunk."""
    raw = path.read_bytes()
    size = struct.unpack_from("<I", raw, 12)[0]
    return json.loads(raw[20 : 20 + size]), bytearray(raw[28 + size :])


def put_back(path: Path, gltf: dict[str, Any], blob: bytes) -> None:
    """A GLB of the two."""
    text = json.dumps(gltf).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<I4s", len(text), b"JSON") + text
    chunks += struct.pack("<I4s", len(blob), b"BIN\0") + blob
    path.write_bytes(struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks)


def view(gltf: dict[str, Any], blob: bytearray, index: int, kind: str = "<f4") -> np.ndarray:
    """An accessor's elements, to be changed in place."""
    accessor = gltf["accessors"][index]
    place = gltf["bufferViews"][accessor["bufferView"]]
    width = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}[accessor["type"]]
    start = place.get("byteOffset", 0) + accessor.get("byteOffset", 0)
    found = np.frombuffer(blob, kind, accessor["count"] * width, start)
    return found.reshape(-1, width)


def primitives(gltf: dict[str, Any]) -> list[dict[str, Any]]:
    return [p for mesh in gltf["meshes"] for p in mesh["primitives"]]


def each(name: str, change: Callable[[np.ndarray], np.ndarray]) -> Callable[..., None]:
    """A spoiling of one attribute of every primitive."""

    def spoil(gltf: dict[str, Any], blob: bytearray) -> None:
        for primitive in primitives(gltf):
            if name in primitive["attributes"]:
                values = view(gltf, blob, primitive["attributes"][name])
                values[:] = change(values)

    return spoil


def on_root(**placing: Any) -> Callable[..., None]:
    """A spoiling by a new transform on the root."""

    def spoil(gltf: dict[str, Any], blob: bytearray) -> None:
        root = {"name": "figure", "children": [0]} | placing
        gltf["nodes"].append(root)
        gltf["scenes"][0]["nodes"] = [len(gltf["nodes"]) - 1]

    return spoil


def indices(change: Callable[[np.ndarray], np.ndarray]) -> Callable[..., None]:
    def spoil(gltf: dict[str, Any], blob: bytearray) -> None:
        for primitive in primitives(gltf):
            run = view(gltf, blob, primitive["indices"], "<u2").reshape(-1, 3)
            run[:] = change(run)

    return spoil


def without(*keys: str) -> Callable[..., None]:
    def spoil(gltf: dict[str, Any], blob: bytearray) -> None:
        for key in keys:
            gltf.pop(key, None)

    return spoil


def drop(attribute: str) -> Callable[..., None]:
    def spoil(gltf: dict[str, Any], blob: bytearray) -> None:
        for primitive in primitives(gltf):
            primitive["attributes"].pop(attribute, None)

    return spoil


def no_skin(gltf: dict[str, Any], blob: bytearray) -> None:
    gltf.pop("skins")
    for node in gltf["nodes"]:
        node.pop("skin", None)


def no_morphs(gltf: dict[str, Any], blob: bytearray) -> None:
    for mesh in gltf["meshes"]:
        mesh.pop("weights", None)
        for primitive in mesh["primitives"]:
            primitive.pop("targets", None)


def twice(gltf: dict[str, Any], blob: bytearray) -> None:
    gltf["nodes"].append(
        {"name": "again", "mesh": 1, "scale": [-1, 1, 0.5], "translation": [0, 2, 0]}
    )
    gltf["nodes"][0]["children"].append(len(gltf["nodes"]) - 1)


def empty(gltf: dict[str, Any], blob: bytearray) -> None:
    gltf["scenes"][0]["nodes"] = []


def red(gltf: dict[str, Any], blob: bytearray) -> None:
    for primitive in primitives(gltf):
        primitive["attributes"]["COLOR_0"] = primitive["attributes"]["TANGENT"]


def sheen(gltf: dict[str, Any], blob: bytearray) -> None:
    for material in gltf["materials"]:
        material.setdefault("extensions", {})["KHR_materials_sheen"] = {
            "sheenColorFactor": [1, 1, 1]
        }
    gltf["extensionsUsed"].append("KHR_materials_sheen")


def needs(gltf: dict[str, Any], blob: bytearray) -> None:
    gltf["extensionsUsed"].append("EXT_made_up")
    gltf["extensionsRequired"] = ["EXT_made_up"]


def other_weights(gltf: dict[str, Any], blob: bytearray) -> None:
    skin = gltf["skins"][0]
    skin["joints"] = skin["joints"][::-1]


def renamed(gltf: dict[str, Any], blob: bytearray) -> None:
    gltf["nodes"][4]["name"] = "lid_hinge"


def slower(gltf: dict[str, Any], blob: bytearray) -> None:
    output = gltf["animations"][0]["samplers"][1]["output"]
    view(gltf, blob, output)[:] *= 2.0


def clamped(gltf: dict[str, Any], blob: bytearray) -> None:
    for sampler in gltf["samplers"]:
        sampler["wrapS"] = 33071


def no_mips(gltf: dict[str, Any], blob: bytearray) -> None:
    for sampler in gltf["samplers"]:
        sampler["minFilter"] = 9729


def second_set(gltf: dict[str, Any], blob: bytearray) -> None:
    for material in gltf["materials"]:
        found = material["pbrMetallicRoughness"].get("baseColorTexture")
        if found:
            found["texCoord"] = 1


def unlit(gltf: dict[str, Any], blob: bytearray) -> None:
    for material in gltf["materials"]:
        material.setdefault("extensions", {})["KHR_materials_unlit"] = {}
    gltf["extensionsUsed"].append("KHR_materials_unlit")


Z_UP = [-0.70710678, 0.0, 0.0, 0.70710678]
SPOILINGS: list[tuple[str, Callable[..., None], str]] = [
    ("scaled by 100", on_root(scale=[100, 100, 100]), "scaled"),
    ("axes swapped", on_root(rotation=Z_UP), "axes-changed"),
    ("moved", on_root(translation=[0.0, 0.0, 0.3]), "moved"),
    ("an empty scene", empty, "mesh-missing"),
    ("a part of it twice", twice, "mesh-added"),
    ("normals negated", each("NORMAL", lambda n: -n), "normals-changed"),
    ("normals missing", drop("NORMAL"), "normals-missing"),
    ("winding reversed", indices(lambda run: run[:, ::-1]), "winding-reversed"),
    ("UVs upside down", each("TEXCOORD_0", lambda t: t * [1, -1] + [0, 1]), "uvs-flipped"),
    ("UVs turned", each("TEXCOORD_0", lambda t: t[:, ::-1]), "uvs-changed"),
    ("second UVs gone", drop("TEXCOORD_1"), "uvs-changed"),
    ("tangents turned", each("TANGENT", lambda t: t * [1, 1, 1, -1]), "tangents-changed"),
    ("red vertex colours", red, "vertex-colours-changed"),
    ("wrap set to clamp", clamped, "wrap-changed"),
    ("mips off", no_mips, "mips-off"),
    ("a second UV set used", second_set, "uv-set-changed"),
    ("unlit", unlit, "shading-changed"),
    ("sheen added", sheen, "extension-added"),
    ("an unknown extension needed", needs, "extension-unknown"),
    ("no skeleton", no_skin, "skeleton-lost"),
    ("joints exchanged", other_weights, "skin-changed"),
    ("no animations", without("animations"), "animation-lost"),
    ("an animation moves more", slower, "animation-lost"),
    ("no morph targets", no_morphs, "morphs-lost"),
    ("a node renamed", renamed, "hierarchy-changed"),
    ("lights gone", without("extensions"), "hierarchy-changed"),
]


def posed(path: Path, to: Path, animation: int, time: float) -> np.ndarray:
    """The vertices of a file at a time of an animation. Source: glTF 2.0, 3.11 and 3.7.3.3."""
    gltf, blob = parts_of(path)
    for channel in gltf["animations"][animation]["channels"]:
        sampler = gltf["animations"][animation]["samplers"][channel["sampler"]]
        values = sampled(
            view(gltf, blob, sampler["input"])[:, 0].astype(float),
            view(gltf, blob, sampler["output"]).astype(float),
            sampler.get("interpolation", "LINEAR"),
            np.array([time]),
            turns=channel["target"]["path"] == "rotation",
        )
        gltf["nodes"][channel["target"]["node"]][channel["target"]["path"]] = values[0].tolist()
    put_back(to, gltf, bytes(blob))
    return read_mesh(to).positions


def causes(trial: Trial) -> set[str | None]:
    return {cell.cause for cell in trial.cells if cell.verdict in ("differs", "lost")}


class Kept(TestCase):
    def test_everything_comes_out_as_it_went_in(self) -> None:
        profile = find_profile("gltf-glb")
        with figured() as (opened, out):
            export_package(opened, profile, out)
            known = {issue["code"] for issue in issues_of(opened.path("meshes/figure.glb"))}
            new = [i for i in issues_of(out / "figure.glb") if i["code"] not in known]
            self.assertEqual(new, [])
            before = pygltflib.GLTF2().load(str(opened.path("meshes/figure.glb")))
            after = pygltflib.GLTF2().load(str(out / "figure.glb"))
            self.assertEqual(after.nodes, before.nodes)
            self.assertEqual(after.cameras, before.cameras)
            self.assertEqual(after.extensions, before.extensions)
            self.assertEqual([a.name for a in after.animations], ["wave", "swell"])
            self.assertEqual([m.name for m in after.materials], ["tile", "plain"])
            for one, other in zip(before.meshes, after.meshes, strict=True):
                self.assertEqual(one.extras, other.extras)
                held = vars(other.primitives[0].attributes)
                wanted = {k for k, v in vars(one.primitives[0].attributes).items() if v is not None}
                self.assertEqual(
                    {k for k, v in held.items() if v is not None}, wanted - {"COLOR_0"}
                )
            trial = run_trial(opened, out, profile)
            self.assertEqual(causes(trial), set())
            self.assertLess(max(render.flip for render in trial.renders), 0.01)

    def test_pictures_show_the_mesh_that_arrived(self) -> None:
        profile = find_profile("gltf-glb")
        with figured() as (opened, out):
            export_package(opened, profile, out)
            gltf, blob = parts_of(out / "figure.glb")
            on_root(translation=[0.0, 0.0, 0.3])(gltf, blob)
            gltf["nodes"][1].pop("skin")  # A skin is not moved by what stands above it.
            put_back(out / "figure.glb", gltf, bytes(blob))
            trial = run_trial(opened, out, profile)
            of_mesh = [render for render in trial.renders if render.material is None]
            self.assertGreater(min(render.flip for render in of_mesh), 0.03)

    def test_a_character_stands_the_same_at_ten_times_of_each_animation(self) -> None:
        profile = find_profile("gltf-glb")
        with figured() as (opened, out):
            export_package(opened, profile, out)
            files = [opened.path("meshes/figure.glb"), out / "figure.glb"]
            for number in range(2):
                for time in np.linspace(0.0, 2.0, 10):
                    one, other = (
                        posed(path, out / f"posed_{i}.glb", number, float(time))
                        for i, path in enumerate(files)
                    )
                    diagonal = float(np.linalg.norm(np.ptp(one, axis=0)))
                    self.assertLess(np.abs(one - other).max(), 1e-5 * diagonal)
            resting = read_mesh(files[0]).positions
            self.assertGreater(np.abs(posed(files[0], out / "p.glb", 0, 0.6) - resting).max(), 0.1)

    def test_through_every_target_and_back(self) -> None:
        for target in ("gltf-split", "orm-y-minus", "spec-gloss", "usdz"):
            with self.subTest(target), figured() as (opened, out):
                profile = find_profile(target)
                exported = export_package(opened, profile, out)
                trial = run_trial(opened, out, profile)
                self.assertEqual(causes(trial), set())
                # What stays behind is said by the export, by the checks and by the trial alike.
                said = {one.message for one in exported.left}
                found = run_checks(opened, profile)
                self.assertEqual({one.message for one in trial.left}, said)
                self.assertLessEqual(said, {f.message for f in found if f.code == "not-carried"})
                missed = [words for words in said if "skeleton" in words or "animation" in words]
                self.assertEqual(len(missed), 3 if target == "usdz" else 0)
                scene = next(cell for cell in trial.cells if cell.input == "scene")
                self.assertEqual(scene.verdict, "unsupported" if target == "usdz" else "same")

    def test_vertex_colours_stay_where_they_are_wanted(self) -> None:
        with figured() as (opened, out):
            opened.document.meshes["figure"].vertex_colours = "keep"
            profile = find_profile("gltf-glb")
            export_package(opened, profile, out)
            self.assertEqual(causes(run_trial(opened, out, profile, renders=False)), set())
            self.assertTrue(read_mesh(out / "figure.glb").coloured.all())

    def test_what_was_done_to_slots_and_uvs_is_in_it_and_all_else_stays(self) -> None:
        with figured() as (opened, out):
            steps = [
                SplitSlot(
                    kind="split-slot", slot="Cloth", name="Hem", by="face", at=list(range(20))
                ),
                MoveUvs(kind="move-uvs", slots=["Metal"], scale=(0.5, 0.5)),
            ]
            opened.document.meshes["figure"] = MeshEntry(
                file="meshes/figure.glb",
                slots={"Cloth": "tile", "Hem": "tile_dull", "Metal": "plain"},
                recipe=steps,
            )
            profile = find_profile("gltf-glb")
            export_package(opened, profile, out)
            trial = run_trial(opened, out, profile, renders=False)
            self.assertEqual(causes(trial), set())
            known = {issue["code"] for issue in issues_of(opened.path("meshes/figure.glb"))}
            new = [i for i in issues_of(out / "figure.glb") if i["code"] not in known]
            self.assertEqual(new, [])
            after = pygltflib.GLTF2().load(str(out / "figure.glb"))
            self.assertEqual(len(after.meshes[0].primitives), 2)
            self.assertTrue(all(len(p.targets) == 2 for p in after.meshes[0].primitives))
            self.assertEqual(len(after.skins), 1)


class Sampling(TestCase):
    """Source: glTF 2.0, appendix C, worked out by hand; both samplers, that of the core and that of
    the stand-in engine."""

    def test_values_between_keys(self) -> None:
        times = np.array([0.0, 1.0, 3.0])
        at = np.array([0.0, 0.25, 2.0, 9.0])
        for sample in (sampled, engine_sampled):
            line = sample(times, np.array([[0.0], [4.0], [8.0]]), "LINEAR", at, turns=False)
            np.testing.assert_allclose(line[:, 0], [0, 1, 6, 8])
            steps = sample(times, np.array([[0.0], [4.0], [8.0]]), "STEP", at, turns=False)
            np.testing.assert_allclose(steps[:, 0], [0, 0, 4, 8])
            # A quarter turn about z at a third of the way is 30°: sin 15° and cos 15°.
            turns = np.array([[0, 0, 0, 1.0], [0, 0, np.sqrt(0.5), np.sqrt(0.5)]])
            third = sample(times[:2], turns, "LINEAR", np.array([1 / 3]), turns=True)
            np.testing.assert_allclose(np.abs(third[0]), [0, 0, 0.258819, 0.965926], atol=1e-6)
            # In the middle of a second: (p0 + p1) / 2 + (m0 − m1) / 8.
            cubic = np.array([[0.0], [1.0], [2.0], [6.0], [3.0], [0.0]])
            middle = sample(times[:2], cubic, "CUBICSPLINE", np.array([0.5]), turns=False)
            np.testing.assert_allclose(middle[0], [(1 + 3) / 2 + (2 - 6) / 8])


class Spoiled(TestCase):
    def test_every_spoiling_is_found_and_rightly_named(self) -> None:
        profile = find_profile("gltf-glb")
        with figured() as (opened, out):
            export_package(opened, profile, out)
            path = out / "figure.glb"
            sound = path.read_bytes()
            for what, spoil, cause in SPOILINGS:
                with self.subTest(what):
                    path.write_bytes(sound)
                    gltf, blob = parts_of(path)
                    spoil(gltf, blob)
                    put_back(path, gltf, bytes(blob))
                    trial = run_trial(opened, out, profile, renders=False)
                    self.assertFalse(trial.passed)
                    self.assertIn(cause, causes(trial))

    def test_harmless_rewriting_is_never_found(self) -> None:
        rng = np.random.default_rng(3)

        def shuffled(gltf: dict[str, Any], blob: bytearray) -> None:
            """Triangles in another order, each begun at another corner."""
            for primitive in primitives(gltf):
                run = view(gltf, blob, primitive["indices"], "<u2").reshape(-1, 3)
                run[:] = np.roll(run[rng.permutation(len(run))], int(rng.integers(3)), axis=1)

        def renumbered(gltf: dict[str, Any], blob: bytearray) -> None:
            """Vertices in another order."""
            for primitive in primitives(gltf):
                groups = [primitive["attributes"], *primitive.get("targets", [])]
                count = gltf["accessors"][primitive["attributes"]["POSITION"]]["count"]
                order = rng.permutation(count)
                for group in groups:
                    for name, index in group.items():
                        kind = "u1" if name == "JOINTS_0" else "<f4"
                        values = view(gltf, blob, index, kind)
                        values[:] = values[order]
                run = view(gltf, blob, primitive["indices"], "<u2")
                run[:] = np.argsort(order).astype("<u2")[run]

        def apart(gltf: dict[str, Any], blob: bytearray) -> None:
            """The buffer with room before it, and a new root above all."""
            blob[:0] = b"\0" * 64
            for place in gltf["bufferViews"]:
                place["byteOffset"] = place.get("byteOffset", 0) + 64
            gltf["buffers"][0]["byteLength"] += 64
            gltf["nodes"].append({"name": "import", "children": gltf["scenes"][0]["nodes"]})
            gltf["scenes"][0]["nodes"] = [len(gltf["nodes"]) - 1]

        def with_empty_extras(gltf: dict[str, Any], blob: bytearray) -> None:
            """As some writers give everything that may have them."""
            for one in (*gltf["meshes"], *gltf["nodes"]):
                one.setdefault("extras", {})

        profile = find_profile("gltf-glb")
        with figured() as (opened, out):
            export_package(opened, profile, out)
            path = out / "figure.glb"
            sound = path.read_bytes()
            for rewrite in (shuffled, renumbered, apart, with_empty_extras):
                with self.subTest(rewrite.__name__):
                    path.write_bytes(sound)
                    gltf, blob = parts_of(path)
                    rewrite(gltf, blob)
                    put_back(path, gltf, bytes(blob))
                    trial = run_trial(opened, out, profile, renders=False)
                    self.assertEqual(causes(trial), set())
                    scene = next(cell for cell in trial.cells if cell.input == "scene")
                    self.assertIn("byte for byte", scene.message)


class AtRandom(TestCase):
    """Scenes made at random through a target and back, and one number of them changed at random."""

    TARGETS = ("gltf-glb", "gltf-split", "usdz", "single-maps")

    def test_they_pass_and_no_change_is_missed(self) -> None:
        for seed in range(12):
            target = self.TARGETS[seed % len(self.TARGETS)]
            profile = find_profile(target)
            with self.subTest(seed=seed, target=target), figured() as (opened, out):
                rng = np.random.default_rng(seed)
                source = opened.path("meshes/figure.glb")
                gltf, blob = parts_of(source)
                for node in gltf["nodes"]:
                    node["translation"] = rng.uniform(-2, 2, 3).tolist()
                    turn = rng.normal(size=4)
                    node["rotation"] = (turn / np.linalg.norm(turn)).tolist()
                    node["scale"] = (rng.uniform(0.3, 2.0, 3) * rng.choice([-1, 1], 3)).tolist()
                put_back(source, gltf, bytes(blob))
                export_package(opened, profile, out)
                self.assertEqual(causes(run_trial(opened, out, profile, renders=False)), set())
                if target != "gltf-glb":
                    continue
                path = out / "figure.glb"
                gltf, blob = parts_of(path)
                part = primitives(gltf)[int(rng.integers(2))]
                names = ("POSITION", "NORMAL", "TEXCOORD_0", "TEXCOORD_1")
                name = names[int(rng.integers(len(names)))]
                values = view(gltf, blob, part["attributes"][name])
                row = int(rng.integers(len(values)))
                values[row] = values[row][::-1] + 0.05
                put_back(path, gltf, bytes(blob))
                trial = run_trial(opened, out, profile, renders=False)
                self.assertFalse(trial.passed, name)
