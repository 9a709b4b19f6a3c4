"""Packages and meshes as other people's libraries read them: pygltflib, Pillow and trimesh. None of
them is part of the core."""

from __future__ import annotations

import base64
import io
from pathlib import Path
from unittest import TestCase

import numpy as np
import pygltflib
import trimesh
from PIL import Image as Pillow

from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.images import linear_to_srgb
from ektopos.materials import resolve_inheritance
from ektopos.materials.resolve import MapLoader, resolve_feed
from ektopos.meshes import find_faults, read_mesh, slot_facts
from tests.samples import folder, project


def picture_of(gltf: pygltflib.GLTF2, info, root: Path) -> np.ndarray:
    """A texture's texels as 0–1, by pygltflib's and Pillow's reading."""
    image = gltf.images[gltf.textures[info.index].source]
    if image.uri and image.uri.startswith("data:"):
        content = base64.b64decode(image.uri.partition(",")[2])
        return np.asarray(Pillow.open(io.BytesIO(content))) / 255
    if image.bufferView is None:
        return np.asarray(Pillow.open(root / image.uri)) / 255
    view = gltf.bufferViews[image.bufferView]
    content = gltf.binary_blob()[view.byteOffset : view.byteOffset + view.byteLength]
    return np.asarray(Pillow.open(io.BytesIO(content))) / 255


class GltfAsPygltflibReadsIt(TestCase):
    """glTF 2.0, 3.9: base colour in RGB with opacity in A, roughness in G, metallic in B, occlusion
    in R, normals ×2 − 1."""

    def test_every_input_is_where_the_standard_looks_for_it(self) -> None:
        for target, file in (
            ("gltf-glb", "plates.glb"),
            ("gltf-split", "plates.gltf"),
            ("gltf-embedded", "plates.gltf"),
        ):
            with self.subTest(target), project() as opened, folder() as root:
                export_package(opened, find_profile(target), root / "out")
                gltf = pygltflib.GLTF2().load(str(root / "out" / file))
                loader, compared = MapLoader(opened), []
                for material in gltf.materials:
                    expected = resolve_inheritance(opened.document, material.name)
                    pbr = material.pbrMetallicRoughness
                    if pbr.metallicRoughnessTexture is None:
                        self.assertAlmostEqual(pbr.roughnessFactor, 0.35, places=6)
                        np.testing.assert_allclose(
                            pbr.baseColorFactor[:3], [0.2, 0.3, 0.4], atol=1e-6
                        )
                        continue
                    surface = picture_of(gltf, pbr.metallicRoughnessTexture, root / "out")
                    for name, channel in (("roughness", 1), ("metallic", 2)):
                        values = resolve_feed(loader, expected.feeds[name], name)
                        factor = (pbr.roughnessFactor, pbr.metallicFactor)[channel - 1]
                        self.assertLessEqual(
                            np.abs(
                                surface[..., channel] * (1 if factor is None else factor) - values
                            ).max(),
                            0.51 / 255,
                        )
                    shade = picture_of(gltf, material.occlusionTexture, root / "out")[..., 0]
                    open_ = resolve_feed(
                        loader, expected.feeds["occlusion"], "occlusion", with_strength=False
                    )
                    self.assertLessEqual(np.abs(shade - open_).max(), 0.51 / 255)
                    self.assertAlmostEqual(material.occlusionTexture.strength, 0.5)
                    colour = picture_of(gltf, pbr.baseColorTexture, root / "out")
                    wanted = linear_to_srgb(
                        resolve_feed(loader, expected.feeds["base_color"], "base_color")
                    )
                    self.assertLessEqual(np.abs(colour[..., :3] - wanted).max(), 0.51 / 255)
                    self.assertLessEqual(
                        np.abs(
                            colour[..., 3]
                            - resolve_feed(loader, expected.feeds["opacity"], "opacity")
                        ).max(),
                        0.51 / 255,
                    )
                    normals = picture_of(gltf, material.normalTexture, root / "out") * 2 - 1
                    vectors = resolve_feed(
                        loader, expected.feeds["normal"], "normal", with_strength=False
                    )
                    self.assertLess(np.abs(normals - vectors).max(), 2 / 255 + 1e-3)
                    self.assertAlmostEqual(material.normalTexture.scale, 0.8)
                    compared.append(material.name)
                    self.assertEqual(
                        (material.alphaMode, material.alphaCutoff, material.doubleSided),
                        ("MASK", 0.4, True),
                    )
                self.assertEqual(compared, ["tile", "tile_dull"])

    def test_a_slot_wears_the_material_it_was_given(self) -> None:
        with project() as opened, folder() as root:
            export_package(opened, find_profile("gltf-glb"), root / "out")
            gltf = pygltflib.GLTF2().load(str(root / "out/plates.glb"))
        assigned = [
            gltf.materials[primitive.material].name for primitive in gltf.meshes[0].primitives
        ]
        self.assertEqual(assigned, list(opened.document.meshes["plates"].slots.values()))


