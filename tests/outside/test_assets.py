"""Meshes as other programs write them: skins, instances, morph targets, compressed geometry,
polygons that are not convex, USD in several files."""

from __future__ import annotations

import base64
import json
import struct
from pathlib import Path
from unittest import TestCase

import DracoPy
import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from pxr import Gf, Sdf, Usd, UsdGeom, UsdSkel

from ektopos.base.errors import UnreadableFile
from ektopos.meshes import read_mesh
from ektopos.meshes.mesh import with_normals
from ektopos.meshes.mesh_builder import triangulated
from ektopos.meshes.scene import read_scene
from tests.samples import folder

TRIANGLE = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32)
FLOAT, SHORT, BYTE = 5126, 5123, 5121


class Gltf:
    """A glTF file put together by hand, so that nothing of the project's writer is in it."""

    def __init__(self) -> None:
        self.data = b""
        self.json: dict = {"asset": {"version": "2.0"}, "bufferViews": [], "accessors": []}

    def view(self, content: bytes) -> int:
        self.data += b"\0" * (-len(self.data) % 4)
        at = {"buffer": 0, "byteOffset": len(self.data), "byteLength": len(content)}
        self.json["bufferViews"].append(at)
        self.data += content
        return len(self.json["bufferViews"]) - 1

    def accessor(self, values: np.ndarray, kind: str, component: int = FLOAT, **more) -> int:
        entry = {"componentType": component, "type": kind, "count": len(values), **more}
        self.json["accessors"].append(entry | {"bufferView": self.view(values.tobytes())})
        return len(self.json["accessors"]) - 1

    def save(self, path: Path, **parts) -> Path:
        uri = "data:application/octet-stream;base64," + base64.b64encode(self.data).decode()
        buffers = [{"byteLength": len(self.data), "uri": uri}]
        path.write_text(json.dumps(self.json | {"buffers": buffers} | parts))
        return path


def one_triangle(made: Gltf, **attributes: int) -> list[dict]:
    position = made.accessor(TRIANGLE, "VEC3", min=[0, 0, 0], max=[1, 1, 0])
    return [{"primitives": [{"attributes": {"POSITION": position, **attributes}}]}]


class Skins(TestCase):
    """Source: glTF 2.0, 3.7.3.3: a vertex stands at Σ weight · joint · inverse bind · vertex, and
    the skinned node's own transform does not count."""

    def figure(self, root: Path, *, scale: float) -> Path:
        # As rigs often come: the armature shrinks by `scale` and stands the figure up, and the
        # inverse bind matrices undo nothing of it, for the vertices are in the armature's units.
        made = Gltf()
        weights = np.array([[1, 0, 0, 0], [0.5, 0.5, 0, 0], [0, 1, 0, 0]], np.float32)
        joints = np.array([[0, 1, 0, 0]] * 3, np.uint8)
        second = np.eye(4, dtype=np.float32)
        second[1, 3] = -50.0
        inverse = np.stack([np.eye(4, dtype=np.float32), second]).transpose(0, 2, 1)
        corners = np.array([[0, 0, 0], [100, 0, 0], [0, 100, 0]], np.float32)
        meshes = [
            {
                "primitives": [
                    {
                        "attributes": {
                            "POSITION": made.accessor(
                                corners, "VEC3", min=[0, 0, 0], max=[100, 100, 0]
                            ),
                            "JOINTS_0": made.accessor(joints, "VEC4", BYTE),
                            "WEIGHTS_0": made.accessor(weights, "VEC4"),
                        }
                    }
                ]
            }
        ]
        bound = made.accessor(np.ascontiguousarray(inverse), "MAT4")
        nodes = [
            {"name": "Armature", "scale": [scale] * 3, "children": [1, 3]},
            {"name": "hip", "children": [2]},
            {"name": "chest", "translation": [0, 60, 0]},
            {"name": "body", "mesh": 0, "skin": 0, "translation": [9, 9, 9]},
        ]
        skins = [{"joints": [1, 2], "inverseBindMatrices": bound}]
        return made.save(
            root / "figure.gltf",
            meshes=meshes,
            nodes=nodes,
            skins=skins,
            scenes=[{"nodes": [0]}],
            scene=0,
        )

    def test_vertices_stand_where_the_formula_puts_them(self) -> None:
        with folder() as root:
            mesh = read_mesh(self.figure(root, scale=0.01))
        # By hand: the hip leaves a vertex; the chest lifts it by 60 − 50; half of each by 5; then
        # a hundredth of all.
        wanted = np.array([[0, 0, 0], [100, 5, 0], [0, 110, 0]]) / 100
        np.testing.assert_allclose(mesh.positions, wanted, atol=1e-6)
        self.assertIn("skeleton", " ".join(mesh.notes))

    def test_a_joint_that_is_not_there_is_said(self) -> None:
        with folder() as root:
            path = self.figure(root, scale=1.0)
            broken = json.loads(path.read_text())
            broken["skins"][0]["joints"] = [1]
            path.write_text(json.dumps(broken))
            with self.assertRaisesRegex(UnreadableFile, "joint"):
                read_mesh(path)


