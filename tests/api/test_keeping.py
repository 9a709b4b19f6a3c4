"""What is kept stays whole: damage is found and mended, the cache may go, nothing reachable is
collected, backups come back."""

from __future__ import annotations

import hashlib
import io
import os
import shutil
import sqlite3
import tarfile
import time
from contextlib import closing
from pathlib import Path
from unittest import mock

import numpy as np
from django.conf import settings
from django.core.management import call_command
from django.core.management.base import CommandError
from django.db import OperationalError, connection
from django.test import override_settings

from ektopos.base.errors import DiskFull, MissingReference
from server.workshop import pictures, retention, store
from server.workshop.jobs.imports import bring_in
from server.workshop.management.commands.backup import backup
from server.workshop.management.folder import empty, is_ours, mark, only_one
from server.workshop.models import Job, MapFacts, MeshFacts, Package, Project
from server.workshop.restoring import restore
from tests.api.client import Api
from tests.samples import folder, noise, quads, save, save_glb


class Own(Api):
    """Each with a data folder of its own beside the test database."""

    def setUp(self) -> None:
        self.keeper = folder()
        self.place = self.keeper.__enter__()
        (self.place / "uploads").mkdir()
        self.own = override_settings(
            DATA_FOLDER=self.place, FILE_UPLOAD_TEMP_DIR=self.place / "uploads"
        )
        self.own.enable()
        pictures.reduced_map.cache_clear()

    def tearDown(self) -> None:
        self.own.disable()
        self.keeper.__exit__(None, None, None)
        pictures.reduced_map.cache_clear()

    def png(self, seed: int = 1, size: int = 24) -> bytes:
        with folder() as root:
            return save(root / "a.png", noise(size, seed)).read_bytes()


class Store(Own):
    def test_a_damaged_content_is_found_and_mended_by_bringing_it_in_again(self) -> None:
        project, content = self.begin(), self.png()
        self.bring_in(project, {"hull_albedo.png": content})
        sha = self.upload("again.png", content)["sha256"]
        self.assertEqual(list(retention.verify_files()), [])
        path = store.content_path(sha)
        path.chmod(0o600)
        path.write_bytes(content[:-40] + bytes(40))  # as long as before
        (found,) = retention.verify_files()
        self.assertEqual((found.sha256, found.missing), (sha, False))
        self.assertIn("maps/hull_albedo.png", found.used[0])
        self.assertEqual(
            self.call("post", "/uploads/known", {"sha256": [sha]}),
            [],
            "not offered as if it were whole",
        )
        self.upload("again.png", content)
        self.assertEqual(list(retention.verify_files()), [])
        path.unlink()
        self.assertTrue(next(retention.verify_files()).missing)
        self.upload("again.png", content)
        self.assertEqual(path.read_bytes(), content)

    def test_what_is_written_is_on_the_disk_and_its_owners_only(self) -> None:
        with mock.patch("server.workshop.store.os.fsync", wraps=os.fsync) as synced:
            sha, _ = store.put([b"one", b"two"])
        self.assertEqual(synced.call_count, 3, "the file, its folder, and the folder of that")
        self.assertEqual(store.content_path(sha).stat().st_mode & 0o077, 0)
        self.assertEqual([p.name for p in (self.place / "files").rglob("tmp-*")], [])

    def test_a_reference_that_is_no_hash_opens_nothing(self) -> None:
        secret = self.place / "secret.txt"
        secret.write_text("x")
        for wrong in (str(secret), "../../secret.txt", "A" * 64, "0" * 63, ""):
            with self.subTest(wrong):
                said = self.call(
                    "post",
                    "/projects/import",
                    {"files": [{"path": "p.ektopos.json", "sha256": wrong}]},
                    422,
                )
                self.assertTrue(said["message"])
                self.assertRaises(MissingReference, store.content_path, wrong)
        self.call(
            "post",
            "/projects/import",
            {"files": [{"path": "p.ektopos.json", "sha256": "0" * 64}]},
            404,
        )

    def test_a_full_disk_is_one_sentence_and_507(self) -> None:
        full = OSError(28, "No space left on device")
        with mock.patch("server.workshop.store.os.fsync", side_effect=full):
            answer = self.client.post("/api/uploads", {"file": io.BytesIO(b"abc"), "path": "a.png"})
            self.assertEqual(
                (answer.status_code, answer.json()["message"]),
                (507, "there is no room left on the disk."),
            )
        self.assertEqual(
            [p for p in (self.place / "files").rglob("*") if p.is_file()],
            [],
            "nothing half done is left",
        )
        project = self.begin()
        with mock.patch(
            "server.workshop.models.project.Revision.objects.create",
            side_effect=OperationalError("database or disk is full"),
        ):
            self.edit(project, {"kind": "rename-project", "name": "x"}, status=507)
        with mock.patch("server.workshop.store.tempfile.mkstemp", side_effect=full):
            job = self.bring_in(project, {"hull_albedo.png": self.png()})
        self.assertEqual((job["state"], job["error"]["message"]), ("failed", DiskFull().message))
        self.assertEqual(
            self.bring_in(project, {"hull_albedo.png": self.png()})["state"],
            "done",
            "and it can be repeated",
        )


