"""What each screen asks the API for: sheets, probe, pictures, geometry, conversion; and what is
refused there."""

from __future__ import annotations

import gzip
import json
import shutil
from unittest import mock

import cv2
import numpy as np
from django.db import connection
from django.test.utils import CaptureQueriesContext

from ektopos.materials import sheet
from ektopos.rendering.filtered import LIGHTS_KEY
from ektopos.rendering.lights import LIGHTS
from server.workshop.management.commands.workshop import Command
from server.workshop.models import MapFacts, Project
from tests.api.client import Api
from tests.samples import folder, noise, project_folder, quads, save, save_glb


def decoded(answer) -> np.ndarray:
    """A PNG answer's texels, RGB order."""
    pixels = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_UNCHANGED)
    return pixels if pixels.ndim == 2 else pixels[..., [2, 1, 0, *range(3, pixels.shape[2])]]


class Sheets(Api):
    def rows(self, project: dict, material: str) -> dict[str, dict]:
        sheet = self.call("get", f"/projects/{project['id']}/sheets/{material}")
        return {row["input"]: row for row in sheet["rows"]}

    def feed(
        self, project: dict, input_name: str, feed: dict | None, material: str = "tile"
    ) -> dict:
        return self.edit(
            project, {"kind": "set-feed", "material": material, "input": input_name, "feed": feed}
        )

    def test_the_sheet_names_chain_derived_slots_and_own_settings(self) -> None:
        project = self.sample()
        base = self.call("get", f"/projects/{project['id']}/sheets/tile")
        dull = self.call("get", f"/projects/{project['id']}/sheets/tile_dull")
        self.assertEqual((base["derived"], base["surface_tag"]), (["tile_dull"], "stone"))
        self.assertEqual(dull["chain"][-1], "tile")
        self.assertEqual((dull["own_settings"], dull["slots"]), ([], ["plates · Back"]))
        self.assertIn("alpha_mode", base["own_settings"])

    def test_a_range_that_cuts_texels_off_says_how_many(self) -> None:
        project = self.sample()
        self.assertEqual(self.rows(project, "tile")["roughness"]["gives"]["clipped"], 0)
        # Doubling cuts off all that lies above one half.
        changed = self.feed(
            project, "roughness", {"map": "tile_orm", "channels": "g", "multiply": 2.0}
        )
        clipped = self.rows(changed, "tile")["roughness"]["gives"]["clipped"]
        self.assertAlmostEqual(clipped, float((noise(64, 3)[..., 1] > 127).mean()), delta=0.02)

    def test_gloss_fed_as_roughness_is_suggested_with_the_evidence_and_never_changed(self) -> None:
        project = self.sample()
        self.assertEqual(self.rows(project, "tile_dull")["roughness"]["gives"]["suggestion"], "")
        straight = self.feed(
            project, "roughness", {"map": "tile_gloss", "channels": "r"}, "tile_dull"
        )
        row = self.rows(straight, "tile_dull")["roughness"]
        self.assertIn("gloss", row["gives"]["suggestion"])
        self.assertFalse(row["feed"]["invert"])

    def test_an_input_that_cannot_be_made_says_so_in_its_row_and_the_others_stay(self) -> None:
        project = self.sample()
        wrong = self.feed(project, "roughness", {"map": "tile_orm", "channels": "rgb"})
        rows = self.rows(wrong, "tile")
        self.assertIn("one channel", rows["roughness"]["problem"])
        self.assertIsNone(rows["metallic"]["problem"])
        self.assertIsNotNone(rows["metallic"]["gives"])

    def test_what_the_target_does_not_carry_is_said_at_the_row(self) -> None:
        project = self.feed(self.sample(), "clearcoat", {"map": "tile_orm", "channels": "g"})
        self.assertTrue(self.rows(project, "tile")["clearcoat"]["leaves"]["carried"])
        loose = self.edit(project, {"kind": "set-target", "target": "orm-y-minus"})
        self.assertFalse(
            self.rows(loose, "tile")["clearcoat"]["leaves"]["carried"],
            "no file of this target holds it",
        )
        number = self.feed(loose, "clearcoat", {"value": 0.8})
        self.assertTrue(
            self.rows(number, "tile")["clearcoat"]["leaves"]["carried"],
            "a number travels in the list",
        )

    def test_the_same_row_leaves_differently_for_every_target(self) -> None:
        project = self.sample()
        seen = {}
        for target in ("gltf-glb", "metal-smooth", "single-maps", "spec-gloss"):
            project = self.edit(project, {"kind": "set-target", "target": target})
            leaves = self.rows(project, "tile")["roughness"]["leaves"]
            seen[target] = (leaves["words"], leaves["channels"], leaves["quantity"])
        self.assertEqual(len(set(seen.values())), 4, seen)
        self.assertEqual(
            [held[1:] for held in seen.values()],
            [("g", ""), ("a", "smoothness"), ("r", ""), ("a", "gloss")],
        )

    def test_an_input_that_is_changed_is_the_only_one_that_is_counted_again(self) -> None:
        project = self.sample()
        entry = project["document"]["materials"]["tile"]
        self.call("post", f"/projects/{project['id']}/sheets/tile", {"entry": entry})
        entry["inputs"]["roughness"]["range"] = [0.2, 0.7]
        with mock.patch.object(sheet, "feed_preview", wraps=sheet.feed_preview) as counted:
            self.call("post", f"/projects/{project['id']}/sheets/tile", {"entry": entry})
        self.assertEqual([call.args[1] for call in counted.call_args_list], ["roughness"])

    def test_an_input_that_is_changed_asks_nothing_of_the_maps_again(self) -> None:
        project = self.sample()
        entry = project["document"]["materials"]["tile"]
        address = f"/projects/{project['id']}/sheets/tile"
        self.call("post", address, {"entry": entry})
        entry["inputs"]["roughness"]["range"] = [0.1, 0.5]
        with CaptureQueriesContext(connection) as asked:
            self.call("post", address, {"entry": entry})
        self.assertFalse([one["sql"] for one in asked if "mapfacts" in one["sql"]])

    def test_a_sheet_of_nothing_and_a_broken_base_are_said(self) -> None:
        project = self.sample()
        self.call("get", f"/projects/{project['id']}/sheets/gone", status=404)
        entry = {"from": "gone", "inputs": {}}
        self.call("post", f"/projects/{project['id']}/sheets/tile", {"entry": entry}, status=404)
        self.call(
            "post",
            f"/projects/{project['id']}/sheets/tile",
            {"entry": {"alpha_cutoff": "x"}},
            status=422,
        )