class Instances(TestCase):
    def test_each_is_drawn_where_it_stands(self) -> None:
        # Source: EXT_mesh_gpu_instancing: TRS of each instance, within the node.
        made = Gltf()
        meshes = one_triangle(made)
        moved = made.accessor(np.array([[0, 0, 0], [5, 0, 0]], np.float32), "VEC3")
        scaled = made.accessor(np.array([[1, 1, 1], [2, 2, 2]], np.float32), "VEC3")
        given = {"attributes": {"TRANSLATION": moved, "SCALE": scaled}}
        node = {
            "mesh": 0,
            "translation": [0, 0, 3],
            "extensions": {"EXT_mesh_gpu_instancing": given},
        }
        with folder() as root:
            mesh = read_mesh(
                made.save(root / "i.gltf", meshes=meshes, nodes=[node], scenes=[{"nodes": [0]}])
            )
        wanted = np.concatenate([TRIANGLE, TRIANGLE * 2 + [5, 0, 0]]) + np.array([0, 0, 3])
        np.testing.assert_allclose(mesh.positions, wanted)

    def test_morph_targets_at_their_default_weights(self) -> None:
        # Source: glTF 2.0, 3.7.2.2: base + Σ weight · target; a node's weights before the mesh's.
        made = Gltf()
        meshes = one_triangle(made)
        target = made.accessor(
            np.full((3, 3), [0, 0, 2], np.float32), "VEC3", min=[0] * 3, max=[2] * 3
        )
        meshes[0]["primitives"][0]["targets"] = [{"POSITION": target}]
        meshes[0]["weights"] = [0.25]
        for node, height in (({"mesh": 0}, 0.5), ({"mesh": 0, "weights": [1.0]}, 2.0)):
            with folder() as root, self.subTest(node=node):
                path = made.save(root / "m.gltf", meshes=meshes, nodes=[node])
                np.testing.assert_allclose(read_mesh(path).positions[:, 2], height)