class Arrays(Own):
    def test_a_full_disk_is_seen_also_while_an_array_is_written(self) -> None:
        # NumPy's own writer says only how much it wrote, without the reason.
        full = OSError(28, "No space left on device")
        with mock.patch("pathlib.Path.write_bytes", side_effect=full), self.assertRaises(DiskFull):
            store.write_array(store.cache_path("reduced", "a.npy"), np.zeros(4))
        self.assertEqual([p for p in (self.place / "cache").rglob("*") if p.is_file()], [])


class Cache(Own):
    def test_the_cache_may_go_at_any_time_and_every_picture_is_there(self) -> None:
        project = self.sample()
        sheet = self.call("get", f"/projects/{project['id']}/sheets/tile")
        mesh = self.call("get", f"/projects/{project['id']}/meshes")[0]
        self.call("get", f"/projects/{project['id']}/meshes/plates/suggestions")
        sha = self.call("get", f"/projects/{project['id']}/maps")[0]["sha256"]
        row = next(row for row in sheet["rows"] if row["picture"])
        addresses = [
            f"/api/map-pictures/{sha}/rgb/64.png",
            f"/api/stage-pictures/{row['picture']}/64.png",
            f"/api/material-pictures/{sheet['stage']['picture']}/grey-room/32.png",
            f"/api/mesh-geometry/{mesh['key']}.glb",
            f"/api/mesh-measures/{mesh['key']}/density.bin",
            f"/api/projects/{project['id']}/meshes",
            f"/api/projects/{project['id']}/meshes/plates/suggestions",
            f"/api/projects/{project['id']}/meshes/plates/faces?slot=Front&face=0&by=part",
        ]
        before = [
            b"".join(a.streaming_content) if a.streaming else a.content
            for a in map(self.client.get, addresses)
        ]
        for address, content in zip(addresses, before, strict=True):
            shutil.rmtree(self.place / "cache")
            pictures.reduced_map.cache_clear()
            answer = self.client.get(address)
            self.assertEqual(answer.status_code, 200, address)
            self.assertEqual(
                b"".join(answer.streaming_content) if answer.streaming else answer.content,
                content,
                address,
            )

    def test_a_reduced_copy_that_breaks_off_is_made_again(self) -> None:
        self.bring_in(self.begin(), {"hull_albedo.png": self.png()})
        (facts,) = MapFacts.objects.all()
        for path in (self.place / "cache/reduced").rglob("*.npy"):
            path.write_bytes(path.read_bytes()[:50])
        pictures.reduced_map.cache_clear()
        self.assertEqual(
            self.client.get(f"/api/map-pictures/{facts.sha256}/rgb/16.png").status_code, 200
        )

    def test_a_folder_that_goes_while_something_is_written_is_made_again(self) -> None:
        path = store.cache_path("views", "abcdef")
        with store.writing(path):
            pass
        shutil.rmtree(self.place / "cache")
        with store.writing(path) as temporary:
            temporary.write_text("x")
        self.assertEqual(path.read_text(), "x")


