"""Processes killed at random while files come in, edits are made, packages exported and projects
deleted.

`BENCH_KILLS=100 ./run bench kills`; goal: no acknowledged edit lost, no job stuck, nothing left
over after the next start.
"""

from __future__ import annotations

import os
import random
import subprocess
import sys
import tempfile
import threading
import time
from http.client import HTTPException
from pathlib import Path

from tests.samples import noise, project_folder, save
from tests.workshop import ROOT, Refused, Workshop

GONE = (OSError, HTTPException, Refused)


def run() -> None:
    times = int(os.environ.get("BENCH_KILLS", "100"))
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        workshop = Workshop(root / "data")
        workshop.start()
        try:
            work_and_kill(workshop, root, times)
        finally:
            workshop.stop()


class Person:
    """Works on projects of their own, and knows what was acknowledged."""

    def __init__(self, workshop: Workshop, files: list[tuple[str, bytes]], seed: int) -> None:
        self.workshop, self.files, self.random = workshop, files, random.Random(seed)
        self.projects: dict[str, dict] = {}
        """Acknowledged values by project: its name, and the number of imports asked for."""
        self.deleted: set[str] = set()
        self.made = 0

    def act(self) -> None:
        choice = self.random.random()
        try:
            if not self.projects or choice < 0.05:
                self.begin()
            elif choice < 0.70:
                self.edit()
            elif choice < 0.80:
                self.bring_in()
            elif choice < 0.94:
                self.export()
            elif len(self.projects) > 1:
                self.delete()
        except GONE:
            time.sleep(0.05)

    def begin(self) -> None:
        given = [self.workshop.upload(path, content) for path, content in self.files]
        project = self.workshop.ask("POST", "/projects/import", {"files": given})
        self.projects[project["id"]] = {}

    def some(self) -> str:
        return self.random.choice(sorted(self.projects))

    def edit(self) -> None:
        project = self.some()
        self.made += 1
        name = f"name {self.made}"
        revision = self.workshop.ask("GET", f"/projects/{project}")["revision"]
        # What was not acknowledged may have been made or not.
        self.projects[project]["maybe"] = name
        edit = {"kind": "rename-project", "name": name}
        self.workshop.ask(
            "POST", f"/projects/{project}/edits", {"revision": revision, "edits": [edit]}
        )
        self.projects[project] = {"name": name}

    def bring_in(self) -> None:
        project = self.some()
        self.made += 1
        given = [
            self.workshop.upload(
                f"new_{self.made}_albedo.png", self.files[-1][1] + bytes([self.made % 250])
            )
        ]
        self.workshop.ask("POST", f"/projects/{project}/imports", {"files": given})

    def export(self) -> None:
        project = self.some()
        revision = self.workshop.ask("GET", f"/projects/{project}")["revision"]
        self.workshop.ask(
            "POST",
            f"/projects/{project}/exports",
            {"revision": revision, "trial": self.random.random() < 0.3},
        )

    def delete(self) -> None:
        project = self.some()
        self.projects.pop(project)
        self.workshop.ask("DELETE", f"/projects/{project}")
        self.deleted.add(project)

    def lost(self) -> list[str]:
        """What was acknowledged and is not so."""
        found = []
        for project, values in self.projects.items():
            name = self.workshop.ask("GET", f"/projects/{project}")["document"]["name"]
            if "name" in values and name not in (values["name"], values.get("maybe")):
                found.append(f"{project}: {name} instead of {values}")
        rows = {row["id"] for row in self.workshop.ask("GET", "/projects")}
        return found + [f"{project} is there again" for project in self.deleted & rows]


def kill_at_random(workshop: Workshop, times: int) -> int:
    """Kills everything, or one process, again and again. Gives how often it was everything."""
    chance = random.Random(7)
    whole = 0
    for number in range(times):
        time.sleep(chance.uniform(0.2, 2.5))
        family = workshop.family()
        if number % 2 == 0 or len(family) < 4:
            whole += 1
            workshop.kill(family)
            workshop.process.wait()
            workshop.start()
        else:
            workshop.kill([chance.choice(family[1:])])
            if workshop.process.poll() is not None:
                workshop.start()
            else:
                time.sleep(0.5)
                if workshop.process.poll() is not None:
                    workshop.start()
    return whole


def jobs_of(workshop: Workshop, projects: list[str], *states: str) -> list[dict]:
    return [
        job
        for project in projects
        for job in workshop.ask("GET", f"/projects/{project}/jobs")
        if job["state"] in states
    ]


def jobs_that_stay(workshop: Workshop, projects: list[str]) -> list[dict]:
    """Jobs that have not ended after ten minutes."""
    ends = time.monotonic() + 600
    while (left := jobs_of(workshop, projects, "waiting", "running")) and time.monotonic() < ends:
        time.sleep(0.5)
    return left


def work_and_kill(workshop: Workshop, root: Path, times: int) -> None:
    project_folder(root / "p")
    save(root / "p/z.png", noise(32, 77))
    paths = [path for path in sorted((root / "p").rglob("*")) if path.is_file()]
    files = [(str(path.relative_to(root / "p")), path.read_bytes()) for path in paths]
    people = [Person(workshop, files, seed) for seed in range(4)]
    stop = threading.Event()

    def work(person: Person) -> None:
        while not stop.is_set():
            person.act()

    threads = [threading.Thread(target=work, args=(person,)) for person in people]
    for thread in threads:
        thread.start()
    whole = kill_at_random(workshop, times)
    stop.set()
    for thread in threads:
        thread.join()
    workshop.stop()
    workshop.start()
    projects = [project for person in people for project in person.projects]
    stuck = jobs_that_stay(workshop, projects)
    lost = [text for person in people for text in person.lost()]
    failed = [job["error"] for job in jobs_of(workshop, projects, "failed")]
    workshop.stop()
    left = leavings(workshop)
    edits = sum(person.made for person in people)
    print(
        f"{times} kills ({whole} of everything), {edits} edits and imports, {len(projects)} projects left, {sum(len(p.deleted) for p in people)} deleted"
    )
    print(
        f"lost {len(lost)}, jobs stuck {len(stuck)}, jobs failed with a reason {len(failed)}, left over {len(left)}"
    )
    for text in [*lost, *left, *failed][:10]:
        print("  ", text)


def leavings(workshop: Workshop) -> list[str]:
    """Temporary files, folders of no package, packages of no folder, and damaged contents."""
    script = """
from pathlib import Path
from django.conf import settings
from server.workshop.retention import collect, remove_leavings, verify_files
from server.workshop.models import Package
remove_leavings()
root = Path(settings.DATA_FOLDER)
for path in root.rglob("tmp*"): print("temporary", path)
known = {str(pk) for pk in Package.objects.values_list("pk", flat=True)}
collect()
for path in (root / "packages").glob("*"):
    if path.name not in known: print("folder of no package", path)
for pk in Package.objects.filter(complete=True).values_list("pk", flat=True):
    if not (root / "packages" / str(pk) / "files" / "package.json").is_file(): print("package without its list", pk)
for pk in Package.objects.filter(complete=False).values_list("pk", flat=True): print("half a package", pk)
for damage in verify_files(): print("damaged", damage)
"""
    environment = {**os.environ, "EKTOPOS_DATA": str(workshop.data), "EKTOPOS_GRACE_HOURS": "0"}
    command = [sys.executable, "manage.py", "shell", "-v", "0", "-c", script]
    return subprocess.run(
        command, cwd=ROOT, env=environment, capture_output=True, text=True
    ).stdout.splitlines()