class Compressed(TestCase):
    def test_draco_gives_the_mesh_that_went_in(self) -> None:
        # Source: KHR_draco_mesh_compression; written by DracoPy, without quantisation that counts.
        solid = trimesh.creation.icosphere(subdivisions=2)
        uvs = np.random.default_rng(3).random((len(solid.vertices), 2))
        packed = DracoPy.encode(
            solid.vertices.astype(np.float32),
            solid.faces.astype(np.uint32),
            quantization_bits=20,
            tex_coord=uvs,
        )
        identities = {
            a["attribute_type"]: a["unique_id"] for a in DracoPy.decode(packed).attributes
        }
        made = Gltf()
        view = made.view(packed)
        count, corners = len(solid.vertices), 3 * len(solid.faces)
        made.json["accessors"] = [
            {
                "componentType": FLOAT,
                "type": "VEC3",
                "count": count,
                "min": [-1] * 3,
                "max": [1] * 3,
            },
            {"componentType": FLOAT, "type": "VEC2", "count": count},
            {"componentType": SHORT, "type": "SCALAR", "count": corners},
        ]
        attributes = {"POSITION": identities[0], "TEXCOORD_0": identities[3]}
        draco = {"bufferView": view, "attributes": attributes}
        primitive = {
            "attributes": {"POSITION": 0, "TEXCOORD_0": 1},
            "indices": 2,
            "extensions": {"KHR_draco_mesh_compression": draco},
        }
        with folder() as root:
            mesh = read_mesh(
                made.save(
                    root / "d.gltf",
                    meshes=[{"primitives": [primitive]}],
                    extensionsRequired=["KHR_draco_mesh_compression"],
                )
            )
        self.assertEqual(len(mesh.triangles), len(solid.faces))
        self.assertAlmostEqual(float(mesh.areas().sum()), float(solid.area), places=4)
        np.testing.assert_allclose(
            np.sort(mesh.corners().mean(axis=1), axis=0),
            np.sort(solid.triangles_center, axis=0),
            atol=1e-5,
        )
        self.assertTrue(mesh.has_uv.all())

    def test_what_is_not_decoded_is_refused_unless_it_is_there_plainly_too(self) -> None:
        # Source: EXT_meshopt_compression, “Fallback buffers”.
        claimed = {"byteLength": 64, "extensions": {"EXT_meshopt_compression": {"fallback": True}}}
        for plain in (True, False):
            made = Gltf()
            meshes = one_triangle(made)
            (view,) = made.json["bufferViews"]
            view["extensions"] = {"EXT_meshopt_compression": {"buffer": 0}}
            with folder() as root, self.subTest(plain=plain):
                path = made.save(
                    root / "m.gltf", meshes=meshes, extensionsUsed=["EXT_meshopt_compression"]
                )
                if plain:
                    np.testing.assert_allclose(read_mesh(path).positions, TRIANGLE)
                    continue
                gltf = json.loads(path.read_text())
                gltf["buffers"].append(claimed)
                gltf["bufferViews"][0] |= {"buffer": 1, "byteOffset": 0}
                path.write_text(json.dumps(gltf))
                with self.assertRaisesRegex(UnreadableFile, "EXT_meshopt_compression"):
                    read_mesh(path)

    def test_quantised_uvs_are_those_that_the_material_means(self) -> None:
        # Source: KHR_mesh_quantization, “UVs can be scaled by KHR_texture_transform”.
        made = Gltf()
        codes = np.array([[0, 0], [4095, 0], [0, 2047]], np.uint16)
        uvs = made.accessor(np.pad(codes, ((0, 0), (0, 0))), "VEC2", SHORT)
        meshes = one_triangle(made, TEXCOORD_0=uvs)
        meshes[0]["primitives"][0]["material"] = 0
        transform = {"scale": [1 / 4095, 1 / 4095], "offset": [0.5, 0.0]}
        texture = {"index": 0, "extensions": {"KHR_texture_transform": transform}}
        materials = [{"name": "A", "pbrMetallicRoughness": {"baseColorTexture": texture}}]
        with folder() as root:
            mesh = read_mesh(
                made.save(root / "q.gltf", meshes=meshes, materials=materials, textures=[{}])
            )
        wanted = codes / 4095 + [0.5, 0.0]
        np.testing.assert_allclose(mesh.uvs, wanted, atol=1e-6)


class Damaged(TestCase):
    def test_numbers_beyond_their_view_or_buffer_are_refused(self) -> None:
        made = Gltf()
        meshes = one_triangle(made)
        for part, key, value in (
            ("accessors", "count", 4),
            ("bufferViews", "byteLength", 9999),
            ("bufferViews", "byteOffset", 12),
        ):
            with folder() as root, self.subTest(part=part, key=key):
                path = made.save(root / "m.gltf", meshes=meshes)
                broken = json.loads(path.read_text())
                broken[part][0][key] = value
                path.write_text(json.dumps(broken))
                with self.assertRaises(UnreadableFile):
                    read_mesh(path)

    def test_a_glb_whose_lengths_do_not_fit_is_refused(self) -> None:
        # Source: glTF 2.0, 4.4.2 and 4.4.3.
        text = json.dumps({"asset": {"version": "2.0"}}).encode()
        text += b" " * (-len(text) % 4)
        good = struct.pack("<4sII", b"glTF", 2, 20 + len(text))
        chunk = struct.pack("<I4s", len(text), b"JSON") + text
        for name, content in (
            ("too short", struct.pack("<4sII", b"glTF", 2, 12) + chunk),
            ("chunk too long", good + struct.pack("<I4s", len(text) + 8, b"JSON") + text),
            ("UTF-16", json.dumps({"asset": {"version": "2.0"}}).encode("utf-16")),
        ):
            with folder() as root, self.subTest(name):
                path = root / ("m.glb" if name != "UTF-16" else "m.gltf")
                path.write_bytes(content)
                with self.assertRaises(UnreadableFile):
                    read_mesh(path)

    def test_clouds_of_points_are_refused_with_the_reason(self) -> None:
        with folder() as root:
            trimesh.PointCloud(np.random.default_rng(1).random((9, 3))).export(str(root / "p.ply"))
            (root / "p.obj").write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\n")
            for name in ("p.ply", "p.obj"):
                with self.subTest(name), self.assertRaisesRegex(UnreadableFile, "no faces"):
                    read_mesh(root / name)

    def test_lines_of_obj_that_break_off_are_refused(self) -> None:
        base = "v 0 0 0\nv 1 0 0\nv 0 1 0\n"
        for name, text in (
            ("v", base + "v 1 2\nf 1 2 3\n"),
            ("f", base + "f 1 2\n"),
            ("vn", base + "vn 0 1\nf 1 2 3\n"),
        ):
            with folder() as root, self.subTest(name):
                (root / "m.obj").write_text(text)
                with self.assertRaises(UnreadableFile):
                    read_mesh(root / "m.obj")


