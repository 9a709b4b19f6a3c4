"""PLY and USD, read here and by the libraries that define or know them."""

from __future__ import annotations

import struct
from pathlib import Path
from unittest import TestCase

import numpy as np
import trimesh
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, UsdUtils

from ektopos.base.errors import UnreadableFile
from ektopos.meshes import Mesh, find_faults, read_mesh, slot_facts
from tests.samples import folder

HEADER = "ply\nformat {format} 1.0\ncomment made for a test\nelement vertex {vertices}\n{properties}element face {faces}\nproperty list uchar int vertex_indices\nend_header\n"
PLACE = "property float x\nproperty float y\nproperty float z\n"


def read_text(root: Path, text: str | bytes, name: str = "m.ply") -> Mesh:
    (root / name).write_bytes(text.encode() if isinstance(text, str) else text)
    return read_mesh(root / name)


class Ply(TestCase):
    def test_areas_and_counts_as_trimesh_writes_and_measures_them(self) -> None:
        """Against the `trimesh` package: its own shapes, written by it as text and as binary PLY."""
        shapes = {
            "ball": trimesh.creation.icosphere(subdivisions=3, radius=0.7),
            "box": trimesh.creation.box((1, 2, 3)),
            "ring": trimesh.creation.torus(1.0, 0.25),
        }
        for name, shape in shapes.items():
            for encoding in ("ascii", "binary"):
                with self.subTest(name, encoding=encoding), folder() as root:
                    mesh = read_text(root, shape.export(file_type="ply", encoding=encoding))
                    self.assertEqual(
                        (len(mesh.triangles), len(mesh.positions)),
                        (len(shape.faces), len(shape.vertices)),
                    )
                    self.assertAlmostEqual(mesh.areas().sum(), shape.area, places=5)
                    self.assertEqual(
                        [
                            f.code
                            for f in find_faults(mesh)
                            if f.code in ("open-edges", "reversed-faces")
                        ],
                        [],
                    )

    def test_polygons_of_any_size_in_binary_of_either_byte_order(self) -> None:
        """A square, a triangle and a pentagon; the list lengths differ, so rows have different
        sizes."""
        points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (2, 0, 0), (2, 1, 0), (1.5, 1.5, 0)]
        faces = [(0, 1, 2, 3), (1, 4, 2), (4, 5, 6, 2, 1)]
        for order, word in (("<", "binary_little_endian"), (">", "binary_big_endian")):
            with self.subTest(word), folder() as root:
                head = HEADER.format(format=word, vertices=7, faces=3, properties=PLACE).encode()
                body = b"".join(struct.pack(f"{order}3f", *p) for p in points)
                body += b"".join(struct.pack(f"{order}B{len(f)}i", len(f), *f) for f in faces)
                mesh = read_text(root, head + body)
                self.assertEqual(len(mesh.triangles), 2 + 1 + 3)
                self.assertEqual(mesh.slots, ("slot_0",))

    def test_normals_colours_and_uvs_on_vertices(self) -> None:
        properties = (
            PLACE
            + "property float nx\nproperty float ny\nproperty float nz\nproperty float s\nproperty float t\nproperty uchar red\n"
        )
        rows = (
            "0 0 0 0 0 1 0 0 255\n1 0 0 0 0 2 1 0 255\n1 1 0 0 0 1 1 1 255\n0 1 0 0 0 0 0 1 255\n"
        )
        with folder() as root:
            mesh = read_text(
                root,
                HEADER.format(format="ascii", vertices=4, faces=1, properties=properties)
                + rows
                + "4 0 1 2 3\n",
            )
        self.assertEqual(
            mesh.uvs.tolist(), [[0, 1], [1, 1], [1, 0], [0, 0]], "v points up in PLY and down here"
        )
        counts = {fault.code: fault.count for fault in find_faults(mesh)}
        self.assertEqual(
            (counts["unnormalised-normals"], counts["missing-normals"], counts["vertex-colours"]),
            (1, 1, 4),
        )

    def test_uvs_on_corners_split_vertices_only_where_they_differ(self) -> None:
        head = HEADER.format(format="ascii", vertices=4, faces=2, properties=PLACE).replace(
            "end_header", "property list uchar float texcoord\nend_header"
        )
        faces = "3 0 1 2 6 0 0 1 0 1 1\n3 0 2 3 6 0.5 0 1 1 0 1\n"
        with folder() as root:
            mesh = read_text(root, head + "0 0 0\n1 0 0\n1 1 0\n0 1 0\n" + faces)
        self.assertEqual(len(mesh.positions), 5, "corner 0 has two UVs, corner 2 has one")
        self.assertTrue(np.isfinite(mesh.uvs).all())

    def test_broken_files_are_said_in_a_sentence(self) -> None:
        whole = (
            HEADER.format(format="ascii", vertices=3, faces=1, properties=PLACE)
            + "0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"
        )
        for what, text in {
            "cut": whole[:-8],
            "no header": "plywood",
            "points beyond": whole.replace("3 0 1 2", "3 0 1 9"),
            "unknown kind": whole.replace("float", "quaternion"),
            "no vertices": whole.replace("vertex 3", "vertex 0"),
            "unknown format": whole.replace("ascii", "morse"),
        }.items():
            with self.subTest(what), folder() as root, self.assertRaises(UnreadableFile):
                read_text(root, text)


