"""What a mesh file brings with it: exported here, read back as maps and materials, and exported
once more to the same."""

from __future__ import annotations

from pathlib import PurePosixPath
from unittest import TestCase

import numpy as np

from ektopos.document import Document
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.images import read_image
from ektopos.material_import import Carried, carried_by, map_entries
from ektopos.materials import MapLoader, resolve_inheritance
from ektopos.materials.resolve import resolve_feed
from ektopos.project import OpenProject
from tests.samples import folder, project, quads, save_glb


def stem(file: str) -> str:
    return PurePosixPath(file).stem


class InsideGlb(TestCase):
    def test_a_glb_of_ours_gives_back_the_materials_it_was_made_from(self) -> None:
        with project() as opened, folder() as root:
            export_package(opened, find_profile("gltf-glb"), root / "out")
            found = carried_by(root / "out/plates.glb", lambda part: None, "plates.glb", stem)
            self.assertEqual(set(found.materials), {"tile", "tile_dull", "plain"})
            for one in found.maps:
                (root / one.name).write_bytes(one.content)
            entries = map_entries(found, {one.name: one.name for one in found.maps}, "inside")
            document = Document(maps=entries, materials=found.materials)
            again, before = (
                MapLoader(OpenProject(document, lambda file: root / file)),
                MapLoader(opened),
            )
            for name in found.materials:
                meant, came = (
                    resolve_inheritance(opened.document, name),
                    resolve_inheritance(document, name),
                )
                self.assertEqual(
                    (came.alpha_mode, came.double_sided, came.uv, came.filter, came.surface_tag),
                    (
                        meant.alpha_mode,
                        meant.double_sided,
                        meant.uv,
                        meant.filter,
                        meant.surface_tag,
                    ),
                )
                for part in (
                    "base_color",
                    "metallic",
                    "roughness",
                    "normal",
                    "occlusion",
                    "emission",
                ):
                    one, two = (
                        resolve_feed(l, m.feeds[part], part)
                        for l, m in ((before, meant), (again, came))
                    )
                    with self.subTest(name, part=part):
                        np.testing.assert_allclose(two, np.broadcast_to(one, two.shape), atol=0.02)

    def test_roles_and_encodings_are_those_of_their_use(self) -> None:
        with project() as opened, folder() as root:
            export_package(opened, find_profile("gltf-glb"), root / "out")
            found = carried_by(root / "out/plates.glb", lambda part: None, "x.glb", stem)
            maps = {one.name: one for one in found.maps}
            self.assertEqual(
                maps["tile_ORM.png"].roles, {"r": "occlusion", "g": "roughness", "b": "metallic"}
            )
            self.assertEqual(
                (maps["tile_BaseColor.png"].encoding, maps["tile_ORM.png"].encoding),
                ("srgb", "linear"),
            )
            (root / "n.png").write_bytes(maps["tile_Normal.png"].content)
            self.assertEqual(read_image(root / "n.png").width, 64)

    def test_files_without_anything_inside_bring_nothing(self) -> None:
        with folder() as root:
            path = save_glb(root / "m.glb", quads({"A": 1}))
            self.assertEqual(carried_by(path, lambda part: None, "m.glb", stem).maps, [])
            self.assertEqual(
                set(carried_by(path, lambda part: None, "m.glb", stem).materials), {"A"}
            )
            self.assertEqual(
                carried_by(path, lambda part: None, "m.obj", stem), Carried(file="m.obj")
            )
