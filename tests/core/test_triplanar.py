"""Pictures thrown from three sides, masks of faces and vertex colours in UVs: against places and
values that follow from the geometry."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh

from ektopos.base.errors import EktoposError
from ektopos.base.vectors import decode_normals
from ektopos.document.mesh_steps import PackUvs
from ektopos.materials.triplanar import ThreeSides, project_triplanar
from ektopos.meshes import Mesh, apply_recipe, read_mesh
from ektopos.meshes.texels import paint_colours, paint_faces, slot_texels
from tests.samples import folder, noise, normals_of, quads

SIDE = 64


def unwrapped(shape: trimesh.Trimesh) -> Mesh:
    """A mesh by trimesh, with UVs that lie nowhere over each other."""
    with folder() as root:
        shape.export(root / "shape.glb")
        mesh = read_mesh(root / "shape.glb")
    step = PackUvs(kind="pack-uvs", slots=list(mesh.slots), anew=True, texels=256, gap=4)
    return apply_recipe(mesh, [step])


def stacked_box() -> Mesh:
    """A box of six quads whose UVs all fill the square."""
    flat = quads({"A": 6})
    size = 4
    around = np.array([[-0.5, -0.5], [0.5, -0.5], [0.5, 0.5], [-0.5, 0.5]])
    turns = (
        np.eye(3),
        np.diag([-1.0, 1.0, -1.0]),
        np.array([[0.0, 0, 1], [0, 1, 0], [-1, 0, 0]]),
        np.array([[0.0, 0, -1], [0, 1, 0], [1, 0, 0]]),
        np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]),
        np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]]),
    )
    corners = np.column_stack([around, np.full(size, 0.5)])
    positions = np.concatenate([corners @ turn.T for turn in turns])
    normals = np.concatenate([np.tile(turn[:, 2], (size, 1)) for turn in turns])
    return replace(flat, positions=positions, normals=normals.astype(np.float32))


def wave(side: int = SIDE) -> np.ndarray:
    y, x = np.mgrid[:side, :side] * 2 * np.pi / side
    return np.asarray(0.5 + 0.3 * np.sin(x) * np.cos(y), np.float32)


class Thrown(TestCase):
    def test_weights_are_a_whole_and_offset_leaves_one_side(self) -> None:
        normals = np.random.default_rng(1).normal(size=(500, 3))
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        for sides in (ThreeSides(), ThreeSides(hardness=1), ThreeSides(hardness=16, offset=0.5)):
            np.testing.assert_allclose(sides.weights(normals).sum(axis=1), 1.0, atol=1e-9)
        near = np.array([[0.1, 0.2, np.sqrt(1 - 0.05)]])
        self.assertEqual(ThreeSides(offset=0.3).weights(near).tolist(), [[0.0, 0.0, 1.0]])

    def test_each_face_of_a_box_shows_the_picture_upright(self) -> None:
        # Seen from outside, a picture's u runs to the right and its v down, on every face. What is
        # right and up on a face is worked out here from where one looks from.
        mesh = unwrapped(trimesh.creation.box((1.0, 1.0, 1.0)))
        ramp = np.zeros((SIDE, SIDE, 3), np.float32)
        ramp[..., 0] = (np.arange(SIDE) + 0.5) / SIDE
        ramp[..., 1] = ((np.arange(SIDE) + 0.5) / SIDE)[:, None]
        size = 256
        made = project_triplanar(
            mesh, list(mesh.slots), {"base_color": ramp}, ThreeSides(2.0), size
        )
        texels = slot_texels(mesh, list(mesh.slots), size)
        places = texels.of_vertices(mesh, mesh.positions)
        corners = mesh.corners()[texels.triangles]
        normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        normals = np.rint(normals / np.linalg.norm(normals, axis=1, keepdims=True))
        seen = made["base_color"].reshape(-1, 3)[texels.cells]
        inside = np.abs(places).min(axis=1) > 0  # any
        for normal in np.unique(normals, axis=0):
            up = np.array([0.0, 1, 0]) if normal[1] == 0 else np.array([0.0, 0, -normal[1]])
            right = np.cross(up, normal)
            those = (normals == normal).all(axis=1) & inside
            u, v = places[those] @ right / 2 % 1, -(places[those] @ up) / 2 % 1
            # Away from the picture's border, where the ramp starts again.
            clear = (np.abs(u - 0.5) < 0.45) & (np.abs(v - 0.5) < 0.45)
            self.assertGreater(clear.sum(), 100)
            np.testing.assert_allclose(seen[those][clear, 0], u[clear], atol=0.02)
            np.testing.assert_allclose(seen[those][clear, 1], v[clear], atol=0.02)

    def test_flat_normals_stay_flat_on_a_ball(self) -> None:
        mesh = unwrapped(trimesh.creation.icosphere(3, 0.5))
        flat = np.zeros((4, 4, 3), np.float32) + np.float32([0, 0, 1])
        made = project_triplanar(mesh, list(mesh.slots), {"normal": flat}, ThreeSides(), 256)[
            "normal"
        ]
        texels = slot_texels(mesh, list(mesh.slots), 256)
        self.assertGreater(float(made.reshape(-1, 3)[texels.cells, 2].min()), 0.999)

    def test_where_uvs_lie_as_the_projection_the_normals_are_the_picture_s(self) -> None:
        mesh = quads({"A": 1})
        low = mesh.positions.min(axis=0)
        uvs = mesh.positions[:, :2] - low[:2]
        uvs[:, 1] = 1 - uvs[:, 1]
        mesh = replace(mesh, uvs=uvs.astype(np.float32))
        source = decode_normals(normals_of(wave(), 8.0) / np.float32(255), "+")
        made = project_triplanar(mesh, ["A"], {"normal": source}, ThreeSides(1.0), SIDE, padding=0)[
            "normal"
        ]
        moved = np.roll(made, (round(low[1] * -SIDE), round(low[0] * SIDE)), (0, 1))
        self.assertLess(np.abs(moved - source).max(), 0.02)

    def test_stacked_faces_are_refused_until_they_are_unwrapped(self) -> None:
        """A box whose six faces share the whole square: each texel would be a mean of six."""
        mesh = stacked_box()
        picture = np.random.default_rng(3).random((8, 8, 3)).astype(np.float32)
        with self.assertRaisesRegex(EktoposError, "overlap"):
            project_triplanar(mesh, ["A"], {"base_color": picture}, ThreeSides(1.0), 128)
        apart = apply_recipe(
            mesh, [PackUvs(kind="pack-uvs", slots=["A"], anew=True, texels=256, gap=4)]
        )
        made = project_triplanar(apart, ["A"], {"base_color": picture}, ThreeSides(1.0), 256)[
            "base_color"
        ]
        texels = slot_texels(apart, ["A"], 256)
        places = texels.of_vertices(apart, apart.positions)
        # On the front, looked at from +z, a picture's u is x and its v is −y.
        front = places[:, 2] > places[:, 2].max() - 1e-6
        u, v = places[front, 0] % 1, -places[front, 1] % 1
        column, row = (np.minimum((part * 8).astype(int), 7) for part in (u, v))
        middle = (np.abs(u * 8 % 1 - 0.5) < 0.1) & (np.abs(v * 8 % 1 - 0.5) < 0.1)
        seen = made.reshape(-1, 3)[texels.cells[front]][middle]
        self.assertGreater(len(seen), 30)
        np.testing.assert_allclose(seen, picture[row[middle], column[middle]], atol=0.15)

    def test_no_uvs_is_said(self) -> None:
        mesh = quads({"A": 1})
        bare = replace(mesh, uvs=np.full_like(mesh.uvs, np.nan))
        with self.assertRaisesRegex(EktoposError, "no UVs"):
            project_triplanar(bare, ["A"], {"roughness": wave()}, ThreeSides(), 64)


class Painted(TestCase):
    def test_a_mask_of_faces(self) -> None:
        mesh = unwrapped(trimesh.creation.box((1.0, 1.0, 1.0)))
        mask = paint_faces(mesh, list(mesh.slots), np.array([0, 1]), 128, padding=0)
        texels = slot_texels(mesh, list(mesh.slots), 128)
        inside = np.isin(texels.triangles, [0, 1])
        alone = np.bincount(texels.cells, minlength=128**2) == 1
        values = mask.reshape(-1)[texels.cells]
        self.assertEqual(set(values[inside & alone[texels.cells]].tolist()), {1.0})
        self.assertEqual(set(values[~inside & alone[texels.cells]].tolist()), {0.0})

    def test_masks_and_colours_on_shared_texels_are_refused(self) -> None:
        mesh = stacked_box()
        with self.assertRaisesRegex(EktoposError, "100% of the texels of those that you picked"):
            paint_faces(mesh, ["A"], np.array([0, 1]), 64)
        self.assertEqual(float(paint_faces(mesh, ["A"], np.arange(12), 64).min()), 1.0)
        colours = np.ones((len(mesh.positions), 4), np.float32)
        self.assertEqual(paint_colours(replace(mesh, colours=colours), ["A"], 32).min(), 1.0)
        colours[:4, 0] = 0.0
        with self.assertRaisesRegex(EktoposError, "different colours"):
            paint_colours(replace(mesh, colours=colours), ["A"], 32)

    def test_vertex_colours_are_interpolated(self) -> None:
        mesh = quads({"A": 1})
        colours = np.ones((len(mesh.positions), 4), np.float32)
        colours[:, :2] = mesh.uvs
        made = paint_colours(replace(mesh, colours=colours), ["A"], 32)
        centres = (np.arange(32) + 0.5) / 32
        np.testing.assert_allclose(made[..., 0], np.tile(centres, (32, 1)), atol=1e-5)
        np.testing.assert_allclose(made[..., 1], np.tile(centres[:, None], (1, 32)), atol=1e-5)
        self.assertEqual(set(made[..., 3].ravel().tolist()), {1.0})
        with self.assertRaisesRegex(EktoposError, "no vertex colours"):
            paint_colours(mesh, ["A"], 32)

    def test_noise_keeps_its_values(self) -> None:
        mesh = quads({"A": 1})
        picture = noise(32, 3).astype(np.float32) / 255
        made = project_triplanar(
            mesh, ["A"], {"base_color": picture}, ThreeSides(1.0), 32, padding=0
        )
        self.assertAlmostEqual(float(made["base_color"].mean()), float(picture.mean()), delta=0.01)