class Probing(Api):
    def test_every_input_is_traced_to_its_texel(self) -> None:
        project = self.sample()
        # The transform is glTF's: uv' = offset + rotate(rotation) · (tiling · uv). At uv (0, 0)
        # that is the offset.
        probed = {
            row["input"]: row
            for row in self.call("get", f"/projects/{project['id']}/probe/tile?u=0&v=0")
        }
        codes = noise(64, 3)[32, 16]
        self.assertIn(str(int(codes[2])), json.dumps(probed["metallic"]))
        self.assertAlmostEqual(probed["metallic"]["value"][0], codes[2] / 255, places=4)

    def test_a_constant_is_the_same_everywhere(self) -> None:
        project = self.sample()
        for point in ("u=0&v=0", "u=-3.7&v=12.2"):
            probed = {
                row["input"]: row
                for row in self.call("get", f"/projects/{project['id']}/probe/plain?{point}")
            }
            self.assertEqual(probed["roughness"]["value"], [0.35])


class Pictures(Api):
    def test_material_pictures_differ_where_surfaces_differ_and_are_kept(self) -> None:
        project = self.sample()
        stage = self.call("get", f"/projects/{project['id']}/stage")
        self.assertNotEqual(stage["tile"]["picture"], stage["plain"]["picture"])
        path = f"/api/material-pictures/{stage['plain']['picture']}/grey-room/48.png"
        first, again = self.client.get(path), self.client.get(path)
        self.assertEqual(first.content, again.content)
        self.assertEqual(decoded(first).shape[:2], (48, 48))
        other = self.client.get(
            f"/api/material-pictures/{stage['tile']['picture']}/grey-room/48.png"
        )
        self.assertGreater(
            np.abs(decoded(first).astype(int)[..., :3] - decoded(other)[..., :3]).max(), 10
        )

    def test_lights_come_filtered_for_pages_without_a_graphics_card(self) -> None:
        packed = self.client.get(
            f"/api/lights/{LIGHTS_KEY}.bin", headers={"Accept-Encoding": "gzip"}
        )
        self.assertLess(len(packed.content), 150_000)
        halves = np.frombuffer(gzip.decompress(packed.content), "<f2").reshape(len(LIGHTS), -1, 4)
        self.assertEqual(halves.shape[1], 6 * (64**2 + 32**2 + 16**2 + 8**2))
        for texels, light in zip(halves, LIGHTS.values(), strict=True):
            # The first face looks along x, its middle two rows and columns along it nearly.
            middle = texels[: 64**2].reshape(64, 64, 4)[31:33, 31:33].mean(axis=(0, 1))
            along = light.surroundings(np.array([[-1.0, 0.0, 0.0]]))[0]
            np.testing.assert_allclose(middle, [*along, 1.0], rtol=0.02)
        plain = self.client.get(f"/api/lights/{LIGHTS_KEY}.bin")
        self.assertEqual(plain.content, halves.tobytes())
        other = self.client.get("/api/lights/another.bin")
        self.assertEqual((other.status_code, b"Load the page again." in other.content), (404, True))

    def test_a_stage_at_a_checkpoint_is_as_it_was(self) -> None:
        project = self.sample()
        kept = self.call("post", f"/projects/{project['id']}/checkpoints", {"name": "before"})
        before = self.call("get", f"/projects/{project['id']}/stage")
        self.edit(
            kept,
            {"kind": "set-feed", "material": "plain", "input": "roughness", "feed": {"value": 0.9}},
        )
        point = kept["checkpoints"][0]["id"]
        self.assertEqual(
            self.call("get", f"/projects/{project['id']}/stage?checkpoint={point}"), before
        )
        self.assertNotEqual(self.call("get", f"/projects/{project['id']}/stage"), before)

    def test_a_stage_leaves_broken_materials_out_and_shows_the_rest(self) -> None:
        project = self.sample()
        broken = Project.objects.get(pk=project["id"])
        document = broken.document
        document.materials["tile"].base = "gone"
        broken.head.whole["document"] = document.model_dump(
            mode="json", by_alias=True, exclude_none=True
        )
        broken.head.epoch += 1
        broken.head.save()
        self.assertEqual(list(self.call("get", f"/projects/{project['id']}/stage")), ["plain"])

    def test_a_region_is_the_texels_at_full_size(self) -> None:
        self.sample()
        sha = MapFacts.objects.get(facts__header__channels=4).sha256
        region = decoded(self.client.get(f"/api/map-pictures/{sha}/rgb/at/8/16/12x10.png"))
        self.assertEqual(region.shape, (10, 12, 3))
        np.testing.assert_array_equal(region, noise(64, 2, 4)[16:26, 8:20, :3])

    def test_what_is_not_there_is_a_404_and_never_a_traceback(self) -> None:
        project = self.sample()
        sha = MapFacts.objects.get(facts__header__channels=4).sha256
        grey = MapFacts.objects.filter(facts__header__channels=1).first()
        for path in (
            f"/map-pictures/{'0' * 64}/rgb/64.png",
            "/map-pictures/..%2f..%2fetc/rgb/64.png",
            f"/map-pictures/{sha}/texel/64/0",
            f"/stage-pictures/{'0' * 64}/64.png",
            f"/material-pictures/{'0' * 64}/grey-room/64.png",
            f"/mesh-geometry/{'0' * 64}.glb",
            f"/projects/{project['id']}/maps/gone",
            f"/projects/{project['id']}/probe/gone?u=0&v=0",
            f"/projects/{project['id']}/stage?checkpoint=999",
            "/packages/999/report.html",
            "/packages/999/pictures/0-meant.png",
            "/jobs/00000000-0000-0000-0000-000000000000",
        ):
            with self.subTest(path):
                answer = self.client.get(f"/api{path}")
                self.assertIn(answer.status_code, (404, 422), answer.content[:200])
                self.assertNotIn(b"Traceback", answer.content)
        self.assertEqual(self.client.get(f"/api/map-pictures/{sha}/q/64.png").status_code, 422)
        self.assertIn(
            self.client.get(f"/api/map-pictures/{grey.sha256}/a/64.png").status_code, (404, 422)
        )


