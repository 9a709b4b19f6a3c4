"""Files that come back changed: offered in the place of what they are a version of, and nothing is
lost or changed before they are taken."""

from __future__ import annotations

import json

import cv2
import numpy as np
from django.test import override_settings

from server.workshop.retention import collect
from server.workshop.store import content_path
from tests.api.client import Api
from tests.core.test_renew import panels, renamed
from tests.samples import folder, noise, save, save_glb


def png(pixels: np.ndarray) -> bytes:
    with folder() as root:
        return save(root / "a.png", pixels).read_bytes()


class Waiting(Api):
    def waiting(self, project: dict) -> list[dict]:
        return self.call("get", f"/projects/{project['id']}/offers")

    def now(self, project: dict) -> dict:
        return self.call("get", f"/projects/{project['id']}")

    def decide(self, project: dict, what: str, *ids: int) -> dict:
        body = {"revision": self.now(project)["revision"], "ids": list(ids), "what": what}
        return self.call("post", f"/projects/{project['id']}/offers", body)

    def repainted(self, project: dict, path: str = "tile_col.png") -> dict:
        pixels = noise(64, 77, 4)
        pixels[..., 3] = 255
        self.bring_in(project, {path: png(pixels)})
        (offer,) = self.waiting(project)
        return offer

    def sha_of(self, project: dict, name: str) -> str:
        board = self.call("get", f"/projects/{project['id']}/maps")
        return next(row["sha256"] for row in board if row["name"] == name)


class Offers(Waiting):
    def test_a_repainted_map_waits_is_taken_and_taken_back(self) -> None:
        project = self.sample()
        before, old = self.now(project)["document"], self.sha_of(project, "tile_col")
        offer = self.repainted(project)
        self.assertEqual((offer["name"], offer["before"]["sha256"]), ("tile_col", old))
        self.assertEqual(self.now(project)["document"], before)
        self.assertEqual(self.sha_of(project, "tile_col"), old)

        taken = self.decide(project, "take", offer["id"])
        self.assertEqual(taken["document"], before)
        self.assertEqual(self.sha_of(project, "tile_col"), offer["after"]["sha256"])
        self.assertEqual(self.waiting(project), [])
        self.call("post", f"/projects/{project['id']}/undo", {"revision": taken["revision"]})
        self.assertEqual(self.sha_of(project, "tile_col"), old)

    def test_where_it_is_otherwise_is_seen(self) -> None:
        project = self.sample()
        old = self.sha_of(project, "tile_gloss")
        with folder() as root:
            pixels = cv2.imread(str(content_path(old)), cv2.IMREAD_UNCHANGED)
            pixels[16:32, 8:40] = 65535 - pixels[16:32, 8:40]
            again = save(root / "tile_gloss.png", pixels).read_bytes()
        self.bring_in(project, {"tile_gloss.png": again})
        (offer,) = self.waiting(project)
        new = offer["after"]["sha256"]
        answer = self.call("get", f"/map-differences/{old}/{new}/64.png")
        shown = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_UNCHANGED)
        self.assertEqual(shown.shape[:2], (64, 64))
        self.assertEqual(int(shown.max()), 255)
        there = np.zeros((64, 64), bool)
        there[16:32, 8:40] = True
        self.assertEqual(int(shown[~there].max()), 0)
        same = self.call("get", f"/map-differences/{old}/{old}/64.png").content
        self.assertEqual(int(cv2.imdecode(np.frombuffer(same, np.uint8), 0).max()), 0)
        other = self.sha_of(project, "tile_col")
        self.call("get", f"/map-differences/{old}/{other}/64.png")
        self.call("get", f"/map-differences/{old}/{'0' * 64}/64.png", status=404)

    def test_what_it_feeds_what_leaves_and_what_is_found_then_is_said_before(self) -> None:
        project = self.sample()
        offer = self.repainted(project)
        effect = self.call("get", f"/projects/{project['id']}/offers/{offer['id']}/effect")
        self.assertEqual(
            effect["feeds"], ["base colour of tile", "opacity of tile"], effect["feeds"]
        )
        self.assertEqual(effect["leaving"], ["plates.glb (tile_BaseColor.png)"])
        self.assertGreater(effect["changed"], 0.9)
        # A picture of 60 × 64 texels is no power of two: that is found then.
        self.bring_in(project, {"tile_col.png": png(noise(64, 3, 4)[:60])})
        (offer,) = self.waiting(project)
        effect = self.call("get", f"/projects/{project['id']}/offers/{offer['id']}/effect")
        self.assertIn("not-power-of-two", [finding["code"] for finding in effect["come"]])
        self.decide(project, "take", offer["id"])
        found = self.call("get", f"/projects/{project['id']}/checks")
        self.assertIn(
            "map tile_col", [f["subject"] for f in found if f["code"] == "not-power-of-two"]
        )

    def test_the_same_content_is_no_other_version(self) -> None:
        project = self.sample()
        content = content_path(self.sha_of(project, "tile_col")).read_bytes()
        job = self.bring_in(project, {"tile_col.png": content})
        self.assertIn("unchanged", job["result"]["files"][0]["outcome"])
        self.assertEqual(self.waiting(project), [])
        self.assertNotIn("tile_col_2", self.now(project)["document"]["maps"])

    def test_another_kind_of_file_takes_the_place_of_the_old(self) -> None:
        project = self.sample()
        _, content = cv2.imencode(".tiff", noise(64, 8))
        self.bring_in(project, {"tile_orm.tif": content.tobytes()})
        (offer,) = self.waiting(project)
        taken = self.decide(project, "take", offer["id"])
        entry = taken["document"]["maps"]["tile_orm"]
        self.assertEqual(entry["file"], "maps/tile_orm.tif")
        self.assertEqual(entry["roles"], {"r": "occlusion", "g": "roughness", "b": "metallic"})

    def test_where_two_have_the_name_it_comes_in_as_a_new_one(self) -> None:
        project = self.begin()
        self.bring_in(
            project,
            {"lamp/BaseColor.png": png(noise(32, 1)), "crate/BaseColor.png": png(noise(32, 2))},
        )
        self.bring_in(project, {"BaseColor.png": png(noise(32, 3))})
        self.assertEqual(self.waiting(project), [])
        self.assertEqual(len(self.now(project)["document"]["maps"]), 3)
        # With its folder it is told.
        self.bring_in(project, {"crate/BaseColor.png": png(noise(32, 4))})
        self.assertEqual(
            [offer["path"] for offer in self.waiting(project)], ["crate/BaseColor.png"]
        )

    def test_of_another_folder_it_is_another_map(self) -> None:
        project = self.begin()
        self.bring_in(project, {"lamp/BaseColor.png": png(noise(32, 1))})
        self.bring_in(project, {"crate/BaseColor.png": png(noise(32, 2))})
        self.assertEqual(self.waiting(project), [])
        self.assertEqual(len(self.now(project)["document"]["maps"]), 2)

    def test_both_are_kept_or_the_new_one_is_left(self) -> None:
        project = self.sample()
        both = self.decide(project, "keep-both", self.repainted(project)["id"])
        self.assertIn("tile_col_2", both["document"]["maps"])
        self.assertEqual(both["document"]["materials"], self.now(project)["document"]["materials"])
        project = self.sample()
        before = self.now(project)
        left = self.decide(project, "leave", self.repainted(project)["id"])
        self.assertEqual(left["revision"], before["revision"])
        self.assertEqual(self.waiting(project), [])

    @override_settings(GRACE_HOURS=-1)
    def test_the_collector_leaves_what_waits(self) -> None:
        offer = self.repainted(self.sample())
        collect()
        self.assertTrue(content_path(offer["after"]["sha256"]).is_file())

    def test_one_that_was_decided_meanwhile_says_so(self) -> None:
        project = self.sample()
        offer = self.repainted(project)
        self.decide(project, "leave", offer["id"])
        body = {
            "revision": self.now(project)["revision"],
            "ids": [offer["id"]],
            "what": "take",
        }
        refused = self.call("post", f"/projects/{project['id']}/offers", body, 404)
        self.assertIn("not waiting any more", refused["message"])