class AfterAnUpgrade(Own):
    def test_facts_of_an_older_version_are_measured_again_by_themselves(self) -> None:
        project = self.sample()
        for row in MapFacts.objects.all():
            row.facts["statistics"]["version"] = 1
            row.save()
        MeshFacts.objects.all().delete()
        states = {entry["state"] for entry in self.call("get", f"/projects/{project['id']}/maps")}
        self.assertEqual(states, {"missing"})
        self.assertEqual(retention.measure_again(), 1)
        states = {entry["state"] for entry in self.call("get", f"/projects/{project['id']}/maps")}
        self.assertFalse(states & {"missing", "measuring"}, states)
        self.assertTrue(
            all(mesh["measured"] for mesh in self.call("get", f"/projects/{project['id']}/meshes"))
        )
        self.assertEqual(retention.measure_again(), 0)

    def test_what_cannot_be_measured_is_not_tried_over_and_over(self) -> None:
        with folder() as root:
            (root / "p.ektopos.json").write_text(
                '{"ektopos": 1, "name": "p", "maps": {"a": {"file": "a.png"}}, "meshes": {"m": {"file": "m.obj"}}}'
            )
            files = {
                "p.ektopos.json": (root / "p.ektopos.json").read_bytes(),
                "a.png": self.png()[:50],
                "m.obj": b"v 0 0 0\nv 1e308 0 0\nv 0 1 0\nf 1 2 3\n",
            }
        project = self.call(
            "post",
            "/projects/import",
            {"files": [self.upload(path, content) for path, content in files.items()]},
        )
        (job,) = self.call("get", f"/projects/{project['id']}/jobs")
        self.assertEqual({entry["path"] for entry in job["result"]["files"]}, {"a.png", "m.obj"})
        retention.ensure_measured(Project.objects.get(pk=project["id"]))
        count = Job.objects.count()
        for _ in range(3):
            project = self.edit(project, {"kind": "rename-project", "name": "q"})
            self.call("get", f"/projects/{project['id']}/meshes")
        self.assertEqual(Job.objects.count(), count)

    def test_a_project_that_somebody_deletes_meanwhile_is_not_measured(self) -> None:
        seen = Project.objects.get(pk=self.sample()["id"])
        self.assertTrue(seen.head.document["maps"])
        MapFacts.objects.all().delete()
        Project.objects.filter(pk=seen.pk).delete()
        self.assertIsNone(retention.ensure_measured(seen))

    def test_what_is_deleted_while_it_is_asked_for_is_gone_and_no_fault(self) -> None:
        project = self.sample()
        seen = Project.objects.get(pk=project["id"])
        sha = seen.head.sha_of(next(iter(seen.head.document["maps"].values()))["file"])
        MapFacts.objects.all().delete()
        self.call("get", f"/map-pictures/{sha}/rgb/77.png", status=404)
        Project.objects.filter(pk=seen.pk).delete()
        with mock.patch("server.workshop.api.suggestions.project_or_404", return_value=seen):
            answer = self.call(
                "get", f"/projects/{project['id']}/meshes/plates/suggestions", status=404
            )
        self.assertIn("deleted meanwhile", answer["message"])

    def test_a_renamed_slot_is_not_measured_again(self) -> None:
        project = self.sample()
        path = f"/projects/{project['id']}/meshes/plates/recipe"
        before = MeshFacts.objects.count()
        with mock.patch(
            "server.workshop.mesh_cache.measure_mesh", side_effect=AssertionError("measured")
        ):
            step = {"kind": "rename-slot", "slot": "Front", "name": "Hull"}
            project = self.call("post", path, {"revision": project["revision"], "append": step})[
                "project"
            ]
            step = {"kind": "rename-slot", "slot": "Back", "name": "Front"}
            project = self.call("post", path, {"revision": project["revision"], "append": step})[
                "project"
            ]
            (mesh,) = self.call("get", f"/projects/{project['id']}/meshes")
        self.assertEqual([slot["name"] for slot in mesh["slots"]], ["Hull", "Front", "Bare"])
        self.assertEqual(mesh["assigned"], {"Hull": "tile", "Front": "tile_dull", "Bare": "plain"})
        self.assertEqual(MeshFacts.objects.count(), before)