L_SHAPE = np.array([[0, 0, 0], [2, 0, 0], [2, 1, 0], [1, 1, 0], [1, 2, 0], [0, 2, 0]], float)


class Polygons(TestCase):
    """Source: the shoelace formula; an L of 2 × 2 with a corner of 1 × 1 out of it has area 3."""

    def test_an_l_in_every_format_that_has_polygons(self) -> None:
        points = "\n".join(f"{x} {y} {z}" for x, y, z in L_SHAPE)
        with folder() as root:
            (root / "l.obj").write_text(
                "\n".join(f"v {line}" for line in points.splitlines()) + "\nf 1 2 3 4 5 6\n"
            )
            head = "ply\nformat ascii 1.0\nelement vertex 6\n" + "".join(
                f"property float {axis}\n" for axis in "xyz"
            )
            (root / "l.ply").write_text(
                head + "element face 1\nproperty list uchar int vertex_indices\nend_header\n"
                f"{points}\n6 0 1 2 3 4 5\n"
            )
            stage = Usd.Stage.CreateNew(str(root / "l.usda"))
            UsdGeom.SetStageMetersPerUnit(stage, 1.0)
            UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
            shape = UsdGeom.Mesh.Define(stage, "/l")
            shape.CreatePointsAttr([Gf.Vec3f(*point) for point in L_SHAPE])
            shape.CreateFaceVertexCountsAttr([6])
            shape.CreateFaceVertexIndicesAttr(list(range(6)))
            stage.Save()
            for name in ("l.obj", "l.ply", "l.usda"):
                with self.subTest(name):
                    mesh = read_mesh(root / name)
                    self.assertAlmostEqual(float(mesh.areas().sum()), 3.0, places=6)
                    self.assertEqual(len(mesh.triangles), 4)
                    facing = np.cross(*np.diff(mesh.corners(), axis=1).swapaxes(0, 1))
                    self.assertTrue((facing[:, 2] > 0).all(), "wound as the polygon is")

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.floats(0.2, 3.0), min_size=4, max_size=24), st.floats(0, 3))
    def test_any_star_keeps_its_area(self, reach: list[float], turn: float) -> None:
        angles = np.linspace(0, 2 * np.pi, len(reach), endpoint=False)
        x, y = np.cos(angles) * reach, np.sin(angles) * reach
        shoelace = 0.5 * float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))
        places = np.stack([x, y * np.cos(turn), y * np.sin(turn)], axis=1)
        triangles = triangulated(np.array([len(reach)]), places)
        a, b, c = np.moveaxis(places[triangles], 1, 0)
        area = np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2
        self.assertAlmostEqual(float(area), shoelace, places=6)


