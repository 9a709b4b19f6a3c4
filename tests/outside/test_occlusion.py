"""Baked occlusion against view factors in closed form."""

from __future__ import annotations

import json
import subprocess
import sys
from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh
from PIL import Image as Pillow

from ektopos.base.errors import EktoposError
from ektopos.document.mesh_steps import PackUvs
from ektopos.meshes import Mesh, apply_recipe, read_mesh
from ektopos.meshes.bake import bake_occlusion
from tests.samples import folder, quads, save_glb


def floor_and_wall(height: float, length: float = 400.0) -> Mesh:
    """A floor one metre wide, seen whole in 0–1, and a wall along its left edge that is as good as
    endless."""
    mesh = quads({"Floor": 1, "Wall": 1})
    half = length / 2
    floor = [(0, 0, 0.01), (1, 0, 0.01), (1, 0, -0.01), (0, 0, -0.01)]
    wall = [(0, 0, half), (0, 0, -half), (0, height, -half), (0, height, half)]
    positions = np.array([*floor, *wall], np.float64)
    normals = np.repeat(np.array([[0, 1, 0], [1, 0, 0]], np.float32), 4, axis=0)
    return replace(mesh, positions=positions, normals=normals)


class Occlusion(TestCase):
    def test_a_wall_hides_as_much_of_the_sky_as_its_view_factor_says(self) -> None:
        """View factor from a point to an endless strip at right angles: (1 − d / √(d² + h²)) / 2.

        Source: Howell, “A Catalog of Radiation Heat Transfer Configuration Factors”, B-5 (from
        memory).
        """
        for height in (0.25, 1.0, 4.0):
            baked = bake_occlusion(floor_and_wall(height), ["Floor"], 64, samples=256, padding=0)
            d = (np.arange(64) + 0.5) / 64
            wanted = 1 - (1 - d / np.sqrt(d**2 + height**2)) / 2
            np.testing.assert_allclose(baked.mean(axis=0), wanted, atol=0.012)

    def test_what_is_convex_is_open_and_what_is_shut_in_is_dark(self) -> None:
        with folder() as root:
            for name, shape in {
                "out": trimesh.creation.icosphere(subdivisions=3),
                "box": trimesh.creation.box((1, 1, 1)),
            }.items():
                (root / f"{name}.ply").write_bytes(shape.export(file_type="ply"))
            ball = apply_recipe(
                read_mesh(root / "out.ply"), [PackUvs(kind="pack-uvs", slots=["slot_0"], anew=True)]
            )
            box = apply_recipe(
                read_mesh(root / "box.ply"), [PackUvs(kind="pack-uvs", slots=["slot_0"], anew=True)]
            )
        self.assertGreater(
            float(bake_occlusion(ball, ["slot_0"], 128).min()),
            0.9,
            "a ball hides nothing but by its flat faces",
        )
        inside_out = replace(box, triangles=box.triangles[:, ::-1].copy())
        covered = bake_occlusion(inside_out, ["slot_0"], 64, padding=0)
        self.assertLess(float(np.sort(covered.reshape(-1))[: covered.size // 4].max()), 0.01)

    def test_shade_ends_at_the_reach(self) -> None:
        mesh = floor_and_wall(4.0)
        near = bake_occlusion(mesh, ["Floor"], 64, samples=128, reach=0.25, padding=0).mean(axis=0)
        self.assertLess(near[0], 0.6)
        self.assertGreater(near[-1], 0.99)

    def test_padding_repeats_the_nearest_texel_and_the_rest_is_open(self) -> None:
        mesh = floor_and_wall(1.0)
        uvs = mesh.uvs * 0.5 + 0.25
        baked = bake_occlusion(replace(mesh, uvs=uvs), ["Floor"], 64, padding=4)
        self.assertLess(baked[32, 13], 0.7, "three texels left of the island")
        self.assertEqual(baked[32, 8], 1.0)
        self.assertEqual(baked[2, 2], 1.0)

    def test_the_same_mesh_gives_the_same_picture(self) -> None:
        first, second = (bake_occlusion(floor_and_wall(1.0), ["Floor"], 32) for _ in range(2))
        np.testing.assert_array_equal(first, second)

    def test_without_uvs_it_says_so(self) -> None:
        mesh = floor_and_wall(1.0)
        with self.assertRaises(EktoposError):
            bake_occlusion(replace(mesh, uvs=np.full_like(mesh.uvs, np.nan)), ["Floor"], 32)

    def test_small_things_far_from_the_origin_bake_as_they_do_at_it(self) -> None:
        # A 10 cm prop five metres away, and a whole scene a kilometre off, moved by what floats in
        # single precision cannot follow.
        near = floor_and_wall(1.0, length=40.0)
        wanted = bake_occlusion(near, ["Floor"], 32, samples=64, padding=0)
        for scale, away in ((0.1, 5.0), (0.001, 5.0), (1.0, 1e5), (100.0, 0.0)):
            moved = replace(near, positions=near.positions * scale + away)
            with self.subTest(scale=scale, away=away):
                baked = bake_occlusion(moved, ["Floor"], 32, samples=64, padding=0)
                np.testing.assert_allclose(baked, wanted, atol=0.02)

    def test_the_command_bakes_one_map_for_each_layout(self) -> None:
        # Slots whose islands keep clear of each other share a map; those on the same place do not.
        mesh = quads({"Left": 1, "Right": 1, "Again": 1})
        uvs = mesh.uvs.copy()
        for slot, x in (("Left", 0.0), ("Right", 0.5), ("Again", 0.0)):
            own = mesh.vertex_slot == mesh.slots.index(slot)
            uvs[own, 0] = x + uvs[own, 0] * 0.45
        with folder() as root:
            path = save_glb(root / "m.glb", replace(mesh, uvs=uvs))
            command = [sys.executable, "-m", "ektopos", "occlusion", "--mesh", str(path)]
            command += ["--out", str(root / "out"), "--size", "64", "--json"]
            ran = subprocess.run(command, capture_output=True, text=True, check=False)
            self.assertEqual(ran.returncode, 0, ran.stderr)
            found = {entry["slot"]: entry for entry in json.loads(ran.stdout)}
            self.assertEqual(found["Left"]["path"], found["Right"]["path"])
            self.assertNotEqual(found["Left"]["path"], found["Again"]["path"])
            for entry in found.values():
                with Pillow.open(root / "out" / entry["path"]) as baked:
                    self.assertEqual(baked.size, (entry["width"], entry["height"]))
            command[command.index("64")] = "0"
            self.assertEqual(
                subprocess.run(command, capture_output=True, check=False).returncode, 2
            )
