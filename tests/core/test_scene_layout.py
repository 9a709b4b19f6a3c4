"""The project's scene: where things stand, how it is changed, and how it leaves."""

from __future__ import annotations

import json
from itertools import pairwise
from pathlib import Path
from unittest import TestCase

import numpy as np
from trimesh.transformations import euler_matrix

from ektopos.base.errors import EktoposError
from ektopos.cli.main import main
from ektopos.document import Document, Ground, MapEntry, MeshEntry, Scene, SceneItem, load_document
from ektopos.document.scene_layout import matrices, side_by_side, standing
from ektopos.edits import (
    Edit,
    KeepView,
    MoveItem,
    RemoveMaps,
    RemoveMaterial,
    RemoveMesh,
    RenameItem,
    RenameMaterial,
    SetGround,
    SetPanorama,
    SetSun,
    Stand,
    TakeAway,
    apply_edits,
    collisions,
)
from tests.samples import folder, project_folder

SIZES = {"a": (2.0, 1.0, 1.0), "b": (1.0, 1.0, 4.0), "c": (0.5, 0.5, 0.5)}


def document(**scene: object) -> Document:
    meshes = {name: MeshEntry(file=f"meshes/{name}.glb") for name in SIZES}
    return Document(meshes=meshes, scene=Scene.model_validate(scene))


def spans(items: dict[str, SceneItem]) -> list[tuple[float, float]]:
    return [
        (item.position[0] - SIZES[item.mesh][0] / 2, item.position[0] + SIZES[item.mesh][0] / 2)
        for item in items.values()
    ]


class SideBySide(TestCase):
    def test_nothing_overlaps_and_the_whole_is_in_the_middle(self) -> None:
        placed = side_by_side(["a", "b", "c"], SIZES)
        found = spans(placed)
        self.assertEqual(list(placed), ["a", "b", "c"])
        for (_, right), (left, _) in pairwise(found):
            self.assertGreater(left, right)
        self.assertAlmostEqual(found[0][0], -found[-1][1], places=2)
        self.assertEqual({item.position[1:] for item in placed.values()}, {(0.0, 0.0)})

    def test_more_stand_right_of_what_is_there_under_other_names(self) -> None:
        scene = Scene(items={"b": SceneItem(mesh="b", rotation=(0, 90, 0), repeat=(3, 1))})
        placed = side_by_side(["b", "c"], SIZES, scene)
        self.assertNotIn("b", placed)
        self.assertEqual([item.mesh for item in placed.values()], ["b", "c"])
        # Turned by a quarter, the three reach as far as two steps and half its depth.
        self.assertGreater(spans(placed)[0][0], 2.0 + 2.0)

    def test_without_a_scene_all_meshes_stand_side_by_side(self) -> None:
        self.assertEqual(list(standing(document(), SIZES)), ["a", "b", "c"])
        items = {"one": {"mesh": "c"}}
        self.assertEqual(list(standing(document(items=items), SIZES)), ["one"])


class Placed(TestCase):
    def test_turns_as_another_library_turns(self) -> None:
        # Source: trimesh.transformations; `ryxz` is about y, then the turned x, then the turned z.
        rng = np.random.default_rng(4)
        for _ in range(20):
            turn = rng.uniform(-180, 180, 3)
            item = SceneItem(mesh="a", rotation=tuple(turn), scale=2.0)
            (found,) = matrices(item, (0.0, 0.0, 0.0))
            x, y, z = np.radians(turn)
            np.testing.assert_allclose(
                found[:3, :3], 2.0 * euler_matrix(y, x, z, "ryxz")[:3, :3], atol=1e-12
            )

    def test_the_middle_of_the_underside_stands_at_the_place(self) -> None:
        item = SceneItem(
            mesh="a",
            position=(3, 1, -2),
            rotation=(10, 70, -30),
            scale=0.5,
            repeat=(2, 3),
            every=(4, 5),
        )
        under = (0.4, -0.7, 0.2)
        found = [matrix @ np.array([*under, 1.0]) for matrix in matrices(item, under)]
        wanted = [(3 + 4 * c, 1, -2 + 5 * r, 1) for r in range(3) for c in range(2)]
        np.testing.assert_allclose(found, wanted, atol=1e-12)


