"""Meshes: reading, slots and faults, on meshes built to have so many of each."""

from __future__ import annotations

import base64
import json
import struct
from collections import Counter
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np

from ektopos.base.errors import UnreadableFile
from ektopos.meshes import Mesh, find_faults, read_mesh, slot_facts
from tests.samples import folder, quads, save_glb

CUBE = """o cube
v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nv 1 1 1\nv 0 1 1
vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1
usemtl Side
f 1/1 4/2 3/3 2/4\nf 5/1 6/2 7/3 8/4\nf 1/1 2/2 6/3 5/4\nf 2/1 3/2 7/3 6/4\nf 3/1 4/2 8/3 7/4
usemtl Lid
f -8/1 -4/2 -1/3 -5/4
"""


def cube(root: Path, text: str = CUBE) -> Mesh:
    (root / "cube.obj").write_text(text)
    return read_mesh(root / "cube.obj")


def faults(mesh: Mesh) -> dict[str, int]:
    found = Counter()
    for fault in find_faults(mesh):
        found[fault.code] += fault.count
    return dict(found)


def gltf_file(root: Path, gltf: dict, content: bytes) -> Path:
    uri = "data:application/octet-stream;base64," + base64.b64encode(content).decode()
    full = {
        "asset": {"version": "2.0"},
        "buffers": [{"uri": uri, "byteLength": len(content)}],
    } | gltf
    (root / "m.gltf").write_text(json.dumps(full))
    return root / "m.gltf"


class Reading(TestCase):
    def test_obj_polygons_negative_indices_and_turned_v(self) -> None:
        with folder() as root:
            mesh = cube(root)
        self.assertEqual((mesh.slots, len(mesh.triangles)), (("Side", "Lid"), 12))
        facts = {slot.name: slot for slot in slot_facts(mesh)}
        self.assertAlmostEqual(facts["Side"].area, 5.0)
        self.assertAlmostEqual(facts["Lid"].share, 1 / 6)
        self.assertEqual(mesh.uvs[0].tolist(), [0.0, 1.0])

    def test_sparse_accessors_and_normalised_integers(self) -> None:
        """Source: glTF 2.0, 3.6.2.3 (sparse accessors) and 3.11 (normalised integers)."""
        positions = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4").tobytes()
        uvs = np.array([[0, 0], [65535, 0], [0, 65535]], "<u2").tobytes()
        index, value = struct.pack("<HH", 2, 0), np.array([[0, 3, 0]], "<f4").tobytes()
        parts = [positions, uvs, index, value]
        starts = np.cumsum([0, *map(len, parts)])
        views = [
            {"buffer": 0, "byteOffset": int(s), "byteLength": len(p)}
            for s, p in zip(starts, parts, strict=False)
        ]
        sparse = {
            "count": 1,
            "indices": {"bufferView": 2, "componentType": 5123},
            "values": {"bufferView": 3},
        }
        gltf = {
            "bufferViews": views,
            "accessors": [
                {
                    "bufferView": 0,
                    "componentType": 5126,
                    "count": 3,
                    "type": "VEC3",
                    "sparse": sparse,
                },
                {
                    "bufferView": 1,
                    "componentType": 5123,
                    "normalized": True,
                    "count": 3,
                    "type": "VEC2",
                },
            ],
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}}]}],
            "nodes": [
                {"mesh": 0, "scale": [2, 2, 2]},
                {"mesh": 0, "scale": [-1, 1, 1], "translation": [9, 0, 0]},
            ],
            "scenes": [{"nodes": [0, 1]}],
        }
        with folder() as root:
            mesh = read_mesh(gltf_file(root, gltf, b"".join(parts)))
        self.assertEqual(len(mesh.triangles), 2)
        self.assertEqual(mesh.positions[:, 1].max(), 6.0)
        self.assertEqual(mesh.uvs.max(), 1.0)
        first, second = mesh.corners()
        for triangle in (first, second):
            normal = np.cross(triangle[1] - triangle[0], triangle[2] - triangle[0])
            self.assertGreater(normal[2], 0, "a mirrored instance keeps its front")
        self.assertEqual(faults(mesh)["negative-scale"], 1)
        self.assertEqual(mesh.slots, ("slot_0",))

    def test_damage_and_strange_formats_are_said(self) -> None:
        with folder() as root:
            good = save_glb(root / "good.glb", quads({"A": 1})).read_bytes()
            cases = {
                "cut.glb": good[:-40],
                "text.gltf": b"hello",
                "m.fbx": b"x",
                "none.obj": b"# nothing\n",
                "f.obj": b"v 0 0 0\nf 1 2 3\n",
            }
            for name, content in cases.items():
                (root / name).write_bytes(content)
                with self.subTest(name), self.assertRaises(UnreadableFile) as caught:
                    read_mesh(root / name)
                self.assertEqual(caught.exception.subject, name)

    def test_references_never_leave_the_folder(self) -> None:
        with folder() as root:
            (root / "secret.bin").write_bytes(b"\0" * 36)
            (root / "in").mkdir()
            gltf = {
                "asset": {"version": "2.0"},
                "buffers": [{"uri": "../secret.bin", "byteLength": 36}],
            }
            (root / "in/m.gltf").write_text(json.dumps(gltf))
            with self.assertRaises(UnreadableFile):
                read_mesh(root / "in/m.gltf")


