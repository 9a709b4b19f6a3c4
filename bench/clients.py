"""Twenty people on one project, each on a material of their own, while as many pages ask for news
every second.

`BENCH_SECONDS=120 ./run bench clients`; goal: nothing refused, no 5xx, 95 % of the answers within a
second.
"""

from __future__ import annotations

import os
import statistics
import tempfile
import threading
import time
from http.client import HTTPException
from pathlib import Path

from tests.services.engines import postgres
from tests.workshop import Refused, Workshop

PEOPLE = 20


def run() -> None:
    seconds = float(os.environ.get("BENCH_SECONDS", "120"))
    with tempfile.TemporaryDirectory() as folder, postgres() as database:
        for name, settings in (("SQLite", {}), ("PostgreSQL", {"DATABASE_URL": database})):
            workshop = Workshop(Path(folder) / name, settings=settings)
            workshop.start()
            try:
                print(name, end=": ", flush=True)
                measure(workshop, seconds)
            finally:
                workshop.stop()


def say(seconds: float, done: list[int], lost: int, wrong: list[str]) -> None:
    print(
        f"{sum(done)} edits in {seconds:.0f} s by {PEOPLE} people, {min(done)} to {max(done)} each; {len(wrong)} refused or failed; {lost} lost"
    )
    for text in wrong[:5]:
        print("  ", text)


def say_times(edits: list[float], news: list[float]) -> None:
    for what, times in (("an edit", edits), ("news", news)):
        cuts = statistics.quantiles(times, n=100)
        print(
            f"{what}: median {1000 * statistics.median(times):.0f} ms, 95 % {1000 * cuts[94]:.0f} ms, longest {1000 * max(times):.0f} ms"
        )


def begin(workshop: Workshop) -> dict:
    """A project with a material for each person, and maps that make its document large."""
    project = workshop.ask("POST", "/projects", {"name": "Together"})
    path = f"/projects/{project['id']}"
    entry = {"file": "maps/a.png", "roles": {"rgb": "base_color"}, "encoding": "srgb", "set": "a"}
    edits: list[dict] = [{"kind": "add-material", "name": f"m{i}"} for i in range(PEOPLE)]
    edits += [
        {
            "kind": "bring-in",
            "maps": {f"map_{i}": entry | {"file": f"maps/{i}.png"} for i in range(100)},
        }
    ]
    body = {"revision": project["revision"], "edits": edits}
    return workshop.ask("POST", f"{path}/edits", body)


def measure(workshop: Workshop, seconds: float) -> None:
    project = begin(workshop)
    path = f"/projects/{project['id']}"
    ends, times, news, wrong, done = time.monotonic() + seconds, [], [], [], [0] * PEOPLE

    def person(number: int) -> None:
        revision, value = project["revision"], 0
        while time.monotonic() < ends:
            value += 1
            edit = {
                "kind": "set-feed",
                "material": f"m{number}",
                "input": "roughness",
                "feed": {"value": value % 100 / 100},
            }
            began = time.monotonic()
            try:
                body = {"revision": revision, "page": f"page {number}", "edits": [edit]}
                revision = workshop.ask("POST", f"{path}/edits", body)["revision"]
                done[number] += 1
            except (Refused, OSError, HTTPException) as problem:
                wrong.append(str(problem)[:200])
            times.append(time.monotonic() - began)

    def page() -> None:
        while time.monotonic() < ends:
            began = time.monotonic()
            try:
                workshop.ask("GET", f"{path}/pulse")
            except (Refused, OSError, HTTPException) as problem:
                wrong.append(str(problem)[:200])
            news.append(time.monotonic() - began)
            time.sleep(max(0.0, 1.0 - (time.monotonic() - began)))

    threads = [threading.Thread(target=person, args=(i,)) for i in range(PEOPLE)] + [
        threading.Thread(target=page) for _ in range(PEOPLE)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    last = workshop.ask("GET", path)["document"]["materials"]
    shown = [round(100 * last[f"m{i}"]["inputs"]["roughness"]["value"]) for i in range(PEOPLE)]
    lost = sum(value != made % 100 for value, made in zip(shown, done, strict=True))
    say(seconds, done, lost, wrong)
    say_times(times, news)
