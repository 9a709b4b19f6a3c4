"""Tangents that were made on the way, and normals without a length."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np
import pygltflib

from ektopos.export.profile import built_in_profiles, find_profile
from ektopos.export.write_package import export_package
from ektopos.project import open_project
from ektopos.rendering import specimen
from ektopos.trial.compare import Trial, run_trial
from tests.outside.mikktspace import mikktspace
from tests.samples import folder, quads, save_glb

PROFILE = find_profile("gltf-glb")


def mesh_project(root: Path, slot: str) -> Path:
    document = {
        "ektopos": 1,
        "name": "p",
        "materials": {"plain": {}},
        "meshes": {"m": {"file": "m.glb", "slots": {slot: "plain"}}},
    }
    (root / "p.ektopos.json").write_text(json.dumps(document))
    return root


def attribute(gltf: pygltflib.GLTF2, name: str) -> np.ndarray:
    """An attribute of the first primitive, `(n, k)` float32."""
    accessor = gltf.accessors[getattr(gltf.meshes[0].primitives[0].attributes, name)]
    view = gltf.bufferViews[accessor.bufferView]
    width = {"VEC2": 2, "VEC3": 3}[accessor.type]
    start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
    stored = gltf.binary_blob()[start : start + accessor.count * width * 4]
    return np.frombuffer(stored, np.float32).reshape(-1, width)


class MadeTangents(TestCase):
    def test_those_of_an_engine_pass_and_others_do_not(self) -> None:
        with folder() as root:
            whole = specimen()
            corners = whole.triangles.reshape(-1)
            # Every triangle has vertices of its own, as generators of tangents want them.
            apart = replace(
                whole,
                positions=whole.positions[corners],
                normals=whole.normals[corners],
                uvs=whole.uvs[corners],
                colours=whole.colours[corners],
                vertex_slot=whole.vertex_slot[corners],
                unnormalised=whole.unnormalised[corners],
                more_uvs=(),
                triangles=np.arange(len(corners), dtype=np.int32).reshape(-1, 3),
            )
            save_glb(root / "m.glb", apart)
            with open_project(mesh_project(root, whole.slots[0])) as project:
                export_package(project, PROFILE, root / "out")
                path = root / "out/m.glb"
                gltf = pygltflib.GLTF2().load(str(path))
                self.assertIsNone(gltf.meshes[0].primitives[0].attributes.TANGENT)
                made = mikktspace(
                    *(attribute(gltf, name) for name in ("POSITION", "NORMAL", "TEXCOORD_0"))
                )
                made[:, 3] *= -1  # glTF's v points down.
                turned = np.column_stack([np.roll(made[:, :3], 1, axis=1), made[:, 3]])
                for what, tangents, passes in (
                    ("as engines make them", made, True),
                    ("the other handedness", made * [1, 1, 1, -1], False),
                    ("pointing back", made * [-1, -1, -1, 1], False),
                    ("along other axes", turned, False),
                ):
                    with self.subTest(what):
                        changed = pygltflib.GLTF2().load(str(path))
                        self._add(changed, tangents.astype(np.float32))
                        (root / "changed").mkdir(exist_ok=True)
                        changed.save_binary(str(root / "changed/m.glb"))
                        listing = (root / "out/package.json").read_text()
                        (root / "changed/package.json").write_text(listing)
                        trial = run_trial(project, root / "changed", PROFILE, renders=False)
                        self.assertEqual(mesh_faults(trial), [] if passes else ["tangents-changed"])

    def _add(self, gltf: pygltflib.GLTF2, tangents: np.ndarray) -> None:
        blob = gltf.binary_blob()
        gltf.bufferViews.append(
            pygltflib.BufferView(buffer=0, byteOffset=len(blob), byteLength=tangents.nbytes)
        )
        gltf.accessors.append(
            pygltflib.Accessor(
                bufferView=len(gltf.bufferViews) - 1,
                componentType=pygltflib.FLOAT,
                count=len(tangents),
                type="VEC4",
            )
        )
        gltf.meshes[0].primitives[0].attributes.TANGENT = len(gltf.accessors) - 1
        gltf.set_binary_blob(blob + tangents.tobytes())
        gltf.buffers[0].byteLength = len(gltf.binary_blob())


class NormalsWithoutLength(TestCase):
    """Source: glTF 2.0, 3.7.2.1: where there are no normals, engines calculate flat ones."""

    def test_a_mesh_that_has_some_passes_its_own_trial_untouched(self) -> None:
        with folder() as root:
            save_glb(root / "m.glb", quads({"A": 3}))
            self._without_length(root / "m.glb", slice(0, 5))
            with open_project(mesh_project(root, "A")) as project:
                for target in built_in_profiles():
                    with self.subTest(target):
                        profile = find_profile(target)
                        export_package(project, profile, root / target)
                        trial = run_trial(project, root / target, profile, renders=False)
                        self.assertEqual(mesh_faults(trial), [])

    def test_smooth_normals_that_lost_their_length_are_noticed(self) -> None:
        with folder() as root:
            save_glb(root / "m.glb", specimen())
            with open_project(mesh_project(root, specimen().slots[0])) as project:
                export_package(project, PROFILE, root / "out")
                self._without_length(root / "out/m.glb", slice(None))
                trial = run_trial(project, root / "out", PROFILE, renders=False)
        self.assertEqual(mesh_faults(trial), ["normals-changed"])

    def _without_length(self, path: Path, which: slice) -> None:
        gltf = pygltflib.GLTF2().load(str(path))
        accessor = gltf.accessors[gltf.meshes[0].primitives[0].attributes.NORMAL]
        view = gltf.bufferViews[accessor.bufferView]
        start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
        blob = bytearray(gltf.binary_blob())
        normals = attribute(gltf, "NORMAL").copy()
        normals[which] = 0
        blob[start : start + normals.nbytes] = normals.tobytes()
        gltf.set_binary_blob(bytes(blob))
        gltf.save_binary(str(path))


def mesh_faults(trial: Trial) -> list[str | None]:
    return [c.cause for c in trial.cells if c.input == "mesh" and c.verdict in ("differs", "lost")]
