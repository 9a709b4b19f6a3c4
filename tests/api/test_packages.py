"""Packages over HTTP: plans, targets of one's own, what is left out, packages from elsewhere,
reports."""

from __future__ import annotations

import io
import shutil
import zipfile
from pathlib import Path

import cv2
from django.conf import settings
from weasyprint import HTML

from ektopos.export.estimate import estimated_bytes
from ektopos.export.plan import make_plan
from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.images import read_header
from ektopos.project import open_project
from server.workshop.store import package_folder
from tests.api.client import Api
from tests.core.test_rules import LOOSE
from tests.samples import folder, project_folder


def zipped(root: Path, below: str = "") -> bytes:
    content = io.BytesIO()
    with zipfile.ZipFile(content, "w") as archive:
        for path in sorted(p for p in root.rglob("*") if p.is_file()):
            archive.write(path, below + str(path.relative_to(root)))
    return content.getvalue()


class Behind(Api):
    def test_only_what_leaves_otherwise_makes_a_package_outdated(self) -> None:
        project = self.sample()
        of = f"/projects/{project['id']}"
        self.call("post", f"{of}/exports", {"revision": project["revision"], "trial": False})
        (package,) = self.call("get", f"{of}/packages")
        steps = (
            ({"kind": "stand", "items": {"a": {"mesh": "plates"}}}, []),
            ({"kind": "set-done", "mesh": "plates", "slot": "Front", "done": True}, []),
            (
                {
                    "kind": "change-feed",
                    "material": "plain",
                    "input": "roughness",
                    "change": {"value": 0.6},
                },
                [package["id"]],
            ),
        )
        for edit, behind in steps:
            with self.subTest(edit["kind"]):
                project = self.edit(project, edit)
                self.assertEqual(self.call("get", f"{of}/outdated-packages"), behind)
        self.call("post", f"{of}/undo", {"revision": project["revision"]})
        self.assertEqual(self.call("get", f"{of}/outdated-packages"), [])


class Plans(Api):
    def test_a_draft_gives_its_whole_plan(self) -> None:
        project = self.sample()
        rules = LOOSE | {"padding": 4, "mips": True, "mesh": {"uv_transform": "baked"}}
        rules["files"] = [file | {"format": "ktx2"} for file in LOOSE["files"]]  # type: ignore[union-attr]
        draft = self.call("post", f"/projects/{project['id']}/target-drafts", {"profile": rules})
        self.assertEqual(draft["problem"], "")
        files = {file["path"].split("/")[-1]: file for file in draft["plan"]["files"]}
        self.assertEqual(files["tile_ORM.ktx2"]["levels"], 7)
        self.assertEqual(files["tile_ORM.ktx2"]["state"], "new")
        self.assertIsNone(files["tile_ORM.ktx2"]["basis"])
        small = {"format": "ktx2", "basis": "uastc"}
        draft = self.call(
            "post",
            f"/projects/{project['id']}/target-drafts",
            {"profile": rules | {"files": [file | small for file in LOOSE["files"]]}},  # type: ignore[union-attr]
        )
        self.assertEqual({f["basis"] for f in draft["plan"]["files"]}, {"uastc"})
        for words in (
            "UV transforms are worked into the UVs",
            "4 texels round UV islands are filled",
        ):
            self.assertIn(words, draft["plan"]["converted"])
        wrong = self.call(
            "post", f"/projects/{project['id']}/target-drafts", {"profile": LOOSE | {"mips": True}}
        )
        self.assertIn("only KTX2", wrong["problem"])
        self.assertIsNone(wrong["plan"])

    def test_sizes_are_guessed_to_a_factor_of_two(self) -> None:
        with folder() as root:
            project_folder(root)
            with open_project(root) as opened:
                rules = find_profile("orm-y-minus")
                plan = make_plan(
                    opened.document, rules, lambda name: read_header(opened.map_path(name))
                )
                real = {
                    file.path: file.bytes
                    for file in export_package(opened, rules, root / "out").files
                }
                for file in plan.files:
                    guess = estimated_bytes(
                        file,
                        lambda name: (
                            read_header(opened.map_path(name)),
                            opened.map_path(name).stat().st_size,
                        ),
                    )
                    self.assertLess(
                        max(guess, real[file.path]) / min(guess, real[file.path]),
                        2,
                        (file.path, guess),
                    )

    def test_a_smaller_size_and_what_stays_behind_show_in_the_plan(self) -> None:
        project = self.sample()
        project = self.edit(
            project,
            {"kind": "set-setting", "material": "tile", "setting": "size_limit", "value": 16},
            {"kind": "leave-out", "what": "materials", "names": ["plain"], "out": True},
        )
        plan = self.call("get", f"/projects/{project['id']}/plan")
        self.assertEqual(
            {file["width"] for file in plan["files"] if file["path"].startswith("tile")}, {16}
        )
        self.assertFalse([file for file in plan["files"] if "plain" in file["materials"]])
        self.assertEqual(
            self.call("get", f"/projects/{project['id']}/sheets/tile_dull")["size_limit"], 16
        )
        self.edit(
            project,
            {"kind": "leave-out", "what": "meshes", "names": ["nothing"], "out": True},
            status=404,
        )