class Normals(TestCase):
    ROOF = "v 0 0 0\nv 1 1 0\nv 2 0 0\nv 0 0 1\nv 1 1 1\nv 2 0 1\n"

    def test_smoothing_groups_share_normals_and_others_are_flat(self) -> None:
        # Source: the OBJ format, “s group_number”; “s off” and 0 mean none.
        for group, ridge in (("1", [0, 1, 0]), ("off", None), ("0", None)):
            with folder() as root, self.subTest(group):
                (root / "r.obj").write_text(f"{self.ROOF}s {group}\nf 1 4 5 2\nf 2 5 6 3\n")
                mesh = with_normals(read_mesh(root / "r.obj"))
                found = mesh.normals[np.isclose(mesh.positions[:, 0], 1.0)]
                if ridge:
                    np.testing.assert_allclose(
                        found, np.broadcast_to(ridge, found.shape), atol=1e-6
                    )
                else:
                    np.testing.assert_allclose(np.abs(found[:, 0]), np.sqrt(0.5), atol=1e-6)

    def test_gltf_without_normals_is_flat(self) -> None:
        # Source: glTF 2.0, 3.7.2.1: “client implementations MUST calculate flat normals”.
        solid = trimesh.creation.box()
        with folder() as root:
            (root / "b.glb").write_bytes(
                trimesh.exchange.gltf.export_glb(trimesh.Scene(solid), include_normals=False)
            )
            mesh = read_mesh(root / "b.glb")
            self.assertFalse(mesh.has_normal.any())
            drawn = with_normals(mesh)
        np.testing.assert_allclose(np.abs(drawn.normals).max(axis=1), 1.0)
        self.assertAlmostEqual(float(drawn.areas().sum()), 6.0, places=6)


class SeveralUsdFiles(TestCase):
    def triangle(self, stage: Usd.Stage, path: str, **more) -> UsdGeom.Mesh:
        shape = UsdGeom.Mesh.Define(stage, path)
        shape.CreatePointsAttr([Gf.Vec3f(*map(float, p)) for p in TRIANGLE])
        shape.CreateFaceVertexCountsAttr([3])
        shape.CreateFaceVertexIndicesAttr([0, 1, 2])
        return shape

    def stage(self, path: Path) -> Usd.Stage:
        stage = Usd.Stage.CreateNew(str(path))
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
        return stage

    def test_what_lies_beside_is_followed_and_nothing_else(self) -> None:
        with folder() as root:
            (root / "in/parts").mkdir(parents=True)
            for place in ("in/parts/leg.usda", "secret.usda"):
                leg = self.stage(root / place)
                leg.SetDefaultPrim(self.triangle(leg, "/leg").GetPrim())
                leg.Save()
            table = self.stage(root / "in/table.usda")
            table.DefinePrim("/a").GetReferences().AddReference("parts/leg.usda")
            table.DefinePrim("/b").GetPayloads().AddPayload("./parts/leg.usda")
            table.DefinePrim("/c").GetReferences().AddReference("../secret.usda")
            table.Save()
            mesh = read_mesh(root / "in/table.usda")
        self.assertEqual(len(mesh.triangles), 2)
        self.assertIn("../secret.usda", " ".join(mesh.notes))

    def test_guides_proxies_and_holes_are_not_drawn(self) -> None:
        with folder() as root:
            stage = self.stage(root / "p.usda")
            self.triangle(stage, "/seen")
            self.triangle(stage, "/rig").CreatePurposeAttr(UsdGeom.Tokens.guide)
            self.triangle(stage, "/coarse").CreatePurposeAttr(UsdGeom.Tokens.proxy)
            self.triangle(stage, "/open").CreateHoleIndicesAttr([0])
            stage.Save()
            mesh = read_mesh(root / "p.usda")
        self.assertEqual(len(mesh.triangles), 1)
        said = " ".join(mesh.notes)
        for word in ("guide", "proxy", "holes"):
            self.assertIn(word, said)

    def test_uvs_are_found_by_their_type_whatever_they_are_called(self) -> None:
        with folder() as root:
            stage = self.stage(root / "u.usda")
            shape = self.triangle(stage, "/m")
            kind = Sdf.ValueTypeNames.TexCoord2fArray
            made = UsdGeom.PrimvarsAPI(shape).CreatePrimvar("lightPlan", kind, "vertex")
            made.Set([Gf.Vec2f(0, 0), Gf.Vec2f(1, 0), Gf.Vec2f(0, 1)])
            stage.Save()
            mesh = read_mesh(root / "u.usda")
        self.assertTrue(mesh.has_uv.all())

    def test_a_skinned_mesh_stands_in_its_bind_pose(self) -> None:
        # Source: UsdSkel: points are in the skeleton's space after the geometry's bind transform.
        with folder() as root:
            stage = self.stage(root / "s.usda")
            UsdSkel.Root.Define(stage, "/r")
            bones = UsdSkel.Skeleton.Define(stage, "/r/bones")
            bones.CreateJointsAttr(["hip"])
            bones.CreateBindTransformsAttr([Gf.Matrix4d(1)])
            bones.CreateRestTransformsAttr([Gf.Matrix4d(1)])
            shape = self.triangle(stage, "/r/body")
            UsdGeom.XformCommonAPI(shape).SetTranslate((7, 7, 7))
            binding = UsdSkel.BindingAPI.Apply(shape.GetPrim())
            binding.CreateSkeletonRel().SetTargets([bones.GetPath()])
            binding.CreateGeomBindTransformAttr(Gf.Matrix4d().SetTranslate((0, 2, 0)))
            binding.CreateJointIndicesPrimvar(False, 1).Set([0, 0, 0])
            binding.CreateJointWeightsPrimvar(False, 1).Set([1.0, 1.0, 1.0])
            stage.Save()
            mesh = read_mesh(root / "s.usda")
        np.testing.assert_allclose(
            np.sort(mesh.positions, axis=0),
            np.sort(TRIANGLE + np.array([0, 2, 0]), axis=0),
            atol=1e-6,
        )