def usd_stage(path: Path, *, up: str = "Y", metres: float = 1.0) -> Usd.Stage:
    """A square of two quads, the right one bound to another material."""
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, up)
    UsdGeom.SetStageMetersPerUnit(stage, metres)
    UsdGeom.Xform.Define(stage, "/Prop")
    mesh = UsdGeom.Mesh.Define(stage, "/Prop/Plate")
    mesh.CreatePointsAttr([(0, 0, 0), (1, 0, 0), (2, 0, 0), (0, 1, 0), (1, 1, 0), (2, 1, 0)])
    mesh.CreateFaceVertexCountsAttr([4, 4])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 4, 3, 1, 2, 5, 4])
    uvs = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar(
        "st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying
    )
    uvs.Set([(0, 0), (1, 0), (1, 1), (0, 1)] * 2)
    for name in ("Steel", "Rubber"):
        UsdShade.Material.Define(stage, f"/Prop/{name}")
    binding = UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim())
    binding.Bind(UsdShade.Material(stage.GetPrimAtPath("/Prop/Steel")))
    subset = binding.CreateMaterialBindSubset("right", [1])
    UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(
        UsdShade.Material(stage.GetPrimAtPath("/Prop/Rubber"))
    )
    stage.SetDefaultPrim(stage.GetPrimAtPath("/Prop"))
    return stage


