"""Jobs in processes of their own: ended from outside, cancelled, too late, too large; nothing else
notices."""

from __future__ import annotations

import multiprocessing
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db import connection, connections
from django.test import SimpleTestCase, TestCase, TransactionTestCase, override_settings
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from ektopos.document import Document
from ektopos.edits import RenameProject
from server.settings import TASK_BACKENDS
from server.workshop.archive import import_folder
from server.workshop.jobs.queue import resume, run_job, sweep
from server.workshop.jobs.reading import FilesBeingRead, was_reading
from server.workshop.jobs.turns import next_job
from server.workshop.models import Job, Project
from server.workshop.store import put
from tests.samples import folder, project_folder

LONG = {"mesh": "plates", "slot": "Front", "size": 1024, "samples": 1024, "feed": False}
"""Baking that takes minutes."""


@override_settings(TASKS={"default": TASK_BACKENDS["database"]})
class Processes(TransactionTestCase):
    def setUp(self) -> None:
        # The processes of jobs read their settings from the environment.
        os.environ["EKTOPOS_DATABASE"] = Path(connection.settings_dict["NAME"]).name
        with folder() as root:
            self.project = import_folder(project_folder(root))
        Job.objects.all().delete()

    def watched(self, job: Job) -> threading.Thread:
        """The job, seen through by a worker in a thread of this test."""

        def work() -> None:
            run_job.func(str(job.pk))
            connections.close_all()

        thread = threading.Thread(target=work, daemon=True)
        thread.start()
        return thread

    def test_files_of_another_project_do_not_wait_for_long_work(self) -> None:
        """Measuring is done beside a baking that takes minutes, by the same worker."""
        long = Job.start(self.project, "occlusion", LONG)
        worker = self.watched(long)
        self.until(lambda: Job.objects.get(pk=long.pk).share > 0.02)
        other = Project.begin(Document(name="other"))
        with folder() as root:
            path = project_folder(root) / "maps/tile_gloss.png"
            sha256, _ = put([path.read_bytes()])
        files = [{"path": "wall_rough.png", "sha256": sha256}]
        small = Job.start(other, "bring-in", {"files": files})
        self.until(lambda: Job.objects.get(pk=small.pk).state == Job.State.DONE)
        self.assertEqual(Job.objects.get(pk=long.pk).state, Job.State.RUNNING)
        self.assertEqual(len(other.fresh().document.maps), 1)
        Job.objects.filter(pk=long.pk).update(cancel_requested=True)
        worker.join(30)

    def until(self, true: Callable[[], object], seconds: float = 60) -> float:
        """Wait for a state; gives how long it took."""
        began = time.monotonic()
        while not true():
            self.assertLess(time.monotonic() - began, seconds, "it never comes")
            time.sleep(0.02)
        return time.monotonic() - began

    def begun(self, job: Job) -> int:
        """Wait until the job's process works; gives its number."""
        self.until(lambda: Job.objects.get(pk=job.pk).share > 0)
        return next(child.pid for child in multiprocessing.active_children())

    def test_a_job_whose_process_is_killed_is_tried_twice_and_then_failed_with_the_reason(
        self,
    ) -> None:
        job = Job.objects.create(project=self.project, kind="occlusion", arguments=LONG)
        for attempt in (1, 2):
            worker = self.watched(job)
            pid = self.begun(job)
            os.kill(pid, signal.SIGKILL)
            worker.join(20)
            job.refresh_from_db()
            self.assertEqual(job.attempts, attempt)
            self.assertEqual(job.state, "waiting" if attempt == 1 else "failed")
        self.assertIn("ended twice", job.error["message"])
        self.assertTrue(job.error["hint"])

    def test_cancel_reaches_the_work_within_two_seconds(self) -> None:
        job = Job.objects.create(project=self.project, kind="occlusion", arguments=LONG)
        worker = self.watched(job)
        self.begun(job)
        Job.objects.filter(pk=job.pk).update(cancel_requested=True)
        worker.join(20)
        job.refresh_from_db()
        self.assertEqual(job.state, "cancelled")
        self.assertEqual(multiprocessing.active_children(), [])

    def test_a_job_that_takes_too_long_is_stopped_and_says_so(self) -> None:
        job = Job.objects.create(project=self.project, kind="occlusion", arguments=LONG)
        with override_settings(JOB_MINUTES=0.05):
            worker = self.watched(job)
            worker.join(30)
        job.refresh_from_db()
        self.assertEqual(job.state, "failed")
        self.assertIn("longer than 0.05 minutes", job.error["message"])

    def test_a_deleted_project_takes_its_running_job_with_it(self) -> None:
        job = Job.objects.create(project=self.project, kind="occlusion", arguments=LONG)
        worker = self.watched(job)
        self.begun(job)
        Project.objects.get(pk=self.project.pk).erase()
        worker.join(20)
        self.assertFalse(worker.is_alive())
        self.assertEqual(multiprocessing.active_children(), [])

    def test_work_is_done_and_edits_made_meanwhile_stay(self) -> None:
        with folder() as root:
            project_folder(root)
            content = (root / "maps/tile_orm.png").read_bytes()
        files = [{"path": "late_albedo.png", "sha256": put([content])[0]}]
        job = Job.objects.create(project=self.project, kind="bring-in", arguments={"files": files})
        worker = self.watched(job)
        self.project.edit([RenameProject(name="Renamed meanwhile")], self.project.head_id)
        worker.join(60)
        job.refresh_from_db()
        self.assertEqual(job.state, "done", job.error)
        now = self.project.fresh().document
        self.assertEqual((now.name, "late_albedo" in now.maps), ("Renamed meanwhile", True))

    def test_a_file_that_ended_the_process_is_left_out_the_next_time(self) -> None:
        with folder() as root:
            project_folder(root)
            contents = {
                name: (root / f"maps/{name}.png").read_bytes() for name in ("tile_orm", "tile_nrm")
            }
        files = [
            {"path": f"{name}.png", "sha256": put([content])[0]}
            for name, content in contents.items()
        ]
        job = Job.objects.create(
            project=self.project,
            kind="bring-in",
            arguments={"files": files},
            attempts=1,
            reading=["tile_nrm.png"],
        )
        self.watched(job).join(60)
        job.refresh_from_db()
        said = {entry["path"]: entry.get("error", "") for entry in job.result["files"]}
        # Both are known already by their content; a new content would be refused with its reason.
        self.assertEqual(set(said), {"tile_orm.png", "tile_nrm.png"})
        with FilesBeingRead(job).file("a.png"):
            self.assertEqual(was_reading(job), ["a.png"])

    def test_what_was_claimed_and_never_run_is_taken_up_again(self) -> None:
        job = Job.objects.create(project=self.project, kind="archive")
        job.enqueue()
        DBTaskResult.objects.all().delete()  # the worker that had taken the task was killed
        Job.objects.filter(pk=job.pk).update(queued=timezone.now() - timedelta(minutes=5))
        self.assertEqual(sweep(), 1)
        self.assertEqual(DBTaskResult.objects.count(), 1)
        self.assertEqual(sweep(), 0)

    def test_a_job_nobody_was_heard_of_for_is_queued_again_and_given_up_in_the_end(self) -> None:
        long_ago = timezone.now() - timedelta(minutes=2)
        job = Job.objects.create(
            project=self.project, kind="archive", state="running", attempts=1, beat=long_ago
        )
        alive = Job.objects.create(
            project=self.project, kind="archive", state="running", attempts=1, beat=timezone.now()
        )
        self.assertEqual(sweep(), 1)
        job.refresh_from_db()
        alive.refresh_from_db()
        self.assertEqual((job.state, alive.state), ("waiting", "running"))
        Job.objects.filter(pk=job.pk).update(state="running", attempts=5, beat=long_ago)
        sweep()
        job.refresh_from_db()
        self.assertEqual(job.state, "failed")

    def test_a_second_start_queues_every_job_once(self) -> None:
        for state in ("waiting", "running", "done"):
            Job.objects.create(project=self.project, kind="archive", state=state, attempts=1)
        for _ in range(2):
            self.assertEqual(resume(), 2)
            self.assertEqual(DBTaskResult.objects.count(), 2)

    def test_two_workers_never_do_one_job(self) -> None:
        job = Job.objects.create(project=self.project, kind="archive")
        workers = [self.watched(job) for _ in range(3)]
        for worker in workers:
            worker.join(60)
        job.refresh_from_db()
        self.assertEqual((job.state, job.attempts), ("done", 1))


