"""Every input there is, through everything that shows or carries it: sheet, picture, probe, check, export, trial."""

from __future__ import annotations

import cv2
import numpy as np
import OpenEXR

from ektopos.document import (
    COLOUR_INPUTS,
    CORE_INPUTS,
    EXTRA_INPUTS,
    INPUTS,
    TABLE,
    WIDE_INPUTS,
)
from ektopos.materials.inheritance import DEFAULTS
from ektopos.trial.engine.package import EXTENSIONS
from tests.api.client import Api
from tests.samples import folder, noise

METALLIC = [name for name in INPUTS if name != "f0"]
"""Inputs of the metallic workflow: F0 belongs to the other, which has no metallic."""


class EveryInput(Api):
    def fed(self, by_map: bool) -> tuple[dict, list[dict]]:
        """A project whose material is fed in every input, by constants or by maps."""
        edits = []
        for name in INPUTS:
            channels = "rgb" if name in WIDE_INPUTS else "g"
            source = (
                "tile_nrm"
                if name == "normal"
                else "tile_col"
                if name in COLOUR_INPUTS
                else "tile_orm"
            )
            constant = (
                name in ("ior", "thickness", "attenuation", "attenuation_distance") or not by_map
            )
            first = TABLE[name].initial
            feed = (
                {"value": list(first) if isinstance(first, tuple) else first}
                if constant
                else {"map": source, "channels": channels}
            )
            edits.append({"kind": "set-feed", "material": "plain", "input": name, "feed": feed})
        return self.edit(self.sample(), *edits), edits

    def test_sheet_picture_and_probe_show_each(self) -> None:
        for by_map in (False, True):
            project, _ = self.fed(by_map)
            sheet = self.call("get", f"/projects/{project['id']}/sheets/plain")
            self.assertEqual([row["input"] for row in sheet["rows"]], METALLIC)
            for row in sheet["rows"]:
                with self.subTest(row["input"], by_map=by_map):
                    self.assertIsNone(row["problem"])
                    self.assertTrue(row["leaves"]["words"])
                    answer = self.client.get(f"/api/stage-pictures/{row['picture']}/64.png")
                    self.assertEqual(answer.status_code, 200)
                    seen = cv2.imdecode(
                        np.frombuffer(answer.content, np.uint8), cv2.IMREAD_UNCHANGED
                    )
                    self.assertEqual(seen.shape[2], 3)
                    if by_map and TABLE[row["input"]].is_colour and row["feed"]["map"]:
                        self.assertGreater(
                            np.ptp(seen.reshape(-1, 3), axis=1).max(), 20, "it is coloured"
                        )
            probed = self.call("get", f"/projects/{project['id']}/probe/plain?u=0.3&v=0.6")
            self.assertEqual({entry["input"] for entry in probed}, set(METALLIC))
            picture = self.client.get(
                f"/api/material-pictures/{sheet['stage']['picture']}/grey-room/32.png"
            )
            self.assertEqual(picture.status_code, 200)

    def test_checks_and_trial_know_each(self) -> None:
        project, _ = self.fed(True)
        project = self.edit(
            project,
            {"kind": "set-setting", "material": "plain", "setting": "alpha_mode", "value": "blend"},
        )
        found = self.call("get", f"/projects/{project['id']}/checks")
        self.assertFalse(
            [
                f
                for f in found
                if f["code"] in ("impossible-feed", "no-effect")
                and "plain" in f["subject"]
                and f["subject"] != "material plain · f0"
            ]
        )
        job = self.call(
            "post",
            f"/projects/{project['id']}/exports",
            {"revision": project["revision"], "trial": True},
        )
        ended = self.call("get", f"/jobs/{job['id']}")
        self.assertEqual(ended["state"], "done", ended["error"])
        (package,) = self.call("get", f"/projects/{project['id']}/packages")
        cells = {
            cell["input"]: cell["verdict"]
            for cell in package["trial"]["cells"]
            if cell["material"] == "plain"
        }
        self.assertLessEqual({*METALLIC, "height"}, set(cells))
        self.assertFalse(
            {name: said for name, said in cells.items() if said in ("differs", "lost")}
        )

    def test_what_means_nothing_is_said_and_what_means_something_is_not(self) -> None:
        project, _ = self.fed(True)
        change = {"strength": 0.5, "tint": [0.5, 1, 1]}
        feed = {"kind": "change-feed", "material": "plain", "change": change}
        edits = [feed | {"input": name} for name in INPUTS]
        project = self.edit(project, *edits)
        said = {
            f["subject"].split(" · ")[1]: f["message"].lower()
            for f in self.call("get", f"/projects/{project['id']}/checks")
            if f["code"] == "no-effect"
        }
        for name in INPUTS:
            with self.subTest(name):
                self.assertEqual("strength" in said.get(name, ""), TABLE[name].strength is None)
                self.assertEqual("tint" in said.get(name, ""), not TABLE[name].is_colour)

    def test_the_stand_in_engine_says_the_same_of_extensions_from_a_table_of_its_own(self) -> None:
        # Source: the extensions' own texts, written down twice on purpose.
        self.assertEqual(
            {name: entry[0] for name, entry in EXTENSIONS.items()},
            {name: TABLE[name].extension for name in EXTRA_INPUTS if TABLE[name].extension},
        )
        for name, (*_, default) in EXTENSIONS.items():
            if name != "attenuation_distance":  # endless there; what one begins with here
                value = TABLE[name].default
                self.assertEqual(default, value if isinstance(value, tuple) else (value,), name)
        self.assertEqual(set(DEFAULTS), set(CORE_INPUTS))