class FromElsewhere(Api):
    def foreign_package(
        self, project: dict, name: str, content: bytes, status: int = 200, **more: str
    ):
        given = self.upload(name, content) | more
        return self.call("post", f"/projects/{project['id']}/packages", given, status)

    def packages(self, project: dict) -> list[dict]:
        return self.call("get", f"/projects/{project['id']}/packages")

    def test_a_trial_is_the_same_from_what_was_kept_and_once_that_is_gone(self) -> None:
        """The cache may be deleted; a package that was touched since is not believed."""
        project = self.sample()
        kept = settings.DATA_FOLDER / "cache/trials"
        shutil.rmtree(kept, ignore_errors=True)
        with folder() as root:
            project_folder(root)
            with open_project(root) as opened:
                export_package(opened, find_profile("gltf-split"), root / "out")
            self.foreign_package(project, "theirs.zip", zipped(root / "out"))
        (package,) = self.packages(project)
        again = f"/projects/{project['id']}/packages/{package['id']}/trial"
        held = list(kept.rglob("*.json"))
        self.assertEqual(len(held), 4)  # three materials and a mesh
        self.call("post", again)
        self.assertEqual(self.packages(project)[0]["trial"], package["trial"])
        self.assertEqual(set(kept.rglob("*.json")), set(held))
        shutil.rmtree(settings.DATA_FOLDER / "cache")
        self.call("post", again)
        self.assertEqual(self.packages(project)[0]["trial"], package["trial"])
        self.assertEqual(set(kept.rglob("*.json")), set(held))
        picture = package_folder(package["id"]) / "files/textures/tile_ORM.png"
        pixels = cv2.imread(str(picture), cv2.IMREAD_UNCHANGED)
        cv2.imwrite(str(picture), 255 - pixels)
        self.call("post", again)
        trial = self.packages(project)[0]["trial"]
        self.assertFalse(trial["passed"])
        self.assertIn("inverted", {cell["cause"] for cell in trial["cells"]})

    def test_a_package_made_by_the_command_line_is_tried_by_its_own_list(self) -> None:
        project = self.sample()
        with folder() as root:
            project_folder(root)
            with open_project(root) as opened:
                export_package(opened, find_profile("metal-smooth"), root / "out")
            content = zipped(root / "out", below="inner/")
        self.foreign_package(project, "theirs.zip", content)
        (package,) = self.packages(project)
        self.assertEqual((package["target"], package["brought_in"]), ("metal-smooth", "theirs.zip"))
        self.assertTrue(package["trial"]["passed"])
        # It is no base for what an export may use again, and the plan does not count it as the last
        # one.
        self.call(
            "post",
            f"/projects/{project['id']}/exports",
            {"revision": project["revision"], "trial": False},
        )
        self.assertEqual(len(self.packages(project)), 2)
        self.assertEqual(
            {
                file["state"]
                for file in self.call("get", f"/projects/{project['id']}/plan")["files"]
            },
            {"same"},
        )

    def test_a_bare_glb_is_tried_and_what_differs_is_said(self) -> None:
        project = self.sample()
        with folder() as root:
            project_folder(root)
            with open_project(root) as opened:
                opened.document.materials["plain"].inputs["roughness"].value = 0.6
                export_package(opened, find_profile("gltf-glb"), root / "out")
            content = (root / "out/plates.glb").read_bytes()
        self.foreign_package(project, "hand made.glb", content)
        wrong = [
            c for c in self.packages(project)[0]["trial"]["cells"] if c["verdict"] == "differs"
        ]
        self.assertEqual(
            [(c["slot"], c["input"], c["cause"]) for c in wrong],
            [("Bare", "roughness", "constant-changed")],
        )

    def test_what_is_no_package_is_refused_with_a_reason(self) -> None:
        project = self.sample()
        self.assertIn(
            "no package", self.foreign_package(project, "notes.txt", b"words", 422)["message"]
        )
        with folder() as root:
            (root / "readme.txt").write_text("nothing")
            self.assertIn(
                "no package in it",
                self.foreign_package(project, "empty.zip", zipped(root), 422)["message"],
            )
        self.assertIn(
            "cannot be unpacked",
            self.foreign_package(project, "broken.zip", b"PK\x03\x04 broken", 422)["message"],
        )
        self.assertIn(
            "no target",
            self.foreign_package(project, "m.glb", b"glTF", 422, target="nowhere")["message"],
        )
        missing = {"path": "m.glb", "sha256": "0" * 64}
        self.call("post", f"/projects/{project['id']}/packages", missing, 404)
        self.assertEqual(self.packages(project), [])

    def test_a_broken_glb_is_tried_and_lost(self) -> None:
        project = self.sample()
        self.foreign_package(project, "broken.glb", b"glTF\x02\0\0\0\xff\0\0\0")
        (package,) = self.packages(project)
        self.assertEqual({c["cause"] for c in package["trial"]["cells"]}, {"unreadable-file"})


