"""Derived materials, patterns, palettes, the probe and pictures."""

from __future__ import annotations

import json
from dataclasses import replace
from unittest import TestCase

import numpy as np
from pydantic import TypeAdapter

from ektopos.base.errors import MissingReference
from ektopos.checks import run_checks
from ektopos.document import MaterialEntry, UvTransform
from ektopos.edits import Edit, apply_edits
from ektopos.export.profile import find_profile
from ektopos.images import read_image
from ektopos.maps import set_of_each, sets_of
from ektopos.materials import MapLoader, probe, resolve_inheritance
from ektopos.materials.from_map_set import unused_of_set
from ektopos.materials.inheritance import Placement
from ektopos.materials.resolve import Decoded
from ektopos.project import open_project
from ektopos.rendering import LIGHTS, SurfaceInputs, frame_view, render, specimen
from tests.samples import folder, noise, project, project_folder, quads, save, save_glb

EDIT = TypeAdapter(Edit)


def edited(document, *edits: dict):
    return apply_edits(document, [EDIT.validate_python(edit) for edit in edits])


class Derived(TestCase):
    def test_pushing_up_gives_the_base_the_value_and_the_derived_one_inherits_it(self) -> None:
        with project() as opened:
            after = edited(
                opened.document, {"kind": "push-up", "material": "tile_dull", "input": "roughness"}
            )
        self.assertEqual(after.materials["tile_dull"].inputs, {})
        self.assertEqual(after.materials["tile"].inputs["roughness"].map, "tile_gloss")

    def test_detaching_changes_nothing_that_is_seen(self) -> None:
        with project() as opened:
            before = resolve_inheritance(opened.document, "tile_dull")
            after = resolve_inheritance(
                edited(opened.document, {"kind": "detach", "material": "tile_dull"}), "tile_dull"
            )
        self.assertEqual(
            (after.feeds, after.uv, after.alpha_mode), (before.feeds, before.uv, before.alpha_mode)
        )
        self.assertEqual(after.chain, ("tile_dull",))

    def test_a_pattern_keeps_the_wiring_and_takes_other_files(self) -> None:
        with project() as opened:
            maps = opened.document.maps
            for name in ("tile_col", "tile_orm", "tile_nrm"):
                maps[name.replace("tile", "wall")] = maps[name].model_copy(update={"set": "wall"})
            after = edited(
                opened.document, {"kind": "apply-pattern", "material": "tile", "set": "wall"}
            )
            made = after.materials["wall"]
            with self.assertRaises(MissingReference):
                edited(
                    opened.document, {"kind": "apply-pattern", "material": "plain", "set": "wall"}
                )
        self.assertEqual(
            (made.inputs["roughness"].map, made.inputs["roughness"].range), ("wall_orm", (0.1, 0.8))
        )
        self.assertEqual(
            (made.inputs["base_color"].map, made.uv),
            ("wall_col", opened.document.materials["tile"].uv),
        )
        self.assertNotIn("emission", made.inputs)

    def test_a_twin_states_only_what_the_other_set_feeds(self) -> None:
        with project() as opened:
            maps = opened.document.maps
            for name in ("tile_col", "tile_orm"):
                maps[name.replace("tile", "wall")] = maps[name].model_copy(update={"set": "wall"})
            twin = {"kind": "apply-pattern", "material": "tile", "set": "wall", "derived": True}
            after = edited(opened.document, twin)
        made = after.materials["wall"]
        self.assertEqual((made.base, made.uv, made.alpha_mode), ("tile", None, None))
        wired = {name: feed.map for name, feed in made.inputs.items()}
        self.assertEqual(
            wired,
            {
                "base_color": "wall_col",
                "metallic": "wall_orm",
                "roughness": "wall_orm",
                "occlusion": "wall_orm",
                "opacity": "wall_col",
            },
        )

    def test_a_pattern_inverts_where_the_other_set_has_gloss(self) -> None:
        with project() as opened:
            opened.document.maps["wall_gloss"] = opened.document.maps["tile_gloss"].model_copy(
                update={"set": "wall"}
            )
            after = edited(
                opened.document, {"kind": "apply-pattern", "material": "tile", "set": "wall"}
            )
        self.assertTrue(after.materials["wall"].inputs["roughness"].invert)


