"""Findings through the API: proposed, looked at, mended, left with a reason, brought back."""

from __future__ import annotations

import json
from unittest import mock

import numpy as np

from tests.api.client import Api
from tests.api.test_screens import decoded
from tests.core.test_every_check import CASES, sound
from tests.samples import folder


class Findings(Api):
    def spoilt(self, *codes: str) -> dict:
        """A project on the server with these faults."""
        with folder() as root:
            raw = sound(root)
            for code in codes:
                CASES[code](root, raw)
            (root / "crate.ektopos.json").write_text(json.dumps(raw))
            return self.import_folder(root)

    def found(self, project: dict, code: str) -> list[dict]:
        findings = self.call("get", f"/projects/{project['id']}/checks")
        return [finding for finding in findings if finding["code"] == code]

    def test_what_is_proposed_is_done_and_undone_exactly(self) -> None:
        project = self.spoilt("green-against-pixels", "gloss-as-roughness")
        before = project["document"]
        for code in ("green-against-pixels", "gloss-as-roughness"):
            with self.subTest(code):
                (finding,) = self.found(project, code)
                mended = self.edit(project, *finding["remedy"]["edits"])
                self.assertNotEqual(mended["document"], before)
                self.assertEqual(self.found(mended, code), [])
                project = self.call(
                    "post", f"/projects/{project['id']}/undo", {"revision": mended["revision"]}
                )
                self.assertEqual(project["document"], before)

    def test_faces_are_turned_by_a_step_of_the_mesh(self) -> None:
        project = self.spoilt("reversed-faces")
        (finding,) = self.found(project, "reversed-faces")
        remedy = finding["remedy"]
        answer = self.call(
            "post",
            f"/projects/{project['id']}/meshes/{remedy['mesh']}/recipe",
            {"revision": project["revision"], "append": remedy["step"]},
        )
        self.assertIsNotNone(answer)
        self.assertEqual(self.found(project, "reversed-faces"), [])

    def test_a_finding_is_left_with_its_reason_until_it_counts_again(self) -> None:
        project = self.spoilt("green-against-pixels")
        (finding,) = self.found(project, "green-against-pixels")
        about = {"code": finding["code"], "subject": finding["subject"]}
        left = self.edit(project, {"kind": "waive", **about, "reason": "a carved seal"})
        (finding,) = self.found(left, "green-against-pixels")
        self.assertEqual(finding["waived"], "a carved seal")
        again = self.edit(left, {"kind": "unwaive", **about})
        self.assertIsNone(self.found(again, "green-against-pixels")[0]["waived"])
        self.assertEqual(again["document"]["waived"], [])

    def test_a_rule_is_set_held_against_and_given_back(self) -> None:
        project = self.spoilt()
        ruled = self.edit(project, {"kind": "set-rule", "rule": "largest_size", "value": 256})
        (finding,) = self.found(ruled, "larger-than-rule")
        mended = self.edit(ruled, *finding["remedy"]["edits"])
        self.assertEqual(self.found(mended, "larger-than-rule"), [])
        back = self.edit(mended, {"kind": "set-rule", "rule": "largest_size", "value": None})
        self.assertEqual(back["document"].get("rules", {}).get("largest_size"), None)
        many = {"kind": "set-rule", "rule": "largest_size", "value": "many"}
        self.assertIn("largest_size", self.edit(back, many, status=422)["message"])

    def test_a_code_has_another_weight_in_this_project_and_its_own_again(self) -> None:
        project = self.spoilt("green-against-pixels")
        about = {"kind": "set-severity", "code": "green-against-pixels"}
        louder = self.edit(project, {**about, "severity": "error"})
        self.assertEqual(self.found(louder, "green-against-pixels")[0]["severity"], "error")
        off = self.edit(louder, {**about, "severity": "off"})
        self.assertEqual(self.found(off, "green-against-pixels"), [])
        usual = self.edit(off, {**about, "severity": None})
        self.assertEqual(self.found(usual, "green-against-pixels")[0]["severity"], "warning")
        self.assertEqual(usual["document"]["rules"]["severities"], {})

    def test_a_preview_shows_the_material_and_the_inputs_that_change(self) -> None:
        project = self.spoilt("green-against-pixels")
        (finding,) = self.found(project, "green-against-pixels")
        shown = self.call(
            "post",
            f"/projects/{project['id']}/checks/preview",
            {"edits": finding["remedy"]["edits"]},
        )
        self.assertEqual((shown["material"], list(shown["inputs"])), ("crate", ["normal"]))
        pair = [
            decoded(self.client.get(f"/api/stage-pictures/{key}/64.png"))
            for key in shown["inputs"]["normal"]
        ]
        # Green is turned about its middle and all else stays.
        np.testing.assert_allclose(pair[0][..., 1].astype(int), 255 - pair[1][..., 1], atol=2)
        np.testing.assert_array_equal(pair[0][..., [0, 2]], pair[1][..., [0, 2]])
        self.assertEqual(
            self.call("get", f"/projects/{project['id']}")["document"], project["document"]
        )

    def test_faces_and_uvs_are_pictures(self) -> None:
        project = self.spoilt("reversed-faces")
        (mesh,) = self.call("get", f"/projects/{project['id']}/meshes")
        faces = decoded(self.client.get(f"/api/mesh-evidence/{mesh['key']}/reversed-faces/0.png"))
        red = (faces[..., 0].astype(int) - faces[..., 1]) > 40
        self.assertTrue(0.02 < red.mean() < 0.6)
        uvs = decoded(self.client.get(f"/api/mesh-evidence/{mesh['key']}/uvs-overlap/0.png"))
        self.assertEqual(len(np.unique(uvs.reshape(-1, 3), axis=0)) > 2, True)
        self.assertEqual(
            self.client.get(f"/api/mesh-evidence/{mesh['key']}/uvs/7.png").status_code, 404
        )

    def test_asking_again_reads_no_file(self) -> None:
        project = self.spoilt()
        self.found(project, "any")
        with (
            mock.patch("ektopos.checks.registry.read_header", side_effect=AssertionError("map")),
            mock.patch("ektopos.checks.registry.load_mesh", side_effect=AssertionError("mesh")),
            mock.patch(
                "server.workshop.mesh_cache.scene_reader", side_effect=AssertionError("scene")
            ),
        ):
            self.found(project, "any")