class Slots(TestCase):
    def test_what_is_written_is_what_is_read(self) -> None:
        with folder() as root:
            mesh = read_mesh(save_glb(root / "m.glb", quads({"A": 3, "B": 1}, uv_scale=2.0)))
        a, b = slot_facts(mesh)
        self.assertEqual((a.triangles, b.triangles, a.share), (6, 2, 0.75))
        self.assertAlmostEqual(a.area, 3.0)
        self.assertAlmostEqual(b.density or 0, 2.0)
        self.assertFalse(b.uv.inside)
        self.assertEqual(a.uv.overlap, 1.0)
        self.assertAlmostEqual(b.uv.l2, 1.0)

    def test_a_mirrored_layout_is_flipped(self) -> None:
        mesh = quads({"A": 1})
        self.assertEqual(slot_facts(mesh)[0].uv.flipped, 0.0)
        turned = replace(mesh, uvs=mesh.uvs * [-1, 1] + [1, 0])
        self.assertEqual(slot_facts(turned)[0].uv.flipped, 1.0)


class Faults(TestCase):
    def test_a_sound_cube_has_none(self) -> None:
        with folder() as root:
            found = faults(cube(root))
        self.assertEqual(set(found), {"missing-normals"})

    def test_reversed_faces_of_a_closed_shell_are_counted(self) -> None:
        with folder() as root:
            found = faults(cube(root, CUBE.replace("f 1/1 4/2 3/3 2/4", "f 2/4 3/3 4/2 1/1")))
        self.assertEqual(found["reversed-faces"], 2)

    def test_what_cannot_be_seen_from_behind_is_not_reversed(self) -> None:
        # The same cube inside out within a larger one: nobody sees its backs.
        small = "\n".join(
            "v " + " ".join(str(0.25 + 0.5 * float(x)) for x in line.split()[1:])
            for line in CUBE.splitlines()
            if line.startswith("v ")
        )
        count = sum(line.startswith("v ") for line in CUBE.splitlines())
        outer = CUBE.replace("f -8/1 -4/2 -1/3 -5/4", "f 1/1 5/2 8/3 4/4")
        faces = [line.split()[1:] for line in outer.splitlines() if line.startswith("f ")]
        inner = "\n".join(
            "f "
            + " ".join(
                f"{int(c.partition('/')[0]) + count}/{c.partition('/')[2]}" for c in reversed(face)
            )
            for face in faces
        )
        with folder() as root:
            self.assertNotIn("reversed-faces", faults(cube(root, f"{outer}\n{small}\n{inner}\n")))

    def test_coincident_degenerate_open_and_loose(self) -> None:
        text = CUBE + "f -8/1 -4/2 -1/3 -5/4\nf 1/1 1/1 2/2\nv 5 5 5\n"
        with folder() as root:
            found = faults(cube(root, text))
        self.assertEqual(
            (found["coincident-faces"], found["degenerate-faces"], found["loose-vertices"]),
            (2, 1, 1),
        )
        with folder() as root:
            found = faults(cube(root, CUBE.replace("f 5/1 6/2 7/3 8/4\n", "")))
        self.assertEqual(found["open-edges"], 4)

    def test_missing_uvs_colours_and_empty_slots(self) -> None:
        mesh = quads({"A": 2, "Empty": 0})
        uvs = mesh.uvs.copy()
        uvs[:4] = np.nan
        colours = np.where(np.arange(8)[:, None] < 3, np.ones((8, 4), np.float32), np.nan)
        long = np.arange(8) < 5
        found = faults(replace(mesh, uvs=uvs, colours=colours, unnormalised=long))
        self.assertEqual(
            (found["missing-uvs"], found["vertex-colours"], found["unnormalised-normals"]),
            (2, 3, 5),
        )
        self.assertEqual(found["empty-slot"], 1)


