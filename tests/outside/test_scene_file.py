"""The scene's file, and what a trial keeps of what arrived, read by others: trimesh, pygltflib and
the Khronos `gltf-validator`."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np
import pygltflib
import trimesh
from PIL import Image as Pillow

from ektopos.document import Ground, Scene, SceneItem
from ektopos.export.profile import find_profile
from ektopos.export.scene_glb import write_scene
from ektopos.export.write_package import export_package
from ektopos.meshes import read_mesh
from ektopos.project import OpenProject, open_project
from ektopos.trial.compare import run_trial
from tests.outside.test_gltf import issues_of
from tests.samples import folder, project, project_folder
from tests.scenes import figure


def with_scene(opened: OpenProject, scene: Scene) -> OpenProject:
    return replace(opened, document=opened.document.model_copy(update={"scene": scene}))


class SceneFile(TestCase):
    def written(self, scene: Scene, root: Path, size: int = 32):
        with project() as opened:
            told = write_scene(with_scene(opened, scene), root / "scene.glb", size)
        return told, trimesh.load(root / "scene.glb")

    def test_everything_stands_where_it_is_said(self) -> None:
        # The plates are four squares of a metre, two apart: 7 m wide, 1 m high, flat, from the origin.
        scene = Scene(
            items={
                "one": SceneItem(mesh="plates", position=(10, 0, 0), repeat=(2, 1), every=(20, 0)),
                "two": SceneItem(mesh="plates", position=(0, 3, -5), rotation=(0, 90, 0), scale=2),
            }
        )
        with folder() as root:
            told, read = self.written(scene, root)
            self.assertEqual(issues_of(root / "scene.glb"), [])
            gltf = pygltflib.GLTF2().load(str(root / "scene.glb"))
        self.assertEqual((told.items, told.placements), (2, 3))
        found = {}
        for node in gltf.nodes:
            own = [gltf.accessors[p.attributes.POSITION] for p in gltf.meshes[node.mesh].primitives]
            low, high = (np.array([getattr(a, end) for a in own]) for end in ("min", "max"))
            box = trimesh.bounds.corners([low.min(axis=0), high.max(axis=0)])
            placed = trimesh.transform_points(box, np.reshape(node.matrix, (4, 4)).T)
            found[node.name] = tuple(
                [float(value) for value in end.round(4) + 0.0]
                for end in (placed.min(axis=0), placed.max(axis=0))
            )
        np.testing.assert_allclose(read.bounds, [[0, 0, -12], [33.5, 5, 2]], atol=1e-4)
        self.assertEqual(
            found,
            {
                "one 1": ([6.5, 0, 0], [13.5, 1, 0]),
                "one 2": ([26.5, 0, 0], [33.5, 1, 0]),
                "two": ([0, 3, -12], [0, 5, 2]),
            },
        )

    def test_each_mesh_is_in_it_once_and_its_textures_are_small(self) -> None:
        scene = Scene(
            items={"one": SceneItem(mesh="plates", repeat=(5, 4))},
            ground=Ground(material="tile", size=30, tile=3),
        )
        with folder() as root:
            told, _ = self.written(scene, root, 16)
            gltf = pygltflib.GLTF2().load(str(root / "scene.glb"))
            blob = gltf.binary_blob()
            views = [gltf.bufferViews[image.bufferView] for image in gltf.images]
            sizes = []
            for view in views:
                (root / "one.png").write_bytes(blob[view.byteOffset :][: view.byteLength])
                sizes.append(max(Pillow.open(root / "one.png").size))
        self.assertEqual(len(gltf.meshes), 2)
        self.assertEqual(len(gltf.nodes), 21)
        self.assertEqual(max(sizes), 16)
        # Three slots that have triangles, twenty times, and the ground.
        self.assertEqual((told.draws, told.triangles), (61, 20 * 8 + 2))
        ground = next(mesh for mesh in gltf.meshes if mesh.name == "ground").primitives[0]
        self.assertEqual(gltf.materials[ground.material].name, "tile")
        uvs = gltf.accessors[ground.attributes.TEXCOORD_0]
        self.assertEqual(gltf.bufferViews[uvs.bufferView].byteLength, 4 * 8)
        raw = blob[gltf.bufferViews[uvs.bufferView].byteOffset :][: 4 * 8]
        span = np.ptp(np.frombuffer(raw, "<f4").reshape(-1, 2), axis=0)
        np.testing.assert_allclose(span, (10, 10))

    def test_without_a_scene_and_with_nothing(self) -> None:
        with folder() as root:
            told, _ = self.written(Scene(), root)
            self.assertEqual((told.items, told.placements), (1, 1))

    def test_a_mesh_that_stands_alone_is_flattened_all_the_same(self) -> None:
        # A skinned figure of several nodes: written as it is drawn, wherever it stands.
        with folder() as root:
            (root / "p/meshes").mkdir(parents=True)
            source = figure().save(root / "p/meshes/figure.glb")
            items = {"a": {"mesh": "figure", "position": [5, 0, 0]}}
            document = {
                "ektopos": 1,
                "meshes": {"figure": {"file": "meshes/figure.glb"}},
                "scene": {"items": items},
            }
            (root / "p/p.ektopos.json").write_text(json.dumps(document))
            with open_project(root / "p") as opened:
                told = write_scene(opened, root / "scene.glb", 16)
            self.assertEqual(issues_of(root / "scene.glb"), [])
            read = trimesh.load(root / "scene.glb")
            drawn = read_mesh(source)
            left = [one.message for one in told.left if "figure" in one.subject]
        corners = drawn.positions[drawn.triangles].reshape(-1, 3)
        np.testing.assert_allclose(np.ptp(read.bounds, axis=0), np.ptp(corners, axis=0), atol=1e-5)
        self.assertAlmostEqual(float(read.bounds[:, 0].mean()), 5.0, places=5)
        self.assertAlmostEqual(float(read.bounds[0, 1]), 0.0, places=5)
        self.assertEqual(told.triangles, len(drawn.triangles))
        self.assertTrue(any("keleton" in text or "oint" in text for text in left), left)


class WhatArrived(TestCase):
    def kept(self, root: Path, target: str) -> trimesh.Scene:
        profile = find_profile(target)
        with open_project(root / "p") as opened:
            run_trial(
                opened,
                root / "out",
                profile,
                renders=False,
                arrived=(root / "arrived.glb").write_bytes,
            )
        self.assertEqual(issues_of(root / "arrived.glb"), [])
        return trimesh.load(root / "arrived.glb")

    def exported(self, root: Path, target: str) -> None:
        project_folder(root / "p")
        with open_project(root / "p") as opened:
            export_package(opened, find_profile(target), root / "out")

    def test_it_is_what_lies_in_the_package_whatever_its_kind(self) -> None:
        for target in ("gltf-glb", "metal-smooth", "spec-gloss", "usdz"):
            with self.subTest(target), folder() as root:
                self.exported(root, target)
                read = self.kept(root, target)
                np.testing.assert_allclose(read.bounds, [[0, 0, 0], [7, 1, 0]], atol=1e-6)
                worn = {part.visual.material.name for part in read.geometry.values()}
                self.assertTrue({"tile", "tile_worn"} & worn, worn)

    def test_a_package_that_was_spoiled_is_seen_spoiled(self) -> None:
        with folder() as root:
            self.exported(root, "single-maps")
            listing = json.loads((root / "out/package.json").read_text())
            (base,) = {
                file["path"]
                for file in listing["files"]
                if file["channels"].get("r") == "base_color" and "tile" in file["materials"]
            }
            before = self.base_of(self.kept(root, "single-maps"))
            picture = Pillow.open(root / "out" / base)
            red = Pillow.new(
                picture.mode, picture.size, (200, 10, 20, 255)[: len(picture.getbands())]
            )
            red.save(root / "out" / base)
            after = self.base_of(self.kept(root, "single-maps"))
        self.assertGreater(np.abs(before[..., :3].mean(axis=(0, 1)) - (200, 10, 20)).max(), 30)
        np.testing.assert_allclose(
            after[..., :3].reshape(-1, 3).mean(axis=0), (200, 10, 20), atol=1.5
        )

    def base_of(self, read: trimesh.Scene) -> np.ndarray:
        (picture,) = {
            id(part.visual.material): part.visual.material.baseColorTexture
            for part in read.geometry.values()
            if part.visual.material.name == "tile"
        }.values()
        return np.asarray(picture.convert("RGBA"), np.float64)