class Collector(Own):
    def old(self) -> None:
        for path in (self.place / "files").rglob("*"):
            os.utime(path, (time.time() - 90_000, time.time() - 90_000))

    def test_only_what_nothing_reaches_goes_and_only_after_its_grace(self) -> None:
        project = self.sample()
        loose = self.upload("loose.png", self.png(9))["sha256"]
        self.assertEqual(retention.collect().files, 0, "it is young")
        self.old()
        self.edit(project, {"kind": "remove-maps", "maps": ["glow"], "with_feeds": True})
        used = set(Project.objects.get(pk=project["id"]).head.files.values())
        retention.collect()
        self.assertFalse(store.content_path(loose).exists())
        self.assertTrue(
            all(store.content_path(sha).is_file() for sha in used), "also what only undo reaches"
        )
        self.call("delete", f"/projects/{project['id']}", status=204)
        self.old()
        retention.collect()
        self.assertFalse([sha for sha in used if store.content_path(sha).exists()])

    def test_what_a_waiting_job_names_or_was_just_asked_for_stays(self) -> None:
        project = Project.objects.get(pk=self.begin()["id"])
        one, two = (
            self.upload("a.png", self.png(1))["sha256"],
            self.upload("b.png", self.png(2))["sha256"],
        )
        self.old()
        Job.objects.create(
            project=project,
            kind="bring-in",
            arguments={"files": [{"path": "a.png", "sha256": one}]},
        )
        self.call("post", "/uploads/known", {"sha256": [two]})
        retention.collect()
        self.assertTrue(store.content_path(one).exists() and store.content_path(two).exists())

    def test_the_cache_keeps_within_its_limit_the_oldest_first(self) -> None:
        for number in range(4):
            path = store.cache_path("views", f"{number}0.png")
            with store.writing(path) as temporary:
                temporary.write_bytes(bytes(1000))
            os.utime(path, (1000 + number, 1000 + number))
        with override_settings(CACHE_BYTES=2500):
            retention.collect()
        self.assertEqual(
            sorted(p.name for p in (self.place / "cache").rglob("*.png")), ["20.png", "30.png"]
        )

    def test_a_package_that_was_removed_can_be_brought_back_until_the_collector_comes(self) -> None:
        project = self.sample()
        self.call(
            "post",
            f"/projects/{project['id']}/exports",
            {"revision": project["revision"], "trial": False},
        )
        path = f"/projects/{project['id']}/packages"
        (package,) = self.call("get", path)
        self.call("post", f"{path}/{package['id']}/remove", status=204)
        self.assertEqual(self.call("get", path), [])
        self.call("post", f"{path}/{package['id']}/bring-back", status=204)
        self.assertEqual(len(self.call("get", path)), 1)
        self.call("post", f"{path}/{package['id']}/remove", status=204)
        with override_settings(GRACE_HOURS=0):
            retention.collect()
        self.assertEqual(
            (Package.objects.count(), list((self.place / "packages").iterdir())), (0, [])
        )

    def test_temporary_files_of_processes_that_are_gone_go_at_the_start(self) -> None:
        store.put([b"x"])
        (self.place / "files" / "tmp-99999-abc").write_bytes(b"half")
        (self.place / "uploads" / "tmpabc.zip").write_bytes(b"half")
        (self.place / "uploads" / "tmpdir").mkdir()
        self.assertEqual(retention.remove_leavings(), 3)
        self.assertEqual(list((self.place / "uploads").iterdir()), [])


class Removing(Own):
    def test_a_map_is_removed_with_what_it_feeds_only_when_that_is_said(self) -> None:
        project = self.sample()
        said = self.edit(project, {"kind": "remove-maps", "maps": ["tile_orm"]}, status=422)
        self.assertIn("tile", said["message"])
        after = self.edit(
            project, {"kind": "remove-maps", "maps": ["tile_orm"], "with_feeds": True}
        )
        self.assertNotIn("metallic", after["document"]["materials"]["tile"]["inputs"])
        self.assertIn("normal", after["document"]["materials"]["tile"]["inputs"])
        back = self.call("post", f"/projects/{project['id']}/undo", {"revision": after["revision"]})
        self.assertEqual(back["document"], project["document"])


