"""What the API refuses: one clear sentence, a 4xx, and nothing changed."""

from __future__ import annotations

import io
import json
import re
import sqlite3
import zipfile
from contextlib import closing

from django.db import connection

from server.workshop.api import api
from server.workshop.models import Project
from tests.api.client import Api
from tests.samples import folder, noise, project_folder, save

NOWHERE = "00000000-0000-0000-0000-000000000000"
FILLED = {"uuid": NOWHERE, "int": "999999"}


def addresses() -> list[tuple[str, str]]:
    """Every call of the API that needs something to be there, as method and path, with ids that
    lead nowhere."""
    found = []
    for path, calls in api.get_openapi_schema()["paths"].items():
        if "{" not in path:
            continue
        for method, call in calls.items():
            filled = path
            for parameter in call.get("parameters", []):
                if parameter["in"] != "path":
                    continue
                schema = parameter["schema"]
                value = (
                    FILLED["uuid"]
                    if schema.get("format") == "uuid"
                    else FILLED["int"]
                    if schema.get("type") == "integer"
                    else "gone"
                )
                filled = filled.replace("{" + parameter["name"] + "}", value)
            found.append((method, filled.removeprefix("/api")))
    return found


class Nowhere(Api):
    def test_no_call_to_what_is_not_there_breaks(self) -> None:
        """Each answers 404, or 422 where a body is asked for first, and says so in words."""
        asked = addresses()
        self.assertGreater(len(asked), 40)
        for method, path in asked:
            self.assertNotIn("{", path)
            with self.subTest(method=method, path=path):
                answer = (
                    getattr(self.client, method)(
                        f"/api{path}", data="{}", content_type="application/json"
                    )
                    if method != "get"
                    else self.client.get(f"/api{path}")
                )
                self.assertIn(answer.status_code, (404, 422), answer.content[:200])
                said = answer.json()
                self.assertTrue(said.get("message") or isinstance(said.get("detail"), list), said)
        self.assertEqual(Project.objects.count(), 0)

    def test_what_is_gone_is_said_with_what_to_do(self) -> None:
        said = self.call("get", f"/projects/{NOWHERE}", status=404)
        self.assertEqual(said["message"], "There is nothing at this address.")
        self.assertTrue(said["hint"])


class Opening(Api):
    def refused(self, files: dict[str, bytes], status: int = 422) -> dict:
        given = [self.upload(path, content) for path, content in files.items()]
        said = self.call("post", "/projects/import", {"files": given}, status)
        self.assertEqual(Project.objects.count(), 0)
        self.assertFalse(
            re.search(r"[0-9a-f]{32}|/tmp|Traceback", json.dumps(said)),
            "nothing of the inside is shown",
        )
        return said

    def zipped(self, files: dict[str, bytes]) -> bytes:
        content = io.BytesIO()
        with zipfile.ZipFile(content, "w") as archive:
            for path, written in files.items():
                archive.writestr(path, written)
        return content.getvalue()

    def test_the_file_that_is_wrong_is_named_as_its_owner_knows_it(self) -> None:
        for name, content in {
            "notes.zip": b"no zip at all",
            "cut.zip": self.zipped({"a.ektopos.json": b"{}"})[:-20],
            "empty.zip": self.zipped({"readme.txt": b"nothing"}),
            "two.zip": self.zipped({"a.ektopos.json": b"{}", "b.ektopos.json": b"{}"}),
            "out.zip": self.zipped({"../a.ektopos.json": b"{}"}),
        }.items():
            with self.subTest(name):
                self.assertEqual(self.refused({name: content})["subject"], name)

    def test_a_document_that_is_wrong_inside_is_named_too(self) -> None:
        for written in (
            b"{",
            b"[]",
            b'{"ektopos": 99, "name": "x"}',
            b'{"ektopos": 1, "name": 3}',
            b'{"ektopos": 1, "maps": []}',
        ):
            with self.subTest(written):
                said = self.refused({"late.zip": self.zipped({"p/late.ektopos.json": written})})
                self.assertIn("late.ektopos.json", said["subject"] + said["message"])

    def test_a_folder_without_a_document_and_one_that_leaves_itself(self) -> None:
        self.assertEqual(
            self.refused({"p/readme.txt": b"a", "p/more.txt": b"b"})["subject"], "the folder"
        )
        self.assertEqual(self.refused({})["subject"], "files")
        given = [self.upload("a.txt", b"a"), self.upload("b.txt", b"b")]
        given[0]["path"] = "../a.txt"
        said = self.call("post", "/projects/import", {"files": given}, 422)
        self.assertIn("leaves its folder", said["message"])

    def test_a_sound_folder_and_a_sound_document_alone_open(self) -> None:
        with folder() as root:
            project_folder(root / "p")
            files = {
                str(p.relative_to(root)): p.read_bytes() for p in root.rglob("*") if p.is_file()
            }
        given = [self.upload(path, content) for path, content in files.items()]
        self.assertEqual(
            self.call("post", "/projects/import", {"files": given})["document"]["name"],
            "Test plates",
        )
        alone = {"files": [self.upload("alone.ektopos.json", b'{"ektopos": 1, "name": "Alone"}')]}
        self.assertEqual(self.call("post", "/projects/import", alone)["document"]["name"], "Alone")