class BundleOfMaps(Api):
    """One OpenEXR file with several maps, as renderers write it."""

    def bundle(self, last: int) -> bytes:
        # Written by the OpenEXR library; source of the names: its technical introduction.
        channels = {
            f"diffuse.{letter}": noise(64, seed, 1)[..., 0] / 255
            for seed, letter in enumerate("RGB")
        }
        channels |= {"rough.Y": noise(64, last, 1)[..., 0] / 255}
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        with folder() as root:
            path = root / "wall.exr"
            single = {name: values.astype(np.float32) for name, values in channels.items()}
            OpenEXR.File(header, single).write(str(path))
            return path.read_bytes()

    def test_each_of_its_parts_is_a_map_that_comes_again_by_itself(self) -> None:
        project = self.begin()
        job = self.bring_in(project, {"in/wall.exr": self.bundle(3)})
        lines = {line["path"]: line["outcome"] for line in job["result"]["files"]}
        self.assertEqual(
            set(lines), {"in/wall.exr", "in/wall_diffuse.exr", "in/wall_rough.exr"}, lines
        )
        self.assertIn("2 maps", lines["in/wall.exr"])
        document = self.call("get", f"/projects/{project['id']}")["document"]
        roles = {name: entry["roles"] for name, entry in document["maps"].items()}
        self.assertEqual(roles["wall_rough"], {"r": "roughness"})
        self.assertEqual({entry["set"] for entry in document["maps"].values()}, {"wall"})

        # The same file says nothing new, another one offers what has changed.
        again = self.bring_in(project, {"in/wall.exr": self.bundle(3)})["result"]
        self.assertEqual((again["maps"], again["offered"]), (0, 0))
        other = self.bring_in(project, {"in/wall.exr": self.bundle(9)})["result"]
        self.assertEqual((other["maps"], other["offered"]), (0, 1))

    def test_a_damaged_one_is_said_and_stops_nothing(self) -> None:
        project = self.begin()
        files = {"wall.exr": self.bundle(3)[:-900], "door_rough.exr": self.bundle(4)}
        job = self.bring_in(project, files)
        (bad,) = [line for line in job["result"]["files"] if "error" in line]
        self.assertEqual(bad["path"], "wall.exr")
        self.assertEqual(job["result"]["maps"], 2)