class Probing(TestCase):
    def test_every_number_is_followed_to_its_texel(self) -> None:
        with project() as opened:
            loader, document = MapLoader(opened), opened.document

            def find(name: str) -> Decoded:
                return Decoded(
                    loader.image(name), document.maps[name].encoding, document.maps[name].normal_y
                )

            material = resolve_inheritance(document, "tile")
            rows = {row.input: row for row in probe(document, material, [(0.5, 0.5)], find)}
        cos, sin = np.cos(0.3), np.sin(0.3)
        u, v = cos * 1.0 + sin * 1.5 + 0.25, -sin * 1.0 + cos * 1.5 + 0.5
        x, y = int(u % 1 * 64), int(v % 1 * 64)
        trace = rows["metallic"].traces[0]
        self.assertEqual((trace.map, trace.channels, trace.x, trace.y), ("tile_orm", "b", x, y))
        self.assertEqual(trace.stored, [float(c) for c in noise(64, 3)[y, x]])
        self.assertAlmostEqual(rows["metallic"].value[0], noise(64, 3)[y, x, 2] / 255, places=5)
        self.assertAlmostEqual(
            rows["roughness"].value[0], 0.1 + 0.7 * noise(64, 3)[y, x, 1] / 255, places=5
        )
        self.assertIn("range 0.1–0.8", rows["roughness"].changed)
        self.assertIn("from flat", rows["normal"].words)


class Palettes(TestCase):
    def test_linear_filtering_and_crossed_squares_are_found(self) -> None:
        with folder() as root:
            project_folder(root)
            squares = np.repeat(np.repeat(noise(4, 7), 4, 0), 4, 1)
            save(root / "maps/palette.png", squares)
            mesh = quads({"In": 1, "Over": 1}, uv_scale=0.2)
            mesh.uvs[4:] += 0.15
            save_glb(root / "meshes/plates.glb", mesh)
            path = root / "test.ektopos.json"
            document = json.loads(path.read_text())
            document["maps"] = {
                "palette": {
                    "file": "maps/palette.png",
                    "encoding": "srgb",
                    "roles": {"rgb": "base_color"},
                }
            }
            document["materials"] = {"flat": {"inputs": {"base_color": {"map": "palette"}}}}
            document["meshes"]["plates"]["slots"] = {"In": "flat", "Over": "flat"}
            path.write_text(json.dumps(document))
            with open_project(root) as opened:
                found = {(f.code, f.subject) for f in run_checks(opened, find_profile("gltf-glb"))}
        self.assertIn(("palette-filtered", "material flat"), found)
        self.assertIn(("palette-square-crossed", "mesh plates · Over"), found)
        self.assertNotIn(("palette-square-crossed", "mesh plates · In"), found)


