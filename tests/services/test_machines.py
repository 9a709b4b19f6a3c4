"""A studio of five machines on PostgreSQL, Redis and an S3-compatible store: work begun on one is
there on all, and what is killed in the middle loses nothing."""

from __future__ import annotations

import hashlib
import json
import os
import subprocess
import sys
import threading
from contextlib import ExitStack
from pathlib import Path
from unittest import TestCase

import numpy as np
from PIL import Image as Pillow

from tests.samples import coloured, folder, noise, project_folder, quads, save, save_glb
from tests.services.engines import postgres, redis, s3, until
from tests.workshop import ROOT, Refused, Workshop

PEOPLE = 20
ROLES = ("web", "web", "worker", "worker", "worker")


class Studio(TestCase):
    """Two machines for pages and three for jobs."""

    machines: list[Workshop]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        stack = cls.enterClassContext(ExitStack())
        root = stack.enter_context(folder())
        settings = {
            "DATABASE_URL": stack.enter_context(postgres()),
            "EKTOPOS_TASKS": "rq",
            "EKTOPOS_REDIS": stack.enter_context(redis()),
            "EKTOPOS_TEAM": "1",
            "EKTOPOS_SECRET": "one secret for all machines of the studio",
            **stack.enter_context(s3()),
        }
        cls.machines = [
            Workshop(root / f"{only}{number}", only, settings) for number, only in enumerate(ROLES)
        ]
        cls.machines[0].data.mkdir()
        cls.machines[0].manage("migrate", "-v", "0")
        for machine in cls.machines:
            stack.callback(machine.stop)
            machine.start()

    def setUp(self) -> None:
        """A project, its owner, and the owner's key on both machines for pages."""
        script = (
            "from django.contrib.auth.models import User; from server.workshop.models import *;"
            "from ektopos.document import Document; from django.utils import timezone;"
            "from datetime import timedelta;"
            f"who = User.objects.create_user('{self._testMethodName[:40]}');"
            "made = Project.begin(Document(name='Studio'));"
            "Member.objects.create(project=made, person=who, role='own');"
            "row, key = ApiKey.issue('', project=made, made_by=who, scope='work', label='test',"
            " ends=timezone.now() + timedelta(hours=1)); print(made.pk, key)"
        )
        self.one, self.two = self.machines[:2]
        number, key = self.one.manage("shell", "-v", "0", "-c", script).split()
        self.place = f"/projects/{number}"
        for machine in (self.one, self.two):
            machine.key = key

    def files(self, count: int) -> dict[str, bytes]:
        with folder() as root:
            for i in range(count):
                save(root / f"wall{i:02}_basecolor.png", coloured(64, i))
            return {path.name: path.read_bytes() for path in root.iterdir()}

    def test_a_whole_job_on_machines_that_share_nothing_but_the_engines(self) -> None:
        with folder() as root:
            given = project_folder(root)
            files = {
                str(path.relative_to(given)): path.read_bytes()
                for path in given.rglob("*")
                if path.suffix in (".png", ".glb", ".hdr")
            }
        sent = [self.one.upload(path, content) for path, content in files.items()]
        job = self.one.ended(self.two.ask("POST", f"{self.place}/imports", {"files": sent}))
        self.assertEqual(job["state"], "done", job["error"])
        project = self.two.ask("GET", self.place)
        self.assertEqual(len(project["document"]["maps"]), 5)
        self.assertEqual(list(project["document"]["meshes"]), ["plates"])
        edits = [
            {"kind": "add-material", "name": "tile"},
            {
                "kind": "set-feed",
                "material": "tile",
                "input": "base_color",
                "feed": {"map": "tile_col", "channels": "rgb"},
            },
            {"kind": "assign", "mesh": "plates", "slots": ["Front"], "material": "tile"},
        ]
        edited = {"revision": project["revision"], "edits": edits}
        project = self.one.ask("POST", f"{self.place}/edits", edited)
        export = {"revision": project["revision"], "trial": True}
        job = self.two.ended(self.one.ask("POST", f"{self.place}/exports", export))
        self.assertEqual(job["state"], "done", job["error"])
        # Both machines show the same, whichever made it.
        told = [machine.ask("GET", f"{self.place}/packages")[0] for machine in (self.one, self.two)]
        self.assertEqual(told[0], told[1])
        self.assertTrue(told[0]["arrived"])
        inside = {entry["path"] for entry in told[0]["files"]}
        for path in inside:
            address = f"/packages/{told[0]['id']}/files/{path}"
            contents = {
                hashlib.sha256(m.ask("GET", address)).digest() for m in (self.one, self.two)
            }
            self.assertEqual(len(contents), 1, path)
        sha = hashlib.sha256(files["maps/tile_col.png"]).hexdigest()
        for machine in (self.one, self.two):
            picture = machine.ask("GET", f"/map-pictures/{sha}/rgb/64.png")
            self.assertEqual(picture[:4], b"\x89PNG")
            stage = machine.ask("GET", f"{self.place}/stage")["tile"]["picture"]
            other = self.two if machine is self.one else self.one
            self.assertEqual(
                other.ask("GET", f"/material-pictures/{stage}/grey-room/64.png")[:4], b"\x89PNG"
            )
        packed = self.one.ended(self.one.ask("POST", f"{self.place}/archive"))
        self.assertEqual(self.two.ask("GET", f"/jobs/{packed['id']}/file")[:2], b"PK")

    def test_a_build_machine_checks_exports_and_tries_with_its_key(self) -> None:
        number = self.place.rpartition("/")[2]
        with folder() as root:
            self.fill_project(root)
            self.check_and_export(root, number)
            self.try_what_arrives(root, number)
        for key, project_name, words in (
            ("wrong", number, "Nobody has logged in."),
            (self.one.key, "elsewhere", "the key opens no such project."),
        ):
            refused = self.build("check", project_name, key=key)
            self.assertIn(words, refused.stderr)
            self.assertEqual(len(refused.stderr.strip().splitlines()), 1)
            self.assertIn(refused.returncode, (1, 2))

    def fill_project(self, root: Path) -> None:
        """Uploads the small project's files, and puts a material of its own on them."""
        given = project_folder(root / "p")
        files = {
            str(path.relative_to(given)): path.read_bytes()
            for path in given.rglob("*")
            if path.suffix in (".png", ".glb")
        }
        sent = [self.one.upload(path, content) for path, content in files.items()]
        self.one.ended(self.two.ask("POST", f"{self.place}/imports", {"files": sent}))
        project = self.one.ask("GET", self.place)
        edits = [
            {"kind": "add-material", "name": "tile"},
            {
                "kind": "set-feed",
                "material": "tile",
                "input": "base_color",
                "feed": {"map": "tile_col", "channels": "rgb"},
            },
            {
                "kind": "assign",
                "mesh": "plates",
                "slots": ["Front", "Back", "Bare"],
                "material": "tile",
            },
        ]
        edited = {"revision": project["revision"], "edits": edits}
        self.one.ask("POST", f"{self.place}/edits", edited)

    def build(self, *arguments: object, key: str | None = None) -> subprocess.CompletedProcess[str]:
        """A command of the build machine, which has no more than a key."""
        server = ["--server", f"http://127.0.0.1:{self.two.port}"]
        return subprocess.run(
            [sys.executable, "-m", "ektopos", *map(str, arguments), *server],
            cwd=ROOT,
            env=os.environ | {"EKTOPOS_KEY": key or self.one.key},
            capture_output=True,
            text=True,
        )

    def check_and_export(self, root: Path, number: str) -> None:
        checked = self.build("check", number, "--json", "--junit", root / "checks.xml")
        self.assertEqual(checked.returncode, 0, checked.stderr)
        codes = {finding["code"] for finding in json.loads(checked.stdout)}
        self.assertIn("unused-map", codes)
        self.assertIn("<testsuite", (root / "checks.xml").read_text())
        done = self.build("export", number, "--out", root / "out", "--target", "single-maps")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertTrue((root / "out/textures/tile_BaseColor.png").is_file())

    def try_what_arrives(self, root: Path, number: str) -> None:
        tried = self.build(
            "trial",
            "--against",
            number,
            "--json",
            "--junit",
            root / "trial.xml",
            "--report",
            root / "trial.html",
            "--out",
            root / "tried",
        )
        self.assertEqual(
            (tried.returncode, json.loads(tried.stdout)["passed"]), (0, True), tried.stderr
        )
        self.assertIn('failures="0"', (root / "trial.xml").read_text())
        self.assertIn("<html", (root / "trial.html").read_text())
        # A package that was broken here is judged there.
        self.assertTrue((root / "tried/package.json").is_file())
        picture = root / "out/textures/tile_BaseColor.png"
        with Pillow.open(picture) as opened:
            Pillow.fromarray(255 - np.asarray(opened)).save(picture)
        broken = self.build("trial", root / "out", "--against", number, "--target", "single-maps")
        self.assertEqual((broken.returncode, "failed" in broken.stdout), (1, True), broken.stderr)

    def test_a_machine_of_each_kind_dies_in_the_middle_and_nothing_is_lost(self) -> None:
        # Each of the four is measured in parts, by all workers.
        files = self.files(72)
        parts = [list(files.items())[i::4] for i in range(4)]
        jobs = []
        for number, part in enumerate(parts):
            sent = [self.one.upload(path, content) for path, content in part]
            jobs.append(self.one.ask("POST", f"{self.place}/imports", {"files": sent}))
            if number == 1:
                until(
                    lambda: any(
                        self.two.ask("GET", f"/jobs/{job['id']}")["state"] == "running"
                        for job in jobs
                    ),
                    "a job at work",
                )
                self.machines[2].pull_the_plug()
        self.one.pull_the_plug()
        for job in jobs:
            ended = self.two.ended(job)
            self.assertEqual(ended["state"], "done", ended["error"])
        document = self.two.ask("GET", self.place)["document"]
        self.assertEqual(
            {m["file"].rpartition("/")[2] for m in document["maps"].values()}, set(files)
        )
        self.assertEqual(self.two.ask("GET", f"{self.place}/pulse")["revision"] > 0, True)
        # Whoever comes back serves as before, from an empty folder.
        self.one.data = self.one.data.with_name("web0-again")
        self.one.start()
        self.machines[2].start()
        entry = next(iter(document["maps"].values()))
        shown = hashlib.sha256(files[Path(entry["file"]).name]).hexdigest()
        self.assertEqual(self.one.ask("GET", f"/map-pictures/{shown}/rgb/64.png")[:4], b"\x89PNG")

    def test_a_trial_is_done_in_parts_and_a_worker_dies_in_the_middle(self) -> None:
        count = 20
        files = self.files(count)
        with folder() as root:
            path = save_glb(root / "walls.glb", quads({f"Side {i:02}": 1 for i in range(count)}))
            mesh = path.read_bytes()
        sent = [
            self.one.upload(path, content)
            for path, content in (*files.items(), ("walls.glb", mesh))
        ]
        self.one.ended(self.one.ask("POST", f"{self.place}/imports", {"files": sent}))
        project = self.one.ask("GET", self.place)
        edits: list[dict[str, object]] = []
        for i, name in enumerate(sorted(project["document"]["maps"])):
            feed = {"map": name, "channels": "rgb"}
            edits += [
                {"kind": "add-material", "name": f"m{i}"},
                {
                    "kind": "set-feed",
                    "material": f"m{i}",
                    "input": "base_color",
                    "feed": feed,
                },
                {
                    "kind": "assign",
                    "mesh": "walls",
                    "slots": [f"Side {i:02}"],
                    "material": f"m{i}",
                },
            ]
        asked = {"revision": project["revision"], "edits": edits}
        project = self.one.ask("POST", f"{self.place}/edits", asked)
        export = {"revision": project["revision"], "trial": True, "target": "gltf-split"}
        job = self.one.ask("POST", f"{self.place}/exports", export)
        until(
            lambda: self.two.ask("GET", f"/jobs/{job['id']}")["doing"] == "in parts",
            "a trial in parts",
        )
        self.machines[4].pull_the_plug()
        job = self.two.ended(job)
        self.assertEqual(job["state"], "done", job["error"])
        (package,) = self.two.ask("GET", f"{self.place}/packages")
        self.assertTrue(package["trial"]["passed"])
        places = {(cell["slot"], cell["input"]) for cell in package["trial"]["cells"]}
        self.assertEqual(len([place for place in places if place[1] == "base_color"]), count)
        script = "from server.workshop.models import Job; print(Job.objects.filter(part_of={!r}, state='done').count())"
        parts = self.one.manage("shell", "-v", "0", "-c", script.format(job["id"]))
        self.assertGreater(int(parts), 2)
        # Tried again, nothing has to be looked at: no worker is asked.
        again = self.two.ended(self.two.ask("POST", f"{self.place}/packages/{package['id']}/trial"))
        self.assertEqual(again["state"], "done", again["error"])
        self.assertEqual(self.one.manage("shell", "-v", "0", "-c", script.format(again["id"])), "0")
        self.assertEqual(
            self.one.ask("GET", f"{self.place}/packages")[0]["trial"]["cells"],
            package["trial"]["cells"],
        )
        self.machines[4].start()

    def test_twenty_people_edit_one_project_on_two_machines_and_no_edit_is_lost(self) -> None:
        project = self.one.ask("GET", self.place)
        names = [{"kind": "add-material", "name": f"m{i}"} for i in range(PEOPLE)]
        project = self.one.ask(
            "POST", f"{self.place}/edits", {"revision": project["revision"], "edits": names}
        )
        refused: list[str] = []

        def person(number: int) -> None:
            revision = project["revision"]
            for value in range(1, 6):
                feed = {"value": value / 10 + number / 1000}
                edit = {
                    "kind": "set-feed",
                    "material": f"m{number}",
                    "input": "roughness",
                    "feed": feed,
                }
                body = {"revision": revision, "page": f"page {number}", "edits": [edit]}
                machine = (self.one, self.two)[(number + value) % 2]
                try:
                    revision = machine.ask("POST", f"{self.place}/edits", body)["revision"]
                except Refused as problem:
                    refused.append(str(problem))

        threads = [threading.Thread(target=person, args=(i,)) for i in range(PEOPLE)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(refused, [])
        told = [m.ask("GET", self.place)["document"]["materials"] for m in (self.one, self.two)]
        self.assertEqual(told[0], told[1])
        self.assertEqual(list(told[0]), [f"m{i}" for i in range(PEOPLE)])
        for i in range(PEOPLE):
            self.assertAlmostEqual(told[0][f"m{i}"]["inputs"]["roughness"]["value"], 0.5 + i / 1000)

    def test_names_are_chosen_when_edits_are_made_however_many_bring_in_at_once(self) -> None:
        """Twelve imports of files of one name, by three workers: none takes another's place."""
        with folder() as root:
            contents = [
                save(root / f"{i}" / "stone_roughness.png", noise(32, i, 1)).read_bytes()
                for i in range(12)
            ]
        jobs = []
        for i, content in enumerate(contents):
            machine = (self.one, self.two)[i % 2]
            sent = machine.upload(f"part{i}/stone_roughness.png", content)
            jobs.append(machine.ask("POST", f"{self.place}/imports", {"files": [sent]}))
        for job in jobs:
            ended = self.one.ended(job)
            self.assertEqual(ended["state"], "done", ended["error"])
        document = self.two.ask("GET", self.place)["document"]
        offers = self.two.ask("GET", f"{self.place}/offers")
        self.assertEqual(
            len(document["maps"]) + len(offers["offers"] if isinstance(offers, dict) else offers),
            12,
        )