class MeshesAndFiles(Api):
    def test_a_mesh_lists_slots_faults_and_its_geometry(self) -> None:
        project = self.sample()
        (mesh,) = self.call("get", f"/projects/{project['id']}/meshes")
        self.assertEqual(
            [(s["name"], s["triangles"]) for s in mesh["slots"]],
            [("Front", 4), ("Back", 2), ("Bare", 2)],
        )
        self.assertEqual(mesh["assigned"], {"Front": "tile", "Back": "tile_dull", "Bare": "plain"})
        answer = self.call("get", f"/mesh-geometry/{mesh['key']}.glb")
        self.assertEqual(b"".join(answer.streaming_content)[:4], b"glTF")

    def test_what_is_here_already_need_not_be_sent(self) -> None:
        sent = self.upload("a.png", b"some content")
        known = self.call(
            "post", "/uploads/known", {"sha256": [sent["sha256"], "0" * 64, "../../etc/passwd"]}
        )
        self.assertEqual(known, [sent["sha256"]])

    def test_bringing_in_nothing_or_what_was_never_sent_is_refused(self) -> None:
        project = self.begin()
        self.call("post", f"/projects/{project['id']}/imports", {"files": []}, status=422)
        missing = {"path": "a.png", "sha256": "0" * 64}
        answer = self.call(
            "post", f"/projects/{project['id']}/imports", {"files": [missing]}, status=404
        )
        self.assertIn("a.png", json.dumps(answer))

    def test_odd_pictures_come_in_as_they_are(self) -> None:
        with folder() as root:
            files = {
                "odd/dot_rough.png": save(
                    root / "a.png", np.array([[[90]]], np.uint8)
                ).read_bytes(),
                "odd/wide_rough.png": save(root / "b.png", noise(64, 1, 1)[:3]).read_bytes(),
                "odd/deep_height.png": save(
                    root / "c.png", noise(32, 2, 1).astype(np.uint16) * 257
                ).read_bytes(),
                "odd/pair_mask.png": save(root / "d.png", noise(32, 3, 2)).read_bytes(),
            }
        project = self.begin()
        job = self.bring_in(project, files)
        self.assertEqual([entry.get("error") for entry in job["result"]["files"]], [None] * 4)
        board = {m["name"]: m for m in self.call("get", f"/projects/{project['id']}/maps")}
        self.assertEqual((board["dot_rough"]["width"], board["dot_rough"]["height"]), (1, 1))
        self.assertEqual((board["wide_rough"]["width"], board["wide_rough"]["height"]), (64, 3))
        self.assertEqual(board["deep_height"]["bits"], 16)
        self.assertEqual(board["pair_mask"]["channels"], 2)
        for entry in board.values():
            picture = self.client.get(f"/api/map-pictures/{entry['sha256']}/rgb/128.png")
            self.assertEqual(picture.status_code, 200, entry["name"])

    def test_projects_are_listed_and_deleted_with_all_they_have(self) -> None:
        project, other = self.sample(), self.begin("Other")
        listed = {row["name"]: row for row in self.call("get", "/projects")}
        self.assertEqual(
            (
                listed["Test plates"]["maps"],
                listed["Test plates"]["materials"],
                listed["Other"]["maps"],
            ),
            (5, 3, 0),
        )
        self.call("delete", f"/projects/{project['id']}", status=204)
        self.call("get", f"/projects/{project['id']}", status=404)
        self.assertEqual([row["id"] for row in self.call("get", "/projects")], [other["id"]])

    def test_the_interface_answers_every_address_but_those_of_the_api(self) -> None:
        self.assertEqual(self.client.get("/projects/x/maps").status_code, 200)
        self.assertEqual(self.client.get("/api/nowhere").status_code, 404)