class Pictures(TestCase):
    def plate(self, look: SurfaceInputs, light: str = "overcast") -> np.ndarray:
        mesh = quads({"A": 1})
        return render(mesh, {"A": look}, LIGHTS[light], frame_view(mesh, (0.0, 0.0, 1.0)), 32, 32)

    def test_equal_surfaces_give_equal_pictures_and_light_matters(self) -> None:
        look = SurfaceInputs({"base_color": np.full((1, 1, 3), 0.5, np.float32)})
        views = [
            render(specimen(), {"specimen": look}, LIGHTS[n], frame_view(specimen()), 48, 48)
            for n in ("rim", "rim", "overcast")
        ]
        np.testing.assert_array_equal(views[0], views[1])
        self.assertGreater(np.abs(views[2] - views[0]).mean(), 0.05)

    def test_cut_outs_show_the_backdrop_and_blends_mix_with_it(self) -> None:
        black, clear = np.zeros((1, 1, 3), np.float32), np.full((1, 1), 0.25, np.float32)
        cut = self.plate(SurfaceInputs({"base_color": black, "opacity": clear}, "mask", 0.5))
        np.testing.assert_allclose(cut, 0.18, atol=1e-5)
        solid = self.plate(SurfaceInputs({"base_color": black, "opacity": clear}))
        mixed = self.plate(SurfaceInputs({"base_color": black, "opacity": clear}, "blend"))
        np.testing.assert_allclose(mixed[16, 16], solid[16, 16] * 0.25 + 0.18 * 0.75, atol=1e-4)

    def test_a_face_seen_from_behind_vanishes_unless_double_sided(self) -> None:
        mesh = quads({"A": 1})
        for double, seen in ((False, False), (True, True)):
            look = SurfaceInputs(
                {"emission": np.full((1, 1, 3), 3.0, np.float32)}, double_sided=double
            )
            picture = render(
                mesh, {"A": look}, LIGHTS["rim"], frame_view(mesh, (0.0, 0.0, -1.0)), 16, 16
            )
            self.assertEqual(bool(picture.max() > 1), seen)

    def test_from_behind_the_whole_normal_is_turned(self) -> None:
        # Source: glTF 2.0, 3.9.4: of a double-sided material “the back-face MUST have its normals
        # reversed”. The same plate, wound the other way and with just these normals, looks alike.
        tilt = np.float32([0.3, 0.5, np.sqrt(1 - 0.34)])
        grey = {"base_color": np.full((1, 1, 3), 0.5, np.float32)}
        mesh = quads({"A": 1})
        behind = frame_view(mesh, (0.3, 0.2, -1.0))
        mapped = SurfaceInputs(grey | {"normal": tilt[None, None]}, double_sided=True)
        # Tangent x, bitangent y (v runs down, and the map's y up), normal z.
        turned = replace(
            mesh,
            triangles=mesh.triangles[:, ::-1].copy(),
            normals=np.tile(-tilt, (len(mesh.positions), 1)),
        )
        one = render(mesh, {"A": mapped}, LIGHTS["rim"], behind, 24, 24)
        other = render(turned, {"A": SurfaceInputs(grey)}, LIGHTS["rim"], behind, 24, 24)
        np.testing.assert_allclose(one, other, atol=2e-3)
        self.assertGreater(float(np.ptp(one)), 0.01)

    def test_nearest_filtering_keeps_squares_and_the_transform_moves_them(self) -> None:
        squares = np.array([[[1.0, 0, 0], [0, 1.0, 0]], [[0, 0, 1.0], [1.0, 1.0, 0]]], np.float32)
        look = SurfaceInputs(
            {"base_color": np.zeros((1, 1, 3), np.float32), "emission": squares}, filter="nearest"
        )
        picture = self.plate(look, "rim")
        for (x, y), wanted in {
            (9, 9): squares[0, 0],
            (22, 9): squares[0, 1],
            (9, 22): squares[1, 0],
            (22, 22): squares[1, 1],
        }.items():
            np.testing.assert_allclose(picture[y, x], wanted, atol=0.12)
        place = {"emission": Placement(UvTransform(offset=(0.5, 0.0)))}
        moved = self.plate(SurfaceInputs(look.inputs, filter="nearest", places=place), "rim")
        np.testing.assert_allclose(moved[9, 9], squares[0, 1], atol=0.12)

    def test_palettes_of_one_texel_are_read(self) -> None:
        with folder() as root:
            self.assertEqual(
                read_image(save(root / "p.png", np.array([[[1, 2, 3]]], np.uint8))).width, 1
            )


class UnusedOfASet(TestCase):
    def test_what_a_delivery_holds_besides_is_said_and_can_be_fed(self) -> None:
        with project() as opened:
            document = opened.document
            document.maps["tile_col"].set = document.maps["tile_orm"].set = "tile"
            document.maps["tile_gloss"].set = "tile"
            feed = {"map": "tile_col", "channels": "rgb"}
            plain = MaterialEntry.model_validate({"inputs": {"base_color": feed}})
            document.materials["plain"] = plain
            sets = sets_of(document)
            unused = {
                (one.map, one.channels): (one.role, one.input)
                for one in unused_of_set(
                    document, resolve_inheritance(document, "plain"), sets, set_of_each(sets)
                )
            }
            self.assertEqual(
                unused,
                {
                    ("tile_col", "a"): ("opacity", "opacity"),
                    ("tile_nrm", "rgb"): ("normal", "normal"),
                    ("tile_orm", "r"): ("occlusion", "occlusion"),
                    ("tile_orm", "g"): ("roughness", "roughness"),
                    ("tile_orm", "b"): ("metallic", "metallic"),
                    ("tile_gloss", "r"): ("gloss", "roughness"),
                },
            )
            gloss = unused_of_set(
                document, resolve_inheritance(document, "plain"), sets, set_of_each(sets)
            )[-1]
            self.assertTrue(gloss.feed and gloss.feed.invert)
            # What is fed already is only named.
            whole = {
                (one.map, one.channels): one.input
                for one in unused_of_set(
                    document, resolve_inheritance(document, "tile"), sets, set_of_each(sets)
                )
            }
            self.assertEqual(whole, {("tile_gloss", "r"): None})
