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


def measure(workshop: Workshop, seconds: float) -> None:
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
    project = workshop.ask(
        "POST", f"{path}/edits", {"revision": project["revision"], "edits": edits}
    )
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
    lost = [
        i
        for i in range(PEOPLE)
        if last[f"m{i}"]["inputs"]["roughness"]["value"] != done[i] % 100 / 100
    ]
    cuts = statistics.quantiles(times, n=100)
    print(
        f"{sum(done)} edits in {seconds:.0f} s by {PEOPLE} people, {min(done)} to {max(done)} each; {len(wrong)} refused or failed; {len(lost)} lost"
    )
    print(
        f"an edit: median {1000 * statistics.median(times):.0f} ms, 95 % {1000 * cuts[94]:.0f} ms, longest {1000 * max(times):.0f} ms"
    )
    print(
        f"news: median {1000 * statistics.median(news):.0f} ms, 95 % {1000 * statistics.quantiles(news, n=100)[94]:.0f} ms"
    )
    for text in wrong[:5]:
        print("  ", text)