class Converting(Api):
    def older(self) -> dict:
        """A project with a set of the older workflow: painted and bare metal halves, gloss in the
        specular map's alpha."""
        diffuse, specular = np.zeros((16, 16, 3), np.uint8), np.zeros((16, 16, 4), np.uint8)
        diffuse[:, :8], specular[:, :8] = (180, 60, 40), (56, 56, 56, 51)
        specular[:, 8:] = (230, 210, 170, 204)
        with folder() as root:
            files = {
                "maps/lamp_diffuse.png": save(root / "a.png", diffuse).read_bytes(),
                "maps/lamp_specular.png": save(root / "b.png", specular).read_bytes(),
            }
        project = self.begin()
        self.bring_in(project, files)
        project = self.call("get", f"/projects/{project['id']}")
        return self.edit(
            project,
            {
                "kind": "set-map",
                "maps": ["lamp_diffuse"],
                "roles": {"rgb": "base_color"},
                "encoding": "srgb",
                "set": "lamp",
            },
            {
                "kind": "set-map",
                "maps": ["lamp_specular"],
                "roles": {"rgb": "specular", "a": "gloss"},
                "encoding": "srgb",
                "set": "lamp",
            },
        )

    def test_a_set_is_converted_as_one_step_and_can_be_undone(self) -> None:
        project = self.older()
        job = self.call("post", f"/projects/{project['id']}/convert", {"set": "lamp"})
        ended = self.call("get", f"/jobs/{job['id']}")
        self.assertEqual(ended["state"], "done", ended["error"])
        after = self.call("get", f"/projects/{project['id']}")
        material = after["document"]["materials"][ended["result"]["material"]]
        self.assertEqual(set(material["inputs"]), {"base_color", "metallic", "roughness"})
        board = {m["name"]: m for m in self.call("get", f"/projects/{project['id']}/maps")}
        metal = decoded(
            self.client.get(f"/api/map-pictures/{board['lamp_Metallic']['sha256']}/r/16.png")
        )
        rough = decoded(
            self.client.get(f"/api/map-pictures/{board['lamp_Roughness']['sha256']}/r/16.png")
        )
        metal, rough = (p if p.ndim == 2 else p[..., 0] for p in (metal, rough))
        self.assertLess(metal[8, 3], 12)  # 0.04 reflectance: no metal
        self.assertGreater(metal[8, 12], 240)  # black diffuse, bright specular: metal
        self.assertEqual((int(rough[8, 3]), int(rough[8, 12])), (204, 51))  # 1 − gloss
        back = self.call("post", f"/projects/{project['id']}/undo", {"revision": after["revision"]})
        self.assertEqual(back["document"], project["document"])

    def test_a_conversion_is_shown_before_it_is_made(self) -> None:
        project = self.older()
        seen = self.call("get", f"/projects/{project['id']}/conversions/lamp")
        self.assertEqual(
            [part["name"] for part in seen["before"]], ["diffuse", "specular", "gloss"]
        )
        after = {part["name"]: part for part in seen["after"]}
        self.assertLess(after["metallic"]["low"], 0.05)
        self.assertGreater(after["metallic"]["high"], 0.94)
        self.assertTrue(
            all(
                part["picture"].startswith("data:image/png;base64,")
                for part in [*seen["before"], *seen["after"]]
            )
        )
        # Grey specular of what is no metal, and coloured specular of what is: both are kept.
        self.assertLess(seen["way_back"]["diffuse"][1], 3.0)
        self.assertEqual(
            self.call("get", f"/projects/{project['id']}")["revision"],
            project["revision"],
            "nothing was saved",
        )
        self.call("get", f"/projects/{project['id']}/conversions/none", status=422)

    def test_a_set_without_specular_is_refused_in_words(self) -> None:
        project = self.sample()
        job = self.call("post", f"/projects/{project['id']}/convert", {"set": "tile"})
        ended = self.call("get", f"/jobs/{job['id']}")
        self.assertEqual(ended["state"], "failed")
        self.assertIn("specular", ended["error"]["message"])
        self.assertEqual(
            self.call("get", f"/projects/{project['id']}")["document"], project["document"]
        )


class Sample(Api):
    def test_the_sample_is_opened_once_however_often_the_demo_starts(self) -> None:
        with folder() as root:
            project_folder(root)
            save_glb(root / "meshes/extra.glb", quads({"A": 1}))
            made = root / "data" / "sample"
            made.mkdir(parents=True)
            shutil.copytree(root / "meshes", made / "meshes")
            shutil.copytree(root / "maps", made / "maps")
            shutil.copy(root / "test.ektopos.json", made)
            (made / ".done").touch()
            one, two = (Command()._sample(root / "data") for _ in (1, 2))
        self.assertEqual(one.pk, two.pk)
        self.assertEqual(len(self.call("get", "/projects")), 1)
