"""Files that few programs write and users bring all the same: read, or refused with the reason.

Written by tifffile, OpenEXR, Pillow and DracoPy, or by hand from the formats' own texts.
"""

from __future__ import annotations

import json
from unittest import TestCase

import DracoPy
import numpy as np
import OpenEXR
import tifffile
from PIL import Image as Pillow
from pygltflib import GLTF2

from ektopos.base.errors import UnreadableFile
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.images import image_parts, part_content, read_header, read_image
from ektopos.maps import facts_of, identify
from ektopos.maps.sets import tile_of
from ektopos.maps.verdict import SURE
from ektopos.meshes import read_mesh
from ektopos.project import open_project
from ektopos.trial.compare import run_trial
from tests.outside.test_assets import SHORT, TRIANGLE, Gltf, one_triangle
from tests.outside.test_colour_profiles import wide_profile
from tests.samples import folder, noise, normals_of

SCANLINES = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}


class Pictures(TestCase):
    def test_whole_numbers_of_32_bits_are_read_with_16_and_say_so(self) -> None:
        values = np.linspace(0, 2**32 - 1, 64 * 64).astype(np.uint32).reshape(64, 64)
        with folder() as root:
            path = root / "ridge_height.tif"
            tifffile.imwrite(path, values)
            image, header = read_image(path), read_header(path)
        self.assertEqual((header.bits, header.is_float), (16, False))
        self.assertEqual(image.pixels.dtype, np.uint16)
        off = np.abs(image.pixels[..., 0].astype(float) - values / 65537.0)
        self.assertLessEqual(off.max(), 1.0)
        self.assertIn("32 bits", " ".join(image.notes))

    def test_signed_numbers_are_refused_by_name(self) -> None:
        for kind in (np.int8, np.int16, np.int32):
            with folder() as root, self.subTest(kind.__name__):
                path = root / "a.tif"
                tifffile.imwrite(path, np.arange(64, dtype=kind).reshape(8, 8))
                with self.assertRaisesRegex(UnreadableFile, "signed"):
                    read_image(path)

    def test_two_channels_of_normals_get_a_blue_of_nothing(self) -> None:
        x, y = (noise(16, seed, 1)[..., 0] / 255 for seed in (1, 2))
        for names in ("RG", "XY"):
            with folder() as root, self.subTest(names):
                path = root / "wall_normal.exr"
                channels = dict(zip(names, (x, y), strict=True))
                OpenEXR.File(
                    dict(SCANLINES),
                    {key: value.astype(np.float32) for key, value in channels.items()},
                ).write(str(path))
                image, header = read_image(path), read_header(path)
                self.assertEqual(image.pixels.shape, (16, 16, 3))
                self.assertEqual(header.channels, 3)
                np.testing.assert_allclose(image.pixels[..., 0], x, atol=1e-6)
                np.testing.assert_allclose(image.pixels[..., 1], y, atol=1e-6)
                self.assertFalse(image.pixels[..., 2].any())
                self.assertIn("blue", " ".join(image.notes))

    def test_a_bundle_of_maps_is_taken_apart(self) -> None:
        # Source: the OpenEXR technical introduction, “Channel names”, “Multi-part files”; written
        # by the OpenEXR library.
        x, y, z, rough, metal = (
            noise(16, seed, 1)[..., 0].astype(np.float32) / 255 for seed in range(5)
        )
        named = {"diffuse.R": x, "diffuse.G": y, "diffuse.B": z, "rough.Y": rough, "metal": metal}
        wanted = {"diffuse": np.dstack([x, y, z]), "rough": rough, "metal": metal}
        two = [
            OpenEXR.Part({**SCANLINES, "name": "albedo"}, {"RGB": np.dstack([x, y, z])}),
            OpenEXR.Part({**SCANLINES, "name": "rough"}, {"Y": rough}),
        ]
        with folder() as root:
            bundle, parts, single = root / "wall.exr", root / "parts.exr", root / "one.exr"
            OpenEXR.File(dict(SCANLINES), dict(named)).write(str(bundle))
            OpenEXR.File(two).write(str(parts))
            OpenEXR.File(dict(SCANLINES), {"R": x, "G": y, "B": z}).write(str(single))
            self.assertEqual(image_parts(single), ())
            for path, names in ((bundle, set(wanted)), (parts, {"albedo", "rough"})):
                found = image_parts(path)
                self.assertEqual({part.name for part in found}, names)
                for part in found:
                    with self.subTest(path=path.name, part=part.name):
                        (root / "out.exr").write_bytes(part_content(path, part))
                        image = read_image(root / "out.exr")
                        meant = wanted["diffuse" if part.name == "albedo" else part.name]
                        np.testing.assert_array_equal(image.pixels.squeeze(), meant)
                        self.assertEqual(image.notes, ())
            damaged = root / "damaged.exr"
            damaged.write_bytes(bundle.read_bytes()[:-900])
            with self.assertRaises(UnreadableFile):
                for part in image_parts(damaged):
                    part_content(damaged, part)

    def test_grey_with_alpha_is_not_taken_for_them(self) -> None:
        with folder() as root:
            Pillow.fromarray(noise(16, 3, 1)[..., 0]).convert("LA").save(root / "a.png")
            self.assertEqual(read_image(root / "a.png").pixels.shape[2], 2)

    def test_a_profile_is_judged_by_what_it_does_and_not_by_its_name(self) -> None:
        lying = wide_profile().replace(b"wide test", b"sRGB test")
        with folder() as root:
            for name, profile in (("a.png", lying), ("b.png", wide_profile())):
                Pillow.fromarray(noise(16, 4)).save(root / name, icc_profile=profile)
                with self.subTest(name):
                    self.assertIsNotNone(read_header(root / name).profile)

    def test_wide_primaries_of_an_exr_are_said(self) -> None:
        # Source: ITU-R BT.2020, table 3; the OpenEXR attribute `chromaticities`.
        wide = (0.708, 0.292, 0.17, 0.797, 0.131, 0.046, 0.3127, 0.329)
        channels = {key: noise(8, 5, 1)[..., 0].astype(np.float32) / 255 for key in "RGB"}
        with folder() as root:
            for name, header in (("wide", {"chromaticities": wide}), ("plain", {})):
                path = root / f"{name}.exr"
                OpenEXR.File({**SCANLINES, **header}, dict(channels)).write(str(path))
                said = " ".join(read_image(path).notes)
                with self.subTest(name):
                    self.assertEqual("primaries" in said, name == "wide")

    def test_normals_in_green_and_alpha_are_refused_with_the_reason(self) -> None:
        height = noise(128, 6, 1)[..., 0] / 255.0
        normals = normals_of(np.asarray(Pillow.fromarray(height).resize((128, 128))))
        x, y = normals[..., 0], normals[..., 1]
        white = np.full_like(y, 255)
        with folder() as root:
            facts = {}
            for name, rest in (("wall_normal", white), ("door_normal", y)):
                path = root / f"{name}.png"
                Pillow.fromarray(np.dstack([rest, y, rest, x])).save(path)
                facts[path.name] = facts_of(path)
            for name, verdict, _ in identify(facts):
                with self.subTest(name):
                    self.assertEqual(set(verdict.roles.values()), {"unknown"})
                    self.assertIn("x in alpha", " ".join(verdict.doubts))

    def test_without_a_name_they_are_not_taken_for_anything_surely(self) -> None:
        small = noise(16, 6, 1)[..., 0]
        height = np.asarray(Pillow.fromarray(small).resize((128, 128), Pillow.BICUBIC)) / 255.0
        normals = normals_of(height)
        x, y = normals[..., 0], normals[..., 1]
        with folder() as root:
            facts = {}
            for name, rest in (("a", np.full_like(y, 255)), ("b", y), ("c", np.zeros_like(y))):
                path = root / f"{name}.png"
                Pillow.fromarray(np.dstack([rest, y, rest, x])).save(path)
                facts[path.name] = facts_of(path)
            for name, verdict, _ in identify(facts):
                with self.subTest(name):
                    self.assertLess(verdict.confidence, SURE)
                    self.assertIn("y and x of normals", " ".join(verdict.doubts))