class UsdFiles(TestCase):
    def test_every_form_of_usd_gives_the_same_mesh(self) -> None:
        """Written by Pixar's own library (`usd-core`) as text, as binary and as a package."""
        with folder() as root:
            usd_stage(root / "a.usda").Save()
            Usd.Stage.Open(str(root / "a.usda")).Export(str(root / "a.usdc"))
            UsdUtils.CreateNewUsdzPackage(str(root / "a.usdc"), str(root / "a.usdz"))
            for name in ("a.usda", "a.usdc", "a.usdz"):
                with self.subTest(name):
                    mesh = read_mesh(root / name)
                    facts = {slot.name: slot for slot in slot_facts(mesh)}
                    self.assertEqual(set(facts), {"Steel", "Rubber"})
                    for slot in facts.values():
                        self.assertEqual((slot.triangles, slot.uv.coverage), (2, 1.0))
                        self.assertAlmostEqual(slot.area, 1.0)
                    self.assertEqual(mesh.uvs[mesh.vertex_slot == 0].min(axis=0).tolist(), [0, 0])

    def test_units_and_the_upright_axis_are_brought_to_metres_and_y(self) -> None:
        with folder() as root:
            stage = usd_stage(root / "cm.usda", up="Z", metres=0.01)
            UsdGeom.Xformable(stage.GetPrimAtPath("/Prop/Plate")).AddTranslateOp().Set(
                Gf.Vec3d(0, 0, 50)
            )
            stage.Save()
            read = read_mesh(root / "cm.usda")
        self.assertAlmostEqual(read.areas().sum(), 2e-4)
        np.testing.assert_allclose(read.positions[:, 1], 0.5, atol=1e-9)
        np.testing.assert_allclose(np.ptp(read.positions, axis=0), [0.02, 0, 0.01], atol=1e-9)

    def test_a_mirroring_transform_and_left_handed_faces_still_look_outwards(self) -> None:
        for handed, scale in (
            ("rightHanded", -1),
            ("leftHanded", 1),
            ("leftHanded", -1),
            ("rightHanded", 1),
        ):
            with self.subTest(handed, scale=scale), folder() as root:
                stage = usd_stage(root / "m.usda")
                mesh = UsdGeom.Mesh(stage.GetPrimAtPath("/Prop/Plate"))
                mesh.CreateOrientationAttr(handed)
                UsdGeom.Xformable(mesh).AddScaleOp().Set(Gf.Vec3f(scale, 1, 1))
                stage.Save()
                read = read_mesh(root / "m.usda")
                a, b, c = np.moveaxis(read.corners(), 1, 0)
                facing = np.sign(np.cross(b - a, c - a)[:, 2])
                # Authored order runs against the clock seen from +Z; left-handed faces are seen
                # from the other side. A mirror turns the picture, not the side a face is seen from.
                self.assertEqual(set(facing), {1.0 if handed == "rightHanded" else -1.0})
                codes = {fault.code for fault in find_faults(read)}
                self.assertEqual("negative-scale" in codes, scale < 0)

    def test_what_a_point_instancer_scatters_stands_where_usd_puts_it(self) -> None:
        """Against `usd-core`'s own boxes of the instancer (`BBoxCache`), with turned, scaled and
        mirrored points; a hidden point is not drawn, nor the prototype by itself."""
        with folder() as root:
            stage = usd_stage(root / "p.usda", up="Z", metres=0.01)
            scatter = UsdGeom.PointInstancer.Define(stage, "/Field")
            UsdGeom.Xformable(scatter).AddTranslateOp().Set(Gf.Vec3d(1, 2, 3))
            kept = stage.DefinePrim("/Field/Kinds/Prop", "Xform")
            kept.GetReferences().AddInternalReference("/Prop")
            UsdGeom.Xformable(kept).AddScaleOp().Set(Gf.Vec3f(2, 2, 2))
            scatter.CreatePrototypesRel().SetTargets(["/Field/Kinds/Prop"])
            scatter.CreateProtoIndicesAttr([0, 0, 0, 0])
            scatter.CreatePositionsAttr([(0, 0, 0), (20, 0, 0), (0, 30, 5), (900, 0, 0)])
            half = float(np.sqrt(0.5))
            turns = [(1, 0, 0, 0), (half, 0, 0, half), (half, half, 0, 0), (1, 0, 0, 0)]
            scatter.CreateOrientationsAttr([Gf.Quath(*turn) for turn in turns])
            scatter.CreateScalesAttr([(1, 1, 1), (3, 1, 1), (-1, 2, 1), (1, 1, 1)])
            scatter.CreateInvisibleIdsAttr([3])
            stage.Save()
            read = read_mesh(root / "p.usda")
            cache = UsdGeom.BBoxCache(Usd.TimeCode.EarliestTime(), ["default"])
            box = cache.ComputeWorldBound(stage.GetPseudoRoot()).ComputeAlignedRange()
        self.assertEqual(len(read.triangles), 4 * 4)
        low, high = np.array(box.GetMin()) * 0.01, np.array(box.GetMax()) * 0.01
        turned = np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]])
        corners = np.sort([turned @ low, turned @ high], axis=0)
        np.testing.assert_allclose(read.positions.min(axis=0), corners[0], atol=1e-7)
        np.testing.assert_allclose(read.positions.max(axis=0), corners[1], atol=1e-7)

    def test_every_uv_set_is_read_in_its_order(self) -> None:
        with folder() as root:
            stage = usd_stage(root / "u.usda")
            plate = stage.GetPrimAtPath("/Prop/Plate")
            second = UsdGeom.PrimvarsAPI(plate).CreatePrimvar(
                "lightmap", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying
            )
            second.Set([(0.25, 0.25), (0.5, 0.25), (0.5, 0.5), (0.25, 0.5)] * 2)
            stage.Save()
            read = read_mesh(root / "u.usda")
        self.assertEqual(read.uv_sets, (2, 2))
        np.testing.assert_allclose(read.corner_uvs(1).min(axis=(0, 1)), [0.25, 0.5])
        np.testing.assert_allclose(read.corner_uvs(1).max(axis=(0, 1)), [0.5, 0.75])

    def test_instances_are_all_drawn_and_hidden_meshes_are_not(self) -> None:
        with folder() as root:
            stage = usd_stage(root / "i.usda")
            for number in range(3):
                copy = stage.DefinePrim(f"/Copy{number}", "Xform")
                copy.GetReferences().AddInternalReference("/Prop")
                copy.SetInstanceable(True)
            UsdGeom.Imageable(stage.GetPrimAtPath("/Prop")).MakeInvisible()
            for number in range(3):
                UsdGeom.Imageable(stage.GetPrimAtPath(f"/Copy{number}")).CreateVisibilityAttr(
                    "inherited"
                )
            stage.Save()
            read = read_mesh(root / "i.usda")
        self.assertEqual(len(read.triangles), 12)

    def test_broken_files_are_said_in_a_sentence(self) -> None:
        with folder() as root:
            usd_stage(root / "whole.usda").Save()
            text = (root / "whole.usda").read_text()
            for what, content in {
                "cut": text[: len(text) // 2],
                "no usd": "hello",
                "empty": "",
            }.items():
                with self.subTest(what), self.assertRaises(UnreadableFile):
                    read_text(root, content, f"{what.replace(' ', '_')}.usda")
            Usd.Stage.CreateNew(str(root / "bare.usda")).Save()
            with self.assertRaises(UnreadableFile) as caught:
                read_mesh(root / "bare.usda")
            self.assertIn("no mesh", str(caught.exception))