class Wrong(Api):
    def test_edits_with_wrong_values_change_nothing(self) -> None:
        project = self.sample()
        for edit in (
            {
                "kind": "set-feed",
                "material": "tile",
                "input": "roughness",
                "feed": {"value": "rough"},
            },
            {
                "kind": "set-feed",
                "material": "tile",
                "input": "no_such_input",
                "feed": {"value": 0.5},
            },
            {"kind": "rename-project", "name": ""},
            {"kind": "set-target", "target": "gone"},
            {"kind": "assign", "mesh": "plates", "slots": ["Front"], "material": 7},
            {"kind": "assign", "mesh": "plates", "slot": "Front"},
        ):
            with self.subTest(edit):
                self.edit(project, edit, status=422)
        for edit in (
            {"kind": "assign", "mesh": "gone", "slots": ["Front"], "material": "tile"},
            {"kind": "assign", "mesh": "plates", "slots": ["Front"], "material": "gone"},
        ):
            with self.subTest(edit):
                said = self.edit(project, edit, status=404)
                self.assertIn("gone", said["subject"] + said["message"])
        self.assertEqual(
            self.call("get", f"/projects/{project['id']}")["revision"], project["revision"]
        )

    def test_of_several_edits_one_that_is_wrong_leaves_all_undone(self) -> None:
        project = self.begin()
        fine = {"kind": "add-material", "name": "fine"}
        self.edit(project, fine, {"kind": "remove-material", "material": "gone"}, status=404)
        now = self.call("get", f"/projects/{project['id']}")
        self.assertEqual((now["revision"], now["document"]["materials"]), (project["revision"], {}))

    def test_a_file_that_was_never_sent_is_refused(self) -> None:
        project = self.begin()
        given = {"files": [{"path": "maps/a.png", "sha256": "0" * 64}]}
        answer = self.client.post(
            f"/api/projects/{project['id']}/imports",
            json.dumps(given),
            content_type="application/json",
        )
        self.assertIn(answer.status_code, (404, 422), answer.content)
        for wrong in ("../../secret", "0" * 63, "G" * 64):
            self.call(
                "post",
                f"/projects/{project['id']}/imports",
                {"files": [{"path": "a.png", "sha256": wrong}]},
                422,
            )

    def test_a_picture_under_another_name_is_told_by_its_content(self) -> None:
        """A PNG called .jpg is read as what it is: nobody's fault but the name's."""
        with folder() as root:
            content = save(root / "a.png", noise(32)).read_bytes()
        project = self.begin()
        job = self.bring_in(project, {"oak_albedo.jpg": content})
        self.assertEqual([entry.get("error") for entry in job["result"]["files"]], [None])


class HeldDatabase(Api):
    """Another program keeps the database: a connection of Python's own `sqlite3` that has begun to
    write."""

    def test_it_is_said_and_done_later(self) -> None:
        project = self.begin()
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA busy_timeout = 200")
        self.addCleanup(lambda: connection.close())
        name = connection.settings_dict["NAME"]
        edit = {"kind": "rename-project", "name": "Later"}
        body = {"revision": project["revision"], "edits": [edit], "label": "x"}
        place = f"/api/projects/{project['id']}/edits"
        with closing(sqlite3.connect(name, isolation_level=None)) as other:
            other.execute("BEGIN IMMEDIATE")
            answer = self.client.post(place, body, content_type="application/json")
            other.execute("ROLLBACK")
        self.assertEqual(answer.status_code, 503, answer.content)
        self.assertEqual(answer["Retry-After"], "2")
        self.assertEqual(answer.json()["subject"], "the database")
        again = self.client.post(place, body, content_type="application/json")
        self.assertEqual(again.status_code, 200, again.content)