class Preloaded(SimpleTestCase):
    def test_what_jobs_are_forked_from_has_no_threads(self) -> None:
        """Those of a library would spin beside the ones that work, and are not forked soundly."""
        counted = "import os; print(os.listdir('/proc/self/task'))"
        with folder() as root:
            process = subprocess.run(
                [sys.executable, "-c", f"import server.workshop.jobs.preload; {counted}"],
                cwd=settings.ROOT,
                env=os.environ | {"EKTOPOS_DATA": str(root)},
                capture_output=True,
                text=True,
                check=True,
            )
        self.assertEqual(process.stdout.count("'"), 2, process.stdout)


class Turns(TestCase):
    """Whose turn it is among jobs that wait."""

    def waiting(self, project: Project, kind: str, **arguments: object) -> Job:
        return Job.objects.create(project=project, kind=kind, arguments=arguments)

    def test_importing_goes_before_long_work_of_another_project(self) -> None:
        first, second = (Project.begin(Document(name=name)) for name in ("one", "two"))
        self.waiting(first, "paint", size=4096)
        files = self.waiting(second, "bring-in", files=[])
        self.assertEqual(next_job(), files)
        self.assertEqual(next_job(urgent_only=True), files)
        files.delete()
        self.assertIsNone(next_job(urgent_only=True))

    def test_small_work_goes_before_large_and_projects_take_turns(self) -> None:
        first, second = (Project.begin(Document(name=name)) for name in ("one", "two"))
        large = self.waiting(first, "paint", size=2048)
        small = self.waiting(first, "paint", size=256)
        self.assertEqual(next_job(), small)
        other = self.waiting(second, "paint", size=4096)
        Job.objects.create(
            project=first, kind="paint", state=Job.State.RUNNING, beat=timezone.now()
        )
        self.assertEqual(next_job(), other, "the other project has not been served yet")
        other.delete()
        small.delete()
        self.assertEqual(next_job(), large)

    def test_a_job_whose_parts_are_being_done_waits_for_them(self) -> None:
        project = Project.begin(Document(name="one"))
        whole = self.waiting(project, "bring-in", files=[])
        part = Job.objects.create(
            project=project, kind="measure-part", state=Job.State.RUNNING, part_of=whole
        )
        self.assertIsNone(next_job())
        part.state = Job.State.DONE
        part.save()
        self.assertEqual(next_job(), whole)

    def test_what_waits_says_for_what(self) -> None:
        first, second = (Project.begin(Document(name=name)) for name in ("one", "two"))
        Job.objects.create(project=first, kind="paint", state=Job.State.RUNNING)
        self.waiting(second, "export")
        (told,) = self.client.get(f"/api/projects/{second.pk}/jobs").json()
        self.assertEqual((told["waits_for"], told["waits_elsewhere"]), ("paint", True))