class Edits(TestCase):
    def test_each_does_what_it_says(self) -> None:
        begun = apply_edits(document(), [Stand(items={"one": SceneItem(mesh="a")})])
        edits: list[Edit] = [
            MoveItem(item="one", change={"position": (1, 0, 2), "repeat": (2, 2)}),
            RenameItem(item="one", name="two"),
            SetGround(change={"size": 8}),
            SetSun(change={}),
            SetSun(change={"height": 70}),
            KeepView(name="door", view={"position": (1, 2, 3), "target": (0, 0, 0)}),
        ]
        scene = apply_edits(begun, edits).scene
        self.assertEqual(list(scene.items), ["two"])
        self.assertEqual(scene.items["two"].position, (1.0, 0.0, 2.0))
        self.assertEqual(scene.items["two"].scale, 1.0)
        self.assertEqual(
            (scene.ground and scene.ground.size, scene.sun and scene.sun.height), (8, 70)
        )
        self.assertEqual(scene.views["door"].position, (1.0, 2.0, 3.0))
        emptied = apply_edits(
            Document(meshes=begun.meshes, scene=scene),
            [
                TakeAway(items=["two"]),
                SetGround(change=None),
                SetSun(change=None),
                KeepView(name="door", view=None),
            ],
        )
        self.assertEqual(emptied.scene, Scene())
        self.assertEqual(begun.scene.items["one"], SceneItem(mesh="a"), "the first is as it was")

    def test_what_cannot_be_is_refused(self) -> None:
        begun = document(items={"one": {"mesh": "a"}, "two": {"mesh": "b"}})
        for wrong in (
            Stand(items={"one": SceneItem(mesh="a")}),
            Stand(items={"three": SceneItem(mesh="gone")}),
            MoveItem(item="gone", change={"scale": 2}),
            MoveItem(item="one", change={"scale": 0}),
            MoveItem(item="one", change={"position": (0, float("nan"), 0)}),
            MoveItem(item="one", change={"repeat": (51, 1)}),
            MoveItem(item="one", change={"mesh": "gone"}),
            RenameItem(item="one", name="two"),
            TakeAway(items=["one", "gone"]),
            SetGround(change={"material": "gone"}),
            SetGround(change={"size": -1}),
            SetSun(change={"height": 91}),
            KeepView(name="gone", view=None),
            SetPanorama(map="gone"),
        ):
            with self.subTest(wrong), self.assertRaises(EktoposError):
                apply_edits(begun, [wrong])

    def test_two_hands_on_other_parts_do_not_collide(self) -> None:
        before = document(items={"one": {"mesh": "a"}, "two": {"mesh": "b"}}, sun={})
        after = apply_edits(
            before,
            [
                MoveItem(item="one", change={"position": (1, 0, 0)}),
                SetSun(change={"turn": 10}),
            ],
        )
        for edit, words in (
            (MoveItem(item="two", change={"position": (2, 0, 0)}), []),
            (MoveItem(item="one", change={"scale": 2}), []),
            (MoveItem(item="one", change={"position": (2, 0, 0)}), ["position of one"]),
            (SetSun(change={"height": 20}), []),
            (SetPanorama(map=None), []),
            (SetSun(change={"turn": 20}), ["turn of the sun"]),
            (SetSun(change=None), ["turn of the sun"]),
            (TakeAway(items=["one"]), ["one in the scene"]),
        ):
            with self.subTest(edit):
                self.assertEqual(collisions([edit], before, after), words)

    def test_a_panorama_lights_it_as_long_as_its_map_is_there(self) -> None:
        before = document()
        before.maps["sky"] = MapEntry(file="maps/sky.hdr")
        lit = apply_edits(before, [SetPanorama(map="sky")])
        self.assertEqual(lit.scene.panorama, "sky")
        self.assertEqual(
            collisions([SetPanorama(map="sky")], before, lit), ["panorama of the scene"]
        )
        with self.assertRaisesRegex(EktoposError, "lights the scene"):
            apply_edits(lit, [RemoveMaps(maps=["sky"])])
        without = apply_edits(lit, [RemoveMaps(maps=["sky"], with_feeds=True)])
        self.assertIsNone(without.scene.panorama)

    def test_meshes_and_materials_that_go_or_are_renamed(self) -> None:
        raw = {
            "ektopos": 1,
            "materials": {"moss": {}, "iron": {}},
            "meshes": {"a": {"file": "a.glb"}, "b": {"file": "b.glb"}},
            "scene": {
                "items": {"one": {"mesh": "a"}, "two": {"mesh": "b"}},
                "ground": {"material": "moss"},
            },
        }
        begun = load_document(json.dumps(raw))
        renamed = apply_edits(begun, [RenameMaterial(material="moss", name="lichen")])
        self.assertEqual(renamed.scene.ground, Ground(material="lichen"))
        gone = apply_edits(begun, [RemoveMesh(mesh="a"), RemoveMaterial(material="moss")])
        self.assertEqual(list(gone.scene.items), ["two"])
        self.assertEqual(gone.scene.ground, Ground())


class CommandLine(TestCase):
    def ran(self, *words: object) -> tuple[int, object]:
        import contextlib
        import io

        out = io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(io.StringIO()):
            try:
                code = main([str(word) for word in words])
            except SystemExit as ended:
                code = int(ended.code or 0)
        return code, json.loads(out.getvalue())

    def test_the_scene_leaves_as_one_file(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            code, told = self.ran("scene", root / "p", "--out", root / "out/all.glb", "--json")
            self.assertEqual(code, 0, told)
            self.assertEqual(told["bytes"], Path(root / "out/all.glb").stat().st_size)
            self.assertEqual((told["items"], told["placements"]), (1, 1))

    def test_bad_input_is_said(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            for words in (
                ("scene", root / "p", "--out", root / "all.obj", "--json"),
                ("scene", root / "gone", "--out", root / "all.glb", "--json"),
                ("scene", root / "p", "--out", root / "all.glb", "--size", "0", "--json"),
            ):
                code, told = self.ran(*words)
                self.assertEqual(code, 2, words)
                self.assertIn("message", told["error"])