class Backups(Own):
    def setUp(self) -> None:
        super().setUp()
        (self.place / "away").mkdir()

    def test_a_backup_brings_back_what_was_there_also_into_other_data(self) -> None:
        project = self.sample()
        saved = self.place / "away" / "all.tar"
        with mock.patch.dict(settings.DATABASES["default"], {"NAME": self.database()}):
            backup(saved)
            with tarfile.open(saved) as packed:
                self.assertIn("ektopos.sqlite3", packed.getnames())
            self.edit(project, {"kind": "rename-project", "name": "Changed since"})
            self.call("delete", f"/projects/{project['id']}", status=204)
            shutil.rmtree(self.place / "files")
            before = restore(saved)
        self.assertTrue(before.is_file())
        (row,) = self.call("get", "/projects")
        self.assertEqual(row["name"], "Test plates")
        self.assertEqual(list(retention.verify_files()), [])
        again = self.edit(
            self.call("get", f"/projects/{project['id']}"), {"kind": "rename-project", "name": "On"}
        )
        self.assertGreater(again["revision"], project["revision"] + 1, "no number is given twice")

    def test_what_is_no_backup_is_said_and_changes_nothing(self) -> None:
        """Members by Python's own `tarfile`, as somebody would write them who means harm."""
        self.sample()
        content, recipe = b"somebody's", b'{"a": 1}'
        sha = hashlib.sha256(content).hexdigest()
        link = tarfile.TarInfo(f"files/{sha[:2]}/{sha}")
        link.type, link.linkname = tarfile.SYMTYPE, "/etc/passwd"
        with mock.patch.dict(settings.DATABASES["default"], {"NAME": self.database()}):
            good = self.place / "away" / "good.tar"
            backup(good)
        with tarfile.open(good) as packed:
            database = packed.extractfile("ektopos.sqlite3").read()
        sound = {"ektopos.sqlite3": database}
        bad = {
            "the signing key": sound | {"files/../secret.key": b"mine"},
            "an absolute path": sound | {"/tmp/elsewhere": b"x"},
            "out of a package": sound | {"packages/1/../../secret.key": b"x"},
            "another folder": sound | {"secret.key": b"x"},
            "another content": sound | {f"files/{sha[:2]}/{sha}": b"other"},
            "another place": sound | {f"files/00/{sha}": content},
            "another recipe": sound | {f"recipes/00/{'0' * 40}.json": recipe},
            "a link": [("ektopos.sqlite3", database), link],
            "one twice": [*sound.items(), *sound.items()],
            "no database": {f"files/{sha[:2]}/{sha}": content},
            "a damaged database": {"ektopos.sqlite3": database[:5000]},
            "another's database": {"ektopos.sqlite3": b"SQLite format 3\0" + bytes(200)},
            "nothing": {},
        }
        before = self.all_files()
        for what, members in bad.items():
            wrong = self.place / "away" / "wrong.tar"
            with tarfile.open(wrong, "w") as packed:
                for one in members.items() if isinstance(members, dict) else members:
                    info = one if isinstance(one, tarfile.TarInfo) else tarfile.TarInfo(one[0])
                    data = b"" if isinstance(one, tarfile.TarInfo) else one[1]
                    info.size = len(data)
                    packed.addfile(info, io.BytesIO(data))
            with self.subTest(what):
                self.refused(wrong, before)
        for what, cut in (("no tar", b"no tar"), ("a cut one", good.read_bytes()[:-30000])):
            wrong.write_bytes(cut)
            with self.subTest(what):
                self.refused(wrong, before)
        with self.subTest("not there"):
            self.refused(self.place / "away" / "gone.tar", before)

    def refused(self, source: Path, before: dict[str, bytes]) -> None:
        with self.assertRaises(CommandError) as raised:
            call_command("backup", str(source), restore=True)
        self.assertEqual(raised.exception.returncode, 2)
        self.assertIn(source.name, str(raised.exception))
        self.assertEqual(self.all_files(), before)

    def all_files(self) -> dict[str, bytes]:
        return {
            str(path): path.read_bytes()
            for path in self.place.rglob("*")
            if path.is_file() and "away" not in path.parts and ".sqlite3" not in path.name
        }

    def test_packages_are_back_as_they_were_where_the_database_cannot_be_written(self) -> None:
        self.sample()
        place = self.place / "packages" / "7"
        place.mkdir(parents=True)
        (place / "a.txt").write_text("then")
        saved = self.place / "away" / "all.tar"
        with mock.patch.dict(settings.DATABASES["default"], {"NAME": self.database()}):
            backup(saved)
            (place / "a.txt").write_text("now")
            with (
                mock.patch("server.workshop.restoring._write_over", side_effect=OSError("no")),
                self.assertRaises(OSError),
            ):
                restore(saved)
            self.assertEqual((place / "a.txt").read_text(), "now")
            restore(saved)
        self.assertEqual((place / "a.txt").read_text(), "then")

    def database(self) -> str:
        return str(connection.settings_dict["NAME"])