class Reports(Api):
    def test_both_forms_hold_the_verdicts_and_fetch_nothing(self) -> None:
        project = self.sample()
        self.call(
            "post",
            f"/projects/{project['id']}/exports",
            {"revision": project["revision"], "trial": True},
        )
        package = self.call("get", f"/projects/{project['id']}/packages")[0]
        page = self.client.get(f"/api/packages/{package['id']}/report.html").content.decode()
        self.assertIn("everything arrived as it was meant", page)
        self.assertNotIn("http://", page)
        printed = self.client.get(f"/api/packages/{package['id']}/report.pdf")
        self.assertEqual(printed.headers["Content-Type"], "application/pdf")
        self.assertTrue(printed.content.startswith(b"%PDF-"))
        self.assertEqual(len(HTML(string=page).render().pages), 1)
        self.assertIn("Test%20plates", printed.headers["Content-Disposition"].replace(" ", "%20"))

    def test_what_the_checks_found_stands_in_it_with_what_was_left_and_why(self) -> None:
        project = self.sample()
        found = self.call("get", f"/projects/{project['id']}/checks")
        weighty = [one for one in found if one["severity"] != "note"]
        left, open_ = weighty[0], weighty[1:]
        why = "The client <likes> it so"
        project = self.edit(
            project,
            {"kind": "waive", "code": left["code"], "subject": left["subject"], "reason": why},
        )
        body = {"revision": project["revision"], "trial": True}
        self.call("post", f"/projects/{project['id']}/exports", body)
        package = self.call("get", f"/projects/{project['id']}/packages")[0]
        page = self.client.get(f"/api/packages/{package['id']}/report.html").content.decode()
        self.assertIn("Ignored: The client &lt;likes&gt; it so", page)
        for one in open_:
            self.assertIn(f"<b>{one['subject']}:</b>", page)
        self.assertEqual("What the checks found" in page, bool(open_))

    def test_without_a_trial_there_is_none(self) -> None:
        project = self.sample()
        self.call(
            "post",
            f"/projects/{project['id']}/exports",
            {"revision": project["revision"], "trial": False},
        )
        package = self.call("get", f"/projects/{project['id']}/packages")[0]
        for form in ("html", "pdf"):
            self.call("get", f"/packages/{package['id']}/report.{form}", status=404)