class Meshes(Waiting):
    def test_a_mesh_that_comes_back_keeps_materials_names_steps_and_done_marks(self) -> None:
        with folder() as root:
            first = panels({"Hull": 2, "Keel": 1})
            save_glb(root / "meshes/boat.glb", first)
            again = renamed(panels({"Hull": 4, "Keel": 1, "Rudder": 1}), Hull="Hull.001")
            wood = {"inputs": {"base_color": {"value": [0.4, 0.3, 0.2]}}}
            document = {
                "ektopos": 1,
                "materials": {"wood": wood, "lead": wood},
                "meshes": {
                    "boat": {
                        "file": "meshes/boat.glb",
                        "slots": {"Body": "wood", "Keel": "lead"},
                        "done": ["Keel"],
                        "recipe": [{"kind": "rename-slot", "slot": "Hull", "name": "Body"}],
                    }
                },
            }
            (root / "p.ektopos.json").write_text(json.dumps(document))
            project = self.import_folder(root)
            # Three strips instead of two: only where it is tells the hull.
            content = save_glb(root / "again/boat.glb", again).read_bytes()
        self.bring_in(project, {"boat.glb": content})
        (offer,) = self.waiting(project)
        effect = self.call("get", f"/projects/{project['id']}/offers/{offer['id']}/effect")
        self.assertIn("Rudder is new", effect["notes"])
        taken = self.decide(project, "take", offer["id"])
        boat = taken["document"]["meshes"]["boat"]
        self.assertEqual(boat["slots"].get("Keel"), "lead")
        self.assertEqual(boat["done"], ["Keel"])
        self.assertIsNone(boat["slots"]["Rudder"])
        (facts,) = self.call("get", f"/projects/{project['id']}/meshes")
        self.assertTrue(facts["measured"])
        self.assertEqual({slot["name"] for slot in facts["slots"]}, set(boat["slots"]))
