"""A client of the API for tests: calls with the status expected, uploads, and the small project."""

from __future__ import annotations

import json
from pathlib import Path

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase, override_settings

from server.settings import TASK_BACKENDS
from tests.samples import folder, project_folder


@override_settings(TASKS={"default": TASK_BACKENDS["immediate"]})
class Api(TransactionTestCase):
    def call(self, method: str, path: str, body: object = None, status: int = 200):
        answer = getattr(self.client, method)(
            f"/api{path}",
            **(
                {}
                if body is None
                else {"data": json.dumps(body), "content_type": "application/json"}
            ),
        )
        self.assertEqual(answer.status_code, status, getattr(answer, "content", b"")[:400])
        return (
            answer.json()
            if status != 204 and "json" in answer.headers.get("Content-Type", "")
            else answer
        )

    def upload(self, path: str, content: bytes) -> dict:
        answer = self.client.post(
            "/api/uploads", {"file": SimpleUploadedFile(Path(path).name, content), "path": path}
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        return {"path": answer.json()["path"], "sha256": answer.json()["sha256"]}

    def begin(self, name: str = "Test") -> dict:
        return self.call("post", "/projects", {"name": name})

    def bring_in(self, project: dict, files: dict[str, bytes]) -> dict:
        given = [self.upload(path, content) for path, content in files.items()]
        job = self.call("post", f"/projects/{project['id']}/imports", {"files": given})
        return self.call("get", f"/jobs/{job['id']}")

    def packed(self, path: str) -> bytes:
        """The zip that a job packs."""
        job = self.call("post", path)
        return b"".join(self.call("get", f"/jobs/{job['id']}/file").streaming_content)

    def sample(self) -> dict:
        with folder() as root:
            project_folder(root)
            return self.import_folder(root)

    def import_folder(self, root: Path) -> dict:
        """A project made of a folder with its document."""
        files = [
            self.upload(str(p.relative_to(root)), p.read_bytes())
            for p in root.rglob("*")
            if p.is_file()
        ]
        return self.call("post", "/projects/import", {"files": files})

    def edit(self, project: dict, *edits: dict, status: int = 200):
        return self.call(
            "post",
            f"/projects/{project['id']}/edits",
            {"revision": project["revision"], "edits": list(edits)},
            status,
        )
