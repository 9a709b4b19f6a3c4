"""A studio that lost everything comes back from what docs/deploy.md says to keep: a dump of its
database and a copy of its store."""

from __future__ import annotations

import shutil
import subprocess
from contextlib import ExitStack
from pathlib import Path
from unittest import TestCase
from urllib.parse import urlsplit

from tests.samples import coloured, folder, quads, save, save_glb
from tests.services.engines import postgres, postgres_tool, redis
from tests.workshop import Workshop


class Restoring(TestCase):
    def test_a_dump_and_a_copy_of_the_store_bring_all_of_it_back(self) -> None:
        with ExitStack() as stack:
            root = stack.enter_context(folder())

            def studio(name: str, database: str) -> Workshop:
                queue = stack.enter_context(redis())
                settings = {
                    "DATABASE_URL": database,
                    "EKTOPOS_TASKS": "rq",
                    "EKTOPOS_REDIS": queue,
                    "EKTOPOS_STORE": str(root / f"{name}-store"),
                }
                for role in ("worker", "web"):
                    machine = Workshop(root / f"{name}-{role}", role, settings)
                    stack.callback(machine.stop)
                    if role == "worker":
                        (root / f"{name}-{role}").mkdir()
                        machine.manage("migrate", "-v", "0")
                    machine.start()
                return machine

            first = stack.enter_context(postgres())
            lost = studio("first", first)
            place, package, before = self.work(lost, root)
            dump = root / "ektopos.dump"
            self.tool("pg_dump", first, "-Fc", "-f", str(dump))
            # What is done after the dump is in the store, and in no database.
            late = save(root / "late.png", coloured(32, 9)).read_bytes()
            sent = lost.upload("late.png", late)
            lost.ended(lost.ask("POST", f"{place}/imports", {"files": [sent]}))
            shutil.copytree(root / "first-store", root / "second-store")

            second = stack.enter_context(postgres())
            self.tool("pg_restore", second, "--no-owner", "-d", "ektopos", str(dump))
            found = studio("second", second)
            self.assertEqual(found.ask("GET", place)["document"], before)
            (again,) = found.ask("GET", f"{place}/packages")
            self.assertEqual(again["trial"], package["trial"])
            for entry in again["files"]:
                address = f"/packages/{again['id']}/files/{entry['path']}"
                self.assertEqual(found.ask("GET", address), lost.ask("GET", address))
            # It goes on: numbers of states are not given twice, and jobs are done.
            sent = found.upload("late.png", late)
            job = found.ended(found.ask("POST", f"{place}/imports", {"files": [sent]}))
            self.assertEqual(job["state"], "done", job["error"])
            self.assertIn("late", found.ask("GET", place)["document"]["maps"])
            self.assertEqual(found.manage("verify"), "Every file is what it was.")

    def work(self, machine: Workshop, root: Path) -> tuple[str, dict, dict]:
        project = machine.ask("POST", "/projects", {"name": "Studio"})
        place = f"/projects/{project['id']}"
        files = {
            "wall_basecolor.png": save(root / "wall.png", coloured(64, 3)).read_bytes(),
            "walls.glb": save_glb(root / "walls.glb", quads({"Front": 1})).read_bytes(),
        }
        sent = [machine.upload(path, content) for path, content in files.items()]
        machine.ended(machine.ask("POST", f"{place}/imports", {"files": sent}))
        project = machine.ask("GET", place)
        (name,) = project["document"]["maps"]
        edits = [
            {"kind": "add-material", "name": "wall"},
            {"kind": "set-feed", "material": "wall", "input": "base_color", "feed": {"map": name}},
            {"kind": "assign", "mesh": "walls", "slots": ["Front"], "material": "wall"},
        ]
        asked = {"revision": project["revision"], "edits": edits}
        project = machine.ask("POST", f"{place}/edits", asked)
        export = {"revision": project["revision"], "trial": True}
        job = machine.ended(machine.ask("POST", f"{place}/exports", export))
        self.assertEqual(job["state"], "done", job["error"])
        (package,) = machine.ask("GET", f"{place}/packages")
        self.assertTrue(package["trial"]["passed"])
        return place, package, project["document"]

    def tool(self, name: str, address: str, *arguments: str) -> None:
        there = urlsplit(address)
        where = ["-h", "127.0.0.1", "-p", str(there.port), "-U", "ektopos"]
        database = ["ektopos"] if name == "pg_dump" else []
        subprocess.run(
            [postgres_tool(name), *where, *arguments, *database], check=True, capture_output=True
        )