class MeshesAsTrimeshReadsThem(TestCase):
    """Areas, counts and faults of shapes that trimesh makes and writes."""

    def read(self, shape: trimesh.Trimesh, suffix: str):
        with folder() as root:
            path = root / f"shape.{suffix}"
            shape.export(path)
            return read_mesh(path)

    def test_areas_and_counts_of_closed_shapes(self) -> None:
        shapes = {
            "icosphere": trimesh.creation.icosphere(subdivisions=3, radius=0.7),
            "box": trimesh.creation.box(extents=(1, 2, 3)),
            "torus": trimesh.creation.torus(1.0, 0.3),
            "annulus": trimesh.creation.annulus(0.4, 0.9, 0.5),
            "capsule": trimesh.creation.capsule(height=1.0, radius=0.25),
        }
        for name, shape in shapes.items():
            for suffix in ("glb", "obj"):
                with self.subTest(name, suffix=suffix):
                    mesh = self.read(shape, suffix)
                    self.assertEqual(len(mesh.triangles), len(shape.faces))
                    self.assertAlmostEqual(
                        sum(slot.area for slot in slot_facts(mesh)), shape.area, places=4
                    )
                    codes = {fault.code for fault in find_faults(mesh)}
                    self.assertEqual(
                        codes
                        & {"open-edges", "reversed-faces", "degenerate-faces", "coincident-faces"},
                        set(),
                    )

    def test_open_edges_are_those_that_trimesh_counts(self) -> None:
        sphere = trimesh.creation.icosphere(subdivisions=2)
        rng = np.random.default_rng(3)
        for removed in (1, 5, 40):
            with self.subTest(removed=removed):
                kept = np.ones(len(sphere.faces), bool)
                kept[rng.choice(len(sphere.faces), removed, replace=False)] = False
                holed = trimesh.Trimesh(sphere.vertices, sphere.faces[kept], process=False)
                once = trimesh.grouping.group_rows(holed.edges_sorted, require_count=1)
                found = {fault.code: fault.count for fault in find_faults(self.read(holed, "glb"))}
                self.assertEqual(found["open-edges"], len(once))

    def test_turned_faces_are_counted_where_trimesh_says_the_winding_is_broken(self) -> None:
        sphere = trimesh.creation.icosphere(subdivisions=2)
        faces = sphere.faces.copy()
        faces[[3, 70, 200]] = faces[[3, 70, 200]][:, ::-1]
        turned = trimesh.Trimesh(sphere.vertices, faces, process=False)
        self.assertFalse(turned.is_winding_consistent)
        found = {fault.code: fault.count for fault in find_faults(self.read(turned, "obj"))}
        self.assertEqual(found["reversed-faces"], 3)

    def test_an_exported_mesh_is_the_same_shape_in_trimesh(self) -> None:
        with project() as opened, folder() as root:
            export_package(opened, find_profile("gltf-glb"), root / "out")
            scene = trimesh.load_scene(root / "out/plates.glb")
            expected = read_mesh(opened.path("meshes/plates.glb"))
        self.assertAlmostEqual(
            sum(part.area for part in scene.geometry.values()),
            float(expected.areas().sum()),
            places=5,
        )
        self.assertEqual(
            sum(len(part.faces) for part in scene.geometry.values()), len(expected.triangles)
        )
        np.testing.assert_allclose(
            scene.bounds, [expected.positions.min(0), expected.positions.max(0)], atol=1e-6
        )