class TheFolder(Own):
    def test_only_one_works_on_it_at_a_time(self) -> None:
        with (
            only_one(self.place),
            self.assertRaisesRegex(CommandError, "running on") as raised,
            only_one(self.place),
        ):
            pass
        self.assertEqual(raised.exception.returncode, 1)

    def test_only_a_folder_that_ektopos_made_is_emptied(self) -> None:
        self.assertFalse(is_ours(self.place))
        with closing(sqlite3.connect(self.place / "ektopos.sqlite3")):
            mark(self.place)
        self.assertTrue(is_ours(self.place))
        self.assertEqual(self.place.stat().st_mode & 0o077, 0)
        (self.place / "lock").touch()
        empty(self.place)
        self.assertEqual([path.name for path in self.place.iterdir()], ["lock"])

    def test_verify_says_what_is_wrong_and_ends_with_one(self) -> None:
        call_command("verify", stdout=io.StringIO())
        sha, _ = store.put([b"abc"])
        store.content_path(sha).chmod(0o600)
        store.content_path(sha).write_bytes(b"abd")
        out = io.StringIO()
        with self.assertRaises(SystemExit):
            call_command("verify", stdout=out)
        self.assertIn(f"{sha[:12]} is damaged", out.getvalue())


class OneBadFile(Own):
    def test_a_broken_file_of_every_kind_stops_no_other(self) -> None:
        with folder() as root:
            mesh = save_glb(root / "m.glb", quads({"Panel": 2})).read_bytes()
        exr = b"\x76\x2f\x31\x01\x02\x00\x00\x00" + b"channels\0chlist\0" + bytes(40)
        text_extras = b'{"asset": {"version": "2.0"}, "materials": [{"name": "a", "extras": "text"}], "meshes": []}'
        job = self.bring_in(
            self.begin(),
            {
                "broken.exr": exr,
                "far.obj": b"v 0 0 0\nv 1e308 0 0\nv 0 -1e308 0\nf 1 2 3\n",
                "extras.gltf": text_extras,
                "zero.png": b"",
                "half.png": self.png()[:60],
                "good_albedo.png": self.png(),
                "good.glb": mesh,
            },
        )
        self.assertEqual((job["state"], job["result"]["maps"]), ("done", 1))
        wrong = {entry["path"] for entry in job["result"]["files"] if "error" in entry}
        self.assertLessEqual({"broken.exr", "far.obj", "zero.png", "half.png"}, wrong)
        self.assertFalse(wrong & {"good_albedo.png", "good.glb"})
        self.assertTrue(
            all(entry.get("error") or entry["outcome"] for entry in job["result"]["files"])
        )

    def test_a_reader_that_fails_in_an_unforeseen_way_is_a_bad_file_too(self) -> None:
        with mock.patch(
            "server.workshop.jobs.measuring.read_image", side_effect=ZeroDivisionError("?")
        ):
            job = self.bring_in(self.begin(), {"a_albedo.png": self.png()})
        self.assertEqual(job["state"], "done")
        self.assertIn("damaged", job["result"]["files"][0]["error"])

    def test_names_are_chosen_when_the_step_is_made(self) -> None:
        """Two imports of the same names that were measured at the same time: no map of either is
        lost."""
        project = Project.objects.get(pk=self.begin()["id"])
        jobs = []
        for number in range(2):
            files = [self.upload(f"{number}/hull_albedo.png", self.png(number + 1))]
            jobs.append(
                Job.objects.create(
                    project=project,
                    kind="bring-in",
                    arguments={"files": files},
                    state="running",
                    attempts=1,
                )
            )
        finished = [bring_in(job, lambda share, what: None) for job in jobs]
        for finish in finished:
            edits, files, _ = finish(project.fresh().document)
            project.edit(edits, None, files)
        self.assertEqual(list(project.fresh().document.maps), ["hull_albedo", "hull_albedo_2"])