class Obj(TestCase):
    PLACES = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvn 0 0 1\n"

    def read(self, text: str) -> Mesh:
        with folder() as root:
            return cube(root, text)

    def test_every_way_to_write_a_corner_gives_the_same_faces(self) -> None:
        """Source: the OBJ format's vertex references v, v/vt, v//vn and v/vt/vn, in one file also
        mixed."""
        ways = {
            "v": "f 1 2 3 4",
            "v/vt": "f 1/1 2/2 3/3 4/4",
            "v//vn": "f 1//1 2//1 3//1 4//1",
            "v/vt/vn": "f 1/1/1 2/2/1 3/3/1 4/4/1",
            "mixed": "f 1/1/1 2 3//1 4/4",
            "negative": "f -4/-4/-1 -3/-3/-1 -2/-2/-1 -1/-1/-1",
            "tabs": "\tf\t1/1\t2/2\t3/3\t4/4",
            "continued": "f 1/1 2/2 \\\n 3/3 4/4",
        }
        for way, face in ways.items():
            with self.subTest(way):
                mesh = self.read(self.PLACES + face + "\n")
                self.assertEqual((len(mesh.triangles), len(mesh.positions)), (2, 4))
                self.assertAlmostEqual(mesh.areas().sum(), 1.0)
                self.assertEqual(
                    bool(mesh.has_uv.all()),
                    way in ("v/vt", "v/vt/vn", "negative", "tabs", "continued"),
                )
                self.assertEqual(
                    bool(mesh.has_normal.all()), way in ("v//vn", "v/vt/vn", "negative")
                )

    def test_negative_numbers_count_back_from_where_they_stand(self) -> None:
        text = "v 0 0 0\nv 1 0 0\nv 1 1 0\nf -3 -2 -1\nv 5 0 0\nv 6 0 0\nv 6 1 0\nf -3 -2 -1\n"
        mesh = self.read(text)
        self.assertEqual(sorted(mesh.positions[mesh.triangles[1], 0].tolist()), [5, 6, 6])

    def test_what_points_nowhere_is_refused(self) -> None:
        for face in (
            "f 1 2 9",
            "f 1 2 -9",
            "f 1/9 2/1 3/1",
            "f 1//2 2//1 3//1",
            "f a b c",
            "f /1 2/2 3/3",
        ):
            with self.subTest(face), self.assertRaises(UnreadableFile):
                self.read(self.PLACES + face + "\n")
        for line in ("v 0 0 x", "v 0", "vt u v"):
            with self.subTest(line), self.assertRaises(UnreadableFile):
                self.read(self.PLACES + line + "\nf 1 2 3\n")

    def test_vertices_that_carry_colours_are_told(self) -> None:
        mesh = self.read("v 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 1 1 0\nf 1 2 3\n")
        self.assertEqual(faults(mesh)["vertex-colours"], 2)