class Scenes(TestCase):
    """Source: glTF 2.0, 3.5 (scenes and nodes) and 3.11 (animations)."""

    def test_nodes_and_all_else_that_a_file_brings_are_told(self) -> None:
        made = Gltf()
        meshes = one_triangle(made)
        meshes[0]["extras"] = {"targetNames": ["smile"]}
        meshes[0]["primitives"][0]["targets"] = [{"POSITION": 0}]
        times = made.accessor(np.array([0, 2.5], np.float32), "SCALAR", max=[2.5], min=[0])
        nodes = [
            {"name": "lamp", "children": [1, 2, 3]},
            {"name": "shade", "mesh": 0, "skin": 0},
            {"name": "arm", "children": []},
            {"name": "plug", "extras": {"socket": True}},
        ]
        with folder() as root:
            path = made.save(
                root / "lamp.gltf",
                meshes=meshes,
                nodes=nodes,
                scenes=[{"nodes": [0]}],
                skins=[{"joints": [2]}],
                animations=[
                    {
                        "name": "swing",
                        "samplers": [{"input": times, "output": times}],
                        "channels": [],
                    }
                ],
                extensionsUsed=["KHR_texture_transform", "ACME_grain"],
            )
            scene = read_scene(path, lambda part: None, "lamp.gltf")
        self.assertEqual(
            [(node.name, node.depth, node.kind) for node in scene.nodes],
            [
                ("lamp", 0, "group"),
                ("shade", 1, "mesh"),
                ("arm", 1, "joint"),
                ("plug", 1, "socket"),
            ],
        )
        said = "; ".join(scene.brings)
        for words in (
            "skeleton of 1 joint",
            "swing: an animation of 2.50 s",
            "1 morph target: smile",
            "extras",
            "ACME_grain",
        ):
            self.assertIn(words, said)
        self.assertNotIn("KHR_texture_transform", said)

    def test_usd_too(self) -> None:
        with folder() as root:
            stage = Usd.Stage.CreateNew(str(root / "s.usda"))
            UsdGeom.Xform.Define(stage, "/rig")
            UsdSkel.Skeleton.Define(stage, "/rig/bones").CreateJointsAttr(["a", "a/b"])
            UsdGeom.Camera.Define(stage, "/rig/eye")
            UsdGeom.Xform.Define(stage, "/rig/hook")
            stage.Save()
            scene = read_scene(root / "s.usda", lambda part: None, "s.usda")
        self.assertIn("a skeleton of 2 joints", scene.brings)
        kinds = {node.name: (node.depth, node.kind) for node in scene.nodes}
        self.assertEqual(kinds["rig"], (0, "group"))
        self.assertEqual(kinds["eye"], (1, "camera"))
        self.assertEqual(kinds["hook"], (1, "socket"))
