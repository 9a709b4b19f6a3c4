"""UDIM tiles: common practice, 1001 + u + 10 v for the square at (u, v), v up."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from ektopos.checks import run_checks
from ektopos.document import Document, MapEntry, MeshEntry
from ektopos.document.mesh_steps import SplitSlot
from ektopos.edits import apply_edits
from ektopos.edits.materials import MakeFromSet
from ektopos.edits.meshes import Assign
from ektopos.export.profile import find_profile
from ektopos.maps.sets import maps_of_set, tiles_among
from ektopos.matching import Candidate, proposals, tile_in_set
from ektopos.meshes import Mesh, apply_recipe, slot_facts
from ektopos.project import OpenProject
from tests.samples import folder, quads, save_glb

ROLES = {"BaseColor": "base_color", "Normal": "normal"}


def hero() -> Document:
    maps = {
        f"hero_{tile}_{word}": MapEntry(
            file=f"maps/hero_{tile}_{word}.png",
            roles={"rgb": role},
            encoding="srgb" if role == "base_color" else "linear",
        )
        for tile in (1001, 1002, 1011)
        for word, role in ROLES.items()
    }
    return Document(maps=maps, meshes={"m": MeshEntry(file="m.glb", slots={"Body": None})})


def body(*squares: tuple[int, int]) -> Mesh:
    """A quad for each square, u and v up, on one slot."""
    mesh = quads({"Body": len(squares)})
    shift = np.repeat(np.array(squares, np.float32) * [1, -1], 4, axis=0)
    return replace(mesh, uvs=(mesh.uvs + shift).astype(np.float32))


class Tiles(TestCase):
    def test_one_set_and_a_material_of_each_tile(self) -> None:
        document = hero()
        self.assertEqual(tiles_among(document, maps_of_set(document, "hero")), [1001, 1002, 1011])
        made = apply_edits(document, [MakeFromSet(set="hero"), MakeFromSet(set="hero", tile=1002)])
        fed = {name: entry.inputs["normal"].map for name, entry in made.materials.items()}
        self.assertEqual(fed, {"hero": "hero_1001_Normal", "hero_1002": "hero_1002_Normal"})

    def test_a_slot_is_split_by_the_tiles_it_lies_on(self) -> None:
        mesh = body((1, 0), (0, 0), (0, 1))
        (facts,) = slot_facts(mesh)
        self.assertEqual(facts.uv.tiles, (1001, 1002, 1011))
        parts = apply_recipe(mesh, [SplitSlot(kind="split-slot", slot="Body", by="tile")])
        self.assertEqual(
            {one.name: (one.triangles, one.uv.tiles) for one in slot_facts(parts)},
            {"Body": (2, ()), "Body_1002": (2, (1002,)), "Body_1011": (2, (1011,))},
        )

    def test_a_map_that_repeats_lies_on_no_tile(self) -> None:
        self.assertEqual(slot_facts(quads({"Wall": 1}, uv_scale=3.0))[0].uv.tiles, ())

    def test_proposed_is_the_material_of_the_tile_or_nothing(self) -> None:
        document = apply_edits(hero(), [MakeFromSet(set="hero", tile=1002)])
        ranked = {"Body": [Candidate("hero", 0.95, ["reason"], sure=True)]}

        def proposed(*tiles: int) -> list[tuple[str | None, int | None]]:
            found = proposals(document, "m", ranked, {"Body": tiles})
            return [(one.material, one.tile) for one in found]

        self.assertEqual(proposed(1002), [("hero_1002", 1002)])
        self.assertEqual(proposed(1011), [(None, 1011)])
        self.assertEqual(proposed(), [(None, 1001)])
        self.assertEqual(proposed(1001, 1002), [])
        self.assertEqual(tile_in_set(Document(), "none", (1002,)), None)

    def test_a_slot_on_other_tiles_than_its_maps_is_found(self) -> None:
        document = apply_edits(
            hero(),
            [MakeFromSet(set="hero"), Assign(mesh="m", slots=["Body"], material="hero")],
        )
        with folder() as root:
            for squares, expected in ((((0, 0),), 0), (((1, 0),), 1), (((0, 0), (1, 0)), 1)):
                path = save_glb(root / f"{len(squares)}{squares[0][0]}.glb", body(*squares))
                opened = OpenProject(
                    document, lambda file, path=path: path if file == "m.glb" else None
                )
                codes = [one.code for one in run_checks(opened, find_profile("gltf-glb"))]
                self.assertEqual(codes.count("other-tile"), expected, squares)