class Tiles(TestCase):
    def test_u_and_v_count_from_one(self) -> None:
        # Common practice; the same square as 1001 + u + 10 v, counted from 0.
        for file, tile in (
            ("wall_col_u1_v1.png", 1001),
            ("wall_col_u2_v1.png", 1002),
            ("wall_col_u1_v3.png", 1021),
            ("wall_col.u10_v2.exr", 1020),
            ("menu_v1.png", None),
        ):
            with self.subTest(file):
                self.assertEqual(tile_of(file), tile)


class Meshes(TestCase):
    def test_words_for_numbers_are_refused(self) -> None:
        for line in ("vt nan 0", "vn 0 inf 0", "v nan 0 0", "v one 0 0"):
            with folder() as root, self.subTest(line):
                path = root / "m.obj"
                path.write_text(f"v 0 0 0\nv 1 0 0\nv 0 1 0\n{line}\nf 1 2 3\n")
                with self.assertRaises(UnreadableFile) as raised:
                    read_mesh(path)
                self.assertIn("number", str(raised.exception))

    def test_strips_are_triangles_that_turn_in_turns(self) -> None:
        # As scanned models have them: lists of vertices, −1 between strips.
        points = "0 0 0\n1 0 0\n0 1 0\n1 1 0\n0 2 0\n5 0 0\n6 0 0\n5 1 0\n"
        head = (
            "ply\nformat ascii 1.0\nelement vertex 8\nproperty float x\nproperty float y\n"
            "property float z\nelement tristrips 1\nproperty list int int vertex_indices\n"
            "end_header\n"
        )
        with folder() as root:
            path = root / "m.ply"
            path.write_text(head + points + "9 0 1 2 3 4 -1 5 6 7\n")
            mesh = read_mesh(path)
        self.assertEqual(mesh.triangles.tolist(), [[0, 1, 2], [2, 1, 3], [2, 3, 4], [5, 6, 7]])
        first, second, third = (mesh.positions[mesh.triangles[:, k]] for k in range(3))
        self.assertTrue((np.cross(second - first, third - first)[:, 2] > 0).all())

    def test_optional_compression_is_left_alone_where_the_plain_data_is_there(self) -> None:
        # Source: KHR_draco_mesh_compression: without `extensionsRequired` both are stored; and
        # EXT_meshopt_compression, “Fallback buffers”. The Draco data is another mesh on purpose.
        made = Gltf()
        meshes = one_triangle(made)
        corners = made.accessor(np.array([0, 1, 2], np.uint16), "SCALAR", SHORT)
        packed = made.view(
            DracoPy.encode(TRIANGLE.astype(np.float32) * 9, np.array([[0, 1, 2]], np.uint32))
        )
        (primitive,) = meshes[0]["primitives"]
        primitive |= {
            "indices": corners,
            "extensions": {
                "KHR_draco_mesh_compression": {"bufferView": packed, "attributes": {"POSITION": 0}}
            },
        }
        for required, largest in (([], 1.0), (["KHR_draco_mesh_compression"], 9.0)):
            with folder() as root, self.subTest(required=required):
                path = made.save(root / "m.gltf", meshes=meshes, extensionsRequired=required)
                self.assertAlmostEqual(float(read_mesh(path).positions.max()), largest, places=2)

    def test_objects_of_an_obj_leave_as_nodes(self) -> None:
        # Source: the Wavefront OBJ specification, “o object_name”; read back by pygltflib.
        square = "v {0} 0 0\nv {1} 0 0\nv {1} 1 0\nv {0} 1 0\n"
        text = (
            "vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"
            + f"o lid\n{square.format(0, 1)}usemtl A\nf 1/1 2/2 3/3 4/4\n"
            + f"o body\n{square.format(2, 3)}usemtl A\nf 5/1 6/2 7/3\nusemtl B\nf 5/1 7/3 8/4\n"
        )
        document = {
            "ektopos": 1,
            "name": "p",
            "materials": {"m": {"inputs": {"roughness": {"value": 0.5}}}},
            "meshes": {"box": {"file": "box.obj", "slots": {"A": "m", "B": "m"}}},
        }
        with folder() as root:
            (root / "box.obj").write_text(text)
            (root / "p.ektopos.json").write_text(json.dumps(document))
            profile = find_profile("gltf-split")
            with open_project(root) as opened:
                export_package(opened, profile, root / "out")
                good = run_trial(opened, root / "out", profile, renders=False)
                (container,) = (root / "out").rglob("*.gltf")
                read = GLTF2().load(str(container))
                names = {node.name for node in read.nodes if node.mesh is not None}
                slots = {
                    node.name: len(read.meshes[node.mesh].primitives)
                    for node in read.nodes
                    if node.mesh is not None
                }
                container.write_text(container.read_text().replace('"lid"', '"body"'))
                bad = run_trial(opened, root / "out", profile, renders=False)
        self.assertEqual(names, {"lid", "body"})
        self.assertEqual(slots, {"lid": 1, "body": 2})
        self.assertTrue(good.passed, [c for c in good.cells if c.verdict in ("differs", "lost")])
        wrong = [cell.cause for cell in bad.cells if cell.verdict in ("differs", "lost")]
        self.assertEqual(wrong, ["hierarchy-changed"])
