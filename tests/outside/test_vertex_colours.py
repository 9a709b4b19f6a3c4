"""Vertex colours as `trimesh` and `usd-core` write them."""

from __future__ import annotations

from unittest import TestCase

import colour
import numpy as np
import trimesh

from ektopos.meshes import read_mesh
from tests.samples import folder

CORNERS = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]], float)
FACES = np.array([[0, 2, 1], [0, 1, 3], [1, 2, 3], [0, 3, 2]])
TINTS = np.array([[255, 0, 0, 255], [0, 128, 0, 255], [0, 0, 64, 255], [10, 20, 30, 40]], np.uint8)


def by_corner(mesh) -> dict[tuple, np.ndarray]:
    """The colour of every point, by where it lies."""
    return {tuple(np.round(p, 5)): c for p, c in zip(mesh.positions, mesh.colours, strict=True)}


class AsTrimeshWritesThem(TestCase):
    def test_in_every_format_that_has_them(self) -> None:
        solid = trimesh.Trimesh(CORNERS, FACES, vertex_colors=TINTS, process=False)
        with folder() as root:
            for suffix in ("ply", "glb", "obj"):
                with self.subTest(suffix):
                    solid.export(str(root / f"solid.{suffix}"))
                    mesh = read_mesh(root / f"solid.{suffix}")
                    self.assertTrue(mesh.coloured.all())
                    found = by_corner(mesh)
                    for place, tint in zip(CORNERS, TINTS / 255, strict=True):
                        # glTF 2.0, 3.7.2.1: COLOR_0 is linear. Of the others nothing says so, and
                        # they are taken as they are seen (common practice); OBJ has no alpha.
                        linear = tint[:3] if suffix == "glb" else colour.eotf(tint[:3], "sRGB")
                        wanted = [*linear, 1.0 if suffix == "obj" else tint[3]]
                        np.testing.assert_allclose(found[tuple(place)], wanted, atol=1e-5)

    def test_meshes_without_have_none(self) -> None:
        with folder() as root:
            trimesh.Trimesh(CORNERS, FACES, process=False).export(str(root / "bare.ply"))
            self.assertFalse(read_mesh(root / "bare.ply").coloured.any())


class AsUsdHasThem(TestCase):
    """Source: UsdGeomGprim, `displayColor`: of vertices it varies over the mesh, constant it is how
    the mesh is shown."""

    def test_of_vertices_of_corners_and_of_the_whole(self) -> None:
        from pxr import Gf, Sdf, Usd, UsdGeom

        for interpolation, amount in (("vertex", 4), ("faceVarying", 12), ("constant", 1)):
            with self.subTest(interpolation), folder() as root:
                stage = Usd.Stage.CreateNew(str(root / "m.usda"))
                UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
                UsdGeom.SetStageMetersPerUnit(stage, 1.0)
                made = UsdGeom.Mesh.Define(stage, Sdf.Path("/m"))
                made.GetPointsAttr().Set([Gf.Vec3f(*map(float, p)) for p in CORNERS])
                made.GetFaceVertexCountsAttr().Set([3] * 4)
                made.GetFaceVertexIndicesAttr().Set(FACES.reshape(-1).tolist())
                tints = TINTS[:, :3] / 255
                chosen = (
                    tints
                    if amount == 4
                    else tints[FACES.reshape(-1)]
                    if amount == 12
                    else tints[:1]
                )
                primvar = made.CreateDisplayColorPrimvar(interpolation)
                primvar.Set([Gf.Vec3f(*map(float, c)) for c in chosen])
                stage.Save()
                mesh = read_mesh(root / "m.usda")
                self.assertEqual(bool(mesh.coloured.all()), amount > 1)
                if amount > 1:
                    for place, tint in zip(CORNERS, tints, strict=True):
                        np.testing.assert_allclose(
                            by_corner(mesh)[tuple(place)][:3], tint, atol=1e-6
                        )
